"""The code of a mapped class and of its column types: what it refuses or changes is tried, and told to be unread."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from inspect import signature
from typing import Any

from sqlalchemy.types import TypeDecorator, UserDefinedType

from .disagreements import Agreement
from .moments import Moment
from .records import MappedField, mapper_of


def own_code(model: Any, pairs: Mapping[str, MappedField], *, made: bool) -> Iterator[str]:
    """What of a mapped class and its columns is code, which may refuse or change a value, in words.

    `made` tells that the gate's values are objects of the class: its own code has run when they are admitted.
    """
    for name in mapper_of(model).validators if not made else ():
        if name in pairs:
            yield f"{name}: what its validator does was tried, not read"
    if _own_init(model) is not None and not made:
        how = (
            "what it does was tried, not read"
            if _takes(model, pairs)
            else "it takes other arguments, and was not tried"
        )
        yield f"the own __init__ of {model.__name__}: {how}"
    for name, field in pairs.items():
        kind = field.column.type
        ours = isinstance(kind, Moment) or type(kind).__module__.partition(".")[0] == "sqlalchemy"
        if isinstance(kind, TypeDecorator | UserDefinedType) and not ours:
            yield f"{name}: what its column type {type(kind).__name__} does was tried, not read"


def by_its_class(model: Any, row: Mapping[str, Any], found: Agreement) -> Iterator[tuple[str, str, str]]:
    """What a mapped class refuses or changes of a row when an object is made of it: field, words, sort of error."""
    mapper = mapper_of(model)
    made = mapper.class_manager.new_instance()
    for name, value in row.items():
        seen = found.shown(name, value)
        try:
            setattr(made, name, value)
            held = getattr(made, name)
        except Exception as error:  # a validator refuses in whatever way it likes
            yield (
                name,
                f"{model.__name__} refuses {found.shown(name, value)}: {found.told(name, _told(error))}",
                type(error).__name__,
            )
            continue
        if type(held) is not type(value) or held != value:
            yield (
                name,
                f"{model.__name__} makes {found.shown(name, held)} of {seen}",
                "changed by the class",
            )
    if _own_init(model) is not None and _takes(model, row):
        try:
            model(**row)
        except Exception as error:
            yield "", f"{model.__name__}(...) refuses a row: {found.told('', _told(error))}", type(error).__name__


def _takes(model: Any, names: Iterable[str]) -> bool:
    """Whether the class can be called with such keywords."""
    try:
        signature(_own_init(model)).bind(None, **dict.fromkeys(names))
    except (TypeError, ValueError):
        return False
    return True


def _told(error: Exception) -> str:
    return (str(error).splitlines() or [type(error).__name__])[0][:160]


def _own_init(model: Any) -> Any:
    """The `__init__` that the class has of its own; None for what the mapping or `dataclass` wrote."""
    init: Any = mapper_of(model).class_manager.original_init
    code = getattr(init, "__code__", None)
    if code is None or init.__module__.partition(".")[0] == "sqlalchemy":
        return None
    generated = "__dataclass_fields__" in vars(model) and code.co_filename == "<string>"
    return None if generated and not hasattr(model, "__post_init__") else init
