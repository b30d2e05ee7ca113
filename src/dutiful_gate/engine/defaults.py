"""What a declaration itself holds, checked when the gate is built: defaults and examples obey their own rules."""

from __future__ import annotations

from collections.abc import Callable, Collection
from typing import Any

from ..declare.constants import lacks, no_json
from ..declare.errors import DeclarationError
from ..declare.facts import Stop
from ..declare.marks import AsSent
from ..declare.members import quoted
from ..declare.outside import asks_outside, is_asked_anywhere
from ..declare.rules import Rule
from ..declare.sealed import Sealed
from ..declare.sources import Reading, Source
from ..declare.steps import OwnMaking, Step
from ..report.shown_values import shown
from ..shape.asked_outside import outside_of, without_asking
from ..shape.final_forms import keeps_form
from ..shape.nodes import Alias, Branches, Entries, Items, Link, Nullable, Scalar, Sealing
from ..shape.shape import Field, Record, Shape, default_of
from ..shape.to_json import belongs, plain, plain_fallback
from ..shape.uses import MISSING, Use
from ..shape.walk import holds_secret, part_of, uses_of
from .engine import Engine
from .parts import Parts
from .plan import Plan


def check_held(shape: Shape) -> None:
    """Raise DeclarationError for a default or an example that its own field would refuse."""
    shape = without_asking(shape)  # whose values nobody has handed over yet
    parts = DeclaredValues(shape)
    for record in shape.records.values():
        for field in record.fields:
            if isinstance(field.factory, AsSent):
                field.factory.reads = _reader(shape, field)
    for record in shape.records.values():
        for field in record.fields:
            if _asks(shape, field.use) or asks_outside(field.factory):
                continue
            if isinstance(field.factory, AsSent):
                _check_sent(parts, record, field, field.factory)
            elif not field.required and not field.may_lack:
                _check_default(parts, record, field)
            for example in field.use.about.examples:
                _check_example(parts, field.use, example, record.name, field.attribute)
    for use in uses_of(shape):
        if _asks(shape, use):
            continue
        if use.fallback is not MISSING:
            _check_fallback(shape, use)
        for sample in use.making.samples if isinstance(use.making, OwnMaking) else ():
            _check_example(parts, use, sample, None, None)
    for example in shape.root.about.examples if not _asks(shape, shape.root) else ():
        _check_example(parts, shape.root, example, None, None)


def _asks(shape: Shape, use: Use) -> bool:
    """Whether a function in a use asks for values from outside, so that nothing can be read yet."""
    return is_asked_anywhere() and bool(outside_of(part_of(shape, use)))


class DeclaredValues:
    """A shape that is being checked, with the engines of its parts by what they read."""

    def __init__(self, shape: Shape) -> None:
        self.shape = shape
        self._by_source: dict[Source, Parts] = {}

    def of(self, source: Source) -> Parts:
        """The engines that read a source."""
        if source not in self._by_source:
            self._by_source[source] = Parts(Plan(self.shape, source))
        return self._by_source[source]


def _reader(shape: Shape, field: Field) -> Callable[[Any], Any]:
    """What reads plain data that stands in for an absent value, by the engine of its field."""
    held: list[Engine] = []

    def read(sent: Any) -> Any:
        if not held:
            held.append(Engine(Plan(part_of(shape, field.use), Source.JSON)))
        return held[0].collect(sent)[0]

    return read


def _check_sent(parts: DeclaredValues, record: Record, field: Field, default: AsSent) -> None:
    """Raise DeclarationError for plain data that its own field would refuse."""
    if _leads_back(parts.shape, field.use, default.sent, (field,)):
        problem = "it stands in itself, without an end"
    else:
        problem = _problem(parts, field.use, default.sent, Source.JSON)
    if problem:
        raise DeclarationError(
            f"what is read in the place of an absent value would be refused: {problem}",
            remedy="write if_absent(sent=...) as a client would send it",
            record=record.name,
            field=field.attribute,
        )


def _leads_back(shape: Shape, use: Use, sent: Any, standing: tuple[Field, ...]) -> bool:
    """Whether plain data is read as a record in which what stands in is what is being read."""
    match use.node:
        case Sealing(inner):
            return _leads_back(shape, inner, sent, standing)
        case Nullable(inner):
            return sent is not None and _leads_back(shape, inner, sent, standing)
        case Alias(key):
            return _leads_back(shape, shape.aliases[key], sent, standing)
        case Branches(options=options):
            links = [option for option in options if isinstance(option.node, Link | Alias)]
            return len(links) == 1 and _leads_back(shape, links[0], sent, standing)
        case Items(item) if isinstance(sent, list):
            return any(_leads_back(shape, item, each, standing) for each in sent)
        case Entries(_, held) if isinstance(sent, dict):
            return any(_leads_back(shape, held, each, standing) for each in sent.values())
        case Link(key) if isinstance(sent, dict):
            for field in shape.records[key].fields:
                if field.wire in sent:
                    if _leads_back(shape, field.use, sent[field.wire], standing):
                        return True
                elif isinstance(field.factory, AsSent) and (
                    any(field is each for each in standing)
                    or _leads_back(shape, field.use, field.factory.sent, (*standing, field))
                ):
                    return True
    return False


