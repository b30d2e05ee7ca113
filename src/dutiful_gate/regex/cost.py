"""Regular expressions that can run away on hostile text, found by their shape, and matched without backtracking.

Nested repeats, as in `(a+)+b`, make a backtracking matcher try exponentially many ways. Where one is found, the
expression is matched by walking all of its states at once.
"""

from __future__ import annotations

import re
import warnings
from collections.abc import Callable
from functools import lru_cache

from .ambiguity import takes_many_ways
from .automaton import Automaton
from .backtracking import Backtracker
from .from_python import read_python, without_flags
from .syntax import Expr, UnreadablePattern, every, mapped, parts_of, width

_SIGNS = [chr(code) for code in range(128)] + ["é", "\u4e00"]
_LONGEST_UNGUARDED = 24


class RunawayPattern(UserWarning):
    """A pattern has nested repeats: it is matched in a slower way that cannot run away."""


def danger(pattern: str, flags: int = 0) -> str:
    """Why an expression of Python's can run away, "" when it cannot or when that cannot be told."""
    try:
        tree = read_python(pattern, flags)
    except UnreadablePattern:
        return "a repeat inside a repeat" if re.search(r"[*+}]\)[*+{]", pattern) else ""
    return danger_of(tree)


def danger_of(tree: Expr) -> str:
    """The same of a tree."""
    tree = _opened(tree)
    told = _danger(tree, inside=False)
    if not told and any(each[0] == "repeat" and _may_fork(each[1]) for each in every(tree)):
        return _FORKS if takes_many_ways(tree, _SIGNS) else ""
    return told


_FORKS = "choices inside a repeat that can begin alike"


def _may_fork(node: Expr) -> bool:
    """Whether there may be two ways through what is repeated."""
    return any(each[0] == "any of" or (each[0] == "repeat" and each[2] != each[3]) for each in every(node))


def _danger(node: Expr, *, inside: bool) -> str:
    if node[0] == "repeat":
        many = node[3] is None or node[3] > 8
        if many and inside:
            return "a repeat inside a repeat"
        if many and any(each[0] == "back" for each in every(node[1])):
            return "a back-reference inside a repeat"
        if many and width(node[1])[0] == 0 < width(node[1])[1]:
            return "a repeat of what may be empty"
        if many and _forks_alike(node[1]):
            return _FORKS
        return _danger(node[1], inside=inside or (many and not _is_fenced(node[1])))
    return next(filter(None, (_danger(each, inside=inside) for each in parts_of(node))), "")


def _opened(node: Expr) -> Expr:
    """The same node, and in it groups as what they hold."""
    return _opened(node[2]) if node[0] == "group" else mapped(node, _opened)


def _forks_alike(node: Expr) -> bool:
    """Whether two options of a choice can take the same first sign."""
    if node[0] == "seq" and len(node[1]) == 1:
        return _forks_alike(node[1][0])
    if node[0] != "any of":
        return False
    seen: set[str] = set()
    for option in node[1]:
        first = option[1][:1] if option[0] == "seq" else [option]
        ones = _ones(first[0]) if first else []
        signs = {sign for one in ones for sign in _SIGNS if re.fullmatch(one, sign, re.DOTALL)}
        if signs & seen:
            return True
        seen |= signs
    return False


def _is_fenced(node: Expr) -> bool:
    """Whether each round must begin with a sign that the round's own repeats cannot take: `(,[a-z]+)*` is harmless."""
    if node[0] != "seq" or not node[1] or node[1][0][0] != "one":
        return False
    sign = node[1][0][1]
    if sign.startswith("(?"):  # it has flags of its own
        sign = sign[sign.index(":") + 1 : -1]
    if sign == "." or sign.startswith("[") or (sign.startswith("\\") and sign[1:].isalnum()):
        return False
    letter = re.sub(r"\\(.)", r"\1", sign)
    letters = {letter, letter.lower(), letter.upper()}
    rest = {one for part in node[1][1:] for one in _ones(part)}
    return not any(re.fullmatch(one, each, re.DOTALL) for one in rest for each in letters)


