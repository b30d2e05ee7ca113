"""Typed values as plain JSON data, by walking the shape: for what a declaration holds, not for what passes through."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

from ..declare.absent import ABSENT
from ..declare.constants import no_json
from ..declare.facts import Stop
from ..declare.kinds import Text
from ..declare.sealed import Sealed
from ..declare.sources import Reading
from ..declare.steps import Then
from ..declare.values import Value
from ..regex.white_space import BLANKS
from .nodes import Alias, Branches, Choice, Entries, Fixed, Items, Link, Nothing, Nullable, Scalar, Sealing, Turned
from .shape import Field, Record, Shape
from .stages import classes_of
from .uses import MISSING, NO_ABOUT, Use
from .walk import every


class WayBack(Value):
    """How a value goes out as it came: what it goes out as, and the function that makes that of it.

    `of` are the classes of the value, none where they are not known; `typed` judges it, where that is known.
    """

    inner: Use
    back: Callable[[Any], Any]
    of: tuple[type, ...] = ()
    typed: Use | None = None
    own: bool = True
    """Whether the function is the developer's."""


def way_back(use: Use, shape: Shape) -> WayBack | None:
    """How a value of a use goes out as it came; None where nothing else was made of it, or nothing turns that back."""
    making = use.making
    if making is not None:
        if isinstance(making, Then) and making.back is not None:
            return WayBack(use.before_making, making.back, classes_of(making))
        return None
    if not use.is_reread:
        return None
    typed = use.replace(via=None, split="", documents=(), fallback=MISSING, blank=False, about=NO_ABOUT)
    bare = typed.replace(parts=())
    if use.split:
        items = use.node.inside
        if not isinstance(use.node, Items | Fixed) or not all(_is_told_in_text(item) for item in items):
            return None
        joined = Use(Scalar(Text()), secret=use.secret)
        return WayBack(joined, partial(_joined, use.split, bare, shape), (), typed, own=False)
    assert use.via is not None
    if not use.via.facts.text:
        return WayBack(use.via, partial(_plainly, bare, shape), (), typed, own=False)
    if not _is_told_in_text(typed):
        return None
    return WayBack(use.via, partial(_in_text, bare, shape), (), typed, own=False)


def _is_told_in_text(use: Use) -> bool:
    """Whether each value is told by one text."""
    return use.node.is_single and not use.node.facts.open and use.making is None and not use.is_reread


def _plainly(use: Use, shape: Shape, value: Any) -> object:
    return plain(use, value, shape)


def _in_text(use: Use, shape: Shape, value: Any) -> str:
    told = plain(use, value, shape)
    return "" if told is None else str(told).lower() if isinstance(told, bool) else str(told)


def _joined(separator: str, use: Use, shape: Shape, value: Any) -> str:
    """Items as one text. Raises ValueError where that would be split into others again."""
    node = use.node
    items = list(value)
    uses = node.per_item(len(items)) if isinstance(node, Fixed) else [node.inside[0]] * len(items)
    texts = [_in_text(item, shape, each) for item, each in zip(uses, items, strict=True)]
    whole = separator.join(texts)
    again = [part.strip(BLANKS) for part in whole.split(separator)] if whole.strip(BLANKS) else []
    if again != texts:
        raise ValueError(f"needs items without {separator!r} in them and without blanks around them")
    return whole


def plain(use: Use, value: Any, shape: Shape) -> object:
    """The plain JSON data of a sound value."""
    turned = way_back(use, shape)
    if turned is not None and not (use.fallback is not MISSING and value == use.fallback):
        return plain(turned.inner, turned.back(value), shape) if turned.own else turned.back(value)
    if use.making is not None:
        return value  # what a function of one's own made goes out as it is
    if use.fallback is not MISSING and type(value) is type(use.fallback) and value == use.fallback:
        return plain_fallback(use, shape)
    match use.node:
        case Scalar(kind):
            return kind.plain(value)
        case Nothing():
            return None
        case Choice(wire=wire, values=values):
            at = next(i for i, held in enumerate(values) if held is value or (type(held), held) == (type(value), value))
            return wire[at]
        case Items(item, into):
            made = [plain(item, each, shape) for each in value]
            return sorted(made, key=repr) if into in ("set", "frozenset") else made
        case Fixed():
            return [plain(item, each, shape) for item, each in zip(use.node.per_item(len(value)), value, strict=True)]
        case Entries(key, held):
            return {str(plain(key, name, shape)): plain(held, each, shape) for name, each in value.items()}
        case Nullable(inner):
            return None if value is None else plain(inner, value, shape)
        case Sealing(inner):
            return plain(inner, value.opened(), shape)
        case Turned(inner):
            return plain(inner, use.node.back(value), shape)
        case Branches(options=options, tag=tag, tags=tags, held=held_under):
            at = next(number for number, option in enumerate(options) if belongs(option, value, shape))
            told = plain(options[at], value, shape)
            return {tag: tags[at][0], held_under: told} if held_under else told
        case Alias(key):
            return plain(shape.aliases[key], value, shape)
        case Link(key):
            return _plain_record(shape.records[key], value, shape)