def _check_default(parts: DeclaredValues, record: Record, field: Field) -> None:
    shape, default = parts.shape, default_of(field)
    if default is None and field.use.nullable:
        for use in (field.use, field.use.bare):
            if not all(document.sound(None) for document in use.documents):
                raise DeclarationError(
                    "the default null is not what the document beside it asks for",
                    remedy="change the default or the document",
                    record=record.name,
                    field=field.attribute,
                )
        return
    problem = _quick_problem(field.use, default)
    if problem is None:
        problem = _problem(parts, field.use, default, Source.NATIVE)
    if not problem and field.use.documents and (default is None or keeps_form(field.use, shape.aliases)):
        told = plain(field.use, default, shape)
        if not all(document.sound(told) for document in field.use.documents):
            problem = "the document beside it asks for something else"
    if not problem and (field.use.facts.open or isinstance(default, int)) and lacks(held := no_json(default)):
        problem = f"JSON does not have {held}"
    if problem:
        hides = holds_secret(field.use, shape.guarded)
        raise DeclarationError(
            f"the default {'' if hides else shown(default) + ' '}breaks its own rule: {problem}",
            remedy="change the default or the rule",
            record=record.name,
            field=field.attribute,
        )


def _check_fallback(shape: Shape, use: Use) -> None:
    """Raise DeclarationError for what stands in and is of another type: it may break rules, and be nothing else."""
    kept = use.fallback
    if use.making is None:
        try:
            belongs_there = belongs(use.replace(fallback=MISSING), kept, shape)
        except Exception:  # what cannot even be asked is not of the type
            belongs_there = False
        if not belongs_there:
            remedy = "declare the type with | None" if kept is None else "hand over a value of the type"
            raise DeclarationError(
                f"otherwise({quoted(kept)}) puts in the place of a refused value what is not {use.facts.phrase}",
                remedy=f"{remedy}: it is admitted as it is",
            )
    try:
        plain_fallback(use, shape)
    except TypeError as error:
        raise DeclarationError(
            f"what otherwise(...) puts in the place of a refused value is neither of its type nor JSON: {error}",
            remedy="use a value of the type, null, text, a number or a boolean",
        ) from None


def _quick_problem(use: Use, default: object) -> str | None:
    """What is wrong with the default of a single value, "" for nothing, None when only an engine can tell."""
    listed = isinstance(use.node, Items) and use.node.into == "list"
    if (listed and default == []) or (isinstance(use.node, Entries) and default == {}):
        return "" if all(isinstance(part, Rule) and part.holds(default) for part in use.parts) else None
    if not isinstance(use.node, Scalar) or use.node.facts.open:
        return None
    value = use.node.kind.reader(Reading.TYPED)(default)
    if isinstance(value, Stop):
        return None
    for part in use.parts:
        if isinstance(part, Step) and (not part.normalising or part.done(value) != value):
            return None
        if isinstance(part, Rule) and not part.holds(value):
            return None
    return ""


def _problem(parts: DeclaredValues, use: Use, value: object, source: Source) -> str:
    """What is wrong with a value of the declaration, "" for nothing."""
    shape = parts.shape
    read, log = parts.of(source).engine(use).collect(value)
    if read.__class__ is Stop:
        return log.told()[0].message
    if source is Source.NATIVE and not alike(shape, use, read, value):
        hides = holds_secret(use, shape.guarded)
        return (
            "its steps make something else of it; write that"
            if hides
            else f"its steps make {shown(read)} of it; write that"
        )
    return ""


def alike(shape: Shape, use: Use, read: Any, value: Any) -> bool:
    """Whether a reading left a typed value as it was: records are compared by their fields, equal or not."""
    if read is value:
        return True
    match use.node:
        case Sealing(inner):
            return value.__class__ is Sealed and alike(shape, inner, read.opened(), value.opened())
        case Nullable(inner) if value is not None and read is not None:
            return alike(shape, inner, read, value)
        case Items(item) if (
            isinstance(value, list | tuple) and isinstance(read, Collection) and len(read) == len(value)
        ):
            return all(alike(shape, item, new, old) for new, old in zip(read, value, strict=True))
        case Entries(_, held) if isinstance(value, dict) and isinstance(read, dict) and list(read) == list(value):
            return all(alike(shape, held, read[name], value[name]) for name in value)
        case Alias(key):
            return alike(shape, shape.aliases[key], read, value)
        case Link(key) if type(read) is type(value) and shape.records[key].form == "object":
            fields = [field for field in shape.records[key].fields if not field.only_given]
            return all(
                alike(shape, field.use, getattr(read, field.attribute, None), getattr(value, field.attribute, None))
                for field in fields
            )
    return bool(read == value)


def _check_example(parts: DeclaredValues, use: Use, example: object, record: str | None, field: str | None) -> None:
    if problem := _problem(parts, use, example, Source.JSON):
        told = "" if holds_secret(use, parts.shape.guarded) else f"{shown(example)} "
        raise DeclarationError(
            f"the example {told}would be refused: {problem}",
            remedy="write examples as a client would send them",
            record=record,
            field=field,
        )
