"""A tree to look over: what each branch is called, what it is, what is wrong there."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace


@dataclass(frozen=True, slots=True)
class Branch:
    """One branch of a tree.

    `name`    what it is called where it stands: a field, "each item", "one of them"
    `words`   what it is, or what came
    `rules`   what is asked of it, in words
    `needed`  whether it must be there
    `sample`  a value that would do
    `text`    what its author says of it
    `faults`  what is wrong at it, in words
    """

    name: str
    words: str = ""
    rules: tuple[str, ...] = ()
    needed: bool = False
    sample: str = ""
    text: str = ""
    faults: tuple[str, ...] = ()
    children: tuple[Branch, ...] = field(default=())

    def with_word(self, word: str) -> Branch | None:
        """The same with only what has a word in it, and the way there; None where nothing has."""
        kept = tuple(each for child in self.children if (each := child.with_word(word)) is not None)
        told = (self.name, self.words, self.text, *self.rules, *self.faults)
        if any(word.lower() in each.lower() for each in told):
            return self
        return replace(self, children=kept) if kept else None

    def at_fault(self) -> Branch | None:
        """The same with only what is wrong, and the way there; None where nothing is."""
        kept = tuple(each for child in self.children if (each := child.at_fault()) is not None)
        return replace(self, children=kept) if kept or self.faults else None

    def folded(self, depth: int) -> Branch:
        """The same down to a depth; what is below is counted."""
        if depth > 0 or not self.children:
            return replace(self, children=tuple(child.folded(depth - 1) for child in self.children))
        count, faults = len(self.children), sum(len(each.faults) for each in self.below())
        more = f"{count} below" + (f" with {faults} fault{'s' if faults > 1 else ''}" if faults else "")
        return replace(self, children=(Branch(f"… {more}"),))

    def below(self) -> Iterator[Branch]:
        """All that is below it."""
        for child in self.children:
            yield child
            yield from child.below()
