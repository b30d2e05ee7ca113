"""How an expression of ECMA-262 is looked for in a text: by the interpreter's own matcher wherever that is the same."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from functools import lru_cache

from .cost import absorbs, danger_of, degree_of, measured, slow
from .from_ecma import NoPattern, read_ecma, refers
from .syntax import Expr, UnreadablePattern, as_re, every, parts_of


@lru_cache(maxsize=2048)
def ecma_search(pattern: str) -> Callable[[str], object]:
    """A function that gives something or None: whether the expression is found in a text. Raises NoPattern."""
    tree = read_ecma(pattern)
    plain = _by_re(tree)
    if plain is None or danger_of(tree):
        return _slow(tree)
    power = degree_of(tree, whole=False)
    if power > 1 and (one := absorbs(tree)):
        power -= 1
        plain = re.compile(f"(?<!{one}){as_re(tree)}").search
    return measured(plain, tree, power, 0, lambda: _slow(tree)) if power > 1 else plain


def _by_re(tree: Expr) -> Callable[[str], object] | None:
    """`re`'s own function; None where it has none or where what groups took would mean something else to it."""
    if refers(tree) and not _refers_plainly(tree):
        return None
    try:
        return re.compile(as_re(tree)).search
    except (re.error, OverflowError, RecursionError):  # look-behind of any width, for one
        return None


def _slow(tree: Expr) -> Callable[[str], object]:
    try:
        match = slow(tree, 0, whole=False, ecma=True)
    except UnreadablePattern as unread:
        raise NoPattern(f"it has {unread}") from None
    return lambda text: True if match(text) else None


def _refers_plainly(tree: Expr) -> bool:
    """Whether each reference is to a group before it that has surely taken something, once."""
    sure: set[int] = set()
    for each in _in_row(tree):
        refers_to = {number for node in every(each) if node[0] == "back" for number in node[1]}
        if not refers_to <= sure or (refers_to and _looks_behind(each)):
            return False
        if each[0] == "group":
            sure.add(each[1])
    return True


def _in_row(node: Expr) -> Iterator[Expr]:
    """What stands one after the other and is always walked through; a group after what it holds."""
    if node[0] == "seq":
        for each in node[1]:
            yield from _in_row(each)
        return
    if node[0] == "group":
        yield from _in_row(node[2])
        yield ("group", node[1], ("seq", []))
        return
    yield node


def _looks_behind(node: Expr) -> bool:
    return (node[0] == "look" and not node[2]) or any(map(_looks_behind, parts_of(node)))
