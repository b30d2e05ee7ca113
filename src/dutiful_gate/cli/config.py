"""`dutiful config`: settings checked, shown with their origins, compared, and written as templates."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any, TypeVar

import click
from rich.console import Console
from rich.text import Text

from ..declare.sealed import SEALED
from ..report.place import Place
from ..report.shown_values import counted, visible
from .console import console, sure_output
from .shared_options import printed_as
from .target import CannotRun, named

F = TypeVar("F", bound=Callable[..., Any])
_WIDEST = 44
_INSTEAD = "  in place of"


@click.group(
    epilog="""Example, in a folder with the settings of the demo (dutiful demo --into .):

\b
    dutiful config check dutiful_gate.demo.terminal:settings
    dutiful config show dutiful_gate.demo.terminal:settings --profile staging
    dutiful config template dutiful_gate.demo.terminal:settings --format toml
    dutiful config compare dutiful_gate.demo.terminal:settings base staging
"""
)
def config() -> None:
    """Check, show, compare and draft settings. MODULE:NAME names a Settings."""


def _chosen(function: F) -> F:
    """The options that say how settings are loaded."""
    for option in (
        click.option(
            "--set",
            "words",
            multiple=True,
            metavar="NAME=VALUE",
            help="A setting over all layers, such as berths.limit=12.",
        ),
        click.option(
            "--folder",
            type=click.Path(exists=True, file_okay=False, path_type=Path),
            default=Path(),
            help="Where relative paths begin.  [default: this folder]",
        ),
        click.option("--profile", help="The profile to load, as in terminal.{profile}.toml."),
    ):
        function = option(function)
    return function


_target = click.argument("target", metavar="MODULE:NAME")


@config.command(
    epilog="""Example:

\b
    dutiful config check harbour.service:settings
    dutiful config check harbour.service:settings --profile staging --folder deploy

Exit status 0 where all is sound, 1 where something is at fault, 2 where the command cannot run.
"""
)
@_target
@_chosen
def check(target: str, profile: str | None, folder: Path, words: tuple[str, ...]) -> None:
    """Load the settings as the program would, and tell every fault with its place: for a deployment to run first."""
    sure_output()
    settings = _settings(target)
    out = console()
    loaded = _examined(settings, profile, folder, words)
    _told(out, loaded)
    if not loaded:
        out.print(Text(f"{counted(len(loaded.faults) + loaded.verdict.untold, 'fault')}: not sound", "refused"))
        raise SystemExit(1)
    layers = {setting.origin.layer for setting in loaded.settings()}
    count = len(list(loaded.settings()))
    out.print(Text.assemble(f"{counted(count, 'setting')} from {_listed(sorted(layers))}: ", ("sound", "admitted")))


@config.command(
    epilog="""Example:

\b
    dutiful config show harbour.service:settings
    dutiful config show harbour.service:settings --profile staging --format json
    dutiful config show harbour.service:settings --format env > service.env

Secrets are never shown. Exit status 0; 1 where the settings are not sound; 2 where the command cannot run.
"""
)
@_target
@_chosen
@printed_as(["text", "json", "env"], "The form of what is shown.")
def show(target: str, profile: str | None, folder: Path, words: tuple[str, ...], printed: str) -> None:
    """Show each setting in force, where it comes from, and what it replaced."""
    sure_output()
    settings = _settings(target)
    out = console()
    loaded = _sound(settings, profile, folder, words)
    every = list(loaded.settings())
    if printed == "json":
        told = [
            {
                "name": each.name,
                "value": each.value,
                "origin": _as_data(each.origin),
                "beside": [_as_data(origin) for origin in each.beside],
                "replaced": [{"value": value, "origin": _as_data(origin)} for value, origin in each.replaced],
            }
            for each in every
        ]
        click.echo(json.dumps(told, indent=2, ensure_ascii=False, default=str))
        return
    if printed == "env":
        _as_variables(settings, every)
        return
    lines = []
    for each in every:
        lines.append((each.name, _short(each.shown), _origins(each)))
        lines += [(_INSTEAD, _short(_word(value)), str(origin)) for value, origin in each.replaced]
    _columns(out, ("setting", "value", "from"), lines)


@config.command(
    epilog="""Example:

\b
    dutiful config template harbour.service:settings --format toml > terminal.toml
    dutiful config template harbour.service:settings --format env > .env
    dutiful config template harbour.service:settings --format markdown

Every setting is there with its text, type, rules and default; what is called needed must be set.
"""
)
@_target
@printed_as(["toml", "yaml", "json", "env", "markdown"], "The form of the template.")
@click.option(
    "--document",
    default="",
    metavar="PATH",
    help='The JSON Schema document for editors, written in as "$schema": see `dutiful config document`.',
)
def template(target: str, printed: Any, document: str) -> None:
    """Write a file of settings to fill in."""
    sure_output()
    settings = _settings(target)
    click.echo(settings.template(printed, schema=document), nl=False)
    if printed == "json":
        from ..config.template import entries

        needed = [".".join(map(str, each.path)) for each in entries(settings) if each.needed and each.record is None]
        if needed:
            console(stderr=True).print(f"needed: {', '.join(needed)}; the values are made up", markup=False)


@config.command(
    epilog="""Example:

\b
    dutiful config document harbour.service:settings > terminal.schema.json
    dutiful config document harbour.service:settings --partial    for files that others complete
"""
)
@_target
@click.option("--partial", is_flag=True, help="Nothing has to be there: for a file beside others.")
@click.option(
    "--dialect",
    type=click.Choice(["2020-12", "draft-07"]),
    default="2020-12",
    show_default=True,
    help="The edition of JSON Schema; many editors read draft-07.",
)
def document(target: str, partial: bool, dialect: Any) -> None:
    """Write the JSON Schema document of a file of settings, by which editors complete and check it."""
    sure_output()
    settings = _settings(target)
    made = settings.schema(dialect=dialect, partial=partial)
    click.echo(json.dumps(made, indent=2, ensure_ascii=False))
    out = console(stderr=True)
    for each in made.unstated:
        out.print(f"left unstated: {each}", markup=False)


@config.command(
    epilog="""Example:

\b
    dutiful config compare harbour.service:settings base staging
    dutiful config compare harbour.service:settings terminal.toml terminal.new.toml

