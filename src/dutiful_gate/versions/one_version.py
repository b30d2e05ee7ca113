"""One version of a shape: its documents, what they do not say of it, and the gate itself to ask."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator, Mapping
from contextlib import suppress
from itertools import islice
from random import Random
from types import FunctionType
from typing import Any, Final, Protocol

from ..declare.errors import DeclarationError
from ..declare.json_pointer import escaped, joined
from ..declare.rules import (
    Between,
    Ceiling,
    Floor,
    Length,
    Matches,
    Multiple,
    Rule,
)
from ..declare.rules.format import OfFormat
from ..declare.sources import Source
from ..declare.steps import Step
from ..document.document import Document
from ..gates.base import AnyGate
from ..gates.document import DocumentGate
from ..gates.reading import gate_reading
from ..gates.typed import Gate
from ..report.verdict import Refused
from ..sample.cannot_sample import CannotSample
from ..sample.edges import Edges
from ..sample.sampling import maker_for
from ..shape.known_defaults import ITS_DEFAULT, known_default
from ..shape.nodes import Alias, Branches, Choice, Entries, Fixed, Items, Link, Nullable, Sealing
from ..shape.one_way import is_for_admission
from ..shape.shape import Field, Record, Shape
from ..shape.to_json import plain
from ..shape.uses import MISSING, Use
from ..shape.walk import fields_of, holds_secret, uses_of
from .function_marks import digest_of_text, mark_of, mark_of_value
from .use_marks import MOST_MARKED, UseMarks

_DEEPEST: Final = 12
_MOST_TRIES: Final = 600  # in vain, of all payloads of one version together
_MOST_DRAWN: Final = 1_000
_BASES: Final = 16
LIMITED: Final = {"bytes": "bytes", "items": "items in a list", "depth": "levels deep", "digits": "digits of a number"}
"""The limits of a gate that refuse data, and what each counts, in words."""
LENIENT: Final = "lenient"
"""Among the steps of a field: that it takes text for numbers and the like."""
OR: Final = "or"
"""Between the steps of a field in one option of a union and those in another."""


class OneVersion(Protocol):
    """A version: its documents, what is noted of its fields, and what its gate says when it is asked."""

    name: str
    send: Any
    released: Any
    notes: Mapping[str, Any]
    typed: bool

    def accepts(self, data: Any) -> bool:
        """Whether the gate admits plain data."""

    def refuses(self, data: Any) -> list[str] | None:
        """The pointers at which the gate refuses plain data; None where it admits it."""

    def payloads(self, count: int, seed: int) -> list[Any]:
        """Sound plain data; fewer, or none, where it cannot be made up."""

    def near(self, count: int, seed: int) -> list[Any]:
        """Plain data a little beside sound data, sound or not: at the edges of rules, in other forms."""

    def releases(self, count: int, seed: int) -> list[Any]:
        """What comes out of sound data."""


class GateVersion:
    """A version whose gate is in this process."""

    def __init__(self, gate: AnyGate[Any], name: str) -> None:
        self.name = name
        self.typed = isinstance(gate, Gate)
        self.gate = gate if isinstance(gate, DocumentGate) else gate_reading(gate, Source.JSON)
        sent: Any = gate.declared
        self.released = sent
        self.notes: Mapping[str, Any] = {"fields": {}, "functions": [], "unstated": []}
        reads = gate.reads if isinstance(gate, Gate) else Source.JSON
        if isinstance(self.gate, Gate):
            document = self.gate.schema()
            sent = _as_json(document)
            self.released = _as_json(self.gate.schema(of="release"))
            self.notes = notes_of(self.gate.shape, document)
        self._drawn: dict[int, _Kept] = {}
        limits = {name: getattr(gate.limits, name) for name in LIMITED}
        self.notes = {**self.notes, "reads": reads.value, "limits": limits}
        self.send = sent

    def accepts(self, data: Any) -> bool:
        """See `OneVersion`."""
        return self.gate.accepts(data)

    def refuses(self, data: Any) -> list[str] | None:
        """See `OneVersion`."""
        verdict = self.gate.examine(data)
        return None if verdict else [fault.pointer for fault in verdict.faults]

    def payloads(self, count: int, seed: int) -> list[Any]:
        """See `OneVersion`."""
        return list(islice(self._drawn.setdefault(seed, _Kept(self._sound(seed))), count))

    def _sound(self, seed: int) -> Iterator[Any]:
        maker = maker_for(self.gate, Random(seed))
        for _ in range(_MOST_DRAWN):
            if getattr(maker, "tries", 0) > _MOST_TRIES:
                return
            try:
                one = maker.make()
            except CannotSample:
                return
            if self.gate.accepts(one):
                yield json.loads(json.dumps(one, default=str))

    def near(self, count: int, seed: int) -> list[Any]:
        """See `OneVersion`."""
        sound = self.payloads(_BASES, seed)
        if not isinstance(self.gate, Gate) or not sound:
            return []
        edges = Edges(self.gate.shape, Random(seed))
        found: list[Any] = []
        for number in range(count):
            with suppress(TypeError, ValueError):  # what JSON does not hold
                found.append(json.loads(json.dumps(edges.spoiled(self.gate.shape.root, sound[number % len(sound)]))))
        return found

    def releases(self, count: int, seed: int) -> list[Any]:
        """See `OneVersion`."""
        made = self.payloads(count, seed)
        if not isinstance(self.gate, Gate):
            return made
        released = []
        for one in made:
            verdict = self.gate.examine(one)
            with suppress(Refused, ValueError, TypeError, OverflowError):
                if verdict:
                    out = self.gate.release(verdict.value)
                    released.append(json.loads(json.dumps(out, default=float)))
        return released


class _Kept:
    """What an iterator gives, drawn once however often it is asked for."""

    def __init__(self, source: Iterator[Any]) -> None:
        self._source = source
        self._made: list[Any] = []

    def __iter__(self) -> Iterator[Any]:
        yield from self._made
        for one in self._source:
            self._made.append(one)
            yield one


def _as_json(document: Document) -> Any:
    return json.loads(json.dumps(document, default=float))


# What documents do not say


def notes_of(shape: Shape, document: Document) -> dict[str, Any]:
    """What is noted of a shape, as plain JSON data.

    `fields`     by the path of a field: its default, its steps, the names it had before, whether it is secret, and
                 whether a rule between fields, or a function of the developer's own, judges it
    `functions`  those of the developer's own, each with the mark of its code
    `unstated`   the rules that the document does not state: where each stands in the data (`at`), what of the value
                 there it judges, and whether only admission asks for it (`passing`)
    """
    fields: dict[str, Any] = {}
    functions = set(_functions(shape))
    marks = UseMarks(shape)
    passing = {_CONSTRUCTOR, *_passing(shape)}
    stands: dict[str, tuple[str, Record]] = {}
    mentioned = _mentioned(shape)
    seen_whole = any(not use.bare.node.is_single and any(_runs_own(use.parts)) for use in uses_of(shape))
    for path, record, above in _records(shape, shape.root, (), ()):
        before = joined(path)
        own = seen_whole or any(shape.records[key].checks or shape.records[key].runs_own for key in above)
        stands.setdefault(record.name, (before, record))
        functions |= {f"{check}{mark_of(check.function)}" for check in record.checks}
        passing |= {str(check) for check in record.checks if is_for_admission(check)}
        if record.runs_own:  # making one runs code of its class
            made_by = [getattr(record.builder, name, None) for name in ("__new__", "__init__", "__post_init__")]
            functions |= {f"{_CONSTRUCTOR}{mark_of(each)}" for each in made_by if isinstance(each, FunctionType)}
        for field in record.fields:
            note = _note(marks, field)
            note["judged"] = own or field.attribute in mentioned
            _note_down(fields, joined((*path, field.wire)), note)
    if shape.record_of(shape.root.bare) is None:
        _note_down(fields, "", _note(marks, Field("", "", shape.root)))
    unstated = [
        {
            "at": _place(each.field, stands),
            "of": each.field.partition(".")[2],
            "rule": each.rule,
            "mark": mark_of_value(_behind(marks, each.field, each.rule), most=MOST_MARKED),
        }
        for each in document.unstated
        if each.rule != ITS_DEFAULT
    ]
    told = [{**each, "passing": each["rule"] in passing} for each in unstated]
    return {"fields": fields, "functions": sorted(functions), "unstated": told}


def _behind(marks: UseMarks, name: str, rule: str) -> Any:
    """What a rule that a document does not state is made of, by its words and the name of its field.

    Words may be the same for different rules: those of secrets, of what is read from text, flags of patterns.
    """
    shape = marks.shape
    owner, _, attribute = name.partition(".")
    attribute = re.split(r"[\[ ]", attribute)[0]
    records = [record for record in shape.records.values() if record.name == owner]
    uses = [field.use for record in records for field in fields_of(record) if field.attribute == attribute]
    uses = [each for use in uses or [shape.root] for each in marks.within(use)]
    judges: list[Any] = [part for each in uses for part in each.parts]
    judges += [part for record in records for part in (*record.rules, *record.checks)]
    said = [part for part in judges if str(part) == rule]
    if said:
        return said
    kinds = [each.node for each in uses if each.facts.phrase == rule]
    if kinds:
        return [node for node in kinds if not node.leads_to]
    read = [(each.via, each.split, each.node, each.parts) for each in uses if each.via is not None or each.split]
    hidden = [part for each in uses if each.secret for part in each.parts if not isinstance(part, _TOLD_OF_SECRETS)]
    return read, hidden, [record.rules for record in records if not uses or not (read or hidden)]


_TOLD_OF_SECRETS: Final = (Length, Matches, OfFormat, Floor, Ceiling, Between, Multiple, Step)
_CONSTRUCTOR: Final = "its own constructor"


def _mentioned(shape: Shape) -> set[Any]:
    """The attributes that rules between fields mention, wherever these stand."""
    rules = [rule for record in shape.records.values() for rule in record.rules]
    return {step for rule in rules for path in rule.paths for step in path}


def _runs_own(parts: Iterable[object]) -> Iterator[bool]:
    """Of each step and rule, whether it is a function of the developer's own."""
    for part in parts:
        yield isinstance(part, Step | Rule) and bool(part.functions)