def plain_fallback(use: Use, shape: Shape) -> object:
    """The plain JSON data of what stands in for a refused value, which need not be of the type: then as it is.

    Raises TypeError where JSON has no such value.
    """
    try:
        if belongs(use, use.fallback, shape):
            return plain(use.replace(fallback=MISSING), use.fallback, shape)
    except Exception:  # what cannot even be asked is not of the type
        pass
    if held := no_json(use.fallback):
        raise TypeError(held)
    return use.fallback


def _plain_record(record: Record, value: Any, shape: Shape) -> dict[str, object]:
    def held(field: Field) -> Any:
        return value[field.attribute] if record.form == "dict" else getattr(value, field.attribute)

    made = {
        field.wire: plain(field.use, held(field), shape)
        for field in record.fields
        if not field.only_given
        and (field.attribute in value if record.form == "dict" else not field.marked or held(field) is not ABSENT)
    }
    for rest in record.rests:
        gathered = plain(rest.use, value.get(rest.attribute, {}) if record.mends else held(rest), shape)
        made.update({key: each for key, each in gathered.items() if key not in made})  # type: ignore[attr-defined]
    return made


Known = dict[tuple[int, int], bool]
"""What was found of values in records and aliases that lead to themselves: by the node and the value."""


def belongs(use: Use, value: object, shape: Shape, known: Known | None = None) -> bool:
    """Whether a typed value is of a use's type, and so is all that it holds."""
    known = {} if known is None else known
    if use.making is not None and (classes := classes_of(use.making)):
        return isinstance(value, classes)
    match use.node:
        case Scalar(kind):
            held = kind.reader(Reading.TYPED)(value)
            return not isinstance(held, Stop)
        case Nothing():
            return value is None
        case Choice(values=values):
            return any(held is value or (type(held), held) == (type(value), value) for held in values)
        case Items(item):
            return is_alike(use, value, shape) and all(belongs(item, each, shape, known) for each in value)  # type: ignore[attr-defined]
        case Fixed():
            if not isinstance(value, tuple) or not use.node.admits(len(value)):
                return False
            both = zip(use.node.per_item(len(value)), value, strict=True)
            return all(belongs(item, each, shape, known) for item, each in both)
        case Entries(key, held):
            return isinstance(value, dict) and all(
                belongs(key, name, shape, known) and belongs(held, each, shape, known) for name, each in value.items()
            )
        case Nullable(inner):
            return value is None or belongs(inner, value, shape, known)
        case Sealing(inner):
            return value.__class__ is Sealed and belongs(inner, value.opened(), shape, known)
        case Branches(options=options):
            return any(belongs(option, value, shape, known) for option in options)
        case Turned(typed=typed):
            fits = not use.node.of or isinstance(value, use.node.of)
            return fits and (typed is None or belongs(typed, value, shape, known))
        case Alias(key) | Link(key):
            mark = (id(use.node), id(value))
            if mark not in known:
                known[mark] = (
                    belongs(shape.aliases[key], value, shape, known)
                    if isinstance(use.node, Alias)
                    else _is_record(shape.records[key], value, shape, known)
                )
            return known[mark]


def _is_record(record: Record, value: object, shape: Shape, known: Known) -> bool:
    if record.form != "dict":
        return isinstance(value, record.builder)
    if not isinstance(value, dict):
        return False
    if not value.keys() <= {field.attribute for field in (*record.fields, *record.rests)}:
        return False
    return all(field.attribute in value or field.may_lack for field in record.fields) and all(
        belongs(field.use, value[field.attribute], shape, known) for field in record.fields if field.attribute in value
    )


def _classes_made(use: Use) -> tuple[type, ...]:
    if isinstance(use.node, Turned):
        return use.node.of
    return () if use.making is None else classes_of(use.making)


def nearest_first(options: Sequence[Use], shape: Shape) -> list[int]:
    """The options of a union, by number: those of records that extend others before those, also inside lists."""

    def extends(number: int) -> int:
        links = [each.node for each in every(options[number]) if isinstance(each.node, Link)]
        builders: list[Any] = [shape.records[link.key].builder for link in links]
        builders += [of for each in every(options[number]) for of in _classes_made(each)]
        return max((len(each.__mro__) for each in builders if isinstance(each, type)), default=0)

    return sorted(range(len(options)), key=extends, reverse=True)


def is_alike(use: Use, value: object, shape: Shape) -> bool:
    """Whether a typed value may be of a use's type, by itself and without what it holds."""
    if use.making is not None and (classes := classes_of(use.making)):
        return isinstance(value, classes)
    match use.node:
        case Items(into=into):
            return type(value).__name__ == into
        case Fixed():
            return isinstance(value, tuple) and use.node.admits(len(value))
        case Entries():
            return isinstance(value, dict)
        case Nullable(inner):
            return value is None or is_alike(inner, value, shape)
        case Branches(options=options):
            return any(is_alike(option, value, shape) for option in options)
        case Alias(key):
            return is_alike(shape.aliases[key], value, shape)
        case Link(key):
            record = shape.records[key]
            return isinstance(value, dict if record.form == "dict" else record.builder)
        case _:
            return belongs(use, value, shape)