A and B are names of profiles (base is none), or files that stand in the place of all files. Exit status 0 where the
settings in force are the same, 1 where they differ or are not sound, 2 where the command cannot run.
"""
)
@_target
@click.argument("first", metavar="A")
@click.argument("second", metavar="B")
@_chosen
def compare(target: str, first: str, second: str, profile: str | None, folder: Path, words: tuple[str, ...]) -> None:
    """Tell which settings in force differ between two profiles, or two files."""
    sure_output()
    settings = _settings(target)
    out = console()
    one, other = (_of_name(settings, name, profile, folder, words) for name in (first, second))
    lines: list[tuple[str, ...]] = []
    for path in {**one, **other}:
        here, there = one.get(path), other.get(path)
        if here is not None and there is not None and here.held == there.held:
            continue
        name = (here or there).name  # type: ignore[union-attr]
        for of, each in ((first, here), (second, there)):
            told = ("nothing", "") if each is None else (_short(each.shown), _origins(each))
            lines.append((name, of, *told))
            name = ""
    if not lines:
        out.print(f"{first} and {second}: the same settings in force", markup=False)
        return
    _columns(out, ("setting", "in", "value", "from"), lines)
    raise SystemExit(1)


def _of_name(settings: Any, name: str, profile: str | None, folder: Path, words: tuple[str, ...]) -> Mapping[Any, Any]:
    """The settings in force, by path, of a profile or with a file in the place of all files."""
    from ..config.layers import File, is_file_name, may_have_profile
    from ..config.settings import Settings, ignoring

    if is_file_name(name):
        variable = settings.profile_from
        others = [layer for layer in settings.layers if not isinstance(layer, File)]
        if not any(map(may_have_profile, others)):  # a profile is that of the files, which are left out
            others, variable, profile = [ignoring(layer, variable) for layer in others], "", None
        instead = Settings(
            settings.declared,
            File(name),
            *others,
            profile_from=variable,
            keys=settings.gate.keys,
            limits=settings.limits,
        )
        loaded = _sound(instead, profile, folder, words, of=name)
    else:
        loaded = _sound(settings, None if name == "base" else name, folder, words, of=name)
    return {each.path: each for each in loaded.settings()}


def _settings(target: str) -> Any:
    """The settings of a name. Raises CannotRun for anything else."""
    from ..config.settings import Settings

    found = named(target)
    if not isinstance(found, Settings):
        raise CannotRun(f"{target} is no Settings; name one, such as settings = Settings(Terminal, File(...))")
    return found


def _examined(settings: Any, profile: str | None, folder: Path, words: tuple[str, ...]) -> Any:
    try:
        return settings.examine(profile=profile, folder=folder, arguments=list(words))
    except ImportError as missing:
        raise CannotRun(str(missing)) from None


def _sound(settings: Any, profile: str | None, folder: Path, words: tuple[str, ...], of: str = "") -> Any:
    loaded = _examined(settings, profile, folder, words)
    if not loaded:
        out = console(stderr=True)
        _told(out, loaded)
        out.print(Text(f"{of + ': ' if of else ''}{counted(len(loaded.faults), 'fault')}: not sound", "refused"))
        raise SystemExit(1)
    return loaded


def _told(out: Console, loaded: Any) -> None:
    """Every fault and every piece of advice in a line of its own."""
    for fault, line in zip(loaded.faults, loaded.lines(), strict=False):
        place = str(fault.place) if fault.place is not None else ""
        _, _, rest = line.partition(f"{place} ") if place else ("", "", line)
        name, blank, words = rest.partition(" ") if fault.path else ("", "", rest)
        out.print(Text.assemble((place, "place"), "  ", (name, "pointer"), "  " if blank else "", words))
    for advice in loaded.advice:
        out.print(Text.assemble(("note  ", "quiet"), visible(str(advice))))


def _as_data(origin: Any) -> dict[str, object]:
    place: Place | None = origin.place
    return {"layer": origin.layer, **(place.as_dict() if place is not None else {})}


def _origins(setting: Any) -> str:
    """Where a setting comes from; of a list that several layers made, each of them."""
    return ", ".join(map(str, (setting.origin, *setting.beside)))


def _word(value: Any) -> str:
    from ..config.loaded import told_value

    return SEALED if value == SEALED else told_value(value)


def _short(text: str) -> str:
    return text if len(text) <= _WIDEST else text[: _WIDEST - 1] + "…"


def _columns(out: Console, heads: tuple[str, ...], lines: Sequence[tuple[str, ...]]) -> None:
    """Aligned columns; what a setting stands in the place of is told below it, and less loudly."""
    widths = [max(len(line[at]) for line in [heads, *lines]) for at in range(len(heads))]
    for number, line in enumerate([heads, *lines]):
        name, *cells, place = (cell.ljust(width) for cell, width in zip(line, widths, strict=True))
        text = Text.assemble((name, "pointer"), *(f"  {cell}" for cell in cells), "  ", (place, "place"))
        if number == 0:
            text = Text(text.plain, "heading")
        elif line[0] == _INSTEAD:
            text = Text(text.plain, "quiet")
        text.rstrip()
        out.print(text)


def _as_variables(settings: Any, every: list[Any]) -> None:
    from ..config.names import prefix_of, variable
    from ..config.written import CannotHold, env_line, variable_text

    prefix = prefix_of(settings.layers)
    for each in every:
        name = variable(prefix, each.path)
        if each.secret:
            click.echo(f"# {visible(name)} {SEALED}")
            continue
        try:
            click.echo(env_line(name, variable_text(each.value, each.path)))
        except CannotHold as error:
            click.echo(f"# {visible(name)}: {visible(str(error))}")


def _listed(words: list[str]) -> str:
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"
