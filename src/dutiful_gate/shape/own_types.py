"""What values are read from: of types of the developer's own, and of date-times that come as seconds."""

from __future__ import annotations

import types
import typing
from collections.abc import Callable, Mapping
from enum import Enum
from typing import Annotated, Any, Union

from ..declare.before_reading import Via, via_of
from ..declare.described import described
from ..declare.errors import DeclarationError
from ..declare.facts import Sort
from ..declare.kinds import Epoch, MomentKind, UtcMoment
from ..declare.rules import Distinct
from ..declare.steps import OwnMaking
from ..declare.values import Value
from ..declare.waiting import shown_name
from .aliases import is_record_type
from .metadata import Beside, check_parts, with_marks
from .nodes import Items, Nullable, Scalar
from .shape import Shape
from .uses import NO_ABOUT, Use
from .walk import standing, uses_of


def own_via(declared: Any, beside: Via | None, has_kind: Callable[[Any], bool]) -> Via | None:
    """What a type of the developer's own is read by: what stands beside it, where `made` is said or the class itself
    makes its values, or above it. `has_kind` tells types that are read without."""
    if beside is not None and beside.made is not None:
        return beside
    above = via_of(declared)
    if beside is None or beside.back is None or above is not None:
        return above
    classes, _ = _classes_in(declared)
    own = [each for each in classes if each is not types.NoneType]
    if len(own) != 1 or via_of(own[0]) is not None or is_record_type(own[0]) or described(own[0]) is not None:
        return None
    if has_kind(own[0]) or issubclass(own[0], Enum) or own[0].__module__ == "builtins":
        return None
    return beside.replace(made=beside.check_maker(own[0]))


def own_type(
    use_of: Callable[[Any, Mapping[Any, Any] | None], Use],
    declared: Any,
    via: Via,
    beside: Beside,
    given: Mapping[Any, Any] | None,
) -> Use:
    """The use of such a type, null beside it or not, with the rules that stand beside it.

    Raises DeclarationError where what it is read from may be null: nothing says what null makes.
    """
    if beside.via is not None and beside.via.made is None and via_of(declared) is not None:
        raise DeclarationError(
            f"via(...) beside {declared.__name__} says what it is read from, and so does the one above the class",
            remedy="leave it out, or say with made= what makes its values of that",
        )
    classes, has_null = _classes_in(declared)
    assert via.made is not None
    made = via.made if not classes or via.made in classes else Making(via.made, classes)
    making = OwnMaking(made, via.back, classes, via.samples, via.sure)
    beside.via = None  # it is said
    inner = use_of(Annotated[(via.kind, *via.parts)] if via.parts else via.kind, given)
    if isinstance(inner.node, Nullable):
        raise DeclarationError(
            "via(..., made=...) reads what may be null, and nothing says what null makes",
            remedy="leave out `| None` there, and write it behind the declared type",
        )
    inner = inner.replace(node=with_marks(inner.node, beside, lenient=False), about=NO_ABOUT)
    inner = inner.replace(parts=(*inner.parts, making, *beside.parts))
    check_parts(inner, secret=inner.secret or beside.secret)
    return Use(Nullable(inner), secret=inner.secret) if has_null else inner


def _classes_in(declared: Any) -> tuple[tuple[type, ...], bool]:
    """The classes that a type's values are of, none where they are not known; and whether they may be null too."""
    options = typing.get_args(declared) if typing.get_origin(declared) in (Union, types.UnionType) else (declared,)
    held = [option for option in options if option not in (None, type(None))]
    classes = tuple(each for option in held if isinstance(each := typing.get_origin(option) or option, type))
    has_null = len(held) != len(options)
    known = len(classes) == len(held) and object not in classes
    return (*classes, *([types.NoneType] if has_null else ())) if known else (), has_null


def from_seconds(use: Use, via: Use) -> Use:
    """A date-time that is read from a number: of the seconds since 1970."""
    if isinstance(use.node, Nullable):
        return use.replace(node=Nullable(from_seconds(use.node.inner, via)))
    if via.facts.number and isinstance(use.node, Scalar) and type(use.node.kind) in (MomentKind, UtcMoment):
        return use.replace(node=Scalar(Epoch(via.facts.sort is Sort.WHOLE)))
    return use


def must_differ(use: Use) -> bool:
    """Whether it is a collection whose items are compared with each other as a whole."""
    node = use.node
    if not isinstance(node, Items):
        return False
    return node.into in ("set", "frozenset") or any(isinstance(p, Distinct) and p.key is None for p in use.parts)


def check_that_may_be_equal(shape: Shape) -> None:
    """Raise DeclarationError for items that must differ, and of which no two are ever equal."""
    for use in filter(must_differ, uses_of(shape)):
        for inner in use.node.inside:
            for each in standing(inner, shape.aliases):
                record = shape.record_of(each)
                made = each.making
                classes = made.of if isinstance(made, OwnMaking) else () if record is None else (record.builder,)
                for held in classes:
                    # No repeat would ever be found, while its plain data may well be equal.
                    if held is not types.NoneType and held.__eq__ is object.__eq__:
                        raise DeclarationError(
                            f"no two values of {held.__name__} are ever equal: it does not say when they are, so that "
                            "a repeat would never be found",
                            remedy="give the class __eq__ (a dataclass: leave out eq=False), or compare a part of it: "
                            'it.distinct.by("number")',
                        )


class Making(Value):
    """What makes a value and looks whether it is of the declared type: else that is a mistake of the function."""

    made: Callable[[Any], Any]
    classes: tuple[type, ...]

    @property
    def __name__(self) -> str:
        return shown_name(self.made)

    def __call__(self, value: Any) -> Any:
        """The value made of what was read. Raises TypeError for one of another class."""
        held = self.made(value)
        if not isinstance(held, self.classes):
            kind, wanted = type(held).__name__, " or ".join(each.__name__ for each in self.classes)
            raise TypeError(f"{self.__name__} gave back a value of the class {kind}, not of {wanted}")
        return held