def _note_down(fields: dict[str, Any], path: str, note: dict[str, Any]) -> None:
    """Put down a note of a field; where several options of a union have one of that name, it is of all of them."""
    known = fields.get(path)
    if known is None:
        fields[path] = note
        return
    known["order"] = [*known["order"], OR, *note["order"]]
    known["steps"] = [*known["steps"], OR, *note["steps"]]  # also where they are the same: one may change alone
    if all(known[word] == note[word] for word in note if word not in ("steps", "order")):
        return
    known["default"] = " or ".join(dict.fromkeys(each for each in (known["default"], note["default"]) if each))
    known["required"] = known["required"] and note["required"]
    known["secret"] = known["secret"] or note["secret"]
    known["judged"] = known["judged"] or note["judged"]
    known["stand_in"] = digest_of_text(known["stand_in"] + note["stand_in"])
    known["shape"] = digest_of_text(known["shape"] + note["shape"])
    known["value"] = digest_of_text(known["value"] + note["value"])
    for word in ("options", "unsaid", "marks", "alone", "leniently"):
        known[word] = [*known[word], *note[word]]
    for word in ("doubles", "wide", "free", "infinite", "hides"):
        known[word] = known[word] or note[word]
    known["former"] = [*known["former"], *note["former"]]


def _place(field: str, stands: Mapping[str, tuple[str, Record]]) -> str:
    """Where in the data a field stands that a document calls by its record, which may be called otherwise."""
    name, _, attribute = field.partition(".")
    path, record = stands.get(name, ("", None))
    plain = re.match(r"\w*", attribute)
    known = record.by_attribute.get(plain[0]) if record is not None and plain is not None else None
    return path if known is None else f"{path}/{escaped(known.wire)}"


