"""What values are read from: of types of the developer's own, and of date-times that come as seconds."""

from __future__ import annotations

import types
import typing
from collections.abc import Callable, Mapping
from typing import Annotated, Any, Union

from ..declare.before_reading import Via
from ..declare.errors import DeclarationError
from ..declare.facts import Sort
from ..declare.kinds import Epoch, MomentKind, UtcMoment
from ..declare.steps import OwnMaking
from ..declare.values import Value
from ..declare.waiting import shown_name
from .metadata import Beside, check_parts, with_marks
from .nodes import Nullable, Scalar
from .uses import NO_ABOUT, Use


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
    if beside.via is not None and beside.via.made is None:
        raise DeclarationError(
            f"via(...) beside {declared.__name__} says what it is read from, and so does the one above the class",
            remedy="leave it out, or say with made= what makes its values of that",
        )
    classes, has_null = _classes_in(declared)
    assert via.made is not None
    made = via.made if not classes or via.made in classes else Making(via.made, classes)
    making = OwnMaking(made, via.back, classes, via.samples)
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
