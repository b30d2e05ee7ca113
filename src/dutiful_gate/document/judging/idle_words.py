"""Words of a document that judge nothing, though they look as if they did: misspelt, of another edition, silenced.

By the standard such words are annotations (2020-12, section 6.5 of its core), so that they are told, and no flaw.
"""

from __future__ import annotations

import warnings
from collections.abc import Iterator, Sequence
from typing import Final

from ...report.nearest_name import nearest
from ...report.shown_values import quoted, visible
from ..dialects import BY_NAME, DIALECTS
from ..document import Flaw
from .keywords import COMBINING, LIST_WORDS, NUMBER_WORDS, RECORD_WORDS, REFERENCES, TEXT_WORDS
from .library import Subschema
from .options import JudgingOptions

_JUDGING: Final = (
    *TEXT_WORDS, *NUMBER_WORDS, *LIST_WORDS, *RECORD_WORDS, *REFERENCES, *COMBINING, "then", "else", "type", "enum",
    "const", "minContains", "maxContains", "unevaluatedItems", "unevaluatedProperties", "nullable",
)  # fmt: skip
"""The keywords by which data can be refused; a misspelt title harms nobody."""
_EVERY: Final = tuple(sorted(frozenset().union(*(dialect.keywords for dialect in DIALECTS))))
_HANG_ON: Final = {"then": "if", "else": "if", "minContains": "contains", "maxContains": "contains"}
_BARE: Final = {word.removeprefix("$"): word for word in REFERENCES}
_SHORT = 5
_MOST_SHOWN = 5


class IdleKeyword(UserWarning):
    """Words of a JSON Schema document judge nothing, though they look as if they did."""


def warn(idle: Sequence[Flaw], *, stacklevel: int) -> None:
    """Tell the developer of such words, if there are some."""
    if idle:
        told = visible("; ".join(map(str, idle[:_MOST_SHOWN])))
        more = f"; and {len(idle) - _MOST_SHOWN} more, see .idle" if len(idle) > _MOST_SHOWN else ""
        warnings.warn(f"words that judge nothing: {told}{more}", IdleKeyword, stacklevel=stacklevel + 1)


def idle_words(node: Subschema, options: JudgingOptions) -> Iterator[tuple[str, str]]:
    """Each such word of a schema, and why nothing is asked by it."""
    dialect = node.dialect
    silenced = dialect.ref_alone and "$ref" in node.raw
    for word, held in node.raw.items():
        if word not in dialect.keywords:
            # A dialect of somebody's own leaves out what it does not want.
            if word in _JUDGING and dialect.name in BY_NAME:
                others = ", ".join(each.name for each in DIALECTS if word in each.keywords)
                yield word, f"no keyword of {dialect.name}, but of {others}; say in $schema which is meant"
            elif near := _meant(word):
                yield word, f"no keyword; did you mean {near!r}?"
        elif silenced:
            if word != "$ref" and word in _JUDGING:
                yield word, f"in {dialect.name} nothing beside $ref is looked at; put both into an allOf"
        elif word in _HANG_ON and _HANG_ON[word] not in node.raw:
            yield word, f"it hangs on {_HANG_ON[word]!r}, which is not beside it"
        elif word == "format" and held not in options.judges and options.formats(dialect):
            near = nearest(held, tuple(options.judges))
            if near:
                yield word, f"the format {quoted(held)} is not known, and not judged; did you mean {near!r}?"


def _meant(word: str) -> str:
    """The keyword that a word was meant to be, "" if none is near, or one that judges nothing is."""
    if word in _EVERY or word.startswith("x-"):
        return ""
    if word in _BARE:
        return _BARE[word]
    near = nearest(word, _EVERY)
    if near not in _JUDGING:
        return ""
    # Of few letters, one other letter makes another word, such as `cost` of `const`.
    plain, wanted = word.replace("_", "").replace("-", "").lower(), near.lower()
    alike = plain in (wanted, f"{wanted}s") or f"{plain}s" == wanted or sorted(plain) == sorted(wanted)
    return near if len(near) > _SHORT or alike else ""
