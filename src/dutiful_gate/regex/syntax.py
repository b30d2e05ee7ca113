"""The tree of an expression, whatever dialect it was written in: tuples whose first item tells what they are.

```
("one", source)                          one character; `source` is a character or class of Python's `re` that takes it
("mark", name)                           a place: one of MARKS
("seq", [nodes])  ("any of", [nodes])    one after the other; one of them
("repeat", node, least, most, lazy)      `most` is None where there is no end
("look", node, ahead, wanted)            what stands after (or before) is, or is not, the node
("group", number, node)                  what it takes can be referred to
("back", [numbers])                      what one of these groups took, nothing where none did
("atomic", node)                         a node that is not tried in another way later
```
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any, Final

Expr = tuple[Any, ...]

MARKS: Final = {
    "start": r"\A",
    "line start": r"(?m:^)",
    "end": r"(?:$)",
    "line end": r"(?m:$)",
    "very end": r"\Z",
    "edge": r"\b",
    "no edge": r"\B",
    "ascii edge": r"(?a:\b)",
    "no ascii edge": r"(?a:\B)",
    "no ecma edge": r"(?!(?a:\b))",
}
"""The places that a mark can ask for, in the words of `re`, which has its own idea of `\\B` in an empty text."""

_WIDEST = 64


class UnreadablePattern(Exception):
    """The expression uses what cannot be walked by states: back-references, conditions, too many of them."""


def parts_of(node: Expr) -> list[Expr]:
    """The nodes right inside of one."""
    if node[0] in ("seq", "any of"):
        return list(node[1])
    if node[0] in ("repeat", "look", "atomic"):
        return [node[1]]
    return [node[2]] if node[0] == "group" else []


def every(node: Expr) -> Iterator[Expr]:
    """A node and all that are inside of it."""
    waiting = [node]
    while waiting:
        each = waiting.pop()
        yield each
        waiting += parts_of(each)


def mapped(node: Expr, change: Callable[[Expr], Expr]) -> Expr:
    """A node with the ones right inside of it changed."""
    match node[0]:
        case "seq" | "any of":
            return (node[0], [change(each) for each in node[1]])
        case "repeat" | "look" | "atomic":
            return (node[0], change(node[1]), *node[2:])
        case "group":
            return ("group", node[1], change(node[2]))
        case _:
            return node


def width(node: Expr) -> tuple[int, int]:
    """The fewest and most characters that a node takes; no more than 64 are counted, which may be any number."""
    match node[0]:
        case "one":
            return 1, 1
        case "seq":
            widths = [width(each) for each in node[1]]
            return sum(low for low, _ in widths), min(_WIDEST, sum(high for _, high in widths))
        case "any of":
            widths = [width(each) for each in node[1]]
            return min(low for low, _ in widths), max(high for _, high in widths)
        case "repeat":
            low, high = width(node[1])
            most = node[3]
            return low * node[2], min(_WIDEST, high * most) if most is not None else _WIDEST if high else 0
        case "group":
            return width(node[2])
        case "atomic":
            return width(node[1])
        case "back":
            return 0, _WIDEST
        case _:
            return 0, 0


def as_re(node: Expr) -> str:
    """The expression in the words of `re`, without flags; `re` has its own idea of most references."""
    match node[0]:
        case "one":
            return str(node[1])
        case "mark":
            return MARKS[node[1]]
        case "seq":
            return "".join(_bound(each) if each[0] == "any of" else as_re(each) for each in node[1])
        case "any of":
            return "|".join(map(as_re, node[1]))
        case "repeat":
            _, inner, least, most, lazy = node
            return _bound(inner) + _quantifier(least, most) + ("?" if lazy else "")
        case "look":
            _, inner, ahead, wanted = node
            return f"(?{'' if ahead else '<'}{'=' if wanted else '!'}{as_re(inner)})"
        case "group":
            return f"({as_re(node[2])})"
        case "back":
            return "".join(f"(?({number})\\{number})" for number in node[1])
        case _:
            return f"(?>{as_re(node[1])})"


def _bound(node: Expr) -> str:
    """A node that a quantifier can follow."""
    return as_re(node) if node[0] in ("one", "group", "atomic") else f"(?:{as_re(node)})"


def _quantifier(least: int, most: int | None) -> str:
    short = {(0, None): "*", (1, None): "+", (0, 1): "?"}.get((least, most))
    if short is not None:
        return short
    return f"{{{least}}}" if least == most else f"{{{least},{'' if most is None else most}}}"


def turned(node: Expr) -> Expr:
    """The expression for the same text read from its end."""
    if node[0] == "seq":
        return ("seq", [turned(each) for each in reversed(node[1])])
    return node if node[0] == "look" else mapped(node, turned)
