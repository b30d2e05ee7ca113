"""Names and literals of Python for what a document calls things; nothing of a document becomes code otherwise."""

from __future__ import annotations

import builtins
import keyword
import re
from collections.abc import Iterable
from itertools import chain
from typing import Any

_RESERVED = frozenset(dir(builtins)) | frozenset(keyword.kwlist) | frozenset(keyword.softkwlist)


def words_of(text: str) -> frozenset[str]:
    """Names, as they stand in a row."""
    return frozenset(text.split())


_LONGEST = 60
_NUMBER = 10
"""Room for what is put behind a name that was cut: read again, it is not cut again."""
_IMPORTED = words_of(
    "Annotated Any Decimal Email Gate Hostname IPv4Address IPv6Address Literal Never NotRequired Path Slug TypedDict "
    "UUID Union WebUrl about dataclass date datetime ecma field if_absent it named needs obeys obeys_document rest "
    "secret this time timedelta together unambiguous utc_only when without_offset without_point DOCUMENT DOCUMENTS gate"
)
_HIDING = _IMPORTED | words_of("bool bytes dict float frozenset int list set str tuple")
"""What annotations are made of: an attribute of such a name would stand in its place for those below it."""


class Hint(str):
    """What to call something: short, and longer where that name is taken."""

    def __init__(self, short: str, longer: str = "") -> None:
        self.longer = longer or short

    def __new__(cls, short: str, longer: str = "") -> Hint:  # noqa: D102
        return super().__new__(cls, short)

    def plus(self, word: object) -> Hint:
        """The same with a word behind it."""
        return Hint(f"{self}{word}", f"{self.longer}{word}")

    def one(self) -> Hint:
        """What to call one of several."""
        return Hint(singular(self), singular(self.longer))


def singular(name: str) -> str:
    """One of what a name in the plural means, as English mostly has it; any other name with "Item" behind it."""
    for ending, instead in (("ies", "y"), ("sses", "ss"), ("xes", "x"), ("ches", "ch"), ("shes", "sh")):
        if name.endswith(ending) and len(name) > len(ending) + 1:
            return name[: -len(ending)] + instead
    if name.endswith("s") and not name.endswith(("ss", "us", "is")) and len(name) > 3:
        return name[:-1]
    return f"{name}Item"


class ModuleNames:
    """Gives out names, each once."""

    def __init__(self, barred: Iterable[str] = ()) -> None:
        self.taken: set[str] = {*_IMPORTED, *_RESERVED, *barred}
        self.numbers: dict[str, int] = {}

    def fresh(self, name: str) -> str:
        """A class or alias name made of whatever a document says."""
        longer = name.longer if isinstance(name, Hint) else name
        made = _class_name(name)
        if made in self.taken and longer != name:
            made = _class_name(longer)
        return self._free(made)

    def _free(self, made: str) -> str:
        name, number = made, self.numbers.get(made, 1)
        while name in self.taken:
            number += 1
            name = f"{made}{number}"
        self.numbers[made] = number
        self.taken.add(name)
        return name


def _cut(name: str) -> str:
    return name if len(name) <= _LONGEST + _NUMBER else name[:_LONGEST]


def _class_name(name: str) -> str:
    if re.fullmatch(r"[A-Z][A-Za-z0-9_]*", name):
        made = str(name)
    else:
        last = re.sub(r"(\.schema)?\.(json|ya?ml)$", "", re.split(r"[/#]", name)[-1])
        tail = last.rpartition(".")[2]
        words = re.findall(r"[A-Za-z0-9]+", tail if tail[:1].isupper() else last) or re.findall(r"[A-Za-z0-9]+", name)
        made = "".join(word[:1].upper() + word[1:] for word in words) or "Record"
    made = made if not made[0].isdigit() else f"Record{made}"
    return _cut(made)


def attribute(wire: str, taken: set[str]) -> str:
    """An attribute's name for a property, different from those taken."""
    made = wire if re.fullmatch(r"[A-Za-z][A-Za-z0-9_]*", wire) else "_".join(re.findall(r"[A-Za-z0-9]+", wire)).lower()
    made = made if made and not made[0].isdigit() else f"field_{made}".rstrip("_")
    made = _cut(made)
    if keyword.iskeyword(made) or made in _HIDING or made in ("self", "mro", "l", "O", "I"):
        made += "_"
    name, number = made, 1
    while name in taken:
        number += 1
        name = f"{made}_{number}"
    taken.add(name)
    return name


def property_names(documents: Iterable[Any]) -> set[str]:
    """Every name of a property that some documents speak of and that a type could have, too."""
    found: set[str] = set()
    waiting = list(documents)
    while waiting:
        held = waiting.pop()
        if isinstance(held, dict):
            waiting += held.values()
            for word in _NAMING & held.keys():
                inner = held[word]
                names = [inner, *inner.values()] if isinstance(inner, dict) else [inner]
                found |= {
                    _cut(name)
                    for name in chain(*(each for each in names if isinstance(each, dict | list)))
                    if isinstance(name, str) and name[:1].isupper()
                }
        elif isinstance(held, list):
            waiting += held
    return found


_NAMING = words_of("properties required dependentRequired dependentSchemas dependencies")
