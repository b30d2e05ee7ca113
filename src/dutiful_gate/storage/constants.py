"""Constants, rules, steps and marks as source: only what is known to be a constant or a word of this package's own."""

from __future__ import annotations

import ast
import datetime
import re
import uuid
from collections.abc import Mapping
from decimal import Decimal
from typing import Any, Final

import dutiful_gate

_SIMPLE: Final = (str, int, bool, bytes, type(None), Decimal, datetime.date, datetime.time, datetime.timedelta)
_OF_MODULES: Final[Mapping[str, frozenset[str]]] = {
    "datetime": frozenset({"datetime", "date", "time", "timedelta", "timezone"}),
    "re": frozenset({"compile", *re.RegexFlag.__members__}),
    "uuid": frozenset({"UUID"}),
}
_NODES: Final = (
    ast.Expression, ast.Constant, ast.Name, ast.Attribute, ast.Call, ast.keyword, ast.Compare, ast.BinOp, ast.UnaryOp,
    ast.Tuple, ast.List, ast.Dict, ast.Set, ast.Subscript, ast.Load, ast.operator, ast.unaryop, ast.cmpop,
)  # fmt: skip
MODULES: Final = tuple(_OF_MODULES)


def plain_source(held: Any) -> str | None:
    """The source of a constant of a usual class, or of a list or dict of such; None for any other."""
    if held.__class__ in _SIMPLE:
        return repr(held) if held.__class__ is not datetime.time or held.tzinfo is None else None
    if held.__class__ is uuid.UUID:
        return f"uuid.{held!r}"
    if held.__class__ is datetime.datetime and held.tzinfo in (None, datetime.UTC):
        return repr(held)
    if held.__class__ is float:
        return repr(held) if held - held == 0 else None
    if held.__class__ in (list, tuple):
        inner = [plain_source(each) for each in held]
        told = ", ".join(each for each in inner if each is not None)
        return None if None in inner else f"[{told}]" if held.__class__ is list else f"({told}{',' * (len(held) == 1)})"
    if held.__class__ is dict:
        pairs = [(plain_source(key), plain_source(each)) for key, each in held.items()]
        return (
            None if any(None in pair for pair in pairs) else f"{{{', '.join(f'{key}: {each}' for key, each in pairs)}}}"
        )
    return None


def same_source(part: Any) -> str | None:
    """The source of a rule, a step or a mark of this package's, in its own words; None where they do not say it all.

    Its words are read before they are evaluated: nothing in them but constants and names of this package is asked.
    """
    text = str(part)
    try:
        tree = ast.parse(text, mode="eval")
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        return None
    if not _is_harmless(tree):
        return None
    known: dict[str, Any] = {"__builtins__": {}, "datetime": datetime, "re": re, "uuid": uuid, "Decimal": Decimal}
    known |= {name: getattr(dutiful_gate, name) for name in names_in(text) if name in dutiful_gate.__all__}
    try:
        made = eval(compile(tree, "<a rule>", "eval"), known)
        same = made == part
    except Exception:
        return None
    return text if same is True else None


def names_in(text: str) -> list[str]:
    """The names that an expression leans on."""
    return [node.id for node in ast.walk(ast.parse(text, mode="eval")) if isinstance(node, ast.Name)]


def _is_harmless(tree: ast.Expression) -> bool:
    """Whether an expression is made of constants and of names of this package, and asks a module for nothing else."""
    asked = {id(node.value): node.attr for node in ast.walk(tree) if isinstance(node, ast.Attribute)}
    for node in ast.walk(tree):
        if not isinstance(node, _NODES):
            return False
        if isinstance(node, ast.Attribute) and node.attr.startswith("_"):
            return False
        if isinstance(node, ast.Name):
            if node.id in _OF_MODULES and asked.get(id(node)) not in _OF_MODULES[node.id]:
                return False
            if node.id not in _OF_MODULES and node.id != "Decimal" and node.id not in dutiful_gate.__all__:
                return False
    return True
