"""The forms that the native core knows: what kinds, rules and steps may offer of themselves beside Python source.

A kind, rule or step that offers none is called as a Python function from there: to have a native form is never needed.
The numbers stand in the plans that the core loads, and in the header that it is built with (`header`).
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final, NamedTuple

MAGIC: Final = 0xD0717F01
VERSION: Final = 2
"""That of the plan's grammar: the core loads no plan of another."""


class Native(NamedTuple):
    """A native form by its name, with the constants and numbers that it holds."""

    form: str
    held: tuple[object, ...] = ()


class NativeForm(NamedTuple):
    """The number of a form, and what it holds: a letter each.

    `c` a constant, `w` a number, `f` a function of Python that does the same, which the plan's writer adds; for nodes
    also `u` a node, `r` a record, and `*` what is written in a way of its own.
    """

    number: int
    holds: str


NODES: Final[Mapping[str, NativeForm]] = {
    "call": NativeForm(1, "fw"),
    "text": NativeForm(2, "f"),
    "whole": NativeForm(3, "f"),
    "number": NativeForm(4, "f"),
    "truth": NativeForm(5, "f"),
    "null": NativeForm(6, "f"),
    "moment": NativeForm(7, "f"),
    "utc moment": NativeForm(8, "f"),
    "local moment": NativeForm(9, "f"),
    "day": NativeForm(10, "f"),
    "uuid": NativeForm(11, "f"),
    "exact": NativeForm(12, "f"),
    "text form": NativeForm(13, "cf"),
    "choice": NativeForm(14, "c"),
    "list": NativeForm(15, "wucc"),
    "fixed": NativeForm(16, "*"),
    "dict": NativeForm(17, "uuc"),
    "union": NativeForm(18, "*"),
    "tagged": NativeForm(19, "*"),
    "nullable": NativeForm(20, "uw"),
    "sealed": NativeForm(21, "cu"),
    "record": NativeForm(22, "r"),
    "same": NativeForm(23, "u"),
    "whole in text": NativeForm(24, "f"),
    "number in text": NativeForm(25, "f"),
    "truth in text": NativeForm(26, "f"),
}
"""How a value is read. In a plan a node is its number, where its rules and steps stand, and what it holds."""

PARTS: Final[Mapping[str, NativeForm]] = {
    "test": NativeForm(1, "f"),
    "step": NativeForm(2, "f"),
    "length": NativeForm(3, "ww"),
    "length barred": NativeForm(4, "w"),
    "floor": NativeForm(5, "cw"),
    "ceiling": NativeForm(6, "cw"),
    "equal": NativeForm(7, "cw"),
    "one of": NativeForm(8, "c"),
    "starts with": NativeForm(9, "c"),
    "ends with": NativeForm(10, "c"),
    "trimmed": NativeForm(11, "f"),
    "lowered": NativeForm(12, "f"),
    "uppered": NativeForm(13, "f"),
    "pattern": NativeForm(14, "cfw"),
    "multiple": NativeForm(15, "wf"),
}
"""Rules and steps: each is four words in a plan, its number and at most three that it holds."""

OUT: Final[Mapping[str, NativeForm]] = {
    "plain": NativeForm(1, "f"),
    "as it is": NativeForm(2, ""),
    "text": NativeForm(3, ""),
    "whole": NativeForm(4, ""),
    "number": NativeForm(5, ""),
    "truth": NativeForm(6, ""),
    "null": NativeForm(7, ""),
    "moment": NativeForm(8, ""),
    "local moment": NativeForm(9, ""),
    "day": NativeForm(10, ""),
    "uuid": NativeForm(11, ""),
    "exact": NativeForm(12, ""),
    "choice": NativeForm(13, "c"),
    "list": NativeForm(14, "u"),
    "fixed": NativeForm(15, "*"),
    "dict": NativeForm(16, "u"),
    "union": NativeForm(17, "*"),
    "nullable": NativeForm(18, "u"),
    "record": NativeForm(19, "r"),
    "same": NativeForm(20, "u"),
}
"""How a sound value is written as JSON; `plain` is a function that gives plain data, which is written then."""

NO_END: Final = 0xFFFFFFFF
RECORD_MARK: Final = 0xFFFF0001
SIGNS: Final = ("<", "<=", "==", "!=", ">", ">=")
"""Comparisons, by the numbers that Python's own interface for C has for them."""

NUMBERED: Final[Mapping[str, tuple[str, ...]]] = {
    "INTO": ("list", "tuple", "set", "frozenset", "deque"),
    "LACK": ("required", "default", "factory", "absent"),
    "BUILT": ("storing", "calling", "dict", "tuple"),
    "RULE": ("call", "compare"),
}
"""What is known by a number counted from 0: collections, absent fields, records, rules between fields."""

WITHHELD, BLANK, SHORT = 1, 2, 4
"""What is true of a field, in bits above those of `LACK`: it is not taken; in all-text data blank text stands for
nothing in it, and so does None, as a row has it that is too short."""

CLASSES: Final = ("null", "truth", "whole", "fraction", "text", "list", "record")
"""The classes of plain data, a bit each."""


def header() -> str:
    """The header of the native core, `native/src/forms.h`, of the tables here."""

    def named(prefix: str, name: str) -> str:
        return f"{prefix}_{name.upper().replace(' ', '_')}"

    lines = [
        "/* Written by dutiful_gate.declare.native_forms: `make native` writes it anew. */",
        "#ifndef DUTIFUL_FORMS_H",
        "#define DUTIFUL_FORMS_H",
        "",
        f"#define PLAN_MAGIC {MAGIC:#x}u",
        f"#define PLAN_VERSION {VERSION}",
        f"#define NO_END {NO_END:#x}u",
        f"#define RECORD_MARK {RECORD_MARK:#x}u",
    ]
    for prefix, table in (("FORM", NODES), ("FORM", PARTS), ("OUT", OUT)):
        lines += ["", *(f"#define {named(prefix, name)} {form.number}" for name, form in table.items())]
    lines += ["", *(f"#define FIELD_{name} {bit}" for name, bit in (("WITHHELD", 1), ("BLANK", 2), ("SHORT", 4)))]
    for prefix, names in NUMBERED.items():
        lines += ["", *(f"#define {named(prefix, name)} {number}" for number, name in enumerate(names))]
    lines += ["", *(f"#define {named('CLASS', name)} {1 << number}" for number, name in enumerate(CLASSES))]
    return "\n".join([*lines, "", "#endif", ""])
