"""What stands beside a type in `Annotated`, sorted."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from datetime import timedelta
from typing import Any, Final, Literal

from ..declare import before_reading, marks, presence, records, steps, variants
from ..declare.before_reading import BlankIsNone, Otherwise, SplitOn, Via
from ..declare.constants import check_constants, check_words
from ..declare.embedded import Embedded
from ..declare.errors import DeclarationError
from ..declare.facts import Sort
from ..declare.kinds import (
    AnyNumber,
    Exact,
    ExactAsText,
    Formed,
    Kind,
    LocalMoment,
    MomentKind,
    Number,
    UtcMoment,
    Whole,
    WholeAsWritten,
    written_kinds,
)
from ..declare.kinds.formed import FORMABLE
from ..declare.kinds.in_units import SIZES, SPANS, InUnits, size_in_bytes, span_of_time
from ..declare.kinds.lenient import Lenient
from ..declare.marks import (
    About,
    AlsoNamed,
    IfAbsent,
    Mark,
    Named,
    TaggedBy,
    UnderKey,
    UnreadableSays,
    WhatCannotBeRead,
    WrittenAs,
)
from ..declare.outside import Outside
from ..declare.records import RecordRule
from ..declare.rules import Equal, OneOf, Rule
from ..declare.rules.holds import holds
from ..declare.rules.ranges import check_ranges
from ..declare.rules.waiting import WaitingCheck, among, waits
from ..declare.steps import Step
from ..declare.subjects import It, ItsLength
from ..declare.this import FieldOfThis, This
from ..declare.values import Value
from ..declare.variants import Demanding, Without
from .nodes import Choice, Items, Node, Nullable, Scalar
from .uses import MISSING, NO_ABOUT, Use


class Beside:
    """What was found beside one type."""

    __slots__ = (
        "about",
        "also",
        "blank",
        "demanded",
        "documents",
        "fallback",
        "form",
        "former",
        "if_absent",
        "marks",
        "parts",
        "says",
        "secret",
        "split",
        "tagged_by",
        "under",
        "via",
        "wire",
        "without",
    )

    def __init__(self) -> None:
        self.parts: tuple[Step | Rule, ...] = ()
        self.about: About = NO_ABOUT
        self.marks: tuple[Mark, ...] = ()
        self.wire: str | None = None
        self.tagged_by: TaggedBy | None = None
        self.if_absent: IfAbsent | None = None
        self.also: tuple[str, ...] = ()
        self.former: tuple[str, ...] = ()
        self.under = ""
        self.says: str | None = None
        self.form = ""
        self.via: Via | None = None
        self.split = ""
        self.blank = False
        self.fallback: object = MISSING
        self.secret = False
        self.documents: tuple[Embedded, ...] = ()
        self.without: tuple[str, ...] = ()
        self.demanded: tuple[str, ...] = ()


NOTHING_BESIDE: Final = Beside()

PartOf = Literal["field", "optional", "inside"]
"""What a type is the type of: a whole field, what one is where it is not None, or something else."""


def sorted_metadata(metadata: Sequence[object]) -> Beside:
    """Steps and rules in order, marks, and what comes before reading. Others' metadata is passed over (PEP 593)."""
    if not metadata:
        return NOTHING_BESIDE
    found = Beside()
    parts: list[Step | Rule] = []
    for part in metadata:
        if isinstance(part, Step | Rule):
            parts.append(part)
        elif isinstance(part, Via | SplitOn) and (parts or found.via is not None or found.split):
            what = "steps or rules" if parts else "another of its kind"
            raise DeclarationError(
                f"{part} stands after {what}, and comes before reading", remedy="put it first, alone"
            )
        else:
            _keep(found, part)
    found.parts = tuple(parts)
    return found


def refuse_of_fields(beside: Beside, part: PartOf) -> None:
    """Raise DeclarationError for what is said of a field as a whole, and stands beside no field's whole type."""
    if beside is NOTHING_BESIDE or part == "field":
        return
    said = {
        "named": beside.wire is not None,
        "also_named": bool(beside.also),
        "if_absent": beside.if_absent is not None,
        "under_key": bool(beside.under),
        "rest": marks.rest in beside.marks,
        "about(write_only=True)": beside.about.write_only and part == "inside",
    }
    for name, there in said.items():
        if there:
            raise DeclarationError(
                f"{name} is said of a field, and stands beside no field's whole type",
                remedy='put it around the whole, as in ref: Annotated[str | None, named("bookingRef")]',
            )


