"""A document on its way, in the words of 2020-12: written from a shape, and what it could not say."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from ...declare.json_pointer import escaped
from ...shape.known_defaults import ITS_DEFAULT
from ...shape.shape import Shape
from ..dialects import DRAFT_2020_12, Dialect
from ..document import Unstated
from .joining import Keywords, plainer, reached
from .record_schemas import RecordSchemas
from .schema_writer import SchemaWriter


def written(
    shape: Shape,
    *,
    refuse_unknown: bool = False,
    of: str = "send",
    formats: str = "name",
    dialect: Dialect = DRAFT_2020_12,
    loose: frozenset[str] = frozenset(),
) -> Unfinished:
    """The document in the words of 2020-12: of what a client should send, in final form; or of what is released.

    `dialect` is what it will be put into: for OpenAPI a union by a tag says so. `loose` are the places of unions that
    are unambiguous by rules which a document cannot state.
    """
    writer = SchemaWriter(shape, refuse_unknown=refuse_unknown, of=of, formats=formats, dialect=dialect, loose=loose)
    records = RecordSchemas(writer)
    root = plainer(writer.use(shape.root, "", shape.name))
    definitions = {key: plainer(records.written(record)) for key, record in shape.records.items()}
    definitions |= {key: plainer(writer.use(use, f"/$defs/{escaped(key)}", key)) for key, use in shape.aliases.items()}
    content: Keywords = {**root}
    every, definitions = definitions, reached(root, definitions)
    left = {f"/$defs/{escaped(key)}" for key in every.keys() - definitions.keys()}
    unstated = [rule for rule in writer.unstated if "/".join(rule.pointer.split("/")[:3]) not in left]
    definitions |= {uri: held for uri, held in writer.embedded.items() if uri not in definitions}
    if definitions:
        content["$defs"] = definitions
    return Unfinished(content, unstated, writer.names, writer.exclusive_unions)


class Unfinished:
    """A document on its way: its content in 2020-12, what it leaves unstated, and the field at each pointer.

    `exclusive_unions` are the places of its unions of which one option alone may accept a value, each with its shape.
    """

    __slots__ = ("content", "exclusive_unions", "names", "unstated")

    def __init__(
        self, content: Keywords, unstated: list[Unstated], names: dict[str, str], exclusive_unions: Mapping[str, Shape]
    ) -> None:
        self.content = content
        self.unstated = unstated
        self.names = names
        self.exclusive_unions = exclusive_unions

    def loosened(self, rules: Iterable[Unstated]) -> frozenset[str]:
        """The places of those of which some option would accept more than it should, for want of one of the rules."""
        told = [rule.pointer for rule in rules if rule.rule != ITS_DEFAULT]

        def is_inside(pointer: str, at: str, shape: Shape) -> bool:
            homes = (f"/$defs/{escaped(key)}" for key in (*shape.records, *shape.aliases))
            return any(f"{pointer}/".startswith(f"{home}/") for home in (f"{at}/oneOf", *homes))

        return frozenset(
            at for at, shape in self.exclusive_unions.items() if any(is_inside(pointer, at, shape) for pointer in told)
        )
