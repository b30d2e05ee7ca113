"""Python declarations for a document."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from typing import Any

from ...codegen.module_check import Unwritable
from ...declare.errors import DeclarationError
from ...declare.limits import Limits, is_short_of_stack
from ..dialects import dialect_called
from ..document import Flaw
from ..judging.engine import DocumentEngine
from ..judging.idle_words import warn
from ..plain_document import plain_document
from .kept_parts import homes, referred
from .module_state import ModuleState
from .records import RecordTypes
from .steady_defaults import SteadyDefaults
from .types import TypeWriter

_MOST_SHOWN = 5


class Declarations(str):
    """Python source of declarations: plain text, with what was not said in types.

    `records`   how many classes it has, and `names` how many other types have a name
    `embedded`  the keywords that stay a document beside a type, by the place of their schema
    `left_out`  the defaults that are not applied, each with its place and why
    `idle`      the words that judge nothing, though they look as if they did, each with its place and why
    `formats`   the formats that the standard does not know, which ask nothing, and how often each stood there
    """

    records: int
    names: int
    embedded: Mapping[str, tuple[str, ...]]
    left_out: tuple[str, ...]
    formats: Mapping[str, int]
    idle: tuple[Flaw, ...]

    def summary(self, *, places: bool = False) -> str:
        """What became of the document, in a few lines for people; with the places of all that stays a document."""
        lines = [_count(self.records, "record") + (f", {_count(self.names, 'other name')}" if self.names else "")]
        if not self.embedded:
            lines[0] += "; all of it is types and rules"
        else:
            words = Counter(word for held in self.embedded.values() for word in held)
            order = sorted(words.items(), key=lambda each: (-each[1], each[0]))
            told = ", ".join(f"{word} ({number})" for word, number in order)
            lines.append(
                f"{_count(len(self.embedded), 'schema')} with a part that stays a document, obeys_document(...): {told}"
            )
            if places:
                lines += [f"  {place}: {', '.join(held)}" for place, held in self.embedded.items()]
        if self.formats:
            told = ", ".join(f"{name} ({number})" for name, number in self.formats.items())
            lines.append(f"formats that the standard does not know, and that ask nothing: {told}")
        lines += [f"judges nothing: {each}" for each in self.idle]
        shown = self.left_out if places else self.left_out[:_MOST_SHOWN]
        lines += [f"default left out at {each}" for each in shown]
        if len(shown) < len(self.left_out):
            lines.append(f"and {_count(len(self.left_out) - len(shown), 'more default')} left out")
        return "\n".join(lines)


def _count(number: int, word: str) -> str:
    return f"{number:,} {word}{'' if number == 1 else 's'}"


def declarations_of(
    document: Mapping[str, Any] | bool,
    *,
    name: str = "",
    documents: Mapping[str, Any] | None = None,
    dialect: str | None = None,
) -> Declarations:
    """Python source of declarations, whose `gate` judges as a JSON Schema document does, formats asserted.

    `name` is what to call the root, by default its title; `documents` is what references may lead to, by URI;
    `dialect` that of a document without `$schema`.

    Records become dataclasses, or TypedDicts where a key may be absent without a default; what has no form of its own
    stays as a document beside the field, see `obeys_document`. Raises DeclarationError for what is no sound document.
    Warns of words that judge nothing, though they look as if they did (IdleKeyword).
    """
    plain, handed = plain_document(document), plain_document(documents or {})
    engine = DocumentEngine(plain, handed, dialect_called(dialect), "assert", Limits(), "")
    try:
        page = ModuleState(engine, plain, handed, name)
        made = _written(page)
        # Only now is it known what stays: a resource that can be handed over by itself is, when all is told once more.
        apart = homes(page.library, page.root.document, page.kept)
        made = _written(ModuleState(engine, plain, handed, name, apart)) if apart else made
        warn(made.idle, stacklevel=2)
        return made
    except Unwritable as error:
        raise DeclarationError(
            f"the document cannot be said in Python: {error}", remedy="judge by it as it is: Gate.from_schema"
        ) from None
    except RecursionError:
        if is_short_of_stack():
            raise
        raise DeclarationError(
            "the definitions lead from one to the next too many times to be told",
            remedy="let records stand between them, as schemas with properties",
        ) from None


def _written(page: ModuleState) -> Declarations:
    """The module of a document."""
    types = TypeWriter(page)
    page.records = records = RecordTypes(page, types)
    root = page.root
    if page.library.dynamic:
        # Where a dynamic reference leads depends on the way to it: such a document is judged as one.
        told = page.annotated(page.any(), [page.whole(referred(root))])
    else:
        told = types.root(root)
        records.write_all()
        defaults = SteadyDefaults(page, records.classes)
        defaults.leave_looked_at()
        defaults.break_circles()
    refuses = records.gate_refuses()
    text = page.text(records.texts(gate_refuses=refuses), told, ', unknown="refuse"' if refuses else "")
    made = Declarations(text)
    made.records, made.names = len(records.classes), len(page.aliases) + len(page.shared_aliases)
    made.embedded = {place: tuple(sorted(words)) for place, words in page.embeds.items()}
    made.left_out = tuple(page.left_out)
    made.formats = dict(page.unknown_formats)
    made.idle = page.engine.idle
    return made
