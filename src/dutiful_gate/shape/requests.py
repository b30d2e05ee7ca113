"""The shape of a whole request: a record whose fields are its parts, each read from a source of its own."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Set
from typing import Any, Final, NamedTuple

from ..declare.amendment_rule import Sent
from ..declare.carried import TakenHere
from ..declare.errors import DeclarationError
from ..declare.kinds.anything import ReadAlready
from ..declare.records import RecordRule
from ..declare.sources import Source
from ..declare.steps import TakenOut
from .nodes import Entries, Link, Nullable, Scalar
from .records import refuse_under_key
from .shape import Field, Record, Shape
from .uses import Use
from .walk import every, guarded_of, held_by, leads, recursive_of, uses_of


class PartKind(NamedTuple):
    """A part that a request may have: what its data is, and whether it is a record of text by names."""

    source: Source
    by_name: bool = True


PARTS: Final[Mapping[str, PartKind]] = {
    "path": PartKind(Source.TEXT),
    "query": PartKind(Source.TEXT),
    "headers": PartKind(Source.TEXT),
    "cookies": PartKind(Source.TEXT),
    "body": PartKind(Source.JSON, by_name=False),
    "form": PartKind(Source.TEXT, by_name=False),
    "files": PartKind(Source.NATIVE),
}
"""The parts, in the order in which they are told."""
_UNKNOWN_LET_BE: Final = ("headers", "cookies")
SECRET_HEADERS: Final = frozenset(["authorization", "proxy-authorization", "cookie"])


def request_shape(shape: Shape) -> Shape:
    """The shape of a request, of that of the record of its parts.

    Headers are known by their names in small letters, and hidden where they tell who asks; so are all cookies. Raises
    DeclarationError for what is no record of parts.
    """
    record = shape.record_of(shape.root)
    if record is None or record.form != "object" or record.rests:
        raise DeclarationError(
            f"a request is a dataclass whose fields are its parts, not {shape.root.facts.phrase}",
            remedy=f"declare a dataclass with some of {', '.join(PARTS)}",
        )
    refuse_under_key([each for each in shape.records.values() if each is not record])
    own: dict[str, Record] = {}
    refuse_carried_inside([each for each in shape.records.values() if each is not record])
    fields = tuple(field if is_carried(field) else _part(field, record, shape, own) for field in record.fields)
    if any(field.attribute == "form" for field in fields) and any(field.attribute == "body" for field in fields):
        raise DeclarationError(
            "a request has a body or a form, not both", remedy="leave out one of the two", record=record.name
        )
    if any(field.attribute == "files" for field in fields) and any(field.attribute == "body" for field in fields):
        raise DeclarationError(
            "files come with a form, not with a body", remedy="declare `form` beside `files`", record=record.name
        )
    records = {**shape.records, record.key: record.replace(fields=fields, unknown="refuse"), **own}
    records = {key: held if key == record.key else _as_sent(held) for key, held in records.items()}
    held = held_by(records, shape.aliases)
    leads_to = leads(held)
    made = shape.replace(records=records, recursive=recursive_of(leads_to), guarded=guarded_of(held, leads_to))
    return made.replace(secretive=any(use.secret for use in uses_of(made)))


def parts_of(shape: Shape) -> dict[str, Field]:
    """The parts of a request's shape, by name."""
    fields = shape.sure_record(shape.root).fields
    return {field.attribute: field for field in fields if not is_carried(field)}


def carried_of(shape: Shape) -> dict[str, TakenHere]:
    """What gives what a request carries besides, by the names of its fields."""
    fields = shape.sure_record(shape.root).fields
    return {field.attribute: field.factory for field in fields if isinstance(field.factory, TakenHere)}


def is_carried(field: Field) -> bool:
    """Whether a field of a request is no part of it: no client sends it."""
    return isinstance(field.factory, TakenHere)


def refuse_carried_inside(records: Iterable[Record]) -> None:
    """Raise DeclarationError for a field inside of a part of which none is sent."""
    for record in records:
        for field in record.fields:
            if isinstance(field.factory, TakenHere):
                raise DeclarationError(
                    f"{field.factory.by} alone is no rule: it hands over a field of a request itself",
                    remedy="move it up, beside `body` and `query`",
                    record=record.name,
                    field=field.attribute,
                )


def with_typed_body(shape: Shape) -> Shape:
    """The shape of a request whose body is its typed value already, read by another."""
    record = shape.sure_record(shape.root)
    typed = Use(Scalar(ReadAlready()), source=Source.NATIVE)
    fields = tuple(field.replace(use=typed) if field.attribute == "body" else field for field in record.fields)
    return shape.replace(records={**shape.records, record.key: record.replace(fields=fields)})