def _passing(shape: Shape) -> Iterator[str]:
    """The rules on single values that only admission asks for."""
    for use in uses_of(shape):
        for part in use.parts:
            if is_for_admission(part) if isinstance(part, Rule) else part.functions:
                yield str(part)


def _records(shape: Shape, use: Use, path: tuple[str, ...], above: tuple[str, ...]) -> Iterator[Any]:
    """Every record, with the path that leads to it; one inside of itself once."""
    node = use.node
    if len(path) > _DEEPEST:
        return
    match node:
        case Link(key) if key not in above:
            record: Record = shape.records[key]
            yield path, record, (*above, key)
            for field in record.fields:
                yield from _records(shape, field.use, (*path, field.wire), (*above, key))
        case Items(item):
            yield from _records(shape, item, (*path, "*"), above)
        case Entries(_, value):
            yield from _records(shape, value, (*path, "*"), above)
        case Fixed():
            for number, item in enumerate(node.items):
                yield from _records(shape, item, (*path, str(number)), above)
        case Nullable(inner) | Sealing(inner):
            yield from _records(shape, inner, path, above)
        case Branches(options=options):
            for option in options:
                yield from _records(shape, option, path, above)
        case Alias(key) if key not in above:
            yield from _records(shape, shape.aliases[key], path, (*above, key))


