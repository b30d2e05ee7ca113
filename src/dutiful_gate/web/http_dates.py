"""Dates as headers have them (RFC 9110, section 5.6.7): `Mon, 04 May 2026 09:30:00 GMT`."""

from __future__ import annotations

import re
from datetime import UTC, datetime
from email.utils import format_datetime, parsedate_to_datetime

from ..declare.kinds.moment import Moment
from ..shape.nodes import Scalar, Use

_FORMS = re.compile(
    r"[A-Z][a-z]{2}, [0-9]{2} [A-Z][a-z]{2} [1-9][0-9]{3} [0-9:]{8} GMT"
    r"|[A-Z][a-z]{5,8}, [0-9]{2}-[A-Z][a-z]{2}-[0-9]{2} [0-9:]{8} GMT"
    r"|[A-Z][a-z]{2} [A-Z][a-z]{2} [ 0-9][0-9] [0-9:]{8} [1-9][0-9]{3}"
)


def is_date(use: Use) -> bool:
    """Whether a header is such a date: it is declared as a date-time with an offset."""
    inner = use.bare
    return isinstance(inner.node, Scalar) and isinstance(inner.node.kind, Moment) and not inner.is_reread


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
