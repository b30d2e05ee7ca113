"""What became of deliveries, as one page that needs nothing else: counts, groups, where in a file they stand."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, Final

from ..report.digest import Group, first_place
from ..report.shown_values import counted, visible
from .comparison import DeliveryComparison
from .opened import CannotStart
from .tally import Tally

_MOST_FAULTS: Final = 500

_PAGE: Final = "report.html"


@dataclass(frozen=True)
class Reported:
    """One delivery of a report: what became of it, where it broke off, and what else there is to say."""

    tally: Tally
    broken: str = ""
    asides: Sequence[str] = field(default_factory=tuple)


def report_page(deliveries: Sequence[Reported], target: str, comparison: DeliveryComparison | None = None) -> str:
    """The page, with the comparison to a former delivery where there is one, made with Jinja2 and Matplotlib.

    Raises CannotStart where one of them is not installed.
    """
    try:
        from jinja2 import Environment, PackageLoader

        from .fault_plot import plot
    except ImportError as missing:
        raise CannotStart(f"a report needs the package {missing.name}: pip install 'dutiful-gate[report]'") from None
    names = [visible(each.tally.name) for each in deliveries]
    title = f"What is wrong in {names[0]}" if len(names) == 1 else f"What is wrong in {len(names)} files"
    told = [{**_told(each), "plot": plot(each.tally.digest)} for each in deliveries]
    return (
        Environment(autoescape=True, loader=PackageLoader("dutiful_gate.files", "."))
        .get_template(_PAGE)
        .render(
            title=title,
            target=visible(target),
            deliveries=told,
            since=visible(comparison.name) if comparison is not None else "",
            comparison=comparison.changes if comparison is not None else [],
        )
    )


def _told(reported: Reported) -> dict[str, Any]:
    tally = reported.tally
    most = max((group.rows for group in tally.digest.groups), default=0)
    faults = [
        (
            visible(str(each.fault.place or "")),
            visible(each.fault.pointer) or "(the whole)",
            visible(each.fault.message),
        )
        for each in tally.listed[:_MOST_FAULTS]
    ]
    listed = f"The first {len(faults):,} faults" if len(faults) < tally.digest.faults else counted(len(faults), "fault")
    return {
        "name": visible(tally.name),
        "digest": tally.digest,
        "broken": reported.broken,
        "asides": reported.asides,
        "groups": [_group(group, tally.digest.rows, most) for group in tally.digest.groups],
        "faults": faults,
        "listed": f"{listed}, one by one",
    }


def _group(group: Group, rows: int, most: int) -> dict[str, Any]:
    share = group.rows / rows if rows else 0
    return {
        "pointer": visible(group.pointer) or "(the whole)",
        "wanted": visible(group.wanted),
        "faults": f"{group.faults:,}",
        "records": f"{group.rows:,} ({share:.1%})",
        "percent": round(group.rows / max(most, 1) * 100, 1),
        "came": [(value, f"{count:,}") for value, count in group.most_frequent(4)],
        "bound": group.bound,
        "first": visible(first_place("", *group.first[0][1:])) if group.first else "",
    }
