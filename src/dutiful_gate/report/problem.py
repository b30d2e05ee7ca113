"""Problem details for HTTP APIs (RFC 9457)."""

from __future__ import annotations

import re
from collections.abc import Sequence
from http import HTTPStatus
from typing import Any, NotRequired, Required, TypedDict, cast
from urllib.parse import quote

from .fault import Fault, pointer
from .shown_values import counted

CONTENT_TYPE = "application/problem+json"
"""The media type of a problem's body (RFC 9457, section 6.1)."""


class ProblemError(TypedDict, total=False):
    """One of the errors of a problem: what is wrong, and where, a JSON Pointer as a URI fragment."""

    detail: Required[str]
    pointer: Required[str]
    code: str
    given: object
    expected: dict[str, object]
    line: int
    column: int


class Problem(TypedDict):
    """The body of an answer of type `application/problem+json` (RFC 9457)."""

    type: str
    title: str
    status: int
    detail: str
    instance: NotRequired[str]
    errors: NotRequired[list[ProblemError]]


_PLAIN = re.compile("[A-Za-z0-9_/.-]*")
_RENAMED = {413: "Content Too Large", 422: "Unprocessable Content"}


def problem_of(
    faults: Sequence[Fault], untold: int, *, status: int, kind: str, title: str, instance: str | None
) -> Problem:
    """A problem as plain JSON data; each fault is one of its `errors`, with a pointer as a URI fragment."""
    told = counted(len(faults) + untold, "fault")
    body = problem_head(status, f"The data was refused with {told}.", kind=kind, title=title, instance=instance)
    body["errors"] = [error_of(fault) for fault in faults]
    return body


def problem_head(
    status: int, detail: str, *, kind: str = "about:blank", title: str = "", instance: str | None = None
) -> Problem:
    """A problem without errors."""
    body: Problem = {"type": kind, "title": title or _phrase(status), "status": status, "detail": detail}
    if instance is not None:
        body["instance"] = instance
    return body


def error_of(fault: Fault, under: int = 0) -> ProblemError:
    """One of the errors of a problem; its pointer without the first steps of the path, so many as it is `under`."""
    told: Any = fault.as_dict()
    # RFC 6901, section 6: in a URI fragment the pointer is percent-encoded.
    plain = pointer(fault.path[under:]) if under else fault.pointer
    if not _PLAIN.fullmatch(plain):
        plain = quote(plain, safe="/~!$&'()*+,;=:@-._", errors="replace")
    told["pointer"] = f"#{plain}"
    detail = told.pop("message")
    made: Any = {"detail": detail, **told}
    return cast(ProblemError, made)


def _phrase(status: int) -> str:
    # RFC 9110 renamed two phrases; older interpreters still have the former ones.
    if status in _RENAMED:
        return _RENAMED[status]
    try:
        return HTTPStatus(status).phrase
    except ValueError:
        return "Refused"
