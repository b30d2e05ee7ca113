"""A shape: where it begins, its records and their fields."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import cached_property
from typing import Any

from ..declare.embedded import Embedded
from ..declare.records import RecordCheck, RecordRule
from ..declare.values import Value
from .nodes import Alias, Link, Wrapping
from .uses import MISSING, Use


class Field(Value):
    """One field of a record: its attribute, its name in the data, what it holds, and what stands in for it.

    `may_lack` tells a field that may be absent and has no default: it is absent from the value then; `only_given` one
    that only the constructor takes, so that no value has it. `also` holds other names under which it may come, of which
    `former` are those it had before; `under` is the key under which the body of a request holds it. `getter` takes it
    from an object, where its attribute is not it. One that is `withheld` is not taken from the data: what stands in for
    it when it is absent always does. `leaves_out` says when it is left out on the way out: as "nulls", as "defaults".
    Where one that may lack is `marked`, the value has it all the same, as ABSENT. What is `hidden_unasked` is secret by
    where it stands, though nobody declared it so.
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
    leaves_out: tuple[str, ...] = ()
    marked: bool = False
    hidden_unasked: bool = False

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
