"""What a walk over two documents finds: changes, and pairs of schemas that others hang on."""

from __future__ import annotations

from collections.abc import Sequence
from copy import copy
from json import dumps
from typing import Any, Final, NamedTuple

from ..document.declaring.meaning import Meaning, Part
from ..report.shown_values import shortened, shown, visible

Path = tuple[str, ...]


ANY: Final = "*"
"""In a path: any item of a list, or any key that is not named."""


class Change:
    """A place where two versions say different things.

    `path`      of the value in the data, ANY for any item or key
    `words`     what changed, for people
    `narrows`, `widens`  whether the new version may refuse what the old one accepts, and the other way round
    `old`, `new`  the schemas of the value in each version, () where it has none
    `edges`     values that may show it, for the place
    `key`       the key that may be left out, or may stand beside, to show it; "" for none
    """

    __slots__ = ("edges", "key", "narrows", "new", "old", "path", "widens", "words")

    def __init__(
        self,
        words: str,
        *,
        narrows: bool = False,
        widens: bool = False,
        old: Part = (),
        new: Part = (),
        path: Path = (),
        edges: Sequence[Any] = (),
        key: str = "",
    ) -> None:
        self.path = path
        self.words = words
        self.narrows = narrows
        self.widens = widens
        self.old = old
        self.new = new
        self.edges = tuple(edges)
        self.key = key

    def under(self, step: str) -> Change:
        """The same as seen from one step further up; where it is about a key, that key is the step."""
        made = copy(self)
        made.path = (step, *self.path)
        return made


class Pair(NamedTuple):
    """The schemas of one value in both versions; where kinds are named, as far as values are of these."""

    old: Part
    new: Part
    kinds: tuple[str, ...] | None = None
    kinds_now: tuple[str, ...] | None = None


class Lead(NamedTuple):
    """What was found of a value hangs on another pair: of what stands a step further in, or of the same value.

    `prefix` says, in words, that its changes are those of a part of what is asked of this value; `turned`, that what
    must not hold is compared, so that the directions turn round.
    """

    pair: Pair
    step: str = ""
    prefix: str = ""
    turned: bool = False


Found = Change | Lead


class Option(NamedTuple):
    """One of several things that a value may be: schemas, as far as values are of some kinds (None: of all theirs)."""

    part: Part
    meaning: Meaning
    kinds: tuple[str, ...]
    is_part: bool = False

    @property
    def restricted(self) -> tuple[str, ...] | None:
        """Its kinds, where its schemas have more."""
        return self.kinds if self.is_part else None


_LARGE: Final = 10**40  # from here on digits are counted, not shown
KIND_WORDS: Final = {
    "object": "a record", "array": "a list", "string": "text", "number": "a number", "integer": "a whole number",
    "boolean": "true or false", "null": "null",
}  # fmt: skip


OF_KIND: Final[dict[str, tuple[Any, ...]]] = {
    "object": ({},), "array": ([],), "string": ("", "x"), "number": (0.5, 1.5), "integer": (0, 1),
    "boolean": (True, False), "null": (None,),
}  # fmt: skip


OF_ANY_KIND: Final = tuple(value for values in OF_KIND.values() for value in values)


def kinds_in_words(kinds: Sequence[str]) -> str:
    """Kinds of JSON, for people."""
    return " or ".join(KIND_WORDS[kind] for kind in kinds)


def plain_kinds(kinds: Sequence[str]) -> list[str]:
    """Kinds, in which whole numbers are numbers."""
    return ["number" if kind == "integer" else kind for kind in kinds]


def without_kinds(kinds: Sequence[str], others: Sequence[str]) -> list[str]:
    """The kinds that others lack: a number that need not be whole is one that whole numbers lack."""
    return [kind for kind in kinds if kind not in others and not (kind == "integer" and "number" in others)]


def by_kind(option: Option) -> list[Option]:
    """An option as several, one for each kind of value."""
    return [Option(option.part, option.meaning, (kind,), is_part=True) for kind in option.kinds]


def in_figures(number: float) -> str:
    """A number, for people: its digits in threes, or how many there are."""
    return f"{number:,}" if abs(number) < _LARGE else shown(number)


def listed(values: Sequence[Any]) -> str:
    """Some values, for people: the first eight."""
    told = [
        shown(each)
        if isinstance(each, int) and abs(each) >= _LARGE
        else visible(shortened(dumps(each, ensure_ascii=False, default=str), 60))
        for each in values[:8]
    ]
    more = f" and {len(values) - 8:,} more" if len(values) > 8 else ""
    return ", ".join(told) + more