def _note(marks: UseMarks, field: Field) -> dict[str, Any]:
    shape = marks.shape
    return {
        "default": _default(shape, field),
        "stand_in": _stand_in(shape, field),
        "judged": False,
        "required": field.required,
        "steps": [*_steps(marks, field.use, hides=holds_secret(field.use, shape.guarded))],
        "order": [*_order(marks, field.use)],
        "leniently": marks.leniently(field.use),
        "value": digest_of_text(marks.value(field.use)),
        **marks.options(field.use),
        **marks.numbers(field.use),
        "former": list(field.former),
        "also": list(field.also),
        "hides": any(
            isinstance(each.node, Choice) or any(not isinstance(part, _TOLD_OF_SECRETS) for part in each.parts)
            for each in marks.within(field.use)
            if each.secret
        ),
        "secret": field.use.secret or field.use.bare.secret,
        "shape": digest_of_text(repr(field.use.bare.node)),
    }


def _default(shape: Shape, field: Field) -> str:
    """What stands in for a field that is absent, in words; "" where nothing does."""
    if field.required or field.may_lack:
        return ""
    if holds_secret(field.use, shape.guarded):
        return "a secret"
    known = known_default(shape, field)
    if known is MISSING:
        return f"made by {getattr(field.factory, '__name__', 'a function')}"
    try:
        return json.dumps(plain(field.use, known, shape), default=str, ensure_ascii=False)
    except Exception:  # a default of a class of the developer's own
        return f"a {type(known).__name__}"


def _stand_in(shape: Shape, field: Field) -> str:
    """A mark of the value that stands in, or of what makes it, which is the same for equal ones; it is never shown."""
    if field.required or field.may_lack:
        return ""
    known = known_default(shape, field)
    return mark_of(field.factory) if known is MISSING else mark_of_value(known)


def _steps(marks: UseMarks, use: Use, *, hides: bool) -> Iterator[str]:
    """What is done to a value, and to what is inside of it: how each is read, and its steps, in order."""
    for each in marks.within(use):
        yield from _steps_of(each, hides=hides)


def _steps_of(use: Use, *, hides: bool) -> Iterator[str]:
    if use.blank:
        yield "blank_is_none"
    if use.split:
        yield f"split_on({use.split!r})"
    if use.via is not None:
        yield "via(...)"
    if use.fallback is not MISSING:
        yield "otherwise(...)" if hides else f"otherwise({use.fallback!r})"
    if use.node.is_lenient:
        yield LENIENT
    for part in use.parts:
        if isinstance(part, Step):
            yield str(part) + "".join(map(mark_of, part.functions))


def _order(marks: UseMarks, use: Use) -> Iterator[str]:
    """Its steps and the sorts of its rules, as they follow each other, and of what is inside of it."""
    for each in marks.within(use):
        yield from (str(part) if isinstance(part, Step) else type(part).__name__ for part in each.parts)


def _functions(shape: Shape) -> Iterator[str]:
    """A mark of each function of the developer's own that judges a single value, or makes another of it."""
    for use in uses_of(shape):
        for part in use.parts:
            for function in part.functions:
                yield f"{part}{mark_of(function)}"


def documents_of(side: OneVersion) -> tuple[DocumentGate, DocumentGate]:
    """Gates of the documents of a version: of what is sent, and of what is released. Raises DeclarationError."""
    if isinstance(side, GateVersion) and isinstance(side.gate, DocumentGate):
        return side.gate, side.gate
    try:
        return DocumentGate(side.send, formats="assert"), DocumentGate(side.released, formats="assert")
    except DeclarationError as error:
        raise DeclarationError(
            f"the document of {side.name} cannot be used: {error.problem}", remedy="mend it"
        ) from None
