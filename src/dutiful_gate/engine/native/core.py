"""The core itself: whether it is here and may be used, and the readers that it makes of plans."""

from __future__ import annotations

import os
import platform
import sys
from collections.abc import Callable, Sequence
from decimal import Decimal
from functools import cache, partial
from importlib import import_module
from typing import Any, Final, NamedTuple, Protocol
from uuid import UUID, SafeUUID

from ...declare.absent import ABSENT
from ...declare.digits import Digits
from ...declare.facts import UNSURE, Passing, Stop
from ...declare.native_forms import VERSION
from ...regex.white_space import is_blank
from ...report.verdict import Noted
from ..depth import may_be_deeper
from ..handover import hand_over, hand_over_later
from ..own_functions import unwrapped
from ..plan import Plan
from .out_words import PLAIN_DATA, native_out
from .plan_words import native_plan
from .shadow import every_few
from .words import NativePlan

SWITCH: Final = "DUTIFUL_NATIVE"
"""The environment variable that turns the core off for a process: `off`, `0`, `no` or `false`; see also `shadow`."""
_OFF: Final = frozenset(["off", "0", "no", "false"])
_ON: Final = frozenset(["", "on", "1", "yes", "true"])
_FIRST, _LAST = (3, 11), (3, 15)
"""The versions of Python that the core is known to be right on."""


class Core(Protocol):
    """The module of the core."""

    plan_version: int

    def begin(self, *known: object) -> None:
        """Tell what the package answers with, and the classes that it makes."""

    def places(self, text: str, wanted: dict[Any, Any], count: int) -> Any:
        """Where the ends of paths stand in a sound text of ASCII, None where it cannot tell."""

    def load_out(self, words: bytes, constants: tuple[object, ...]) -> Any:
        """A plan of the way out. Raises ValueError for what is none."""

    def load(self, words: bytes, constants: tuple[object, ...], *rewritten: Callable[[Any], Any]) -> Any:
        """A plan. Raises ValueError for what is none."""


class NativeReader(NamedTuple):
    """What reads by one plan: each gives the value of what is surely sound, else UNSURE."""

    sound: Callable[[Any], Any]
    sound_json: Callable[[Any], Any]
    noted: Callable[[Any], Any]
    """The same as `sound`; where keys were dropped that nobody declared, `Noted`."""
    noted_json: Callable[[Any], Any]
    plain_json: Callable[[Any], Any]
    """The plain data of sound raw JSON within the limits."""
    written: NativePlan
    plan: Any

    def of_rows(self, names: Sequence[str]) -> Callable[[list[Any]], Any] | None:
        """What reads rows of as many cells as there are names, as records of them; None where rows are not read so."""
        columns = self.plan.columns(tuple(names)) if len(set(names)) == len(names) else None
        if columns is None:
            return None
        read: Callable[[list[Any]], Any] = partial(self.plan.sound_row, columns)
        return unwrapped(read) if self.written.carries else read


@cache
def core() -> tuple[Core | None, str]:
    """The core where it may be used, else None; and in words which it is, or why it is not."""
    said = os.environ.get(SWITCH, "").strip().lower()
    if said in _OFF:
        return None, f"off: {SWITCH}={said}"
    if said not in _ON and not every_few(said):  # misspelt, it may have meant off
        return None, f"off: {SWITCH}={said!r} is no word for it: on, off, shadow or shadow:7"
    if platform.python_implementation() != "CPython" or not _FIRST <= sys.version_info[:2] <= _LAST:
        return None, f"off: not known to be right on {platform.python_implementation()} {platform.python_version()}"
    if not getattr(sys, "_is_gil_enabled", lambda: True)():
        return None, "off: not known to be right without the interpreter's lock"
    try:
        package = import_module("dutiful_gate_native")
    except ImportError as error:
        return None, "not installed" if isinstance(error, ModuleNotFoundError) else f"off: {error}"
    found: Core = package.core
    if found.plan_version != VERSION:
        return None, f"off: it reads plans of version {found.plan_version}, and these are of version {VERSION}"
    try:
        called = is_blank, hand_over, hand_over_later, Noted.of
        found.begin(Stop, UNSURE, Passing, ABSENT, Decimal, Digits, UUID, SafeUUID.unknown, *called)
    except TypeError as error:
        return None, f"off: {error}"
    few = every_few(said)
    return found, package.__version__ + (f", one admission in {few} judged by Python too" if few else "")


def judged_twice() -> int:
    """One of how many admissions Python judges too; 0 for none."""
    return every_few(os.environ.get(SWITCH, "").strip().lower())


def native_writer(plan: Plan, *, secrets: bool, checked: bool) -> Callable[[Any], bytes | None] | None:
    """What gives the JSON of a typed value, or None where that is in doubt; None where there is no core for it.

    Where values are `checked`, the plan is that of what goes out; else they are known to be sound.
    """
    module, _ = core()
    written = None if module is None else native_out(plan, secrets=secrets, checked=checked)
    if module is None or written is None:
        return None
    try:
        loaded = module.load_out(written.words, written.constants)
    except ValueError:
        return None
    write: Callable[[Any], bytes | None] = loaded.json
    if not written.carries:
        return write
    asked = unwrapped(write)
    asked.__dict__["unit"] = written.unit  # which keeps the source that tracebacks show
    return asked


@cache
def plain_writer() -> Callable[[Any], bytes | None] | None:
    """The same of plain data of any sort."""
    module, _ = core()
    if module is None:
        return None
    written: Callable[[Any], bytes | None] = module.load_out(PLAIN_DATA, ()).json
    return written


def native_reader(plan: Plan, notes_unknown: bool, *rewritten: Callable[[Any], Any]) -> NativeReader | None:
    """What reads by a plan natively; None where there is no core, or no native plan.

    Once a class is not made any more as it was, those that are `rewritten` answer: for decoded data, and for raw JSON.
    """
    module, _ = core()
    if module is None:
        return None
    written = native_plan(plan, notes_unknown=notes_unknown, deep=may_be_deeper(plan.shape, plan.limits.depth))
    if written is None:
        return None
    try:
        loaded = module.load(written.words, written.constants, *rewritten)
    except ValueError:  # it knows better than the plan's writer what it can make
        return None
    readers = loaded.sound, loaded.sound_json, loaded.noted, loaded.noted_json
    sound, sound_json, noted, noted_json = map(unwrapped, readers) if written.carries else readers
    return NativeReader(sound, sound_json, noted, noted_json, loaded.plain_json, written, loaded)