def _keep(found: Beside, part: Any) -> None:
    match part:
        case About():
            check_words(title=part.title, text=part.text)
            found.about = part
        case Named(wire, former):
            found.wire, found.former = wire, former
        case TaggedBy():
            found.tagged_by = part
        case IfAbsent():
            found.if_absent = part
        case AlsoNamed(wires):
            found.also = wires
        case UnderKey(key):
            check_words(under_key=key)
            found.under = key
        case UnreadableSays(words):
            found.says = words
        case WrittenAs(form):
            check_words(form=form)
            found.form = form
        case Via():
            found.via = part
        case Embedded():
            found.documents += (part,)
        case SplitOn(separator):
            found.split = separator
        case BlankIsNone():
            found.blank = True
        case Otherwise(value):
            found.fallback = value
        case Without(names):
            found.without += names
        case Demanding(names):
            found.demanded += names
        case Mark():
            found.marks += (part,)
            found.secret = found.secret or part == marks.secret
        case _:
            _refuse_half_written(part)


_UNCALLED = (
    marks.about, marks.named, marks.also_named, marks.if_absent, marks.tagged_by, marks.written_as, marks.goes_out,
    marks.under_key,
    before_reading.via, before_reading.split_on, before_reading.otherwise, records.obeys, steps.then, steps.rounded_to,
    holds, among, waits,
    presence.needs, presence.when, variants.without, variants.demanding, variants.subset,
)  # fmt: skip


def _refuse_half_written(part: object) -> None:
    """Tell of what was meant as a rule but is none; what is nothing of ours passes."""
    if isinstance(part, It | ItsLength | This | FieldOfThis | Outside):
        remedy = "compare it with something, as in it > 0"
        if isinstance(part, This | FieldOfThis):
            remedy = "rules of `this` stand in @obeys(...) above the class; beside a type use `it`"
        if isinstance(part, Outside):
            remedy = f"compare it, as in it <= {part}; alone it hands over a field of a request itself, beside `body`"
        raise DeclarationError(f"{part!r} alone is no rule", remedy=remedy)
    if isinstance(part, WhatCannotBeRead):
        raise DeclarationError("unreadable alone says nothing", remedy='as in unreadable.says("needs a day")')
    if isinstance(part, RecordRule):
        raise DeclarationError(f"{part} is a rule of a whole record", remedy="put it in @obeys(...) above the class")
    owner = getattr(part, "__self__", None)
    name = getattr(part, "__name__", "it")
    if isinstance(owner, It | ItsLength) or any(part is each for each in _UNCALLED):
        raise DeclarationError(f"{name} was named but not called", remedy=f"call it: {name}(...)")
    if isinstance(part, tuple | list | set | frozenset | Mapping):
        held = part.values() if isinstance(part, Mapping) else part
        if any(isinstance(each, Value | It | ItsLength | This | FieldOfThis) for each in held):
            raise DeclarationError(
                f"rules in a {type(part).__name__} beside a type are not read",
                remedy="write them one by one, or unpack them: Annotated[str, *RULES]",
            )
    if isinstance(part, bool):
        raise DeclarationError(
            f"{part} beside a type is no rule, but what a comparison came to before the gate saw it",
            remedy="compare `it`, as in it != 3; `is`, `in`, `and`, `or` and `not` make no rules",
        )
    if isinstance(part, re.Pattern):
        raise DeclarationError(
            f"a pattern alone is no rule: {part.pattern!r}", remedy="write it.has(...) around its text"
        )
    if not isinstance(part, type) and type(part).__module__.partition(".")[0] == __name__.partition(".")[0]:
        raise DeclarationError(f"{part!r} beside a type means nothing", remedy="leave it out")
    if callable(part):
        what = getattr(part, "__name__", "something that can be called")
        raise DeclarationError(
            f"{what} stands bare beside the type, and is never run",
            remedy=f"write holds({what}) for a check, or then({what}) for a step",
        )


def with_marks(node: Node, beside: Beside, *, lenient: bool) -> Node:
    """A node as its marks would have it. Raises DeclarationError for a mark that does not belong there."""
    for mark in beside.marks:
        if mark in (marks.secret, marks.rest, marks.together):
            continue
        if mark == marks.appended:
            if not isinstance(node, Items) and not (isinstance(node, Nullable) and isinstance(node.inner.node, Items)):
                raise DeclarationError(f"appended is for lists, not for {node.facts.phrase}", remedy="leave it out")
            continue
        if mark == marks.unambiguous:
            raise DeclarationError(
                f"unambiguous is for unions, not for {node.facts.phrase}", remedy="leave it out, or write A | B"
            )
        if mark == marks.lenient:
            lenient = True
            continue
        if mark in (marks.byte_size, marks.time_span):
            node = _in_units(node, mark)
            continue
        node = _changed(node, mark)
    if beside.form:
        node = _formed(node, beside.form)
    return _lenient(node) if lenient else node


