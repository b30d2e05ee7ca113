"""Dutiful Gate: declare the shape of data once, as plain types with rules beside them."""

TYPE_CHECKING = False
if TYPE_CHECKING:
    from .declare.absent import ABSENT, Absent
    from .declare.before_reading import blank_is_none, otherwise, split_on, via
    from .declare.clock import now, today
    from .declare.errors import DeclarationError
    from .declare.formats.web import Email, Hostname, Slug, WebUrl
    from .declare.limits import Limits
    from .declare.marks import (
        about,
        also_named,
        appended,
        as_text,
        byte_size,
        camel,
        goes_out,
        if_absent,
        kebab,
        lenient,
        named,
        or_infinite,
        rest,
        secret,
        tagged_by,
        time_span,
        together,
        unambiguous,
        unreadable,
        utc_only,
        without_offset,
        without_point,
        written_as,
    )
    from .declare.outside import outside, outside_values, takes
    from .declare.patch import Patch
    from .declare.presence import all_or_none, at_least_one, at_most_one, exactly_one, needs, when
    from .declare.records import Wrong, obeys
    from .declare.rules.ecma import ecma
    from .declare.rules.holds import holds
    from .declare.rules.waiting import among, waits
    from .declare.sealed import Sealed, pickling_sealed
    from .declare.sources import FromText, Source
    from .declare.steps import (
        in_utc,
        lowered,
        rounded_to,
        squeezed,
        then,
        trimmed,
        uppered,
    )
    from .declare.subjects import it
    from .declare.this import this
    from .declare.variants import Amendment, demanding, subset, without
    from .document.beside_types import obeys_document
    from .document.declaring.module import declarations_of
    from .document.document import Document, Flaw, Unstated
    from .gates.base import AnyGate
    from .gates.bundle import bundle
    from .gates.changing import changed
    from .gates.document import DocumentGate
    from .gates.explanation import Explanation
    from .gates.typed import Gate
    from .gates.waiting import WaitingGate
    from .report.catalogue import Catalogue, speaking
    from .report.fault import Fault
    from .report.place import Place
    from .report.verdict import Refused, Verdict
    from .sample.cannot_sample import CannotSample
    from .sample.sampling import payloads, probes, samples

__version__ = "0.4.0"

__all__ = [
    "ABSENT",
    "Absent",
    "Amendment",
    "AnyGate",
    "CannotSample",
    "Catalogue",
    "DeclarationError",
    "Document",
    "DocumentGate",
    "Email",
    "Explanation",
    "Fault",
    "Flaw",
    "FromText",
    "Gate",
    "Hostname",
    "Limits",
    "Patch",
    "Place",
    "Refused",
    "Sealed",
    "Slug",
    "Source",
    "Unstated",
    "Verdict",
    "WaitingGate",
    "WebUrl",
    "Wrong",
    "about",
    "all_or_none",
    "also_named",
    "among",
    "appended",
    "as_text",
    "at_least_one",
    "at_most_one",
    "blank_is_none",
    "bundle",
    "byte_size",
    "camel",
    "changed",
    "declarations_of",
    "demanding",
    "ecma",
    "exactly_one",
    "goes_out",
    "holds",
    "if_absent",
    "in_utc",
    "it",
    "kebab",
    "lenient",
    "lowered",
    "named",
    "needs",
    "now",
    "obeys",
    "obeys_document",
    "or_infinite",
    "otherwise",
    "outside",
    "outside_values",
    "payloads",
    "pickling_sealed",
    "probes",
    "rest",
    "rounded_to",
    "samples",
    "secret",
    "speaking",
    "split_on",
    "squeezed",
    "subset",
    "tagged_by",
    "takes",
    "then",
    "this",
    "time_span",
    "today",
    "together",
    "trimmed",
    "unambiguous",
    "unreadable",
    "uppered",
    "utc_only",
    "via",
    "waits",
    "when",
    "without",
    "without_offset",
    "without_point",
    "written_as",
]

_ROOMS = {
    "declare.absent": "ABSENT Absent",
    "declare.clock": "now today",
    "declare.errors": "DeclarationError",
    "declare.sealed": "Sealed pickling_sealed",
    "declare.sources": "FromText Source",
    "declare.formats.web": "Email Hostname Slug WebUrl",
    "declare.limits": "Limits",
    "declare.marks": (
        "about also_named appended as_text byte_size camel goes_out if_absent kebab lenient named or_infinite rest "
        "secret together tagged_by unambiguous unreadable utc_only without_offset without_point written_as "
        "time_span"
    ),
    "declare.rules.ecma": "ecma",
    "declare.outside": "outside outside_values takes",
    "declare.patch": "Patch",
    "declare.presence": "all_or_none at_least_one at_most_one exactly_one needs when",
    "declare.records": "Wrong obeys",
    "declare.rules.holds": "holds",
    "declare.rules.waiting": "among waits",
    "declare.before_reading": "blank_is_none otherwise split_on via",
    "declare.steps": "in_utc lowered rounded_to squeezed then trimmed uppered",
    "declare.subjects": "it",
    "declare.this": "this",
    "declare.variants": "Amendment demanding subset without",
    "document.declaring.module": "declarations_of",
    "document.document": "Document Flaw Unstated",
    "document.beside_types": "obeys_document",
    "gates.base": "AnyGate",
    "gates.bundle": "bundle",
    "gates.changing": "changed",
    "gates.document": "DocumentGate",
    "gates.typed": "Gate",
    "gates.waiting": "WaitingGate",
    "gates.explanation": "Explanation",
    "report.catalogue": "Catalogue speaking",
    "report.fault": "Fault",
    "report.place": "Place",
    "report.verdict": "Refused Verdict",
    "sample.sampling": "payloads probes samples",
    "sample.cannot_sample": "CannotSample",
}
_ROOM_OF = {name: room for room, names in _ROOMS.items() for name in names.split()}


def __getattr__(name: str) -> object:
    """A public name, from its room: a program loads only the rooms whose names it uses."""
    if name not in _ROOM_OF:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    from importlib import import_module

    found: object = getattr(import_module(f".{_ROOM_OF[name]}", __name__), name)
    globals()[name] = found
    return found


def __dir__() -> list[str]:
    return [*globals(), *__all__]
