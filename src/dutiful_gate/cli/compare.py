"""`dutiful compare`: two versions of a shape, and whom the step from one to the other breaks."""

from __future__ import annotations

import inspect
import json
import os
import re
import sys
from collections.abc import Sequence
from contextlib import ExitStack
from pathlib import Path
from typing import Any, Final, Literal

import click
from rich.text import Text

from ..declare.errors import DeclarationError
from ..gates.document import DocumentGate
from ..report.markdown import code_span, escaped
from ..report.shown_values import counted, visible
from ..safe_files.python_files import split_target
from ..versions.comparison import Answer, Comparison, Told, compared
from ..versions.descriptions import compare_descriptions, is_description
from ..versions.in_child import CannotLoad, ChildVersion, Revision
from ..versions.one_version import GateVersion, OneVersion
from .console import console, sure_output
from .shared_options import printed_as, unknown_option
from .target import CannotRun, Unknown, documents_option, gate_for, named
from .text_files import json_of

STATUS: Final[dict[Answer, int]] = {"unharmed": 0, "broken": 1, "unclear": 3}
_MOST: Final = 400
Whom = Literal["senders", "readers", "both"]


@click.command(
    epilog="""Example:

\b
    dutiful compare harbour.shapes:Booking@v1.4 harbour.shapes:Booking
    dutiful compare booking.schema.json@main booking.schema.json --for senders
    dutiful compare old.schema.json harbour.shapes:Booking --format markdown > review.md
    dutiful compare harbour.shapes:Booking harbour.shapes:BookingV2 --format json
    dutiful compare openapi.json@main harbour.service:api          two versions of an API

A version is MODULE:NAME or FILE.py:NAME, a .json document, an Api or its description, or any of them with @REVISION:
a branch, tag or commit of the repository here, whose files are loaded by a process of their own. Keys that a version
does not declare, and does not refuse, do not count as sent.

Exit status: 0 nobody breaks, which is proved; 1 somebody breaks; 2 cannot run; 3 could not be told, and the reason is
printed.
"""
)
@click.argument("old", metavar="OLD")
@click.argument("new", metavar="NEW")
@documents_option
@click.option(
    "--for",
    "whom",
    type=click.Choice(["senders", "readers", "both"]),
    default="both",
    show_default=True,
    help="Who must not break: who sends such data, who reads what comes out, or both.",
)
@unknown_option
@click.option("--undeclared", is_flag=True, help="Count keys that a version does not declare as sent.")
@click.option("--seed", default=0, show_default=True, help="The same seed tries the same instances.")
@printed_as(["text", "json", "markdown"], "For whom to print: markdown is for a review.")
def compare(
    old: str,
    new: str,
    documents: Path | None,
    whom: Whom,
    unknown: Unknown | None,
    undeclared: bool,
    seed: int,
    printed: str,
) -> None:
    """Compare two versions of a shape, or of an API, OLD and NEW, and tell whom the step breaks.

    Each change is told as narrowing (the new version refuses something), widening, both or neither, at its place in the
    data, with a smallest instance that one version accepts and the other refuses, checked against both gates.
    """
    sure_output()
    with ExitStack() as stack:
        try:
            described = [description_for(target, stack) for target in (old, new)]
            if all(each is not None for each in described):
                found = compare_descriptions(*described, seed=seed, names=(old, new))  # type: ignore[arg-type]
            elif any(each is not None for each in described):
                raise CannotRun("one of the two is an API and the other a shape; compare two of one kind")
            else:
                sides = [side_for(target, stack, unknown, documents) for target in (old, new)]
                found = compared(*sides, undeclared=undeclared, seed=seed)
        except CannotLoad as error:
            raise CannotRun(visible(str(error))) from None
        except DeclarationError as error:
            raise CannotRun(str(error)) from None
    if printed == "json":
        click.echo(json.dumps({**found.as_dict(), "for": whom, "answer": found.answer(whom)}, indent=2))
    elif printed == "markdown":
        click.echo(as_markdown(found, whom), nl=False)
    else:
        _print(found, whom)
    raise SystemExit(STATUS[found.answer(whom)])


