"""Dutiful Gate: declare the shape of data once, as plain types with rules beside them."""

from .declare.clock import now, today
from .declare.errors import DeclarationError
from .declare.facts import Source
from .declare.formats.email import Email
from .declare.formats.web import Hostname, Slug, WebUrl
from .declare.limits import Limits
from .declare.marks import about, camel, kebab, lenient, named, or_infinite, rest, secret, utc_only, without_offset
from .declare.presence import all_or_none, at_least_one, at_most_one, exactly_one, needs, when
from .declare.records import Wrong, obeys
from .declare.rules.own import holds
from .declare.steps import (
    blank_is_none,
    in_utc,
    lowered,
    otherwise,
    rounded_to,
    split_on,
    squeezed,
    then,
    trimmed,
    uppered,
    via,
)
from .declare.subjects import it
from .declare.terms import this
from .declare.variants import amendment, subset
from .document.document import Document, Unstated
from .gate import Gate
from .report.catalogue import Catalogue, speaking
from .report.fault import Fault
from .report.place import Place
from .report.verdict import Refused, Verdict

__version__ = "0.2.0"

__all__ = [
    "Catalogue",
    "DeclarationError",
    "Document",
    "Email",
    "Fault",
    "Gate",
    "Hostname",
    "Limits",
    "Place",
    "Refused",
    "Slug",
    "Source",
    "Unstated",
    "Verdict",
    "WebUrl",
    "Wrong",
    "about",
    "all_or_none",
    "amendment",
    "at_least_one",
    "at_most_one",
    "blank_is_none",
    "camel",
    "exactly_one",
    "holds",
    "in_utc",
    "it",
    "kebab",
    "lenient",
    "lowered",
    "named",
    "needs",
    "now",
    "obeys",
    "or_infinite",
    "otherwise",
    "rest",
    "rounded_to",
    "secret",
    "speaking",
    "split_on",
    "squeezed",
    "subset",
    "then",
    "this",
    "today",
    "trimmed",
    "uppered",
    "utc_only",
    "via",
    "when",
    "without_offset",
]
