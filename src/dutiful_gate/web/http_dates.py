"""Dates as headers have them (RFC 9110, section 5.6.7): `Mon, 04 May 2026 09:30:00 GMT`."""

from __future__ import annotations

import re
from datetime import UTC, datetime
from email.utils import format_datetime, parsedate_to_datetime

from ..declare.kinds.moment import Moment
from ..shape.nodes import Nullable, Scalar, Use

_BEGINS = re.compile(r"(?:Mon|Tue|Wed|Thu|Fri|Sat|Sun)")


def is_date(use: Use) -> bool:
    """Whether a header is such a date: it is declared as a date-time with an offset."""
    inner = use.node.inner if isinstance(use.node, Nullable) else use
    return isinstance(inner.node, Scalar) and isinstance(inner.node.kind, Moment) and not inner.is_reread


def http_date(moment: datetime) -> str:
    """A date-time as it stands in a header."""
    return format_datetime(moment.astimezone(UTC), usegmt=True)


def plain_date(text: str) -> str:
    """A date of a header, in any of the three forms, as dates are read (RFC 3339); other text as it came."""
    if _BEGINS.match(text) is None:
        return text
    try:
        moment = parsedate_to_datetime(text)
        return (moment if moment.tzinfo is not None else moment.replace(tzinfo=UTC)).isoformat()
    except (TypeError, ValueError, OverflowError):
        return text
