"""Whether a handler's annotation says that it gives what its endpoint answers."""

from __future__ import annotations

import types
from collections.abc import Callable
from typing import Any, Final, Literal, Union, get_args, get_origin, get_type_hints

from ..declare.errors import DeclarationError
from .answering import Answered, Answering, Streamed

_PLAIN: Final = (str, int, float, bool, bytes, list, dict, tuple, set, frozenset, type(None))
_ALIKE: Final[dict[Any, set[type]]] = {
    int: {float},
    bool: {int, float},
    list: {tuple},
    tuple: {list},
    set: {frozenset},
    frozenset: {set},
}


def check_returned(handler: Callable[..., Any], usual: Answering[Any, Any, Any, Any], where: str) -> None:
    """Raise DeclarationError where an annotation tells that a bare value is none of the first answer.

    Of what an annotation leaves open, and of records, which go out as any other that they fill, nothing is said.
    """
    try:
        hints = get_type_hints(handler if not hasattr(handler, "func") else handler.func)
    except Exception:  # names that cannot be seen, objects without annotations
        return
    if "return" not in hints or isinstance(usual.of, Streamed):
        return
    for each in _options(hints["return"]):
        if (get_origin(each) or each) is Answered or _may_be(each, usual):
            continue
        told = "a bare value has none: call it" if usual.headers is not None else f"it is {shown(usual.of)}"
        raise DeclarationError(
            f"the handler of {where} says that it gives {shown(each)}, and of the answer {usual.status} {told}",
            remedy="give what is declared, or call an answer, as in GONE(Missing(...))",
        )


def _may_be(given: Any, usual: Answering[Any, Any, Any, Any]) -> bool:
    """Whether a value of a type may be the bare value of an answer."""
    kind = get_origin(given) or given
    if kind not in _PLAIN:
        return usual.headers is None or not isinstance(kind, type) or kind is object
    if usual.headers is not None:
        return False
    wanted = {_class_of(each) for each in _options(usual.of)}
    if None in wanted:  # of which nothing is known here
        return True
    return kind in wanted or not wanted.isdisjoint(_ALIKE.get(kind, ()))


def _class_of(declared: Any) -> Any:
    """The plain class of the values of a type; None where it is not known."""
    if declared is None:
        return type(None)
    origin = get_origin(declared)
    if origin is not None and hasattr(declared, "__metadata__"):
        known = _class_of(get_args(declared)[0])
        return known if known in (type(None),) else None  # what stands beside it may make something else
    if origin is Literal:
        return None
    kind = origin or declared
    if kind in _PLAIN:
        return kind
    is_record = isinstance(kind, type) and hasattr(kind, "__dataclass_fields__")
    return kind if is_record else None


def _options(declared: Any) -> tuple[Any, ...]:
    if get_origin(declared) in (Union, types.UnionType):
        return tuple(option for each in get_args(declared) for option in _options(each))
    return (declared,)


def shown(declared: Any) -> str:
    """A type as it is written."""
    if declared is type(None) or declared is None:
        return "None"
    named = declared.__name__ if isinstance(declared, type) and get_origin(declared) is None else str(declared)
    return named[:200]


__all__ = ["check_returned", "shown"]
