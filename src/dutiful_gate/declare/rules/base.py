"""What every rule on one value is: a condition, its wording, and its JSON Schema keywords."""

from __future__ import annotations

import re
from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable, Mapping
from typing import TYPE_CHECKING, Any, ClassVar, NamedTuple, NoReturn, Self

from ..applicability import Takes
from ..errors import DeclarationError
from ..facts import Bind, Facts, Got, Unsaid, evaluated
from ..native_forms import Native
from ..values import Value

if TYPE_CHECKING:
    from ..steps import Step
    from ..wish import Wish

_SLOT = r"\{([^{}]*)\}"


class Face(Value):
    """One way a rule can fail: the condition in Python source, the code of its fault, and its wording.

    `needs` is a template: `{phrase}` stands for the kind of the value, other slots for the rule's numbers.
    `got` says what the reader is shown of a value that failed, or is the words for it.
    """

    condition: str
    code: str
    needs: str
    got: Got | str = Got.VALUE


class Ends(NamedTuple):
    """The bounds that a rule sets to a value, None for none; and whether each is itself within."""

    floor: Any = None
    ceiling: Any = None
    with_floor: bool = True
    with_ceiling: bool = True


class Rule(Value, ABC, kw_only=True):
    """A condition on one value. To add a rule is to add a subclass.

    Rules are values: equal when they say the same, hashable, and without a truth value.
    """

    own_words: str | None = None

    read_back: ClassVar[list[type[Rule]]] = []
    """The rules that say themselves which keywords of a document they are: the last is asked first."""

    def __init_subclass__(cls, **words: Any) -> None:
        super().__init_subclass__(**words)
        if "said_by" in cls.__dict__:
            Rule.read_back.append(cls)
        if "condition" in cls.__dict__ and "native" not in cls.__dict__:
            cls.native = Rule.native  # type: ignore[method-assign]  # what asks something else has not its base's form

    @classmethod
    def said_by(cls, sort: str, words: dict[str, Any]) -> tuple[str, tuple[Any, ...]] | None:
        """The rule that keywords of a document say of values of a JSON type: Python with a `{}` for each constant, and
        these. What it says is taken out of `words`. None where they say no such rule."""
        return None

    @abstractmethod
    def condition(self, value: str, bind: Bind) -> str:
        """Python source that is true when the rule holds for the variable named `value`."""

    def open_condition(self, value: str, bind: Bind) -> str:
        """The same where the value may be of any type."""
        return self.condition(value, bind)

    def native(self) -> tuple[Native, ...] | None:
        """The forms in which the native core asks the same, all of which must hold; None where it has none."""
        return None

    def measured(self, value: str, bind: Bind) -> str | None:
        """The source of what all faces look at, where it is worth finding once: they get it as the value then."""
        return None

    @abstractmethod
    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        """The ways the rule can fail; together their conditions are `condition`."""

    @abstractmethod
    def numbers(self) -> Mapping[str, object]:
        """The rule's numbers by name: a fault's `expected`, and the slots of its wording."""

    @abstractmethod
    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        """JSON Schema keywords that say the same of plain JSON data, or why there are none.

        A constant that is no plain JSON yet stands as it is; the writer of the document makes it plain.
        """

    @abstractmethod
    def suits(self, facts: Facts) -> None:
        """Raise DeclarationError when the rule makes no sense for such a value."""

    @abstractmethod
    def examples(self, facts: Facts) -> Iterable[Any]:
        """Some values that pass, of the type it stands beside: samples take them where tries find nothing sound."""

    @abstractmethod
    def edges(self, facts: Facts) -> Iterable[Any]:
        """Values at its ends: proofs try them and their neighbours."""

    @abstractmethod
    def asks(self, wish: Wish) -> None:
        """Say what it asks of a value that samples are about to make up; nothing, where tries must find one."""

    @abstractmethod
    def survives(self, step: Step) -> bool:
        """Whether it still holds for what a normalising step makes of a value for which it held."""

    @abstractmethod
    def __str__(self) -> str:
        """The rule as a developer wrote it."""

    def takes(self) -> Takes | None:
        """What the rule can judge, asked where the type beside it leaves that open; None for anything."""
        return None

    @property
    def tells_values(self) -> bool:
        """Whether its numbers are values that would pass, or parts of them: beside a secret they are not told."""
        return False

    @property
    def may_raise(self) -> bool:
        """Whether judging may raise ValueError, which is a fault then."""
        return False

    @property
    def functions(self) -> tuple[Callable[..., Any], ...]:
        """The functions of the developer's own that it asks."""
        return ()

    @property
    def ends(self) -> Ends | None:
        """The bounds that it sets to the value itself; None where it is no comparison with bounds."""
        return None

    @property
    def measures_size(self) -> bool:
        """Whether it asks for nothing but how long a value is."""
        return False

    @property
    def bounds_both_sides(self) -> bool:
        """Whether no infinity and no NaN can pass."""
        return False

    def says(self, words: str) -> Self:
        """The same rule with its own wording.

        `words` may hold `{label}`, `{given}` and the rule's numbers by name, for example `{floor}`; a brace is doubled.
        Raises DeclarationError for any other name in braces.
        """
        known = {"label", "given", *self.numbers()}
        for name in re.findall(_SLOT, words.replace("{{", "").replace("}}", "")):
            if name not in known:
                raise DeclarationError(
                    f"says({words!r}) names {{{name}}}, which {self} does not have",
                    remedy="it has " + ", ".join(f"{{{each}}}" for each in sorted(known)),
                )
        return self.replace(own_words=words)

    def named(self, *, hidden: bool) -> str:
        """The rule as a developer wrote it; `hidden`, where its constants would tell of a secret, by its word alone."""
        return f"{str(self).partition('(')[0].split(' ')[0]}(...)" if hidden and self.tells_values else str(self)

    def __bool__(self) -> NoReturn:
        raise DeclarationError(
            f"the rule {self} was asked for a truth value, and has none",
            remedy="a chained comparison loses one of its bounds: write it.between(low, high), "
            "or two rules one after the other, as in Annotated[int, it > 0, it < 5]",
        )

    def holds(self, value: object) -> bool:
        """Whether the rule holds for a value that is at hand now."""
        return bool(evaluated(self.condition, value))


class Opaque(Rule):
    """A rule of which nothing is known but what it says of one value: it suits any, and no sample is made for it."""

    def suits(self, facts: Facts) -> None:
        return

    def examples(self, facts: Facts) -> Iterable[Any]:
        return ()

    def edges(self, facts: Facts) -> Iterable[Any]:
        return ()

    def asks(self, wish: Wish) -> None:
        return

    def survives(self, step: Step) -> bool:
        return False


def refuse(rule: object, facts: Facts, remedy: str) -> NoReturn:
    """Raise the error for a rule that stands beside a type it cannot judge."""
    article = "an" if facts.noun[:1] in "aeio" else "a"
    raise DeclarationError(f"{rule} makes no sense for {article} {facts.noun}", remedy=remedy)
