"""The dialects of JSON Schema: one table of all that differs between them, and which keywords hold schemas."""

from __future__ import annotations

from typing import Final, Literal, get_args

from ..declare.errors import DeclarationError
from ..declare.values import Value


def _words(text: str) -> frozenset[str]:
    return frozenset(text.split())


_META = "title description default"
_CORE_4 = f"{_META} $schema definitions"
_OLD = (
    f"{_CORE_4} $ref type enum multipleOf maximum exclusiveMaximum minimum exclusiveMinimum maxLength minLength "
    "pattern maxItems minItems uniqueItems maxProperties minProperties required format allOf anyOf oneOf not items "
    "additionalItems properties patternProperties additionalProperties dependencies"
)

VOCABULARIES: Final[dict[str, frozenset[str]]] = {
    "https://json-schema.org/draft/2019-09/vocab/core": _words(
        "$schema $id $ref $anchor $recursiveRef $recursiveAnchor $vocabulary $comment $defs"
    ),
    "https://json-schema.org/draft/2019-09/vocab/applicator": _words(
        "items additionalItems contains properties patternProperties additionalProperties "
        "dependentSchemas propertyNames if then else allOf anyOf oneOf not unevaluatedItems "
        "unevaluatedProperties"
    ),
    "https://json-schema.org/draft/2020-12/vocab/core": _words(
        "$schema $id $ref $anchor $dynamicRef $dynamicAnchor $vocabulary $comment $defs"
    ),
    "https://json-schema.org/draft/2020-12/vocab/applicator": _words(
        "prefixItems items contains properties patternProperties additionalProperties dependentSchemas "
        "propertyNames if then else allOf anyOf oneOf not"
    ),
    "https://json-schema.org/draft/2020-12/vocab/unevaluated": _words("unevaluatedItems unevaluatedProperties"),
    "https://json-schema.org/draft/2020-12/vocab/format-annotation": _words("format"),
    "https://json-schema.org/draft/2020-12/vocab/format-assertion": _words("format"),
    "https://json-schema.org/draft/2019-09/vocab/format": _words("format"),
    "https://spec.openapis.org/oas/3.1/vocab/base": _words("discriminator xml externalDocs example"),
}
"""The keywords of each vocabulary, by its URI. Both editions share those below."""

for _year in ("2019-09", "2020-12"):
    VOCABULARIES.update(
        {
            f"https://json-schema.org/draft/{_year}/vocab/validation": _words(
                "type enum const multipleOf maximum exclusiveMaximum minimum exclusiveMinimum maxLength minLength "
                "pattern maxItems minItems uniqueItems maxContains minContains maxProperties minProperties "
                "required dependentRequired"
            ),
            f"https://json-schema.org/draft/{_year}/vocab/meta-data": frozenset(
                f"{_META} deprecated readOnly writeOnly examples".split()
            ),
            f"https://json-schema.org/draft/{_year}/vocab/content": _words(
                "contentEncoding contentMediaType contentSchema"
            ),
        }
    )

FORMAT_ASSERTION: Final = "https://json-schema.org/draft/2020-12/vocab/format-assertion"
FORMAT_2019_09: Final = "https://json-schema.org/draft/2019-09/vocab/format"
"""Asserted where it is needed, which `true` says (its section 7.2); `false` leaves it to us."""
# Dropped by 2019-09, yet in documents that were brought along from before; harmless where nobody writes it.
_BROUGHT_ALONG = _words("dependencies definitions")


WrittenDialect = Literal["2020-12", "draft-07", "openapi-3.1", "openapi-3.0"]
"""The names of the dialects that documents can be written in."""


class Dialect(Value):
    """A dialect of JSON Schema: an edition of the standard, OpenAPI's, or one with vocabularies of somebody's own.

    `keywords`    those with a meaning; everything else is an annotation
    `id_word`     the keyword that names a schema
    `ref_alone`   whether `$ref` silences the keywords beside it (to draft-07)
    `asserts`     whether the dialect itself asks for formats to be asserted
    `content`     whether content is asserted where formats are (draft-07, section 8: later ones say it never is)
    `pointless`   whether a whole number has no decimal point (draft-04, section 3.5 of its core)
    `nullable`    whether null is admitted by `nullable`, and is no type
    `definitions` where definitions stand, as a JSON Pointer
    `opens`       what a written document says in `$schema`, "" where it says nothing
    `says`        the keywords that the writer can put into its words without loss; None where it can put all of them
    """

    name: str
    uri: str
    keywords: frozenset[str]
    id_word: str = "$id"
    ref_alone: bool = False
    asserts: bool = False
    content: bool = False
    pointless: bool = False
    nullable: bool = False
    definitions: str = "/$defs"
    opens: str = ""
    says: frozenset[str] | None = None

    @property
    def old(self) -> bool:
        """Whether it is draft-07 or earlier, where `$id` may be a plain anchor."""
        return self.ref_alone

    @property
    def in_components(self) -> bool:
        """Whether schemas stand among the components of an API description."""
        return self.definitions.startswith("/components")