_CHANGES: dict[Mark, tuple[type[Kind], Kind, str]] = {
    marks.utc_only: (MomentKind, UtcMoment(), "date-times"),
    marks.without_offset: (MomentKind, LocalMoment(), "date-times"),
    marks.or_infinite: (Number, AnyNumber(), "floats"),
    marks.without_point: (Whole, WholeAsWritten(), "whole numbers"),
    marks.as_text: (Exact, ExactAsText(), "Decimals"),
}


def _in_units(node: Node, mark: Mark) -> Node:
    if isinstance(node, Nullable):
        return node.replace(inner=node.inner.replace(node=_in_units(node.inner.node, mark)))
    held = node.kind.strict if isinstance(node, Scalar) else None
    if mark == marks.byte_size and type(held) is Whole:
        return Scalar(InUnits(held, size_in_bytes, SIZES))
    if mark == marks.time_span and held == written_kinds()[timedelta]:
        return Scalar(InUnits(held, span_of_time, SPANS))
    wanted = "whole numbers" if mark == marks.byte_size else "timedeltas"
    raise DeclarationError(f"{mark} is for {wanted}, not for {node.facts.phrase}", remedy="leave it out")


def _changed(node: Node, mark: Mark) -> Node:
    kind, changed, name = _CHANGES[mark]
    if isinstance(node, Nullable):
        return node.replace(inner=node.inner.replace(node=_changed(node.inner.node, mark)))
    if not isinstance(node, Scalar) or type(node.kind) is not kind:
        raise DeclarationError(f"{mark} is for {name}, not for {node.facts.phrase}", remedy="leave it out")
    return Scalar(changed)


def _formed(node: Node, form: str) -> Node:
    if isinstance(node, Nullable):
        return node.replace(inner=node.inner.replace(node=_formed(node.inner.node, form)))
    if not isinstance(node, Scalar) or node.kind.facts.sort not in FORMABLE:
        raise DeclarationError(
            f"written_as({form!r}) is for dates and times, not for {node.facts.phrase}", remedy="leave it out"
        )
    kind = Formed(node.kind, form)
    kind.check()
    return Scalar(kind)


def _lenient(node: Node) -> Node:
    if isinstance(node, Scalar) and isinstance(node.kind, Lenient):
        return node
    if isinstance(node, Scalar):
        return node if node.kind.loose is None else Scalar(Lenient(node.kind))
    if isinstance(node, Nullable):
        return node.replace(inner=node.inner.replace(node=_lenient(node.inner.node)))
    if isinstance(node, Items):
        return node.replace(item=node.item.replace(node=_lenient(node.item.node)))
    return node.replace(lenient=True) if isinstance(node, Choice) else node


def check_parts(use: Use, *, secret: bool) -> None:
    """Raise DeclarationError when a step or rule makes no sense where it stands; beside a secret without its words,
    which tell the rule's constants."""
    try:
        _check_parts(use)
        return
    except DeclarationError:
        if not secret:
            raise
    raise DeclarationError(
        f"a rule or step beside a secret makes no sense for {use.node.facts.phrase}",
        remedy="take `secret` away for a moment to read more",
    )


def _check_parts(use: Use) -> None:
    for part in use.parts:
        if isinstance(part, Rule):
            check_constants(part, part.numbers(), texts=isinstance(part, Equal | OneOf))
    facts = use.node.facts
    if facts.sort is Sort.NULL and use.parts:
        raise DeclarationError(
            f"{use.parts[0]} stands beside null, where there is nothing to judge", remedy="leave it out"
        )
    stage: list[Rule] = []
    waiting: Rule | None = None
    for part in use.parts:
        if waiting is not None and not isinstance(part, WaitingCheck):
            raise DeclarationError(
                f"{part} stands behind {waiting}, which is asked last of all", remedy=f"write {waiting} behind it"
            )
        if isinstance(part, WaitingCheck):
            waiting = part
        if isinstance(part, Step):
            facts = part.suits(facts)
            stage = []
        else:
            part.suits(facts)
            stage.append(part)
            check_ranges(stage)
