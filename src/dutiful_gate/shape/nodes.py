"""The nodes. Makers of shapes build them, readers of shapes walk them; they do nothing themselves."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from decimal import Decimal
from enum import Enum
from functools import cached_property
from typing import Any, Final, Self

from ..declare.embedded import Embedded
from ..declare.facts import ANY_VALUE, Facts, LengthUnit, Sort
from ..declare.kinds import Kind
from ..declare.marks import About
from ..declare.records import RecordCheck, RecordRule
from ..declare.rules import Rule
from ..declare.sources import Source
from ..declare.steps import Step, TakenOut
from ..declare.values import Value

NO_ABOUT: Final = About()


class ShapeNode(Value):
    """What every node tells of itself, so that who walks a shape need not know which nodes there are.

    A node says all of it: what one leaves out raises NotImplementedError at the first walk.
    """

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
    def is_single(self) -> bool:
        """Whether its values are single ones: of a kind, of a few constants, or null."""
        return False

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

    kind: Kind

    @property
    def single(self) -> Kind:
        """Its kind."""
        return self.kind

    @property
    def is_single(self) -> bool:
        """It is."""
        return True

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

    @property
    def is_single(self) -> bool:
        """It is."""
        return True

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

    wire: tuple[object, ...]
    values: tuple[object, ...]
    owner: type[Enum] | None = None
    lenient: bool = False

    @property
    def is_single(self) -> bool:
        """It is."""
        return True

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
    that several options admit is none of them.
    """

    options: tuple[Use, ...]
    tag: str = ""
    tags: tuple[tuple[object, ...], ...] = ()
    held: str = ""
    alone: bool = False

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


class Link(Leaf):
    """A record of the shape, by its key in `Shape.records`: this is how records nest and recur."""

    key: str

    @property
    def leads_to(self) -> str:
        """Its key."""
        return self.key

    @property
    def facts(self) -> Facts:
        """What rules may know of it."""
        return Facts("a record", "record")


class Alias(Leaf):
    """A type by the name of an alias that leads to itself, as in `Cargo = list["Cargo"] | str`: its key in
    `Shape.aliases`, and what is known of what it stands for."""

    key: str
    known: Facts = ANY_VALUE

    @property
    def leads_to(self) -> str:
        """Its key."""
        return self.key

    @property
    def facts(self) -> Facts:
        """What rules may know of it."""
        return self.known


Node = Scalar | Nothing | Choice | Items | Fixed | Entries | Branches | Nullable | Sealing | Link | Alias


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
    def has_steps(self) -> bool:
        """Whether steps run on its value."""
        return any(isinstance(part, Step) for part in self.parts)

    @property
    def kind(self) -> Kind | None:
        """The kind of a single value, null beside it or not; None for what is no such."""
        return self.bare.node.single

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


class Field(Value):
    """One field of a record: its attribute, its name in the data, what it holds, and what stands in for it.

    `may_lack` tells a field that may be absent and has no default: it is absent from the value then; `only_given` one
    that only the constructor takes, so that no value has it. `also` holds other names under which it may come, of which
    `former` are those it had before; `under` is the key under which the body of a request holds it. `getter` takes it
    from an object, where its attribute is not it. One that is `withheld` is not taken from the data: what stands in for
    it when it is absent always does.
    """

    attribute: str
    wire: str
    use: Use
    default: object = MISSING
    factory: Callable[[], Any] | None = None
    may_lack: bool = False
    only_given: bool = False
    also: tuple[str, ...] = ()
    under: str = ""
    former: tuple[str, ...] = ()
    getter: Callable[[Any], Any] | None = None
    withheld: bool = False

    @property
    def required(self) -> bool:
        """Whether the data must have it."""
        return self.default is MISSING and self.factory is None and not self.may_lack

    @property
    def has_default(self) -> bool:
        """Whether something stands in for it where it is absent."""
        return self.default is not MISSING or self.factory is not None

    @property
    def read_only(self) -> bool:
        """Whether it is not taken where a client sends it."""
        return self.use.about.read_only or self.use.bare.about.read_only

    @property
    def write_only(self) -> bool:
        """Whether it never goes out."""
        return self.use.about.write_only or self.use.bare.about.write_only

    def comes_under(self, name: object) -> bool:
        """Whether it may come under a name in the data."""
        return name == self.wire or name in self.also

    def goes_out(self, *, secrets: bool) -> bool:
        """Whether it is released, with or without `secrets`."""
        return not (self.only_given or self.write_only or (self.use.secret and not secrets))

    @property
    def label(self) -> str:
        """What people call it."""
        return self.use.about.title or ""


