"""Mapped classes to records: what is sent to create a row, what changes one, what is shown of one."""

from __future__ import annotations

import typing
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any, Final, Literal, NamedTuple, TypeVar, overload

from sqlalchemy import Column, Integer, Table, inspect
from sqlalchemy.exc import NoInspectionAvailable
from sqlalchemy.orm import Mapped, Mapper, RelationshipProperty
from sqlalchemy.sql.schema import ScalarElementColumnDefault

from ..declare.described import LEFT_OUT, Described, DescribedField, describers
from ..declare.errors import DeclarationError
from ..declare.records import keys_of, record_rules
from ..declare.variants import Amendment, amendment_of
from ..shape.hints import evaluated, names_of, own_annotations
from ..shape.records import docstring_of
from .check_constraints import Checks
from .columns import annotation_of

M = TypeVar("M")
For = Literal["create", "change", "show"]
_FOR: Final = ("create", "change", "show")


class MappedField(NamedTuple):
    """A column of a mapped class: its attribute there, the column, and whether the database makes its values."""

    attribute: str
    column: Column[Any]
    made: bool


@overload
def record_of(
    model: type[M],
    for_: Literal["create", "show"] = "create",
    *,
    nest: Iterable[str] | str = (),
    without: Iterable[str] | str = (),
    name: str = "",
    keys: Callable[[str], str] | None = None,
) -> type[M]: ...
@overload
def record_of(
    model: type[M],
    for_: Literal["change"],
    *,
    nest: Iterable[str] | str = (),
    without: Iterable[str] | str = (),
    name: str = "",
    keys: Callable[[str], str] | None = None,
) -> type[Amendment[M]]: ...
def record_of(
    model: type[M],
    for_: For = "create",
    *,
    nest: Iterable[str] | str = (),
    without: Iterable[str] | str = (),
    name: str = "",
    keys: Callable[[str], str] | None = None,
) -> Any:
    """The record of a mapped class: a declared type for `Gate`, with the rules of its columns and annotations.

    `for_`     "create": what is sent for a new row, whose value is an instance of the class, ready for a session; keys
               that the database makes are not asked for, and what has a default may be absent. "change": an amendment,
               whose value is a dict of what was sent, without the primary key. "show": all columns, released from rows
    `nest`     relationships that come along, by name; "books.pages" nests in what is nested
    `without`  columns that are left out
    `name`     what to call the record in documents
    `keys`     a function of a column's attribute that makes its name in the data, such as `camel`

    Raises DeclarationError for what is no mapped class, names what it has not, or has a column without a type.
    """
    if for_ not in _FOR:
        raise DeclarationError(f"for_={for_!r} is no use of a record", remedy='"create", "change" or "show"')
    nested = (nest,) if isinstance(nest, str) else tuple(nest)
    left = (without,) if isinstance(without, str) else tuple(without)
    if for_ == "change":
        primary = [each.attribute for each in fields_of(model) if each.column.primary_key]
        described = describe(model, "create", nested, left, f"{model.__name__}Create", keys)
        known = {field.attribute for field in described.fields}
        without_keys = [key for key in primary if key in known]
        return amendment_of(described, without=without_keys, name=name or f"{model.__name__}Change")
    return describe(model, for_, nested, left, name or f"{model.__name__}{for_.title()}", keys)


def mapper_of(model: Any) -> Mapper[Any]:
    """The mapper of a mapped class. Raises DeclarationError for what is none."""
    try:
        found = inspect(model)
    except NoInspectionAvailable:
        found = None
    if not isinstance(found, Mapper):
        raise DeclarationError(f"{model!r} is no mapped class", remedy="name a class that SQLAlchemy maps to a table")
    return found


def fields_of(model: Any) -> list[MappedField]:
    """The columns of a mapped class, in the order in which they were declared."""
    mapper = mapper_of(model)
    found = []
    for each in mapper.column_attrs:
        column: Any = each.columns[0]
        if isinstance(column, Column):  # an expression has no values of its own
            made = column.computed is not None or column.identity is not None or column.key == _version_of(mapper)
            # What tells subclasses apart, and the key that a parent's table makes, are nobody's to send.
            made = made or (mapper.polymorphic_identity is not None and column.key == _discriminator(mapper))
            made = made or any(isinstance(one, Column) and _counts_up(one) for one in each.columns)
            found.append(MappedField(each.key, column, made))
    return found


def _discriminator(mapper: Mapper[Any]) -> str | None:
    column: Any = mapper.polymorphic_on
    return None if column is None else str(column.key)


def _version_of(mapper: Mapper[Any]) -> str | None:
    column: Any = mapper.version_id_col
    return None if column is None else str(column.key)


def _counts_up(column: Column[Any]) -> bool:
    """Whether the database gives the values of a key: a single whole one that nothing else is said of."""
    table = column.table
    keys = list(table.primary_key.columns)
    if column not in keys or column.autoincrement is False:
        return False
    if column.autoincrement is True:
        return True
    whole = isinstance(column.type, Integer)
    return len(keys) == 1 and whole and not column.foreign_keys and column.default is None


