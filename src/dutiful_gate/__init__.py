"""Dutiful Gate: declare the shape of data once, as plain types with rules beside them."""

from .declare.errors import DeclarationError
from .declare.facts import Source
from .declare.formats.email import Email
from .declare.limits import Limits
from .declare.marks import about
from .declare.records import obeys, this
from .declare.steps import trimmed, uppered
from .declare.subjects import it
from .document.document import Document, Unstated
from .gate import Gate
from .report.fault import Fault
from .report.place import Place
from .report.verdict import Refused, Verdict

__version__ = "0.1.0"

__all__ = [
    "DeclarationError",
    "Document",
    "Email",
    "Fault",
    "Gate",
    "Limits",
    "Place",
    "Refused",
    "Source",
    "Unstated",
    "Verdict",
    "about",
    "it",
    "obeys",
    "this",
    "trimmed",
    "uppered",
]