class Record(Value):
    """A record with named fields, built by calling `builder`.

    `form`    "object" (attributes), "dict" (a TypedDict, an amendment) or "tuple" (a NamedTuple)
    `stores`  a new instance may be filled by storing its attributes one by one: its constructor does no more
    `rules`   what its fields must be to each other
    `checks`  functions of the finished record
    `rests`   the fields that gather keys nobody declared: each those that its type of keys admits, and no field before
    `lost_rules`  record rules that lost a field on the way to a variant
    `documents`    documents that judge the data it is read from
    `computed`  properties that go out and never come in
    `runs_own`  whether making one runs code of the developer's own
    `unknown` what is done with keys nobody declared: "drop" or "refuse", "" where the gate says so
    `rebuilds`    an instance that is read again is made anew, not copied
    `mends`   an amendment: what was not sent stays as it is, so that only rules whose fields were all sent are judged
    """

    key: str
    name: str
    builder: Any
    fields: tuple[Field, ...]
    rules: tuple[RecordRule, ...] = ()
    checks: tuple[RecordCheck, ...] = ()
    text: str = ""
    form: str = "object"
    stores: bool = False
    rests: tuple[Field, ...] = ()
    lost_rules: tuple[str, ...] = ()
    mends: bool = False
    documents: tuple[Embedded, ...] = ()
    computed: tuple[Field, ...] = ()
    runs_own: bool = False
    unknown: str = ""
    rebuilds: bool = False

    @cached_property
    def by_attribute(self) -> Mapping[str, Field]:
        """Its fields, those that gather keys among them, by the name that rules call them by."""
        return {field.attribute: field for field in (*self.fields, *self.rests)}


_NO_RECORDS: Mapping[str, Record] = {}
_NO_ALIASES: Mapping[str, Use] = {}


class Shape(Value):
    """All that a gate reads: where it begins, and the records that can be reached from there.

    `aliases`    the types that lead to themselves by the name of an alias, and not through records alone
    `recursive`  the records and aliases that can hold themselves
    `exact`      whether numbers must be read digit by digit, since a Decimal is wanted somewhere
    `secretive`  whether anything in it is secret
    `guarded`    the records and aliases that hold a secret, however deep
    """

    root: Use
    records: Mapping[str, Record] = _NO_RECORDS
    recursive: frozenset[str] = frozenset()
    exact: bool = False
    secretive: bool = False
    guarded: frozenset[str] = frozenset()
    aliases: Mapping[str, Use] = _NO_ALIASES

    @property
    def name(self) -> str:
        """A short name for people: the root record's or alias's, or what kind of value it is."""
        record = self.record_of(self.root)
        if record is not None:
            return record.name
        return self.root.node.key if isinstance(self.root.node, Alias) else self.root.facts.noun

    def record_of(self, use: Use) -> Record | None:
        """The record that a use is of; None for any other."""
        return self.records[use.node.key] if isinstance(use.node, Link) else None

    def sure_record(self, use: Use) -> Record:
        """The record that a use is of, null beside it or not, where it was declared to be of one."""
        return self.records[use.bare.node.leads_to]

    def record_inside(self, use: Use | None) -> Record | None:
        """The same without null, seals and names around it; None also where no use is."""
        return None if use is None else self.record_of(self.without_wrappings(use))

    def without_wrappings(self, use: Use) -> Use:
        """A use without null, a seal or the name of an alias around it."""
        while isinstance(use.node, Wrapping | Alias):
            use = self.aliases[use.node.key] if isinstance(use.node, Alias) else use.node.inner
        return use


def default_of(declared: Field) -> object:
    """The default value of a field that has one, made anew where a factory makes it."""
    return declared.factory() if declared.factory is not None else declared.default
