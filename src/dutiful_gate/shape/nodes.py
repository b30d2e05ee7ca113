"""The nodes. Makers of shapes build them, readers of shapes walk them; each tells what is inside of it."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from enum import Enum
from typing import TYPE_CHECKING, Any, ClassVar, Self

from ..declare.facts import ANY_VALUE, Facts, LengthUnit, Sort
from ..declare.kinds import Kind
from ..declare.values import Value

if TYPE_CHECKING:
    from .uses import Use


class ShapeNode(Value):
    """What every node tells of itself, so that who walks a shape need not know which nodes there are.

    A node says all of it: what one leaves out raises NotImplementedError at the first walk. `is_single` tells that its
    values are single ones: of a kind, of a few constants, or null.
    """

    is_single: ClassVar[bool] = False

    @property
    def inside(self) -> tuple[Use, ...]:
        """The uses that stand directly inside, not looking into records and aliases."""
        raise NotImplementedError

    def with_inside(self, uses: tuple[Use, ...]) -> Self:
        """The same node with other uses, as many, in their places."""
        raise NotImplementedError

    @property
    def in_place(self) -> tuple[Use, ...]:
        """Those inside of which one stands where this one does, with no step of a path between."""
        raise NotImplementedError

    def under(self, step: object) -> tuple[Use, ...]:
        """What may stand under one step of a path, not looking into records."""
        raise NotImplementedError

    def named_inside(self) -> tuple[tuple[str, Use], ...]:
        """Those inside, each with what its name in lists of rules has behind that of this one."""
        return tuple(("", use) for use in self.inside)

    @property
    def single(self) -> Kind | None:
        """The kind of a single value; None for what is no such."""
        return None

    @property
    def is_lenient(self) -> bool:
        """Whether it takes text for numbers and the like."""
        return False

    @property
    def leads_to(self) -> str:
        """The key of the record or alias that it is by name; "" for what is none."""
        return ""


class Leaf(ShapeNode):
    """A node in which no other use stands."""

    @property
    def inside(self) -> tuple[Use, ...]:
        """None."""
        return ()

    def with_inside(self, uses: tuple[Use, ...]) -> Self:
        """Itself."""
        return self

    @property
    def in_place(self) -> tuple[Use, ...]:
        """None."""
        return ()

    def under(self, step: object) -> tuple[Use, ...]:
        """Nothing."""
        return ()


class Wrapping(ShapeNode):
    """A node around one use that stands where it does."""

    inner: Use

    @property
    def inside(self) -> tuple[Use, ...]:
        """What it is around."""
        return (self.inner,)

    def with_inside(self, uses: tuple[Use, ...]) -> Self:
        """The same around another use."""
        return self.replace(inner=uses[0])

    @property
    def in_place(self) -> tuple[Use, ...]:
        """What it is around."""
        return (self.inner,)

    def under(self, step: object) -> tuple[Use, ...]:
        """Nothing of its own."""
        return ()


class Scalar(Leaf):
    """A single value of one kind."""

    is_single: ClassVar[bool] = True

    kind: Kind

    @property
    def single(self) -> Kind:
        """Its kind."""
        return self.kind

    @property
    def is_lenient(self) -> bool:
        """Whether its kind is."""
        return self.kind.strict is not self.kind

    @property
    def facts(self) -> Facts:
        """What rules may know of it."""
        return self.kind.facts


class Nothing(Leaf):
    """Only null."""

    is_single: ClassVar[bool] = True

    @property
    def facts(self) -> Facts:
        """What rules may know of it."""
        return Facts("null", "null", sort=Sort.NULL)


def spellings(plain: object, value: object) -> tuple[str, ...]:
    """The texts that stand for one of a few constants where data is text: as it goes out, and as its class has it."""
    text = "" if plain is None else str(plain).lower() if isinstance(plain, bool) else str(plain)
    own = value.value if isinstance(value, Enum) else None
    return (text, str(own)) if isinstance(own, Decimal) and str(own) != text else (text,)


class Choice(Leaf):
    """One of a few constants: `wire[i]` is what stands in the data for `values[i]`.

    `owner` is the Enum they belong to, None for a Literal; `lenient` takes text for numbers and the like.
    """

    is_single: ClassVar[bool] = True

    wire: tuple[object, ...]
    values: tuple[object, ...]
    owner: type[Enum] | None = None
    lenient: bool = False

    @property
    def is_lenient(self) -> bool:
        """Whether it was declared so."""
        return self.lenient

    @property
    def facts(self) -> Facts:
        """What rules may know of it."""
        return Facts("one of a few values", "choice")


class Items(ShapeNode):
    """A collection of items that are all of one shape, built into `into`: list, tuple, set, frozenset or deque."""

    item: Use
    into: str = "list"

    @property
    def inside(self) -> tuple[Use, ...]:
        """What each item is."""
        return (self.item,)

    def with_inside(self, uses: tuple[Use, ...]) -> Self:
        """The same of other items."""
        return self.replace(item=uses[0])

    @property
    def in_place(self) -> tuple[Use, ...]:
        """None: a number stands between."""
        return ()

    def under(self, step: object) -> tuple[Use, ...]:
        """An item."""
        return (self.item,) if isinstance(step, int) else ()

    def named_inside(self) -> tuple[tuple[str, Use], ...]:
        """Its items."""
        return (("[]", self.item),)

    @property
    def facts(self) -> Facts:
        """What rules may know of it."""
        return Facts("a list", "list", measured=LengthUnit.ITEMS)


class Fixed(ShapeNode):
    """A tuple of items each of its own shape; then, where `tail` says what they are, any number of further ones."""

    items: tuple[Use, ...]
    tail: Use | None = None

    @property
    def inside(self) -> tuple[Use, ...]:
        """All shapes that its items may have."""
        return self.items if self.tail is None else (*self.items, self.tail)

    def with_inside(self, uses: tuple[Use, ...]) -> Self:
        """The same of other items."""
        if self.tail is None:
            return self.replace(items=uses)
        return self.replace(items=uses[:-1], tail=uses[-1])

    @property
    def in_place(self) -> tuple[Use, ...]:
        """None: a number stands between."""
        return ()

    def under(self, step: object) -> tuple[Use, ...]:
        """Any item: how many there are is not known."""
        return self.inside if isinstance(step, int) else ()

    def named_inside(self) -> tuple[tuple[str, Use], ...]:
        """Its items, by their numbers."""
        return tuple((f"[{number}]", use) for number, use in enumerate(self.inside))

    def at(self, number: int) -> Use | None:
        """The shape of the item at a place, None where there is none."""
        return self.items[number] if number < len(self.items) else self.tail

    def per_item(self, count: int) -> tuple[Use, ...]:
        """The shape of each of `count` items."""
        tail = () if self.tail is None else (self.tail,) * (count - len(self.items))
        return (*self.items, *tail)

    def admits(self, count: int) -> bool:
        """Whether it may have so many items."""
        return count == len(self.items) if self.tail is None else count >= len(self.items)

    @property
    def facts(self) -> Facts:
        """What rules may know of it."""
        return Facts("a list", "tuple", measured=LengthUnit.ITEMS)


class Entries(ShapeNode):
    """A dict whose keys are of one shape and values of another."""

    key: Use
    value: Use

    @property
    def inside(self) -> tuple[Use, ...]:
        """What each key is, and each value."""
        return (self.key, self.value)

    def with_inside(self, uses: tuple[Use, ...]) -> Self:
        """The same of other keys and values."""
        return self.replace(key=uses[0], value=uses[1])

    @property
    def in_place(self) -> tuple[Use, ...]:
        """None: a key stands between."""
        return ()

    def under(self, step: object) -> tuple[Use, ...]:
        """A value."""
        return (self.value,)

    def named_inside(self) -> tuple[tuple[str, Use], ...]:
        """Its keys and its values."""
        return ((" keys", self.key), (" values", self.value))

    @property
    def facts(self) -> Facts:
        """What rules may know of it."""
        return Facts("a record", "dict", measured=LengthUnit.KEYS)


class Branches(ShapeNode):
    """One of several shapes. With a `tag`, the key whose value tells which: `tags[i]` are those of `options[i]`.

    With `held`, the tag stands beside the data: the option is read from what is under that key. With `alone`, a value
    that several options admit is none of them. `others` is the number of the option for tags that no other has, -1 for
    none: its own tags are none.
    """

    options: tuple[Use, ...]
    tag: str = ""
    tags: tuple[tuple[object, ...], ...] = ()
    held: str = ""
    alone: bool = False
    others: int = -1

    @property
    def inside(self) -> tuple[Use, ...]:
        """Its options."""
        return self.options

    def with_inside(self, uses: tuple[Use, ...]) -> Self:
        """The same of other options."""
        return self.replace(options=uses)

    @property
    def in_place(self) -> tuple[Use, ...]:
        """Its options, but where they stand under a key."""
        return () if self.held else self.options

    def under(self, step: object) -> tuple[Use, ...]:
        """Its options, where they stand under a key."""
        return self.options if self.held and step in (self.tag, self.held) else ()

    @property
    def facts(self) -> Facts:
        """What rules may know of it: what all its options have in common."""
        every = [option.facts for option in self.options]
        phrase = " or ".join(dict.fromkeys(facts.phrase for facts in every))
        if any(facts.open for facts in every):
            return ANY_VALUE
        first = every[0]
        return Facts(
            phrase,
            "union",
            measured=first.measured if all(facts.measured == first.measured for facts in every) else None,
            ordered=first.ordered if all(facts.number for facts in every) else (),
            text=all(facts.text for facts in every),
            number=all(facts.number for facts in every),
        )


class Nullable(Wrapping):
    """Null, or what is inside."""

    @property
    def facts(self) -> Facts:
        """What rules may know of it: the rules beside `X | None` judge an X."""
        return self.inner.facts


class Sealing(Wrapping):
    """What is inside, held by a `Sealed`."""

    @property
    def facts(self) -> Facts:
        """What rules may know of it: those beside a `Sealed` judge what is inside."""
        return Facts("a sealed value", "sealed value")


class ByName(Leaf):
    """What is known by a key of the shape."""

    key: str

    @property
    def leads_to(self) -> str:
        """Its key."""
        return self.key


class Link(ByName):
    """A record of the shape, by its key in `Shape.records`: this is how records nest and recur."""

    @property
    def facts(self) -> Facts:
        """What rules may know of it."""
        return Facts("a record", "record")


class Turned(ShapeNode):
    """In shapes of the way out alone: a typed value that goes out as what a function makes of it, an `inner` value.

    `of` are the classes that it is of; where there are none, `typed` judges it, if that is known.
    """

    inner: Use
    back: Callable[[Any], Any]
    of: tuple[type, ...] = ()
    typed: Use | None = None

    @property
    def inside(self) -> tuple[Use, ...]:
        """What goes out, and what judges the typed value."""
        return (self.inner,) if self.typed is None else (self.inner, self.typed)

    def with_inside(self, uses: tuple[Use, ...]) -> Self:
        """The same with others."""
        return self.replace(inner=uses[0], typed=None if self.typed is None else uses[1])

    @property
    def in_place(self) -> tuple[Use, ...]:
        """Both stand where it does."""
        return self.inside

    def under(self, step: object) -> tuple[Use, ...]:
        """Nothing of its own."""
        return ()

    @property
    def facts(self) -> Facts:
        """What rules may know of the typed value."""
        return ANY_VALUE if self.typed is None else self.typed.facts


class Alias(ByName):
    """A type by the name of an alias that leads to itself, as in `Cargo = list["Cargo"] | str`: its key in
    `Shape.aliases`, and what is known of what it stands for."""

    known: Facts = ANY_VALUE

    @property
    def facts(self) -> Facts:
        """What rules may know of it."""
        return self.known


Node = Scalar | Nothing | Choice | Items | Fixed | Entries | Branches | Nullable | Sealing | Link | Alias | Turned
