"""The words of messages in the reader's language. English is the language they are written in."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar

from ..declare.values import Value


class Catalogue(Value):
    """The words of one language: `words` has what each English phrase or template is in it.

    A template keeps its slots: "{phrase} of at least {floor}". What is not in the catalogue is told in English. A whole
    message is the template "needs {wanted}; got {given}", so that a language may put its parts in another order.

    `sentences` are whole messages of your own: by code, "absent": "is required"; by field, as `by_field` names it,
    without numbers, "crates.weight_kg": "is too heavy"; or by both, "crates.weight_kg: ceiling". Their slots are
    {wanted}, {given}, {label} and the numbers of the rule: "at most {ceiling} kg, please". Own words in a declaration
    stand above those of a code, and below those of a field.
    """

    # Two catalogues of one language would share what is put together once: give each a name of its own.
    language: str
    words: Mapping[str, str] = {}
    sentences: Mapping[str, str] = {}

    def __hash__(self) -> int:
        return hash(self.language)

    def spoken(self, words: str) -> str:
        """A phrase or template in this language."""
        return self.words.get(words, words)


ENGLISH = Catalogue("en", {})
_in_force: ContextVar[Catalogue] = ContextVar("catalogue", default=ENGLISH)


in_force: Callable[[], Catalogue] = _in_force.get
"""The catalogue that messages are told by."""


@contextmanager
def speaking(catalogue: Catalogue) -> Iterator[None]:
    """Tell all messages that are read inside in another language; no gate is built anew for it.

    It holds for the present thread or task alone.
    """
    before = _in_force.set(catalogue)
    try:
        yield
    finally:
        _in_force.reset(before)
