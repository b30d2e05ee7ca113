"""Whether a dataclass's constructor does nothing but store its arguments, so that storing them directly is the same."""

from __future__ import annotations

import dataclasses
import types
from typing import Any

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


def _is_generated(constructor: types.FunctionType, declared: type) -> bool:
    """Whether the constructor is the one that `dataclasses` writes: it comes from no file and only names fields."""
    code = constructor.__code__
    if code.co_filename != "<string>" or hasattr(constructor, "__wrapped__"):
        return False
    names = {field.name for field in dataclasses.fields(declared)}
    taken = [field.name for field in dataclasses.fields(declared) if field.init]
    given = code.co_varnames[1 : code.co_argcount + code.co_kwonlyargcount]
    if sorted(given) != sorted(taken):
        return False
    return all(name in names or name.startswith(_INTERNAL) for name in code.co_names)