def description_for(target: str, stack: ExitStack) -> dict[str, Any] | None:
    """The description that a word of the command line names: of an Api, or a file of one; None for a shape. Raises
    CannotRun, CannotLoad."""
    before, at, revision = target.rpartition("@")
    if not at or os.path.exists(target):
        if target.endswith(".json"):
            held = json_of(Path(target).read_bytes(), target) if os.path.isfile(target) else None
            return held if is_description(held) else None
        return api_description(named(target))
    if not before or not revision:
        return None
    held_at = stack.enter_context(Revision(revision))
    if before.endswith(".json"):
        held = json_of(held_at.text(before), target)
        return held if is_description(held) else None
    return held_at.description(os.path.relpath(before) if before.partition(":")[0].endswith(".py") else before)


def api_description(found: Any) -> dict[str, Any] | None:
    """The description of what is an Api, or a function that makes one and needs nothing; None for anything else."""
    if "dutiful_gate.web.api" not in sys.modules:
        return None
    from ..web.api import Api
    from ..web.describing.description import description

    if not isinstance(found, Api) and inspect.isfunction(found) and not hasattr(found, "__wrapped__"):
        said = found.__annotations__.get("return")
        if said not in (Api, "Api"):
            return None
        try:
            found = found()
        except TypeError as error:
            raise CannotRun(f"it needs something ({error}); name a function that needs nothing") from None
    return description(found) if isinstance(found, Api) else None


def side_for(target: str, stack: ExitStack, unknown: Unknown | None, documents: Path | None) -> OneVersion:
    """The version that a word of the command line names. Raises CannotRun, CannotLoad."""
    before, at, revision = target.rpartition("@")
    if not at or os.path.exists(target):
        return GateVersion(gate_for(target, unknown, documents, "refuse"), target)
    if not before or not revision:
        raise CannotRun(f"{target!r} names no version; write it as harbour.shapes:Booking@v1.4")
    held = stack.enter_context(Revision(revision))
    if before.endswith(".json"):
        try:
            gate = DocumentGate(json_of(held.text(before), target), formats="assert", documents=documents)
        except DeclarationError as error:
            raise CannotRun(f"{target} cannot become a gate.\n  {error}") from None
        return GateVersion(gate, target)
    module, name = split_target(before)
    if module.endswith(".py"):
        module = os.path.relpath(module)  # of the revision, and never the file as it is now
        if module.startswith(os.pardir):
            raise CannotRun(f"{target!r} is not below this folder; run from the folder that holds it")
        before = f"{module}:{name}"
    if not module:
        raise CannotRun(f"{target!r} names no declaration; write it as module:Name@{revision}, or FILE.json@{revision}")
    return stack.enter_context(ChildVersion(before, held.unpack(), target, unknown))


# For people


def _print(found: Comparison, whom: Whom) -> None:
    out = console()
    out.print(f"{found.old} -> {found.new}", style="heading", markup=False)
    if not found.changes:
        out.print("  both say the same", style="admitted")
    for pointer, words, told in _grouped(found.changes):
        out.print()
        out.print(Text.assemble("  ", (visible(pointer) or "(the whole)", "pointer"), "  ", visible(words)))
        for each in told:
            out.print(Text.assemble("      ", (_OF[each.of], "quiet"), ": ", *_direction(each)))
            for witness, verb in ((each.refused, "now refused"), (each.accepted, "now accepted")):
                if witness is not None and _is_worth_telling(each, told, verb):
                    out.print(Text.assemble("        ", (verb, "quiet"), f" {_shown(witness.instance)}"))
                    if witness.at:
                        places = ", ".join(visible(at) or "(the whole)" for at in witness.at[:4])
                        out.print(f"        at {places}", style="quiet")
    out.print()
    for who in ("senders", "readers"):
        if whom in (who, "both"):
            _print_answer(found, who)


