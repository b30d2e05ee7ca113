"""Documents as users ask for them: of one gate, or of several in one bundle."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal, NamedTuple

from ...declare.errors import DeclarationError
from ...declare.json_pointer import escaped, unescaped
from ...declare.kinds.decimal import as_json
from ...shape.shape import Shape
from ..dialects import WRITTEN, Dialect, WrittenDialect
from ..document import Document, Unstated
from .naming import Defining, names_in_one, renaming, with_leads
from .other_dialects import DialectWriter
from .unfinished import Unfinished, written

Of = Literal["send", "release"]
Formats = Literal["name", "spell-out"]


def composed(
    shape: Shape, *, refuse_unknown: bool, of: Of, dialect: WrittenDialect, formats: Formats, uri: str | None
) -> Document:
    """The document of one shape. Raises DeclarationError for a word that is not known."""
    into = _checked(of, dialect, formats)
    return _finished(_begun(shape, refuse_unknown, of, into, formats), into, uri)


class Part(NamedTuple):
    """A shape in a bundle: whether it refuses unknown keys, and whether what is sent or released is told of it."""

    shape: Shape
    refuse_unknown: bool
    of: Of


def bundled(shapes: Mapping[str, Part], *, dialect: WrittenDialect, formats: Formats, uri: str | None) -> Document:
    """One document of several shapes by name, which share what they have in common."""
    into = _checked("send", dialect, formats)
    mixed = len({part.of for part in shapes.values()}) > 1
    drafts = [_begun(part.shape, part.refuse_unknown, part.of, into, formats) for part in shapes.values()]
    inner = [draft.content.pop("$defs", {}) for draft in drafts]
    words = ["Answered" if mixed and part.of == "release" else "" for part in shapes.values()]
    for_openapi = into.name.startswith("openapi")
    names_of = names_in_one(list(map(Defining, inner, words)), for_openapi=for_openapi)
    definitions: dict[str, Any] = {}
    unstated: list[Unstated] = []
    names: dict[str, str] = {}
    for name, draft, held, renamed in zip(shapes, drafts, inner, names_of, strict=True):
        change = renaming(renamed)
        for key, each in held.items():
            if renamed[key] not in definitions:
                definitions[renamed[key]] = with_leads(each, change)
        root = with_leads(draft.content, change)
        at = f"/$defs/{escaped(name)}"
        if root != {"$ref": f"#{at}"}:
            if name in definitions and definitions[name] != root:
                raise DeclarationError(
                    f"two things of the bundle are called {name!r}", remedy="give the gate another name in the bundle"
                )
            definitions[name] = root
        moved = {
            pointer: change(f"#{pointer}").removeprefix("#") if pointer.startswith("/$defs/") else at + pointer
            for pointer in (*draft.names, *(rule.pointer for rule in draft.unstated))
        }
        names |= {moved[pointer]: held for pointer, held in draft.names.items()}
        for rule in draft.unstated:
            if (placed := rule.replace(pointer=moved[rule.pointer])) not in unstated:
                unstated.append(placed)
    return _finished(Unfinished({"$defs": definitions}, unstated, names, {}), into, uri)


def _checked(of: str, dialect: str, formats: str) -> Dialect:
    """The dialect of a name. Raises DeclarationError for a word that is not known."""
    for word, given, known in (
        ("of", of, ("send", "release")),
        ("dialect", dialect, tuple(WRITTEN)),
        ("formats", formats, ("name", "spell-out")),
    ):
        if given not in known:
            raise DeclarationError(f"{word}={given!r} is not known for a document", remedy=f"one of {', '.join(known)}")
    return WRITTEN[dialect]


def _begun(shape: Shape, refuse_unknown: bool, of: str, dialect: Dialect, formats: str) -> Unfinished:
    loose: frozenset[str] = frozenset()
    while True:  # each round finds further unions, of the few that there are
        draft = written(shape, refuse_unknown=refuse_unknown, of=of, formats=formats, dialect=dialect, loose=loose)
        lost: list[Unstated] = []
        if draft.exclusive_unions:
            lowered = DialectWriter(dialect, draft.names)
            lowered.document(draft.content, None)
            lost = lowered.unstated
        if not (more := draft.loosened([*draft.unstated, *lost])):
            return draft
        loose |= more


def _finished(draft: Unfinished, dialect: Dialect, uri: str | None) -> Document:
    lowered = DialectWriter(dialect, draft.names)
    content = as_json(lowered.document(draft.content, uri))
    rules = [*draft.unstated, *lowered.unstated]
    return Document(
        content, tuple(rule.replace(pointer=_there(lowered.pointer(rule.pointer), content)) for rule in rules)
    )


def _there(pointer: str, content: Any) -> str:
    """A pointer as far as it leads in a document: where a keyword was lost, to what it stood in."""
    at, far = content, ""
    for step in pointer.split("/")[1:]:
        name = unescaped(step)
        known = isinstance(at, dict) and name in at
        if not known and not (isinstance(at, list) and name.isdecimal() and int(name) < len(at)):
            break
        at, far = at[name] if known else at[int(name)], f"{far}/{step}"
    return far
