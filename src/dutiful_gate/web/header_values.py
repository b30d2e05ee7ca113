"""What headers say: lists, and dates such as `Mon, 04 May 2026 09:30:00 GMT` (RFC 9110, sections 5.6.1 and 5.6.7)."""

from __future__ import annotations

import re
from datetime import UTC, datetime
from email.utils import format_datetime, parsedate_to_datetime
from typing import Any, Final

from ..declare.kinds.moment import MomentKind
from ..shape.nodes import Items
from ..shape.uses import Use

_FORMS = re.compile(
    r"[A-Z][a-z]{2}, [0-9]{2} [A-Z][a-z]{2} [1-9][0-9]{3} [0-9:]{8} GMT"
    r"|[A-Z][a-z]{5,8}, [0-9]{2}-[A-Z][a-z]{2}-[0-9]{2} [0-9:]{8} GMT"
    r"|[A-Z][a-z]{2} [A-Z][a-z]{2} [ 0-9][0-9] [0-9:]{8} [1-9][0-9]{3}"
)

HTTP_DATE: Final = (
    "^(?:Mon|Tue|Wed|Thu|Fri|Sat|Sun), (?:(?:0[1-9]|1[0-9]|2[0-9]) (?:Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec)"
    "|30 (?:Jan|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec)|31 (?:Jan|Mar|May|Jul|Aug|Oct|Dec)) [1-9][0-9]{3}"
    " (?:[01][0-9]|2[0-3]):[0-5][0-9]:[0-5][0-9] GMT$"
)
"""How a date should be written, as a regular expression of ECMA-262 (RFC 9110, section 5.6.7, IMF-fixdate)."""

_MARKS = re.compile(r"[\\\",]|(?:Mon|Tue|Wed|Thu|Fri|Sat|Sun)(?:[a-z]{3,6})?, (?=[0-9]{2}[ -][A-Z])")
"""What matters where values are listed: a backslash, a quote, a comma, a weekday with the comma after it."""


def is_date(use: Use) -> bool:
    """Whether a header is such a date: it is declared as a date-time with an offset."""
    inner = use.bare
    return isinstance(inner.node.single, MomentKind) and not inner.is_reread


def http_date(moment: datetime) -> str:
    """A date-time as it stands in a header."""
    return format_datetime(moment.astimezone(UTC), usegmt=True)


def plain_date(text: str) -> str:
    """A date of a header, in any of the three forms, as dates are read (RFC 3339); other text as it came."""
    if _FORMS.fullmatch(text) is None:
        return text
    try:
        moment = parsedate_to_datetime(text)
        return (moment if moment.tzinfo is not None else moment.replace(tzinfo=UTC)).isoformat()
    except (TypeError, ValueError, OverflowError):
        return text


def header_value(text: str, use: Use) -> Any:
    """What a header says, for the gate to read: several values where a list is declared, a date as dates are read."""
    inner = use.bare
    if isinstance(inner.node, Items) and not inner.is_reread:
        return [header_value(each, inner.node.item) for each in listed(text)]
    return plain_date(text) if is_date(use) else text


def listed(text: str) -> list[str]:
    """The values that a header lists (RFC 9110, section 5.6.1); the comma of a date or in quotes ends none."""
    made: list[str] = []
    start, quoted, escaped = 0, False, -1
    for found in _MARKS.finditer(text):
        if found.start() == escaped:
            continue
        if (mark := found[0]) == '"':
            quoted = not quoted
        elif mark == "\\" and quoted:
            escaped = found.end()
        elif mark == "," and not quoted:
            made.append(text[start : found.start()])
            start = found.end()
    made.append(text[start:])
    stripped = (each.strip(" \t") for each in made)
    return [each for each in stripped if each]