def _ones(node: Expr) -> list[str]:
    if node[0] == "one":
        return [node[1]]
    if node[0] == "repeat":
        return _ones(node[1])
    return [one for each in node[1] for one in _ones(each)] if node[0] in ("seq", "any of") else []


def warn(rule: str, pattern: str, flags: int = 0) -> None:
    """Tell the developer of a pattern that can run away."""
    try:
        slow(read_python(pattern, flags), flags, whole=True)
        how = "it is matched in a slower way that cannot"
    except UnreadablePattern as unread:
        how = f"and since it uses {unread}, text of more than {_LONGEST_UNGUARDED} characters is refused unmatched"
    warnings.warn(
        f"{rule} has {danger(pattern, flags)}, which hostile text can make run away; {how}. "
        "Let each repeat begin with a sign of its own, as in [a-z]+(-[a-z]+)*",
        RunawayPattern,
        stacklevel=2,
    )


def slow(tree: Expr, flags: int, *, whole: bool, ecma: bool = False) -> Callable[[str], bool]:
    """Whether a text matches, found in a way that cannot run away. Raises Unreadable."""
    try:
        return Automaton(tree, flags, whole=whole).match
    except UnreadablePattern:
        return Backtracker(tree, flags, whole=whole, ecma=ecma).match


def guarded(compiled: re.Pattern[str], *, whole: bool) -> Callable[[str], object]:
    """A function like `fullmatch` or `search` of an expression, that gives something or None and cannot run away."""
    try:
        match = slow(read_python(compiled.pattern, compiled.flags), compiled.flags, whole=whole)
    except UnreadablePattern:
        plain = compiled.fullmatch if whole else compiled.search
        return lambda text: plain(text) if len(text) <= _LONGEST_UNGUARDED else None
    return lambda text: True if match(text) else None


def within_measure(compiled: re.Pattern[str], *, whole: bool) -> Callable[[str], object]:
    """A function like `fullmatch` or `search` of an expression, whose time grows with the text, and no faster."""
    plain = compiled.fullmatch if whole else compiled.search
    flags = compiled.flags
    try:
        tree = read_python(compiled.pattern, flags)
        power = degree_of(tree, whole=whole)
        if power > 1 and not whole and (one := absorbs(tree)):
            plain = re.compile(f"(?<!{one}){without_flags(compiled.pattern)}", flags).search
            power -= 1
    except (UnreadablePattern, RecursionError):
        return plain
    return measured(plain, tree, power, flags, lambda: guarded(compiled, whole=whole)) if power > 1 else plain


def absorbs(tree: Expr) -> str:
    """The sign of which an expression begins with any number, "" where it does not.

    It is found in a text only if it is found where no such sign stands before: looking there is enough.
    """
    tree = _opened(tree)
    first = tree[1][0] if tree[0] == "seq" and tree[1] else tree
    while first[0] == "seq" and len(first[1]) and first[1][0][0] != "one":
        first = first[1][0]
    if first[0] != "repeat" or first[3] is not None:
        return ""
    inner = first[1]
    while inner[0] == "seq" and len(inner[1]) == 1:
        inner = inner[1][0]
    return str(inner[1]) if inner[0] == "one" else ""


def degree_of(tree: Expr, *, whole: bool) -> int:
    """The power of a text's length that a backtracking matcher's time can grow with: 1 is as long as the text.

    Repeats that stand one after the other and can take the same signs multiply, and so does looking for a beginning.
    """
    tree = _opened(tree)
    chain = _chain(tree)
    anchored = tree[0] == "seq" and bool(tree[1]) and tree[1][0] == ("mark", "start")
    return chain + (1 if chain and not whole and not anchored else 0)


