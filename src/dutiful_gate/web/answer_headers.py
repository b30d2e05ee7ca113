"""The typed headers of an answer: what a handler gives for them, as text that no client misreads."""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import lru_cache
from typing import Any

from ..declare.errors import DeclarationError
from ..declare.marks import kebab
from ..declare.sources import Source
from ..gates.typed import Gate
from ..report.verdict import Refused
from ..shape.nodes import Choice, Items, Nullable, Scalar
from ..shape.shape import Field
from ..shape.uses import MISSING, Use
from .header_values import header_value, http_date, is_date
from .set_cookie import SetCookie

_NAME = re.compile(r"[!#$%&'*+.^_`|~0-9A-Za-z-]+")
_ALONE = frozenset(["set-cookie", "link"])
"""The headers whose values stand in lines of their own: no comma joins cookies (RFC 6265, section 3)."""
_VALUE = re.compile(r"[\t\x20-\x7e\x80-\xff]*")


class BrokenAnswer(Exception):
    """What a handler returned is not what its endpoint declares; `words` say it to developers."""

    def __init__(self, words: str) -> None:
        super().__init__(words)
        self.words = words


class AnswerHeaders:
    """The headers that one answer declares. Raises DeclarationError for what is no record of plain values."""

    def __init__(self, declared: type) -> None:
        self.gate: Gate[Any] = Gate(declared, keys=kebab)
        self._read: Gate[Any] = Gate(declared, Source.TEXT, keys=kebab)
        record = self.gate.shape.record_of(self.gate.shape.root)
        if record is None or record.form != "object" or record.rests:
            remedy = "declare a dataclass, each field a header"
            raise DeclarationError("the headers of an answer are known by their names", remedy=remedy)
        self.fields = record.fields
        self._dates = {field.wire: field.attribute for field in self.fields if is_date(field.use)}
        for field in self.fields:
            if _NAME.fullmatch(field.wire) is None or not _is_plain(field.use):
                raise DeclarationError(
                    f"{field.wire!r} is nothing that a header holds",
                    remedy="declare text, a number, a date-time, or a list of them",
                    record=record.name,
                    field=field.attribute,
                )
        plain = tuple(map(_never_null, self.fields))
        records = {**self.gate.shape.records, record.key: record.replace(fields=plain)}
        self.shown = self.gate.shape.replace(records=records)
        """Their shape as clients see it: null is no header."""

    def released(self, given: Any) -> list[tuple[Any, Any]]:
        """What a handler gives, a record or text by name, as it goes out. Raises BrokenAnswer for anything else."""
        more: dict[Any, Any] = {}
        try:
            if isinstance(given, Mapping):
                given, more = self._admitted(given)
            plain = self.gate.release(given)
            held = {wire: name for wire, name in self._dates.items() if plain.get(wire) is not None}
            dates = {wire: http_date(getattr(given, name)) for wire, name in held.items()}
        except OverflowError:
            raise BrokenAnswer("headers: a date is past the end of the calendar in UTC") from None
        except Refused as refused:
            raise BrokenAnswer("headers: " + "; ".join(map(str, refused.faults))) from None
        told: list[tuple[Any, Any]] = []
        for wire, value in plain.items():
            if wire in dates:
                told.append((wire, dates[wire]))
            elif wire.lower() in _ALONE and isinstance(value, list):
                told += [(wire, _text(each)) for each in value]
            elif value not in (None, []):
                told.append((wire, _text(value)))
        return [*told, *headers_of(more)]

    def _admitted(self, given: Mapping[Any, Any]) -> tuple[Any, dict[Any, Any]]:
        """The record of the headers that are declared, and what else was given."""
        named = {str.lower(name) if isinstance(name, str) else name: value for name, value in given.items()}
        own = {field.wire.lower(): field.wire for field in self.fields}
        read = {own[name]: _written(value) for name, value in named.items() if name in own}
        for field in self.fields:
            if isinstance(text := read.get(field.wire), str) and field.wire.lower() not in _ALONE:
                read[field.wire] = header_value(text, field.use)
        return self._read.admit(read), {name: value for name, value in named.items() if name not in own}


def headers_of(given: Mapping[Any, Any]) -> list[tuple[Any, Any]]:
    """Headers that are given by name: a list goes out line by line, a cookie as it is written."""
    told: list[tuple[Any, Any]] = []
    for name, value in given.items():
        lines = value if isinstance(value, list | tuple) else (value,)
        told += [(name, _written(each)) for each in lines]
    return told


def _written(given: Any) -> Any:
    """A cookie as it is written, alone or among others; anything else as it is."""
    if isinstance(given, list):
        return [_written(each) for each in given]
    return str(given) if isinstance(given, SetCookie) else given


def is_needed(field: Field) -> bool:
    """Whether the header is always there."""
    return not (field.may_lack or field.use.may_be_null or field.use.secret or isinstance(field.use.node, Items))


def header(name: Any, value: Any) -> tuple[str, str]:
    """A header whose words cannot break out of it. Raises BrokenAnswer."""
    # A subclass of str may say of itself what it is not.
    if (
        name.__class__ is not str
        or value.__class__ is not str
        or not _is_name(name)
        or not ((value.isascii() and value.isprintable()) or _VALUE.fullmatch(value))
    ):
        raise BrokenAnswer(f"the header {str(name)[:40]!r} holds what no header can")
    return name.lower(), value


@lru_cache(maxsize=256)
def _is_name(name: str) -> bool:
    return _NAME.fullmatch(name) is not None


def _text(value: Any) -> str:
    if isinstance(value, list):
        return ", ".join(map(_text, value))
    return str(value).lower() if isinstance(value, bool) else str(value)


def _never_null(field: Field) -> Field:
    """A header as clients see it: where there is none, it is absent."""
    node = field.use.node
    if not isinstance(node, Nullable):
        return field
    use = field.use.replace(node=node.inner.node, parts=(*node.inner.parts, *field.use.parts))
    return field.replace(use=use, default=MISSING, factory=None, may_lack=True)


def _is_plain(use: Use) -> bool:
    match use.node:
        case Scalar(kind):
            return not kind.facts.open
        case Choice():
            return True
        case Nullable(inner):
            return _is_plain(inner)
        case Items(item):
            return isinstance(item.node, Scalar | Choice) and _is_plain(item)
        case _:
            return False


__all__ = ["AnswerHeaders", "BrokenAnswer", "header", "headers_of", "is_needed"]
