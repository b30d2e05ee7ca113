"""Lines of Python source, and the constants they lean on."""

from __future__ import annotations

import builtins
import keyword
import re
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import Any

from .legend import Note

_SAFE = re.compile(r"[A-Za-z_][A-Za-z0-9_]{0,59}")
_SMALL = 10**15
_RESERVED = frozenset(dir(builtins)) | frozenset(keyword.kwlist)
_LOCAL = re.compile(r"[ft][0-9]*_.*")
"""How every local variable is spelt that this writer names, and nothing else is."""


class Block:
    """The inside of a compound statement, for `with`; one that is `optional` goes where nothing is written inside."""

    __slots__ = ("before", "optional", "writer")

    def __init__(self, writer: Writer, *, optional: bool = False) -> None:
        self.writer = writer
        self.optional = optional

    def __enter__(self) -> None:
        self.writer._indent += 1
        self.before = len(self.writer.lines)

    def __exit__(self, *error: object) -> None:
        empty = len(self.writer.lines) == self.before
        if empty and not self.optional:
            self.writer.write("pass")
        self.writer._indent -= 1
        if empty and self.optional:
            self.writer.lines.pop()


def all_of(tests: Sequence[str]) -> str:
    """The source of a test that all tests hold; each is closed in, whatever words are in it."""
    return tests[0] if len(tests) == 1 else " and ".join(f"({test})" for test in tests) or "True"


class Writer:
    """Source being written. Words from outside never become text of it: they are bound as constants."""

    def __init__(self) -> None:
        self.lines: list[str] = []
        self.constants: dict[str, Any] = {}
        self._names: dict[tuple[str, int], str] = {}
        self._numbers: dict[str, int] = {}
        self._variables: dict[tuple[str, str], int] = {}
        self._claimed: set[str] = set()
        self._indent = 0
        self.inline = True
        self.notes: list[Note] = []

    def write(self, line: str) -> None:
        """One line at the present depth."""
        self.lines.append("    " * self._indent + line)

    def share(self, other: Writer) -> None:
        """Fill the same namespace as another writer."""
        self.constants, self._names, self._numbers = other.constants, other._names, other._numbers
        self._claimed = other._claimed
        self.notes = other.notes

    def note(self, name: str, number: int) -> str:
        """What marks a line as that of a field; its name is put there when somebody reads the source."""
        self.notes.append((name, number))
        return f"  #:{len(self.notes) - 1}"

    def block(self, opening: str, *, optional: bool = False) -> Block:
        """A compound statement: what is written inside stands under it; an `optional` one may have nothing there."""
        self.write(opening)
        return Block(self, optional=optional)

    @contextmanager
    def aside(self) -> Iterator[list[str]]:
        """Write another function meanwhile: its lines are gathered apart, from the left margin."""
        lines, indent, variables = self.lines, self._indent, self._variables
        self.lines, self._indent, self._variables = [], 0, {}
        yield self.lines
        self.lines, self._indent, self._variables = lines, indent, variables

    def bind(self, constant: object, hint: str) -> str:
        """A name for a constant, made of `hint`, a word of this package's own; small numbers stand as they are.

        While `inline` is not true, numbers are bound like everything else.
        """
        if constant is None or constant is True or constant is False:
            return repr(constant)
        if constant.__class__ is int and self.inline and -_SMALL < constant < _SMALL:
            return f"({constant})" if constant < 0 else repr(constant)
        return self.named(constant, hint)

    def named(self, constant: object, hint: str) -> str:
        """A name for a constant, whatever it is."""
        known = self._names.get((hint, id(constant)))
        if known is not None:
            return known
        hint = hint if _SAFE.fullmatch(hint) and not _LOCAL.fullmatch(hint) else "CONSTANT"
        number = self._numbers.get(hint, 0) + 1
        name = hint if number == 1 else f"{hint}_{number}"
        while name in self.constants or name in self._claimed or name in _RESERVED:
            number += 1
            name = f"{hint}_{number}"
        self._numbers[hint] = number
        self.constants[name] = constant
        self._names[hint, id(constant)] = name
        return name

    def bind_class(self, declared: type) -> str:
        """A name for a class of the developer's: its own where that can be mistaken for nothing else."""
        name = declared.__name__
        return self.bind(declared, name if name[:1].isupper() else "Record")

    def key(self, name: str, *, trusted: bool) -> str:
        """A key of the data as source: an attribute's own plain name stands as it is, anything else is bound."""
        return repr(name) if trusted and _SAFE.fullmatch(name) else self.bind(name, "KEY")

    def claimed(self, name: str) -> str:
        """A name for a function that is written, a word of this package's own. Raises ValueError where it is taken."""
        if name in self._claimed or name in self.constants or name in _RESERVED or _LOCAL.fullmatch(name):
            raise ValueError(f"generated code already has something of the name {name}")
        self._claimed.add(name)
        return name

    def variable(self, word: str) -> str:
        """A new local variable for what this package needs; `word` is its own."""
        return self._local("t", word)

    def field_variable(self, attribute: str) -> str:
        """A new local variable for a field, named after its attribute where that is plain."""
        return self._local("f", attribute if _SAFE.fullmatch(attribute) else "")

    def _local(self, sort: str, word: str) -> str:
        """`t_item`, `t2_item`, `f_phone`, `f2_phone`: the number stands before the word, which may itself end in one.

        So no two words, and no field and word of our own, ever spell the same.
        """
        number = self._variables.get((sort, word), 0) + 1
        self._variables[sort, word] = number
        return f"{sort}_{word}" if number == 1 else f"{sort}{number}_{word}"
