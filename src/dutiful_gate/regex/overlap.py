"""Which expressions of ECMA-262 no text can match both, and how one is said without what another one matches."""

from __future__ import annotations

import re
from collections.abc import Iterable
from functools import lru_cache

from .from_ecma import NoPattern, read_ecma
from .syntax import Expr, parts_of


def without(pattern: str, others: Iterable[str]) -> str:
    """An expression that is found in the texts in which `pattern` is, and none of the others."""
    barred = "".join(f"(?![\\s\\S]*(?:{each}))" for each in others)
    return f"^{barred}[\\s\\S]*(?:{pattern})" if barred else pattern


@lru_cache(maxsize=512)
def may_share(one: str, other: str) -> bool:
    """Whether some text may match both patterns, as far as how they begin tells."""
    try:
        first, second = _beginning(read_ecma(one)), _beginning(read_ecma(other))
    except NoPattern:
        return True
    if first is None or second is None:
        return True
    return not (_barred(first, second) or _barred(second, first) or _differ(first, second))


def _beginning(tree: Expr) -> list[Expr] | None:
    """What stands one after the other from the start of a text; None where it may begin elsewhere."""
    row = list(tree[1]) if tree[0] == "seq" else [tree]
    while row and row[0][0] in ("seq", "group"):
        row = [*parts_of(row[0]), *row[1:]] if row[0][0] == "group" else [*row[0][1], *row[1:]]
    return row[1:] if row and row[0] == ("mark", "start") else None


def _ones(row: list[Expr]) -> list[str]:
    """The single characters with which it surely begins."""
    found: list[str] = []
    for node in row:
        if node[0] == "repeat" and node[1][0] == "one" and node[2]:
            found += [str(node[1][1])] * min(node[2], 64)
            if node[2] != node[3]:
                break
        elif node[0] == "one":
            found.append(str(node[1]))
        else:
            break
    return found


def _lone(source: str) -> str:
    """The one character that a class takes, "" where it may take several."""
    if len(source) == 1:
        return source if source not in ".^$" else ""
    return source[1] if len(source) == 2 and source[0] == "\\" and not source[1].isalnum() else ""


def _differ(first: list[Expr], second: list[Expr]) -> bool:
    """Whether some place has a character that the other does not take."""
    for one, other in zip(_ones(first), _ones(second), strict=False):
        for sign, source in ((_lone(one), other), (_lone(other), one)):
            if sign and not re.fullmatch(source, sign):
                return True
    return False


def _barred(first: list[Expr], second: list[Expr]) -> bool:
    """Whether the first must not begin with what the second begins with."""
    if not first or first[0][0] != "look" or not first[0][2] or first[0][3]:
        return False
    inner = first[0][1]
    row = list(inner[1]) if inner[0] == "seq" else [inner]
    barred = _ones(row)
    return len(barred) == len(row) and bool(barred) and _ones(second)[: len(barred)] == barred
