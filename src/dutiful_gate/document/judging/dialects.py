"""The drafts of the standard: which keywords each knows, and which of them hold schemas."""

from __future__ import annotations

from typing import Final

from ...declare.values import Value


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
"""The keywords of each vocabulary, by its URI. Both drafts share those below."""

for _draft in ("2019-09", "2020-12"):
    VOCABULARIES.update(
        {
            f"https://json-schema.org/draft/{_draft}/vocab/validation": _words(
                "type enum const multipleOf maximum exclusiveMaximum minimum exclusiveMinimum maxLength minLength "
                "pattern maxItems minItems uniqueItems maxContains minContains maxProperties minProperties "
                "required dependentRequired"
            ),
            f"https://json-schema.org/draft/{_draft}/vocab/meta-data": frozenset(
                f"{_META} deprecated readOnly writeOnly examples".split()
            ),
            f"https://json-schema.org/draft/{_draft}/vocab/content": _words(
                "contentEncoding contentMediaType contentSchema"
            ),
        }
    )

FORMAT_ASSERTION: Final = "https://json-schema.org/draft/2020-12/vocab/format-assertion"
FORMAT_2019_09: Final = "https://json-schema.org/draft/2019-09/vocab/format"
"""Asserted where it is needed, which `true` says (its section 7.2); `false` leaves it to us."""
# Dropped by 2019-09, yet in documents that were brought along from before; harmless where nobody writes it.
_BROUGHT_ALONG = _words("dependencies definitions")


class Dialect(Value):
    """One edition of the standard, or a dialect made of its vocabularies.

    `keywords`   those with a meaning; everything else is an annotation
    `id_word`    the keyword that names a schema
    `ref_alone`  whether `$ref` silences the keywords beside it (to draft-07)
    `asserts`    whether the dialect itself asks for formats to be asserted
    """

    name: str
    uri: str
    keywords: frozenset[str]
    id_word: str = "$id"
    ref_alone: bool = False
    asserts: bool = False

    @property
    def old(self) -> bool:
        """Whether it is draft-07 or earlier, where `$id` may be a plain anchor."""
        return self.ref_alone


def _modern(name: str) -> Dialect:
    start = f"https://json-schema.org/draft/{name}/"
    words = frozenset().union(*(held for uri, held in VOCABULARIES.items() if uri.startswith(start)))
    return Dialect(name, f"{start}schema", words | _BROUGHT_ALONG)


_SIX = frozenset(_OLD.split()) | _words("$id const contains propertyNames examples")
_SEVEN = _SIX | _words("if then else readOnly writeOnly $comment contentEncoding contentMediaType")

DRAFT_04: Final = Dialect(
    "draft-04", "http://json-schema.org/draft-04/schema", frozenset([*_OLD.split(), "id"]), "id", True
)
DRAFT_06: Final = Dialect("draft-06", "http://json-schema.org/draft-06/schema", _SIX, "$id", True)
DRAFT_07: Final = Dialect("draft-07", "http://json-schema.org/draft-07/schema", _SEVEN, "$id", True)
DRAFT_2019_09: Final = _modern("2019-09")
DRAFT_2020_12: Final = _modern("2020-12")
OPENAPI_30: Final = Dialect(
    "openapi-3.0",
    "https://spec.openapis.org/oas/3.0/dialect",
    frozenset(_OLD.split()) - _words("definitions $schema additionalItems patternProperties dependencies")
    | _words("nullable discriminator readOnly writeOnly xml externalDocs example deprecated"),
    "",
    True,
)
OPENAPI_31: Final = Dialect(
    "openapi-3.1",
    "https://spec.openapis.org/oas/3.1/dialect/base",
    DRAFT_2020_12.keywords | VOCABULARIES["https://spec.openapis.org/oas/3.1/vocab/base"],
)

DRAFTS: Final = (DRAFT_04, DRAFT_06, DRAFT_07, DRAFT_2019_09, DRAFT_2020_12, OPENAPI_30, OPENAPI_31)
"""Every edition that documents can be read in."""
BY_NAME: Final = {draft.name: draft for draft in DRAFTS}

HELD_ONE: Final = _words(
    "additionalProperties additionalItems items contains propertyNames not if then else "
    "unevaluatedItems unevaluatedProperties contentSchema"
)
"""Keywords that hold one schema (`items` may hold a list of them too)."""
HELD_LIST: Final = _words("allOf anyOf oneOf prefixItems items")
HELD_MAP: Final = _words("properties patternProperties dependentSchemas $defs definitions dependencies")


def draft_of(uri: str) -> Dialect | None:
    """The edition that a `$schema` names; None for a dialect of somebody's own."""
    plain = uri.removesuffix("#")
    tail = plain.partition("://")[2]
    for draft in DRAFTS:
        if tail == draft.uri.partition("://")[2]:
            return draft
    # "The latest", as documents of long ago ask for; draft-07 was the last to answer to that form.
    return DRAFT_07 if tail == "json-schema.org/schema" else None