def _part(field: Field, record: Record, shape: Shape, own: dict[str, Record]) -> Field:
    kind = PARTS.get(field.attribute)
    if kind is None or field.wire != field.attribute or field.also:
        raise DeclarationError(
            f"{field.wire!r} is no part of a request",
            remedy=f"its parts are {', '.join(PARTS)}; put what is sent inside of one of them",
            record=record.name,
            field=field.attribute,
        )
    use = field.use
    link = use.bare.node
    if kind.by_name and not isinstance(link, Link):
        raise DeclarationError(
            f"the {field.attribute} of a request are known by their names",
            remedy="declare a record: a dataclass or a TypedDict",
            record=record.name,
            field=field.attribute,
        )
    if kind.by_name and kind.source is Source.TEXT and field.attribute != "query" and isinstance(link, Link):
        _refuse_nested(field.attribute, shape.records[link.key])
    if field.under and field.attribute != "body":
        raise DeclarationError(
            f"under_key is for the body of a request, not for its {field.attribute}",
            remedy="leave it out",
            record=record.name,
            field=field.attribute,
        )
    if field.under:
        use = _under_key(field, record, own)
    if field.attribute in _UNKNOWN_LET_BE and isinstance(link, Link):
        use = _through_links(use, lambda key: _named_part(field.attribute, key, shape, own))
    return field.replace(use=use.replace(source=kind.source))


def _refuse_nested(part: str, record: Record) -> None:
    """Raise DeclarationError for records and dicts where one text stands: of a query alone, names say where."""
    for field in record.fields:
        use = field.use.bare
        if (
            not use.is_reread
            and use.making is None
            and any(isinstance(each.node, Link | Entries) for each in every(use))
        ):
            raise DeclarationError(
                f"a record, or values by name, cannot be sent in the {part} of a request",
                remedy="put it into the body, or read it from text: Annotated[..., via(str, made=...)]",
                record=record.name,
                field=field.attribute,
            )


def _as_sent(record: Record) -> Record:
    """A record as a client sends it: what is read-only is not taken (JSON Schema's `readOnly`)."""
    for field in (*record.fields, *record.rests):
        if any(use.about.read_only for use in every(field.use) if use is not field.use and use is not field.use.bare):
            raise DeclarationError(
                "about(read_only=True) is said of a part of the field's value, which is taken or left as one",
                remedy="put it around the whole type of the field, or on a field of the record inside",
                record=record.name,
                field=field.attribute,
            )
    if not any(field.read_only for field in record.fields):
        return record
    for field in record.fields:
        if field.read_only and field.required:
            raise DeclarationError(
                "what is read-only is not taken from a client, and nothing stands in for it",
                remedy=f"read subset({record.name}, without={field.attribute!r}) there, or give the field a default",
                record=record.name,
                field=field.attribute,
            )
    barred = {field.attribute for field in record.fields if field.read_only}
    fields = tuple(f.replace(withheld=True) if f.read_only else f for f in record.fields)
    return record.replace(fields=fields, rules=tuple(_of_taken(rule, barred) for rule in record.rules))


def _of_taken(rule: RecordRule, barred: Set[str]) -> RecordRule:
    """A rule of a record; what an amendment must change is one of the fields that are taken."""
    if not isinstance(rule, Sent):
        return rule
    return rule.replace(names=tuple(name for name in rule.names if name not in barred) or rule.names)


def _under_key(field: Field, record: Record, own: dict[str, Record]) -> Use:
    """The body as it comes, a record of one key, of which the value is taken out."""
    key = f"{record.key}_body"
    held = Field(field.under, field.under, field.use)
    own[key] = Record(key, f"{record.name}Body", dict, (held,), form="dict")
    return Use(Link(key), (TakenOut(field.under),), secret=field.use.secret)


def _named_part(part: str, key: str, shape: Shape, own: dict[str, Record]) -> str:
    """The key of a record of headers or cookies: a record of its own, since it may stand elsewhere too."""
    record = shape.records[key]
    name = f"{key}_{part}"
    seal: Callable[[Field], Field] = _header if part == "headers" else _hidden
    own[name] = record.replace(key=name, fields=tuple(map(seal, record.fields)), unknown="drop")
    return name


def _header(field: Field) -> Field:
    wire = (field.wire.replace("_", "-") if field.wire == field.attribute else field.wire).lower()
    named = field.replace(wire=wire, also=tuple(name.lower() for name in field.also))
    return _hidden(named) if wire in SECRET_HEADERS else named


def _hidden(field: Field) -> Field:
    """A cookie, or a header that tells who asks: its values are hidden, unless they are declared to be shown."""
    if field.use.about.shown or field.use.secret:
        return field
    return field.replace(use=field.use.replace(secret=True), hidden_unasked=True)


def _through_links(use: Use, renamed: Callable[[str], str]) -> Use:
    if isinstance(use.node, Nullable):
        return use.replace(node=Nullable(_through_links(use.node.inner, renamed)))
    assert isinstance(use.node, Link)
    return use.replace(node=Link(renamed(use.node.key)))


__all__: list[Any] = ["PARTS", "SECRET_HEADERS", "carried_of", "parts_of", "request_shape"]
