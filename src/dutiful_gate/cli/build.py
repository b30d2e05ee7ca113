"""`dutiful build`: gates built beforehand, for programs that start at once."""

from __future__ import annotations

import gc
import sys
from keyword import iskeyword
from pathlib import Path
from typing import Any

import click

from ..declare.errors import DeclarationError
from ..gates.precompiled import Built, Stale, StaleBuild, build_gates, check_built
from ..gates.request import RequestGate
from ..gates.typed import Gate
from ..report.shown_values import counted, visible
from ..safe_files.python_files import imported, split_target
from .console import console, sure_output
from .target import CannotRun, named

AnyBuilt = Gate[Any] | RequestGate[Any]


@click.command(
    epilog="""Example:

\b
    dutiful build harbour.service:api harbour.shapes:Booking --into harbour/built
    dutiful build harbour.service:api --into harbour/built --check      in CI: stale? exit status 1

A program begins with `import harbour.built`, before the modules that make its gates: they find their functions there,
and neither read an annotation nor compile a source. Exit status: 0, 1 when --check finds it stale, 2 cannot run.
"""
)
@click.argument("targets", metavar="MODULE:NAME...", nargs=-1, required=True)
@click.option(
    "--into", required=True, type=click.Path(file_okay=False, path_type=Path), help="The folder to write: a package."
)
@click.option(
    "--stale",
    type=click.Choice(["refuse", "compile"]),
    default="refuse",
    show_default=True,
    help="What a program does with it once a source file, this package or Python has changed.",
)
@click.option("--check", is_flag=True, help="Write nothing: analyse in full, and tell whether the folder is stale.")
def build(targets: tuple[str, ...], into: Path, stale: Stale, check: bool) -> None:
    """Write the compiled functions and the documents of gates into importable files.

    A TARGET is a declared type, a gate, or anything that gates are made for, such as an API: of its module, and of
    those of its package that it imports, all gates are taken.
    """
    sure_output()
    if not into.resolve().name.isidentifier() or iskeyword(into.resolve().name):
        raise CannotRun(
            f"{into} is no name of a package, and a program imports it; name a folder such as harbour/built"
        )
    gates, modules = _gates(targets)
    try:
        built = check_built(gates, into) if check else build_gates(gates, into, modules=modules, stale=stale)
    except StaleBuild as error:
        raise CannotRun(str(error)) from None
    except DeclarationError as error:
        raise CannotRun(visible(str(error))) from None
    except OSError as error:
        raise CannotRun(f"{into} cannot be used: {error.strerror}") from None
    _print(built, into, check=check)
    raise SystemExit(1 if built.changed else 0)


def _gates(targets: tuple[str, ...]) -> tuple[dict[str, AnyBuilt], list[str]]:
    """The gates of targets by name, and the modules that they are made in. Raises CannotRun."""
    found: dict[str, AnyBuilt] = {}
    for target in targets:
        held = named(target)
        if isinstance(held, type) or not hasattr(held, "__dict__"):
            found[target] = _gate(target, held)
    own = {_module(target) for target in targets}
    packages = {name.partition(".")[0] for name in own}
    modules = [name for name in sys.modules if name.partition(".")[0] in packages and _is_of(name, own)]
    gc.collect()
    # Whatever holds them: a module, an API, a form.
    alive = [
        each for each in gc.get_objects() if issubclass(type(each), Gate | RequestGate) and hasattr(each, "_engine")
    ]
    known = {id(gate) for gate in found.values()}
    for gate in sorted(alive, key=_name):
        if id(gate) not in known and _modules_of(gate) & set(modules):
            name, number = _name(gate), 2
            while name in found:
                name, number = f"{_name(gate)} {number}", number + 1
            found[name] = gate
    if not found:
        raise CannotRun(f"no gate is made in {', '.join(sorted(own))}; name a declared type, or a module's gate")
    return found, modules


def _module(target: str) -> str:
    """The dotted name of the module of a target."""
    module = split_target(target)[0]
    return str(imported(module).__name__)


def _is_of(name: str, own: set[str]) -> bool:
    """Whether a module is one that was named, or stands below the package of one that is not this one."""
    return name in own or not name.startswith("dutiful_gate")


def _gate(target: str, held: Any) -> AnyBuilt:
    if isinstance(held, Gate | RequestGate):
        return held
    try:
        return Gate(held)
    except DeclarationError as error:
        raise CannotRun(f"{target} cannot become a gate.\n  {error}") from None


def _modules_of(gate: AnyBuilt) -> set[str]:
    """The modules of the classes that a gate makes."""
    return {str(getattr(record.builder, "__module__", "")) for record in gate.shape.records.values()}


def _name(gate: AnyBuilt) -> str:
    reads = "" if isinstance(gate, RequestGate) else f" from {gate.reads.value}"
    return f"{gate.shape.name}{reads}"


def _print(built: Built, into: Path, *, check: bool) -> None:
    out = console()
    for line in built.left:
        out.print(f"not built beforehand: {visible(line)}", style="refused", markup=False)
    for line in built.changed:
        out.print(f"stale: {visible(line)}", style="refused", markup=False)
    if check and not built.changed:
        out.print(f"{into} holds what would be built now: {counted(len(built.gates), 'gate')}", markup=False)
    elif not check:
        out.print(f"{counted(len(built.gates), 'gate')} in {into}; a program begins with its import", markup=False)
