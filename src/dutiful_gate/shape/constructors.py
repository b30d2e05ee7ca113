"""Whether a dataclass's constructor does nothing but store its arguments, so that storing them directly is the same."""

from __future__ import annotations

import dataclasses
import inspect
import types
from collections.abc import Iterable
from typing import Any

from ..declare.errors import DeclarationError

_FROZEN = ("__setattr__", "object", "_dataclass_builtins_object_")
_INTERNAL = ("_dflt_", "_type_", "__dataclass_", "_HAS_DEFAULT_FACTORY", "MISSING")


def only_stores(declared: type) -> bool:
    """True only when it is certain: anything made by hand, frozen, or computed afterwards says no."""
    attributes: Any = declared
    params = getattr(declared, "__dataclass_params__", None)
    constructor = declared.__dict__.get("__init__")
    if params is None or params.frozen or not isinstance(constructor, types.FunctionType):
        return False
    if hasattr(declared, "__post_init__") or attributes.__new__ is not object.__new__:
        return False
    if attributes.__setattr__ is not object.__setattr__:
        return False
    if type(declared).__call__ is not type.__call__:
        return False
    return _is_generated(constructor, declared)


def runs_own_code(declared: Any) -> bool:
    """Whether making an instance runs code that the developer wrote: a constructor, or a check afterwards."""
    if type(declared).__call__ is not type.__call__ or hasattr(declared, "__post_init__"):
        return True
    if issubclass(declared, tuple):
        made = declared.__dict__.get("__new__")
        return made is not None and not _of_named_tuple(made)
    if declared.__new__ is not object.__new__:
        return True
    constructor = declared.__dict__.get("__init__")
    return not isinstance(constructor, types.FunctionType) or not _is_generated(constructor, declared, frozen=True)


def check_constructor(declared: type, names: Iterable[str], record: str) -> None:
    """Raise DeclarationError for a class that cannot be made of its fields by their names."""
    try:
        signature = inspect.signature(declared)
    except (TypeError, ValueError):  # of C, or of a class that tells nothing of it
        return
    given = list(names)
    try:
        signature.bind(**dict.fromkeys(given))
    except TypeError as error:
        taken = ", ".join(signature.parameters) or "nothing"  # without their defaults, which may be secrets
        raise DeclarationError(
            f"no value can be made of its fields {', '.join(given)}: its constructor takes {taken} ({error})",
            remedy="let it take each field by its name, or leave the constructor to @dataclass",
            record=record,
        ) from None


def _of_named_tuple(constructor: Any) -> bool:
    """Whether it is the constructor that `collections` writes for a named tuple."""
    made = getattr(constructor, "__func__", constructor)
    return getattr(made, "__module__", "").startswith("namedtuple_")


def _is_generated(constructor: types.FunctionType, declared: type, *, frozen: bool = False) -> bool:
    """Whether the constructor is the one that `dataclasses` writes: it comes from no file and only names fields."""
    code = constructor.__code__
    if code.co_filename != "<string>" or hasattr(constructor, "__wrapped__"):
        return False
    names = {field.name for field in dataclasses.fields(declared)}
    taken = [field.name for field in dataclasses.fields(declared) if field.init]
    given = code.co_varnames[1 : code.co_argcount + code.co_kwonlyargcount]
    if sorted(given) != sorted(taken):
        return False
    inner = _FROZEN if frozen else ()
    return all(name in names or name in inner or name.startswith(_INTERNAL) for name in code.co_names)
