"""The parts of a request that come as text, as a client writes them: no null, lists as their style joins them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, Final, NamedTuple

from ...declare.sources import Reading
from ...engine.plan import may_be_blank
from ...shape.nodes import Branches, Entries, Fixed, Items, Link, Nullable
from ...shape.shape import Field, Record, Shape
from ...shape.uses import MISSING, Use
from ...shape.walk import every, rebuilt_shape
from ..empty_form_fields import is_needed_in_form

Schema = dict[str, Any]
_ANYTHING: Final = "\\[.*"
"""Behind the name of what holds itself: names without end."""
_STYLES: Final[Mapping[str, Mapping[str, str]]] = {
    "query": {",": "form", " ": "spaceDelimited", "|": "pipeDelimited"},
    "path": {",": "simple"},
}
"""The separators of lists that OpenAPI has a word for, by the part that they stand in (3.1, section 4.8.12.2)."""


def in_text(shape: Shape, part: str) -> Shape:
    """The shape of a part as its text says it: null only where blank text stands for it; what nobody declared secret
    is none."""
    known = _STYLES.get(part, {})

    def change(use: Use) -> Use:
        if isinstance(use.node, Nullable) and not (use.blank or _is_blank_null(use, shape)):
            use = use.node.inner.replace(about=use.about, secret=use.secret, says=use.says)
        return use.replace(split="") if use.split in known else use

    records = {key: _seen(record) for key, record in shape.records.items()}
    return rebuilt_shape(shape.replace(records=records), change)


def style_of(use: Use, part: str) -> Schema:
    """How a list that is split on one sign is written."""
    style = _STYLES.get(part, {}).get(use.bare.split or use.split)
    return {"style": style, "explode": False} if style else {}


def _is_blank_null(use: Use, shape: Shape) -> bool:
    several = isinstance(use.bare.node, Link | Entries | Items | Fixed | Branches)
    return not several and may_be_blank(use, Reading.TEXT, shape.aliases)


def _seen(record: Record) -> Record:
    """A record in which what is hidden unasked is told of as what it is, and null is no default."""

    def seen(field: Field) -> Field:
        if field.hidden_unasked:
            field = field.replace(use=field.use.replace(secret=False))
        # What is not sent is absent, and nothing is said of what stands for it.
        return field.replace(default=MISSING, may_lack=True) if field.default is None else field

    return record.replace(fields=tuple(map(seen, record.fields)))


class SentName(NamedTuple):
    """A value of a form by the name under which it is sent; `pattern` tells that the name is a regular expression."""

    name: str
    schema: Any
    needed: bool = False
    pattern: bool = False


class Flat:
    """The names under which fields are sent in a form, or in a query: `under[name]`, `crates[0][weight]`.

    `follow` gives the schema that a reference leads to. `depends` holds the names that must be there beside one that
    is, since a record that may be left out has them; `choices` the options of unions, of which one must hold.
    """

    def __init__(self, shape: Shape, follow: Any, *, form: bool) -> None:
        self.shape = shape
        self.follow = follow
        self.form = form
        self.depends: dict[str, list[str]] = {}
        self.choices: list[list[Schema]] = []
        self._deep = False

    def of(self, use: Use, schema: Schema) -> list[SentName]:
        """The names of a whole part."""
        return list(self._under(use.bare, schema, "", True, frozenset(), False))

    def of_field(self, field: Field, told: Schema) -> list[SentName]:
        """The names of one field of a part, of which something is told."""
        return list(self._field(field, told, "", True, frozenset(), False))

    def _under(
        self, use: Use, schema: Schema, name: str, needed: bool, above: frozenset[str], pattern: bool
    ) -> Iterator[SentName]:
        """The names of what is inside of a value under a name."""
        match use.bare.node:
            case Link(key) if key in above:
                start = name if pattern else _escaped(name)
                yield SentName(f"{start}{_ANYTHING}", {}, pattern=True)
            case Link(key):
                told = self.follow(schema)
                fields = self.shape.records[key].fields
                inner: list[SentName] = []
                for field in fields:
                    if field.withheld:
                        continue
                    inner += self._field(field, told, name, needed, above | {key}, pattern)
                if name and not pattern and not needed and not self._deep:
                    self._depend(inner, fields, told, name, above | {key})
                yield from inner
            case Branches(options=options):
                told = self.follow(schema)
                schemas = told.get("anyOf", told.get("oneOf", [{}] * len(options)))
                deep, self._deep = self._deep, True  # what one option needs beside itself, another does not
                every = [
                    list(self._under(option, each, name, needed, above, pattern))
                    for option, each in zip(options, schemas, strict=False)
                ]
                self._deep = deep
                tag = f"{name}[{use.bare.node.tag}]" if name else use.bare.node.tag
                if needed and not pattern and use.bare.node.tag:
                    self.choices.append([_option(each, tag) for each in every])
                yield from _merged(every, tag if needed else "", name if pattern else _escaped(name))
            case Entries(_, value):
                start = name if pattern else _escaped(name)
                held = self.follow(schema).get("additionalProperties", {})
                inside = f"{start}\\[[^\\[\\]]+\\]" if name else "[^\\[\\].]+"
                if isinstance(value.bare.node, Link | Entries | Branches):
                    yield from self._under(value.bare, held, inside, False, above, True)
                else:
                    yield SentName(inside, held, pattern=True)

    def _field(
        self, field: Field, told: Schema, name: str, needed: bool, above: frozenset[str], pattern: bool
    ) -> Iterator[SentName]:
        inner = f"[{field.wire}]" if name else field.wire
        here = f"{name}{_escaped(inner) if pattern else inner}"
        schema = told.get("properties", {}).get(field.wire, {})
        use = field.use.bare
        must = needed and (is_needed_in_form(field, self.shape) if self.form else field.required)
        nested = not (use.is_reread or use.making)
        if nested and isinstance(use.node, Link | Entries):
            yield from self._under(use, schema, here, must, above, pattern)
        elif nested and isinstance(use.node, Items) and isinstance(use.node.item.bare.node, Link | Entries | Branches):
            row = f"{here if pattern else _escaped(here)}\\[[0-9]{{1,9}}\\]"
            yield from self._under(use.node.item, self.follow(schema).get("items", {}), row, False, above, True)
        elif (
            nested
            and isinstance(use.node, Branches)
            and any(isinstance(option.bare.node, Link) for option in use.node.options)
        ):
            yield from self._under(use, schema, here, must, above, pattern)
        else:
            yield SentName(here, schema, must and not field.also, pattern)
            for other in field.also:
                yield SentName(f"{name}[{other}]" if name else other, {**schema, "deprecated": True}, False, pattern)

    def _depend(
        self, inner: list[SentName], fields: tuple[Field, ...], told: Schema, name: str, above: frozenset[str]
    ) -> None:
        """Note what must be there once anything of a record that may be left out is."""
        wanted = [
            each.name
            for field in fields
            for each in self._field(field, told, name, True, above, False)
            if each.needed and not each.pattern
        ]
        for each in inner:
            others = [other for other in wanted if other != each.name]
            if others and not each.pattern:
                self.depends[each.name] = others


def holds_records(use: Use) -> bool:
    """Whether what stands in a query under one name has names of its own: a record, rows, records by name."""
    if use.bare.is_reread or use.bare.making is not None:
        return False
    inside = [each.node for each in every(use.bare)]
    nested = isinstance(inside[0], Link | Entries)
    return isinstance(inside[0], Link) or any(isinstance(node, Link | Entries) for node in inside[nested:])


def flat_schema(named: list[SentName], flat: Flat, *, patterns: bool) -> Schema:
    """The schema of an object of such names; without `patterns` those that only a pattern tells may hold anything."""
    made: Schema = {"type": "object", "properties": {each.name: each.schema for each in named if not each.pattern}}
    told = {f"^{each.name}$": each.schema for each in named if each.pattern}
    if told and patterns:
        made["patternProperties"] = told
    if required := [each.name for each in named if each.needed and not each.pattern]:
        made["required"] = required
    if flat.depends and patterns:
        made["dependentRequired"] = dict(flat.depends)
    if len(flat.choices) == 1:
        made["anyOf"] = flat.choices[0]
    elif flat.choices:
        made["allOf"] = [{"anyOf": options} for options in flat.choices]
    return made


def _option(named: list[SentName], tag: str) -> Schema:
    """What holds where one option of a union is sent."""
    plain = [each for each in named if not each.pattern]
    required = [each.name for each in plain if each.needed or each.name == tag]
    return {"properties": {each.name: each.schema for each in plain}, "required": required}


def _merged(every: list[list[SentName]], tag: str, start: str) -> Iterator[SentName]:
    """The names of the options of a union: what several have is any of theirs; where one holds itself, anything."""
    endless = [one for each in every for one in each if one.name == f"{start}{_ANYTHING}"]
    if endless:
        yield endless[0]
        return
    held: dict[tuple[str, bool], list[Any]] = {}
    for each in every:
        for one in each:
            if one.schema not in held.setdefault((one.name, one.pattern), []):
                held[one.name, one.pattern].append(one.schema)
    for (name, pattern), schemas in held.items():
        needed = name == tag or all(any(one.name == name and one.needed for one in each) for each in every)
        yield SentName(name, schemas[0] if len(schemas) == 1 else {"anyOf": schemas}, needed, pattern)


def _escaped(name: str) -> str:
    """A name as a regular expression of ECMA-262."""
    return "".join(f"\\{sign}" if sign in "\\^$.*+?()[]{}|/-" and sign != "-" else sign for sign in name)
