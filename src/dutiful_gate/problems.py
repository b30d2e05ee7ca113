"""Problem details (RFC 9457): the media type of `verdict.problem()`, and one problem of several verdicts."""

from collections.abc import Mapping
from typing import Any

from .report.problem import CONTENT_TYPE, Problem, ProblemError, error_of, problem_head
from .report.shown_values import counted
from .report.verdict import Verdict

__all__ = ["CONTENT_TYPE", "Problem", "ProblemError", "joined"]


def joined(verdicts: Mapping[str, Verdict[Any]], *, status: int = 422, title: str = "") -> dict[str, object]:
    """One problem of several verdicts by the names of their parts; each of its `errors` has its `part`.

    Raises ValueError where all of them admitted: there is no problem to tell.
    """
    errors = [{"part": name, **error_of(fault)} for name, verdict in verdicts.items() for fault in verdict.faults]
    if not errors:
        raise ValueError("all verdicts admitted: there is no problem to tell")
    untold = sum(verdict.untold for verdict in verdicts.values())
    body = problem_head(status, f"The data was refused with {counted(len(errors) + untold, 'fault')}.", title=title)
    return {**body, "errors": errors}
