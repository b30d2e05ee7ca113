"""Compiled functions to bytes and back, for programs that start with what was built beforehand.

Functions that a module has by their name travel as that name; those that were written for a gate, and those that stand
inside of others, as their code. So the bytes are those of one Python and one version of this package, and are as much
code as a module is: they are read from files of one's own alone.
"""

from __future__ import annotations

import importlib
import io
import marshal
import pickle
import sys
import types
from collections.abc import Mapping
from threading import RLock
from typing import Any

from ..declare.absent import ABSENT
from ..declare.facts import DROPS, REFUSED, UNSURE
from ..declare.outside import handed

_State = tuple[Any, Any, list[Any], str, dict[str, Any]]
_LOCK = type(RLock())


# What is known by what it is: there is one of each in a process.
_NAMED = {"REFUSED": REFUSED, "UNSURE": UNSURE, "DROPS": DROPS, "ABSENT": ABSENT, "handed": handed}
_ALONE = {id(held): name for name, held in _NAMED.items()}


def _alone(name: str) -> object:
    return _NAMED[name]


class _Packer(pickle.Pickler):
    """Packs what pickle itself does not: functions without a name of their own, modules, locks.

    `engine` is left out: whoever unpacks it hands over the one that is to stand there.
    """

    def __init__(self, made: io.BytesIO, engine: object) -> None:
        super().__init__(made, pickle.HIGHEST_PROTOCOL)
        self.engine = engine

    def persistent_id(self, held: Any) -> str | None:
        """What tells the engine."""
        return "engine" if held is self.engine and held is not None else None

    def reducer_override(self, held: Any) -> Any:
        """What to call again, and with what."""
        if isinstance(held, types.FunctionType):
            return NotImplemented if _is_named(held) else _packed_function(held)
        if id(held) in _ALONE:
            return _alone, (_ALONE[id(held)],)
        if isinstance(held, types.ModuleType):
            return importlib.import_module, (held.__name__,)
        if isinstance(held, types.MappingProxyType):
            return types.MappingProxyType, (dict(held),)
        if isinstance(held, _LOCK):
            return RLock, ()
        return NotImplemented


class _Unpacker(pickle.Unpickler):
    """Puts an engine where one was left out."""

    def __init__(self, raw: bytes, engine: object) -> None:
        super().__init__(io.BytesIO(raw))
        self.engine = engine

    def persistent_load(self, mark: Any) -> Any:
        """The engine."""
        return self.engine


def packed(held: object, *, engine: object = None) -> bytes:
    """An object as bytes, but for an engine that it leans on.

    Raises PicklingError, or what else pickle raises, for one that leans on what cannot travel.
    """
    made = io.BytesIO()
    _Packer(made, engine).dump(held)
    return made.getvalue()


def unpacked(raw: bytes, *, engine: object = None) -> Any:
    """The object of bytes that `packed` made, in the same Python, with the same version of this package."""
    return _Unpacker(raw, engine).load()


def _is_named(function: types.FunctionType) -> bool:
    """Whether a module has the function by its name."""
    found: Any = sys.modules.get(function.__module__ or "")
    for part in function.__qualname__.split("."):
        found = getattr(found, part, None)
    return found is function


def _packed_function(function: types.FunctionType) -> Any:
    namespace: Mapping[str, Any] = function.__globals__
    module = sys.modules.get(str(namespace.get("__name__")))
    where = module.__name__ if module is not None and vars(module) is namespace else namespace
    cells = function.__closure__ or ()
    state: _State = (
        function.__defaults__,
        function.__kwdefaults__,
        [cell.cell_contents for cell in cells],
        function.__qualname__,
        dict(vars(function)),
    )
    # The state comes after the function itself, which may be among what it leans on.
    return _bare, (marshal.dumps(function.__code__), where, function.__name__, len(cells)), state, None, None, _filled


def _bare(code: bytes, where: str | dict[str, Any], name: str, cells: int) -> types.FunctionType:
    namespace = vars(importlib.import_module(where)) if isinstance(where, str) else where
    return types.FunctionType(marshal.loads(code), namespace, name, None, tuple(types.CellType() for _ in range(cells)))


def _filled(function: types.FunctionType, state: _State) -> None:
    function.__defaults__, function.__kwdefaults__, contents, function.__qualname__, own = state
    for cell, held in zip(function.__closure__ or (), contents, strict=True):
        cell.cell_contents = held
    vars(function).update(own)
