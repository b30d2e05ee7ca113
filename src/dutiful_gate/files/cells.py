"""What a cell is to a gate: the same declaration for text or half-typed data, and what is made of a cell first."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import date, datetime, time, timedelta
from typing import Any, TypeVar

from ..declare.facts import Facts, Sort
from ..declare.json_pointer import unescaped
from ..declare.sources import FromText, Reading
from ..engine.plan import may_be_blank
from ..gates.base import AnyGate
from ..gates.document import DocumentGate
from ..gates.typed import Gate
from ..report.cause import Cause
from ..report.fault import Fault
from ..shape.nodes import Branches
from ..shape.shape import Record
from ..shape.uses import Use
from .table_layout import SERIAL, TableLayout

T = TypeVar("T")
_WHOLE = re.compile(r"[+-]?[0-9]+")
_SHORTENED = re.compile(r"[+-]?[1-9](?:[.,][0-9]+)?E\+[0-9]{2,3}")
_SHOWN = Cause("reading", "text that no spreadsheet has shortened")
_HIDDEN = Cause("reading", "text that no spreadsheet has shortened", secret=True)
_DAY = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}")
_FIRST_DAY = datetime(1899, 12, 30)
_LAST_SERIAL = 2_958_465
_NUMBER = re.compile(r"[+-]?[0-9]+(?:\.[0-9]+)?(?:[eE][+-]?[0-9]+)?")


def record_of(gate: AnyGate[Any]) -> Record | None:
    """The record that a gate of a type reads, if it reads one."""
    return gate.shape.record_of(gate.shape.root.bare)


def known_names(gate: AnyGate[Any]) -> frozenset[str]:
    """The names of fields that records have, as far as they are declared."""
    if isinstance(gate, DocumentGate):
        return frozenset(_properties(gate.declared))
    record = record_of(gate)
    if record is None:
        return frozenset()
    return frozenset(name for field in record.fields for name in (field.wire, *field.also))


def text_names(gate: AnyGate[Any]) -> dict[str, bool]:
    """The names of the fields that are text of any kind, each with whether it may be shown."""
    if isinstance(gate, DocumentGate):
        schemas = _properties(gate.declared)
        return {name: True for name, schema in schemas.items() if _types(schema, gate.declared) == {"string"}}
    record = record_of(gate)
    fields = record.fields if record is not None else ()
    return {field.wire: not _is_secret(field.use) for field in fields if _is_text(field.use)}


def shortened(name: str, value: object, texts: Mapping[str, bool]) -> Fault:
    """The fault of a text that a spreadsheet has shortened."""
    return Fault((name,), _SHOWN if texts[name] else _HIDDEN, value, value)


def is_shortened(text: str) -> bool:
    """Whether a cell is what a spreadsheet leaves of a long number."""
    return _SHORTENED.fullmatch(text) is not None


def cell_of(gate: AnyGate[Any], *, decimal_comma: bool, dates: str) -> Callable[[str, str], Any] | None:
    """What makes of the text of a cell, by the name of its field, what the gate reads; None where that is the text."""
    if isinstance(gate, DocumentGate):
        readers = {
            name: _by_types(_types(schema, gate.declared), decimal_comma)
            for name, schema in _properties(gate.declared).items()
        }
        days = {name for name, sort in _sorts(gate).items() if sort is Sort.DAY} if dates else set()
        return lambda name, text: (
            _as_day(text, dates) if name in days else readers[name](text) if name in readers else text
        )
    record = record_of(gate)
    if record is None or not (decimal_comma or dates):
        return None
    numbers = {field.wire for field in record.fields if _is_number(field.use)}
    days = {field.wire for field in record.fields if field.use.sort is Sort.DAY} if dates else set()

    def cell(name: str, text: str) -> str:
        if decimal_comma and name in numbers:
            return with_point(text)
        if name in days and text:
            return _as_day(text, dates)
        return text

    return cell


def with_point(text: str) -> str:
    """A number that is written with a decimal comma, as 1.234,50, with a point."""
    return text.replace(".", "").replace(",", ".") if "," in text else text


def usual_form(texts: Sequence[str], *, decimal_comma: bool, dates: str) -> dict[str, str] | None:
    """Texts with those that stand for them in the usual form; None unless all are numbers, or dates, of the other."""
    for needed, make, form in (
        (decimal_comma, with_point, _NUMBER),
        (bool(dates), lambda text: _as_day(text, dates) if dates != SERIAL or len(text) == 5 else text, _DAY),
    ):
        made = {text: make(text) for text in texts} if needed else {}
        if made and all(map(form.fullmatch, made.values())) and any(text != told for text, told in made.items()):
            return made
    return None


def _is_number(use: Use) -> bool:
    return use.kind is not None and (use.kind.facts.number or use.kind.facts.sort is Sort.DECIMAL)


def _is_text(use: Use) -> bool:
    return use.kind is not None and use.kind.facts.text


def _is_secret(use: Use) -> bool:
    return use.secret or use.bare.secret


def _as_day(text: str, form: str) -> str:
    """A date in another form as dates are read; the text itself where it has not that form."""
    if form == SERIAL:
        whole = text.strip()
        day = _of_serial(int(whole), _FIRST_DAY) if whole.isdecimal() and len(whole) < 8 else None
        return day.date().isoformat() if day is not None else text
    try:
        held = datetime.strptime(text.strip(), form)
    except ValueError:
        return text
    # a date has no time: what would be lost of a text is told as a fault of it
    return held.date().isoformat() if held.time() == time.min and held.tzinfo is None else text


def _of_serial(number: float, first: datetime) -> datetime | None:
    """The moment that a spreadsheet counts as so many days; None where it has none such.

    Days are counted from the end of 1899 (ECMA-376, part 1, 18.17.4.1), where programs take 1900 for a leap year: those
    before its March are a day further. Some workbooks count from 1904.
    """
    if not 0 < number <= _LAST_SERIAL:
        return None
    early = number < 60 and first == _FIRST_DAY
    moment = first + timedelta(days=number + early)
    return moment + timedelta(microseconds=500) - timedelta(microseconds=(moment.microsecond + 500) % 1000)


SheetReader = Callable[[str, Any, Any], Any]


def sheet_reader(gate: AnyGate[Any], layout: TableLayout, first: datetime) -> SheetReader:
    """What makes of the value of a sheet's cell, by the name of its field, what the gate reads.

    It is given the cell too. Numbers are the text that they are shown as where a field is text, and dates where it is
    one; what has lost digits is left, so that it is refused. `first` is the day that the workbook counts from.
    """
    cell_text = cell_of(gate, decimal_comma=layout.decimal_comma, dates=layout.dates)
    texts = text_names(gate)
    sorts = _sorts(gate)
    untimed = _without_moments(gate)
    of_document = isinstance(gate, DocumentGate)

    def text_of(name: str, text: str) -> Any:
        if name in texts and not layout.shortened and is_shortened(text):
            return shortened(name, text, texts)
        told = cell_text(name, text) if cell_text is not None else text
        return told if of_document or not isinstance(told, str) else FromText(told)

    def read(name: str, value: Any, cell: Any) -> Any:
        if isinstance(value, str):
            return text_of(name, value)
        if isinstance(value, bool):
            return value
        sort = sorts.get(name)
        if isinstance(value, int | float):
            if name in texts:
                return _digits(value, cell) or shortened(name, value, texts)
            moment = _of_serial(value, first) if sort in _DATED else None
            if moment is None:
                return value
            value = moment
        if isinstance(value, datetime) and value.time() == time() and sort is not Sort.LOCAL_MOMENT:
            value = value.date()
        return value.isoformat() if isinstance(value, date | time) and (of_document or name in untimed) else value

    return read


def _without_moments(gate: AnyGate[Any]) -> frozenset[str]:
    """The names of the fields that can be text, and no date, time or moment: such cells are their text to them."""
    record = record_of(gate) if isinstance(gate, Gate) else None
    fields = record.fields if record is not None else ()
    found = {field.wire: {*_facts(field.use)} for field in fields}
    timed = {Sort.DAY, Sort.TIME, Sort.MOMENT, Sort.LOCAL_MOMENT}
    return frozenset(
        name
        for name, facts in found.items()
        if any(each.text for each in facts) and not any(each.open or each.sort in timed for each in facts)
    )


def _facts(use: Use) -> Iterator[Facts]:
    """What is known of each option of a use."""
    node = use.bare.node
    if isinstance(node, Branches):
        for option in node.options:
            yield from _facts(option)
    else:
        yield node.facts


_DATED = (Sort.DAY, Sort.LOCAL_MOMENT)


def _digits(value: float, cell: Any) -> Any:
    """A number where text is wanted, as it is shown: with the noughts in front of it. None for one that lost digits."""
    if abs(value) >= 10**15:
        return None
    if value != int(value):
        return value
    form = cell.number_format
    return str(int(value)).zfill(len(form)) if set(form) == {"0"} else str(int(value))


def empties(gate: AnyGate[Any]) -> dict[str, Any]:
    """What an empty cell is, by the name of its field: null, empty text, or not in here where it is nothing at all.

    It is what an empty cell of CSV is to a gate for text.
    """
    record = record_of(gate) if isinstance(gate, Gate) else None
    if record is None:
        return {}
    aliases = gate.shape.aliases
    made: dict[str, Any] = {field.wire: None for field in record.fields if field.use.nullable}
    texts = [field.wire for field in record.fields if not may_be_blank(field.use, Reading.TEXT, aliases)]
    return {**dict.fromkeys(texts, FromText("")), **made}


def _sorts(gate: AnyGate[Any]) -> dict[str, Sort]:
    """What sort of value fields have, as far as a sheet must know it."""
    if isinstance(gate, DocumentGate):
        named = {"date": Sort.DAY, "date-time": Sort.LOCAL_MOMENT}
        schemas = _properties(gate.declared).items()
        resolved = {name: _resolved(schema, gate.declared) for name, schema in schemas}
        return {
            name: named[schema["format"]]
            for name, schema in resolved.items()
            if isinstance(schema, Mapping) and schema.get("format") in named
        }
    record = record_of(gate)
    return {field.wire: field.use.sort for field in record.fields} if record is not None else {}


def _properties(document: Any) -> Mapping[str, Any]:
    """The schemas of the properties of the records that a document describes."""
    found: dict[str, Any] = {}
    waiting, seen = [document], 0
    while waiting and seen < 100:
        seen += 1
        schema = _resolved(waiting.pop(), document)
        if isinstance(schema, Mapping):
            found = {**schema.get("properties", {}), **found}
            waiting += [each for word in ("allOf", "anyOf", "oneOf") for each in schema.get(word, ())]
    return found


def _resolved(schema: Any, document: Any) -> Any:
    for _ in range(20):
        reference = schema.get("$ref") if isinstance(schema, Mapping) else None
        if not isinstance(reference, str) or not reference.startswith("#"):
            return schema
        held = document
        for step in reference[1:].split("/")[1:]:
            held = held.get(unescaped(step)) if isinstance(held, Mapping) else None
        schema = held
    return None


def _types(schema: Any, document: Any) -> frozenset[str]:
    """The types that a schema lets through, as far as it names them."""
    schema = _resolved(schema, document)
    if not isinstance(schema, Mapping):
        return frozenset()
    told = schema.get("type")
    found = {told} if isinstance(told, str) else set(told or ())
    for word in ("anyOf", "oneOf", "allOf"):
        for each in schema.get(word, ()):
            found |= _types(each, document)
    constants = [schema["const"]] if "const" in schema else list(schema.get("enum", ()))
    names: dict[type, str] = {str: "string", bool: "boolean", int: "integer", float: "number", type(None): "null"}
    return frozenset(found | {names[type(each)] for each in constants if type(each) in names})


def _by_types(types: frozenset[str], decimal_comma: bool) -> Callable[[str], Any]:
    """What reads a cell for a value of one of some types of JSON; text that is none of them stays text."""

    def read(text: str) -> Any:
        plain = text.strip()
        if not plain and "null" in types:
            return None
        if decimal_comma and "," in plain and types & {"number", "integer"}:
            plain = with_point(plain)
        if types & {"integer", "number"}:
            if _WHOLE.fullmatch(plain) and len(plain) < 4000:
                return int(plain)
            if _NUMBER.fullmatch(plain):
                return float(plain)
        if "boolean" in types and plain.lower() in ("true", "false"):
            return plain.lower() == "true"
        return text

    return read