def describe(
    model: Any,
    for_: For,
    nest: Sequence[str],
    without: Sequence[str],
    name: str,
    keys: Callable[[str], str] | None = None,
) -> Described:
    """The description of a mapped class for a use."""
    if not (keys is None or callable(keys)):
        raise DeclarationError(f"keys={keys!r} makes no names", remedy="a function of an attribute's name, as camel is")
    mapper = mapper_of(model)
    columns = fields_of(model)
    _check_names(model, columns, mapper.relationships, nest, without)
    nested = dict(_nested(nest))
    attributes = {field.column.name: field.attribute for field in columns}
    checks = {table: Checks(table, attributes) for table in mapper.tables if isinstance(table, Table)}
    written = _written(model)
    fields = []
    joined = {column for each in nested for column in mapper.relationships[each].local_columns} if nested else set()
    for field in columns:
        if field.attribute in without or (for_ == "create" and field.made):
            continue
        if for_ == "create" and field.column in joined and not field.column.primary_key:
            continue  # what is nested brings it
        rules = checks[field.column.table].by_column.get(field.column.name, []) if field.column.table in checks else []
        try:
            annotation = annotation_of(field.column, written.get(field.attribute), rules)
        except DeclarationError as error:
            raise error.within(model.__name__, field.attribute) from None
        told = DescribedField(field.attribute, annotation)
        fields.append(told if for_ == "show" else _with_default(told, field.column))
    for key, inner in nested.items():
        fields.append(_relation(mapper.relationships[key], for_, inner, key))
    known = {field.attribute for field in fields}
    together = tuple(rule for each in checks.values() for rule, names in each.together if names <= known)
    return Described(
        name, model, tuple(fields), (*record_rules(model), *together), _text(model), keys or keys_of(model)
    )


def _check_names(
    model: Any,
    columns: Sequence[MappedField],
    relations: Any,
    nest: Iterable[str],
    without: Iterable[str],
) -> None:
    for words, known, what in (
        ([each.partition(".")[0] for each in nest], [*relations.keys()], "relationship"),
        (without, [each.attribute for each in columns], "column"),
    ):
        for word in words:
            if word not in known:
                raise DeclarationError(
                    f"{model.__name__} has no {what} {word!r}", remedy=f"it has {', '.join(known) or 'none'}"
                )


def _nested(nest: Sequence[str]) -> Iterator[tuple[str, list[str]]]:
    inner: dict[str, list[str]] = {}
    for each in nest:
        first, _, rest = each.partition(".")
        inner.setdefault(first, []).extend([rest] if rest else [])
    yield from inner.items()


def _relation(relation: RelationshipProperty[Any], for_: For, nest: Sequence[str], key: str) -> DescribedField:
    """The field of a relationship: records of the other class, in a list or alone."""
    other = relation.mapper.class_
    # The key that leads back is set by the session.
    back = [
        field.attribute
        for field in fields_of(other)
        if field.column in relation.remote_side and field.column.foreign_keys and not field.column.primary_key
    ]
    without = back if for_ == "create" else []
    inner: Any = describe(other, for_, nest, without, f"{other.__name__}{for_.title()}")
    if relation.uselist:
        # The list of a relationship is one of the session's own.
        return DescribedField(
            key, list[inner], factory=list if for_ == "create" else None, getter=lambda row: list(getattr(row, key))
        )
    may_be_null = all(column.nullable for column in relation.local_columns) or not relation.local_columns
    if for_ == "show" or may_be_null:
        return DescribedField(key, inner | None, default=None if for_ == "create" else LEFT_OUT)
    return DescribedField(key, inner)


def _with_default(field: DescribedField, column: Column[Any]) -> DescribedField:
    """The field with what stands in for it: a plain default, or nothing, where the session or the database has one."""
    default = column.default
    if isinstance(default, ScalarElementColumnDefault):
        return field.replace(default=default.arg)
    if column.server_default is not None or default is not None:
        return field.replace(may_lack=True)  # a function, a sequence, an expression of the database
    return field.replace(default=None) if column.nullable else field


def _written(model: Any) -> dict[str, Any]:
    """The annotations that stand in `Mapped[...]`, by attribute. Raises DeclarationError for one that names nothing."""
    found: dict[str, Any] = {}
    columns = {field.attribute for field in fields_of(model)}
    for owner in reversed(model.__mro__):
        seen = names_of(owner, {}, "")
        # No annotation means an attribute that the mapping has put there: `date: Mapped[date]` is the class `date`.
        seen = seen._replace(first={name: held for name, held in seen.first.items() if name not in columns})
        for name, annotation in own_annotations(owner, model).items():
            if name not in columns:
                continue
            held = evaluated(annotation, seen, model, name)
            if isinstance(typing.get_origin(held), type) and issubclass(typing.get_origin(held), Mapped):
                (inner,) = typing.get_args(held)
                found[name] = evaluated(inner, seen, model, name)
    return found


def _text(model: Any) -> str:
    return "\n".join(line.strip() for line in docstring_of(model).strip().splitlines())


def _describer(declared: type) -> Described | None:
    """A mapped class that stands where a type is wanted: what is sent to create a row of it."""
    if "__mapper__" not in vars(declared) and not hasattr(declared, "__mapper__"):
        return None
    return describe(declared, "create", (), (), declared.__name__)


describers.append(_describer)

__all__ = ["For", "MappedField", "describe", "fields_of", "mapper_of", "record_of"]