def _modern(name: str, opens: str = "") -> Dialect:
    start = f"https://json-schema.org/draft/{name}/"
    words = frozenset().union(*(held for uri, held in VOCABULARIES.items() if uri.startswith(start)))
    return Dialect(name, f"{start}schema", words | _BROUGHT_ALONG, opens=f"{start}schema" if opens else "")


_SIX = frozenset(_OLD.split()) | _words("$id const contains propertyNames examples")
_SEVEN = _SIX | _words("if then else readOnly writeOnly $comment contentEncoding contentMediaType")
_OF_OPENAPI_30 = frozenset(_OLD.split()) - _words(
    "definitions $schema additionalItems patternProperties dependencies"
) | _words("nullable discriminator readOnly writeOnly xml externalDocs example deprecated")

DRAFT_2020_12: Final = _modern("2020-12", opens="yes")
DIALECTS: Final = (
    Dialect(
        "draft-04",
        "http://json-schema.org/draft-04/schema",
        frozenset([*_OLD.split(), "id"]),
        id_word="id",
        ref_alone=True,
        pointless=True,
        definitions="/definitions",
    ),
    Dialect("draft-06", "http://json-schema.org/draft-06/schema", _SIX, ref_alone=True, definitions="/definitions"),
    Dialect(
        "draft-07",
        "http://json-schema.org/draft-07/schema",
        _SEVEN,
        ref_alone=True,
        content=True,
        definitions="/definitions",
        opens="http://json-schema.org/draft-07/schema#",
        says=(_SEVEN - _words("additionalItems dependencies")) | _words("prefixItems dependentRequired deprecated"),
    ),
    _modern("2019-09"),
    DRAFT_2020_12,
    Dialect(
        "openapi-3.0",
        "https://spec.openapis.org/oas/3.0/dialect",
        _OF_OPENAPI_30,
        id_word="",
        ref_alone=True,
        nullable=True,
        definitions="/components/schemas",
        says=(_OF_OPENAPI_30 - _words("nullable discriminator")) | _words("const contains dependentRequired"),
    ),
    Dialect(
        "openapi-3.1",
        "https://spec.openapis.org/oas/3.1/dialect/base",
        DRAFT_2020_12.keywords | VOCABULARIES["https://spec.openapis.org/oas/3.1/vocab/base"],
        definitions="/components/schemas",
    ),
)
"""Every dialect that documents can be read in. To add one is to add a row, and its meta-schema."""
BY_NAME: Final = {dialect.name: dialect for dialect in DIALECTS}
WRITTEN: Final = {name: BY_NAME[name] for name in get_args(WrittenDialect)}
"""Those that documents can be written in, the usual one first. `writing/lowered.py` has what each changes."""

HELD_ONE: Final = _words(
    "additionalProperties additionalItems items contains propertyNames not if then else "
    "unevaluatedItems unevaluatedProperties contentSchema"
)
"""Keywords that hold one schema (`items` may hold a list of them too)."""
HELD_LIST: Final = _words("allOf anyOf oneOf prefixItems items")
HELD_MAP: Final = _words("properties patternProperties dependentSchemas $defs definitions dependencies")


def dialect_of(uri: str) -> Dialect | None:
    """The dialect that a `$schema` names; None for one of somebody's own."""
    plain = uri.removesuffix("#")
    tail = plain.partition("://")[2]
    for dialect in DIALECTS:
        if tail == dialect.uri.partition("://")[2]:
            return dialect
    # "The latest", as documents of long ago ask for; draft-07 was the last to answer to that form.
    return BY_NAME["draft-07"] if tail == "json-schema.org/schema" else None


def dialect_called(name: str | None) -> Dialect | None:
    """The dialect by name or URI, None where none is named. Raises DeclarationError for one that is not known."""
    if name is None:
        return None
    found = BY_NAME.get(name) or dialect_of(name)
    if found is None:
        raise DeclarationError(f"dialect={name!r} is not known", remedy=f"one of {', '.join(BY_NAME)}")
    return found
