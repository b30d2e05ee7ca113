"""What became of deliveries, for whom it is asked: people at a terminal, a mail, programs, CI systems, a browser."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

import click
from rich.console import Console
from rich.text import Text

from .. import __version__
from ..files.comparison import DeliveryComparison
from ..files.sarif import sarif
from ..files.tally import Listed
from ..gates.base import AnyGate
from ..gates.document import DocumentGate
from ..report.digest import Digest, Group, first_place
from ..report.markdown import code_span
from ..report.shown_values import counted, visible
from .console import console, fault_line, told
from .deliveries import DeliveryOptions, DeliveryOutcome

_LISTED = 20
"""So many faults are listed one by one; more are told as a digest, unless every one is asked for."""


def print_outcome(out: Console, outcome: DeliveryOutcome, target: str, asked: DeliveryOptions) -> None:
    """What became of a delivery, for people."""
    out.print(f"{visible(outcome.name)} against {target}", style="heading")
    digest, tally = outcome.digest, outcome.tally
    if asked.brief:
        pass
    elif digest.faults <= _LISTED or asked.every:
        for listed in tally.listed:
            out.print("  ", fault_line(outcome.name, listed.fault), sep="")
            if asked.excerpt:
                _excerpt(out, listed)
        if (left := digest.faults - len(tally.listed)) > 0:
            out.print(f"  and {left:,} more; --most {digest.faults} prints them all", style="quiet")
    else:
        _print_digest(out, digest)
    if not asked.brief:
        out.print()
    for words in _asides(outcome):
        out.print(f"  {words}", style="quiet", markup=False)
    if outcome.broken:
        out.print(f"  {outcome.broken}: what stands behind was not read", style="refused", markup=False)
    if outcome.stopped:
        out.print(f"  stopped after {counted(digest.refused, 'refused record')}, as asked", style="quiet")
    for key, files, count in outcome.written:
        file = files[0] if len(files) == 1 else f"{files[0]} to {files[-1]}"
        said = "what is wrong with them" if key == "faults" else counted(count, f"{key} record")
        out.print(Text.assemble("  ", (visible(file), "place"), "  ", (said, "quiet")))
    if digest.rows:
        out.print("  ", told(digest.admitted, digest.refused, digest.faults), sep="")
    elif tally.outside:
        out.print("  the file could not be read to its end, so no record was checked", style="refused")
    else:
        out.print("  there was no record to check", style="quiet")


def _asides(outcome: DeliveryOutcome) -> list[str]:
    """What else there is to say of a delivery."""
    tally, said = outcome.tally, []
    if outcome.hides:
        said.append("no lines are shown: the records hold secrets")
    if tally.dropped:
        keys = ", ".join(sorted(map(visible, tally.dropped))[:8])
        said.append(f"unknown keys left out: {keys}; --unknown refuse makes each a fault")
    if tally.fallbacks:
        said.append(
            f"{counted(tally.fallbacks, 'value')} refused and stood in for (otherwise): --format json lists them"
        )
    if tally.unjudged:
        said.append(
            f"{counted(tally.unjudged, 'value')} not judged, where unusable parts have a say: --format json lists them"
        )
    if outcome.unread:
        names = ", ".join(map(visible, outcome.unread[:8]))
        said.append(f"not looked at: {counted(len(outcome.unread), 'other sheet')} ({names}); --sheet chooses one")
    return said


def print_flaws(gate: AnyGate[Any]) -> None:
    """Which parts of a document cannot be used."""
    flaws = gate.flaws if isinstance(gate, DocumentGate) else ()
    if flaws:
        out = console()
        out.print(f"{counted(len(flaws), 'part')} of the document cannot be used", style="heading")
        for flaw in flaws:
            out.print(f"  {visible(str(flaw))}", style="quiet")


def _print_digest(out: Console, digest: Digest) -> None:
    for group in digest.groups:
        out.print(
            Text.assemble("  ", (visible(group.pointer) or "(the whole)", "pointer"), "  needs ", visible(group.wanted))
        )
        share = f"{counted(group.faults, 'fault')} in {counted(group.rows, 'record')} ({group.rows / digest.rows:.1%})"
        first = first_place(*group.first[0])
        out.print(Text.assemble("      ", share, ", first ", (first, "place")))
        if came := _came(group):
            out.print(Text.assemble("      ", (came, "quiet")))
    out.print("  --every lists each fault", style="quiet")


def _came(group: Group) -> str:
    """Which values came, and what would have let them pass."""
    several = group.most_frequent(4)
    parts = []
    if several:
        values = ", ".join(f"{value} ({count:,})" for value, count in several)
        more = len(group.values) - len(several)
        parts.append(f"came: {values}{f' and {more} others' if more > 0 else ''}")
    if group.bound:
        parts.append(f"{group.bound} would pass")
    return "; ".join(parts)


def _excerpt(out: Console, listed: Listed) -> None:
    """The line that a fault stands in, with a mark under its place."""
    place = listed.fault.place
    if place is None or not listed.text or not listed.line:
        return
    lines = listed.text.splitlines()
    at = 0 if place.cell else place.line - listed.line
    if not 0 <= at < len(lines):
        return
    first = listed.column - 1 if at == 0 else 0
    column = 0 if place.cell else max(place.column - first, 0)
    begin = max(column - 60, 0) if column else 0
    number = f"{place.line:>8} "
    out.print(Text.assemble((f"{number}| ", "quiet"), visible(lines[at][begin : begin + 100])))
    if column:
        before = visible(lines[at][begin : column - 1])
        out.print(Text.assemble(" " * len(number), ("| ", "quiet"), " " * len(before), ("^", "refused")))


def print_as_data(
    outcomes: Sequence[DeliveryOutcome], target: str, gate: AnyGate[Any], comparison: DeliveryComparison | None
) -> None:
    """What became of deliveries, as JSON: of one an object, of several a list; a comparison stands in the last."""
    made = [_data(outcome, target, gate) for outcome in outcomes]
    if comparison is not None:
        made[-1]["since"] = comparison.as_dict()
    click.echo(json.dumps(made[0] if len(made) == 1 else made, indent=2, ensure_ascii=False, default=str))


def _data(outcome: DeliveryOutcome, target: str, gate: AnyGate[Any]) -> dict[str, object]:
    """What became of a delivery, as plain JSON data."""
    tally, name = outcome.tally, outcome.name
    made: dict[str, object] = {
        "file": name,
        "against": target,
        **tally.digest.as_dict(),
        "every": [{"file": name, "record": each.number, **each.fault.as_dict()} for each in tally.listed],
        "listed_all": len(tally.listed) == tally.digest.faults,
        "dropped": sorted(tally.dropped),
        "fallbacks": [{"file": name, **fault.as_dict()} for fault in tally.fallback_faults],
    }
    if isinstance(gate, DocumentGate):
        made["flaws"] = [{"keyword": flaw.keyword, "why": flaw.why} for flaw in gate.flaws]
        made["idle"] = [{"keyword": flaw.keyword, "why": flaw.why} for flaw in gate.idle]
        made["unjudged"] = [{"record": number, "pointer": each} for number, each in tally.unsure]
    if outcome.broken:
        made["broken_off"] = outcome.broken
    if outcome.unread:
        made["sheets_not_looked_at"] = outcome.unread
    if outcome.written:
        made["written"] = [{"what": key, "files": files, "records": count} for key, files, count in outcome.written]
    return made


def print_as_markdown(outcomes: Sequence[DeliveryOutcome], comparison: DeliveryComparison | None) -> None:
    """What became of deliveries, as Markdown for a mail."""
    for outcome in outcomes:
        click.echo(f"## {code_span(outcome.name)}\n\n{outcome.digest.as_markdown()}")
    if comparison is not None:
        click.echo(f"## Since {code_span(comparison.name)}\n\n{comparison.as_markdown()}")


def print_as_sarif(outcomes: Sequence[DeliveryOutcome]) -> None:
    """What is wrong in deliveries, as SARIF."""
    faults = [(outcome.name, each.fault) for outcome in outcomes for each in outcome.tally.listed]
    complete = len(faults) == sum(outcome.digest.faults for outcome in outcomes)
    click.echo(json.dumps(sarif(faults, __version__, complete=complete), indent=2))


def print_as_page(outcomes: Sequence[DeliveryOutcome], target: str, comparison: DeliveryComparison | None) -> None:
    """What became of deliveries, as a page for a browser. Raises CannotStart where it cannot be made."""
    from ..files.report_page import Reported, report_page

    reported = [Reported(each.tally, each.broken, _asides(each)) for each in outcomes]
    click.echo(report_page(reported, target, comparison), nl=False)


def print_comparison(out: Console, found: DeliveryComparison) -> None:
    """What is wrong that was not before, and what is not any more, for people."""
    before, after = found.before, found.after
    out.print(f"since {visible(found.name)}", style="heading")
    out.print(
        f"  then {counted(before.rows, 'record')}, {before.refused:,} refused;"
        f" now {counted(after.rows, 'record')}, {after.refused:,} refused",
        style="quiet",
    )
    for change in found.changes:
        style = {"new": "refused", "gone": "admitted"}.get(change.what, "")
        where = Text.assemble(
            "  ", (f"{change.what:9}", style), " ", (visible(change.pointer) or "(the whole)", "pointer")
        )
        out.print(Text.assemble(where, "  needs ", visible(change.wanted), "  ", (change.counts(), "quiet")))
    if not found.changes:
        out.print("  nothing was wrong then, and nothing is now", style="quiet")
