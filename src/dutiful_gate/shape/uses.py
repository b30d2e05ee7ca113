"""A node where it is used: what stands beside it."""

from __future__ import annotations

from enum import Enum
from typing import Final

from ..declare.embedded import Embedded
from ..declare.facts import Facts, Sort
from ..declare.kinds import Kind
from ..declare.marks import About
from ..declare.rules import Rule
from ..declare.sources import Source
from ..declare.steps import Step, TakenOut
from ..declare.values import Value
from .nodes import Alias, Branches, Choice, Node, Nothing, Nullable, Scalar, Sealing

NO_ABOUT: Final = About()


class Missing(Enum):
    """The absence of a value."""

    MISSING = "missing"

    def __repr__(self) -> str:
        return "MISSING"


MISSING: Final = Missing.MISSING


class Use(Value):
    """A node where it is used: the steps and rules that run after it is read, in order, and what is said of it.

    `via`       what is read before, from whose value the node is then read as from text
    `split`     what text is split on before
    `blank`     whether blank text is None
    `fallback`  what stands in for a value that is refused
    `secret`    whether the value is never shown
    `documents`      the documents that judge what came, before it is read
    `says`      own words for a value that is of another kind, or cannot be read
    `appended`  whether items of later layers of settings are put behind those of earlier ones
    `source`    what the data under it is, where that is another source than around it
    """

    node: Node
    parts: tuple[Step | Rule, ...] = ()
    about: About = NO_ABOUT
    via: Use | None = None
    split: str = ""
    blank: bool = False
    fallback: object = MISSING
    secret: bool = False
    documents: tuple[Embedded, ...] = ()
    says: str | None = None
    source: Source | None = None
    appended: bool = False

    @property
    def facts(self) -> Facts:
        """What is known of the value once all steps have run."""
        facts = self.node.facts
        for part in self.parts:
            if isinstance(part, Step):
                facts = part.suits(facts)
        return facts

    @property
    def making(self) -> Step | None:
        """The last of its steps that makes another value, which is a function's own affair then; None for none."""
        return next((part for part in reversed(self.parts) if isinstance(part, Step) and not part.normalising), None)

    @property
    def after_making(self) -> tuple[Step | Rule, ...] | None:
        """What stands after that step; None where there is none."""
        for at in range(len(self.parts), 0, -1):
            part = self.parts[at - 1]
            if isinstance(part, Step) and not part.normalising:
                return self.parts[at:]
        return None

    @property
    def before_making(self) -> Use:
        """What is read before that step; itself where there is none."""
        after = self.after_making
        if after is None:
            return self
        parts = self.parts[: len(self.parts) - len(after) - 1]
        return self.replace(parts=parts, about=NO_ABOUT, fallback=MISSING, blank=False)

    @property
    def has_steps(self) -> bool:
        """Whether steps run on its value."""
        return any(isinstance(part, Step) for part in self.parts)

    @property
    def kind(self) -> Kind | None:
        """The kind of a single value, null beside it or not; None for what is no such."""
        return self.bare.node.single

    @property
    def sort(self) -> Sort:
        """What sort of single value it is, null beside it or not."""
        return Sort.OTHER if self.kind is None else self.kind.facts.sort

    @property
    def bare(self) -> Use:
        """The use without `or null` around it."""
        return self.node.inner if isinstance(self.node, Nullable) else self

    @property
    def under_key(self) -> str:
        """The key under which what is meant stands, in a record of that key alone; "" for none."""
        last = self.parts[-1] if self.parts else None
        return last.key if isinstance(last, TakenOut) else ""

    @property
    def is_reread(self) -> bool:
        """Whether its node reads what something else made of what came."""
        return self.via is not None or bool(self.split)

    @property
    def reads_what_came(self) -> bool:
        """Whether its node reads what came, and nothing stands in for what it refuses."""
        return not (self.is_reread or self.blank or self.fallback is not MISSING)

    def saying(self, words: str | None) -> Use:
        """The same with own words for its reading: those of an option of a union that has none of its own, too."""
        node = self.node
        if isinstance(node, Nullable | Sealing):
            node = node.replace(inner=node.inner.saying(words))
        elif isinstance(node, Branches) and not node.tag:
            options = [option if option.says is not None else option.saying(words) for option in node.options]
            node = node.replace(options=tuple(options))
        return self.replace(says=words, node=node)

    @property
    def nullable(self) -> bool:
        """Whether null is admitted."""
        return isinstance(self.node, Nullable | Nothing)

    @property
    def may_be_null(self) -> bool:
        """Whether a value may turn out to be None, in whatever way."""
        if self.nullable or self.making is not None or self.via is not None or self.fallback is None:
            return True
        match self.node:
            case Choice(values=values, wire=wire):
                return None in wire or None in values
            case Branches(options=options):
                return any(option.may_be_null for option in options)
            case Scalar(kind):
                return kind.facts.open
            case Alias():
                return True
            case _:
                return False
