"""Python's types as annotations name them: single values, collections, what to write instead of others."""

from __future__ import annotations

import re
import types
import typing
from collections import abc, deque
from collections.abc import Callable
from datetime import date, datetime
from decimal import Decimal
from typing import Annotated, Any, Union

from ..declare.absent import Absent
from ..declare.described import Described
from ..declare.kinds import (
    Anything,
    Day,
    Exact,
    Kind,
    MomentKind,
    Nobody,
    Number,
    Text,
    Truth,
    Upload,
    Whole,
)
from ..declare.records import keys_of
from ..declare.sealed import Sealed
from ..declare.uploads import UploadedFile
from ..declare.variants import Variant
from .names_in_quotes import in_quotes

KINDS: dict[object, Kind] = {
    str: Text(),
    typing.LiteralString: Text(),  # to a type checker another promise, to data the same
    int: Whole(),
    float: Number(),
    bool: Truth(),
    datetime: MomentKind(),
    date: Day(),
    Decimal: Exact(),
    Any: Anything(),
    typing.Never: Nobody(),
    UploadedFile: Upload(),
    object: Anything(),
}
COLLECTIONS: dict[object, str] = {
    list: "list",
    set: "set",
    frozenset: "frozenset",
    abc.Sequence: "list",
    abc.Iterable: "list",
    abc.Collection: "list",
    abc.MutableSequence: "list",
    abc.Set: "frozenset",
    abc.MutableSet: "set",
    deque: "deque",
}
MAPPINGS = (dict, abc.Mapping, abc.MutableMapping)
REMEDIES: dict[object, str] = {
    list: "say what it holds, as in list[str]",
    set: "say what it holds, as in set[str]",
    frozenset: "say what it holds, as in frozenset[str]",
    Sealed: "say what it holds, as in Sealed[str]",
    tuple: "say what it holds, as in tuple[str, ...] or tuple[int, str]",
    dict: "say what it holds, as in dict[str, int]",
    **dict.fromkeys(MAPPINGS[1:], "say what it holds, as in Mapping[str, int]"),
    **dict.fromkeys(list(COLLECTIONS)[3:], "say what it holds, as in Sequence[str]"),
    typing.Final: "say of which type it is, as in Final[int]",
    complex: "JSON has no complex numbers: declare a record with two floats",
    bytearray: "declare bytes",
    Absent: "say what it is otherwise, as in str | Absent",
    type: "a class cannot come from data: declare a Literal of names, and look the class up",
    typing.Self: "it is known inside a record alone: name the type",
}


# What stands where a type is wanted, by the class of it.
MEANT: dict[object, str] = {
    list: "write list[...], with the type of the items",
    dict: "declare a TypedDict or a dataclass, or write dict[str, ...]",
    set: "write set[...], with the type of the items, or Literal[...] for a choice",
}


def unpacked_tuple(declared: Any) -> tuple[Any, ...] | None:
    """What `*tuple[X, ...]` among a tuple's items holds; None for any other type."""
    if getattr(declared, "__unpacked__", False):  # written with a star
        return typing.get_args(declared)
    if typing.get_origin(declared) is typing.Unpack:
        return typing.get_args(typing.get_args(declared)[0])
    return None


def record_name(declared: Any) -> str:
    """A name for `$defs`: `Page[Booking]` is PageOfBooking, whatever stands beside it."""
    origin = typing.get_origin(declared) or declared
    if origin is Annotated:
        return record_name(declared.__origin__)
    if (text := in_quotes(declared)) is not None:
        return re.sub(r"\W+", "_", text)
    arguments = [record_name(each) for each in typing.get_args(declared)]
    if origin in (Union, types.UnionType):
        return "Or".join(arguments)
    name = getattr(origin, "__name__", None) or "Record"
    return f"{name}Of{'And'.join(arguments)}" if arguments else str(name)


def type_name(declared: object) -> str:
    """A type as messages name it."""
    if isinstance(declared, type) and typing.get_origin(declared) is None:
        return declared.__name__
    return repr(declared).replace("typing.", "")


class RequestKeys:
    """How names are made inside the parts of a request: those of its path, headers and cookies stay as they are."""

    def __init__(self, style: Callable[[str], str]) -> None:
        self.style = style

    def __call__(self, part: str) -> str:
        """The name of a part itself."""
        return part

    def inside(self, part: str) -> Callable[[str], str] | None:
        """What makes the names inside a part."""
        return None if part in ("path", "headers", "cookies") else self.style


def key_style_of(declared: Any, around: Callable[[str], str] | None) -> Callable[[str], str] | None:
    """What makes a record's names in the data: what it says itself, or its base, else what is so around it."""
    while isinstance(declared, Variant):
        declared = declared.base
    own = declared.keys if isinstance(declared, Described) else keys_of(typing.get_origin(declared) or declared)
    return around if own is None else own