def _print_answer(found: Comparison, who: Literal["senders", "readers"]) -> None:
    out = console()
    answer = found.answer(who)
    count = sum(
        (each.refused if who == "senders" else each.accepted) is not None
        for each in found.changes
        if each.of == ("send" if who == "senders" else "release")
    )
    if answer == "broken":
        out.print(f"  {who} break: by {counted(count, 'change')}", style="refused")
    elif answer == "unharmed":
        out.print(f"  {who} go on as before: proved", style="admitted")
    else:
        out.print(f"  {who}: it could not be told", style="heading")
        for why in found.why(who):
            out.print(f"    {visible(why)}", markup=False)


_OF: Final = {"send": "what is sent", "release": "what comes out"}


def _direction(told: Told) -> list[tuple[str, str]]:
    """Which way a change goes, and whom it breaks."""
    if told.direction == "unclear":
        return [(f"perhaps {' and '.join(told.doubtful)}", "heading")]
    harms = told.refused if told.of == "send" else told.accepted
    if harms is None:
        return [(told.direction, "quiet" if told.direction == "neither" else "admitted")]
    return [(told.direction, "refused"), (f", breaks {'senders' if told.of == 'send' else 'readers'}", "refused")]


def _grouped(changes: Sequence[Told]) -> list[tuple[str, str, list[Told]]]:
    """What is said of one place in the same words stands together, as it is sent and as it comes out."""
    found: dict[tuple[str, str], list[Told]] = {}
    for change in changes:
        found.setdefault((change.pointer, change.words), []).append(change)
    return [(pointer, words, told) for (pointer, words), told in found.items()]


def _is_worth_telling(told: Told, beside: Sequence[Told], verb: str) -> bool:
    """Whether an instance is shown: of what comes out, what readers break at, where what is sent shows no such one."""
    if told.of == "send":
        return True
    sent = next((each for each in beside if each.of == "send"), None)
    return verb == "now accepted" and (sent is None or sent.accepted is None)


def _shown(instance: Any) -> str:
    text = visible(json.dumps(instance, ensure_ascii=False, default=str))
    return text if len(text) <= _MOST else f"{text[: _MOST - 1]}…"


def as_markdown(found: Comparison, whom: Whom) -> str:
    """The comparison for a review."""
    words: dict[Answer, str] = {
        "broken": "**break**",
        "unharmed": "go on as before (proved)",
        "unclear": "it could not be told",
    }
    lines = [f"### {code_span(found.old)} → {code_span(found.new)}", ""]
    lines += [f"- {who}: {words[found.answer(who)]}" for who in ("senders", "readers") if whom in (who, "both")]
    if not found.changes:
        return "\n".join([*lines, "", "Both say the same.", ""])
    lines += ["", "| where | change | what is sent | what comes out |", "|---|---|---|---|"]
    groups = _grouped(found.changes)
    for pointer, change, told in groups:
        by = {each.of: "".join(words for words, _ in _direction(each)) for each in told}
        cells = (code_span(pointer, "(the whole)"), escaped(change), by.get("send", ""), by.get("release", ""))
        lines.append(f"| {' | '.join(cells)} |")
    for pointer, change, told in groups:
        for each in told:
            for witness, verb in ((each.refused, "now refused"), (each.accepted, "now accepted")):
                if witness is not None and _is_worth_telling(each, told, verb):
                    where = code_span(pointer, "(the whole)")
                    lines += ["", f"{where}: {escaped(change)}; {verb}:", "", *_fenced(witness.instance)]
    lines += [f"\n- {escaped(why)}" for why in found.why(whom)]
    return "\n".join(lines) + "\n"


def _fenced(instance: Any) -> list[str]:
    """An instance as a block of code that nothing in it ends."""
    text = visible(json.dumps(instance, ensure_ascii=False, default=str))
    fence = "`" * max(3, 1 + max(map(len, re.findall("`+", text)), default=0))
    return [f"{fence}json", text, fence]