def _chain(node: Expr) -> int:
    """The most repeats without end in a row that share a sign; many optional parts that do count as many repeats."""
    if node[0] == "any of":
        return max(map(_chain, node[1]), default=0)
    if node[0] in ("repeat", "look", "atomic"):
        inner = _chain(node[1])
        return max(inner, 1) if node[0] == "repeat" and node[3] is None else inner
    if node[0] != "seq":
        return 0
    longest = chain = 0
    ways = 1
    last: frozenset[str] = frozenset()
    for each in _flat(node):
        signs = _EVERY_SIGN if each[0] == "back" else _signs(each)
        if each[0] == "back" or (each[0] == "repeat" and (each[3] is None or each[3] > _MANY)):
            chain = chain + 1 if signs & last else 1
            last = last | signs if chain > 1 else signs
        elif each[0] == "repeat" and each[2] < each[3]:
            ways = ways * (each[3] - each[2] + 1) if signs & last else each[3] - each[2] + 1
            last |= signs
        elif width(each)[0] and not signs & last:
            chain, last, ways = 0, frozenset(), 1
        longest = max(longest, chain if ways <= _MOST_WAYS else _HOPELESS, _chain(each))
    return longest


def _flat(node: Expr) -> list[Expr]:
    """What stands one after the other, groups opened."""
    return [inner for each in node[1] for inner in (_flat(each) if each[0] == "seq" else [each])]


_MANY = 50
_MOST_WAYS = 5000
_HOPELESS = 9
_EVERY_SIGN = frozenset(_SIGNS)


def _signs(node: Expr) -> frozenset[str]:
    """The signs, of a few, that a node can take."""
    return frozenset(sign for one in _ones(node) for sign in _signs_of(one))


@lru_cache(maxsize=1024)
def _signs_of(one: str) -> frozenset[str]:
    return frozenset(sign for sign in _SIGNS if re.fullmatch(one, sign, re.DOTALL))


_QUICK = {2: 256, 3: 40, 4: 20, 5: 14}
_QUICK_ALWAYS = 10
"""As long a run of signs that repeats take may be, by the power: each sign costs what it costs without backtracking."""


def measured(
    plain: Callable[[str], object],
    tree: Expr,
    power: int,
    flags: int,
    slower: Callable[[], Callable[[str], object]],
) -> Callable[[str], object]:
    """The interpreter's own matching for texts for which it is quick; for others what `slower` makes.

    It is quick where no run of signs that repeats without end can take is long: backtracking stays inside of one.
    """
    short = _QUICK.get(power, _QUICK_ALWAYS)
    made: list[Callable[[str], object]] = []
    runs: list[Callable[[str], object]] = []

    def match(text: str) -> object:
        if len(text) <= short:
            return plain(text)
        if not runs:
            runs.append(_short_runs(tree, flags, short))
        if runs[0](text) is not None:
            return plain(text)
        if not made:
            made.append(slower())
        return made[0](text)

    return match


def _short_runs(tree: Expr, flags: int, most: int) -> Callable[[str], object]:
    """Whether a text has no longer run of signs that repeats without end can take; it looks at each sign once."""
    ones: set[str] = set()
    for each in every(_opened(tree)):
        if each[0] == "repeat" and (each[3] is None or each[3] > _MANY):
            inside = list(every(each[1]))
            if any(node[0] not in ("one", "mark", "seq", "any of", "repeat") for node in inside):
                return lambda text: None
            ones |= {node[1] for node in inside if node[0] == "one"}
    one = f"(?:{'|'.join(sorted(ones))})"
    try:
        return re.compile(f"(?s:(?:{one}{{1,{most}}}+(?!{one})|(?!{one}).)*+)", flags & _FLAGS_OF_SIGNS).fullmatch
    except re.error:
        return lambda text: None


_FLAGS_OF_SIGNS = re.IGNORECASE | re.ASCII | re.DOTALL
