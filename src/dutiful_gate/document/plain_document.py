"""A document as it is handed over, made plain JSON of one's own."""

from __future__ import annotations

from collections.abc import Mapping
from decimal import Decimal
from pathlib import Path as FilePath
from typing import Any

from ..declare.constants import no_json
from ..declare.errors import DeclarationError
from ..declare.limits import is_short_of_stack
from ..report.fault import Path, pointer

TOO_DEEP = "the document nests deeper than can be judged"


def read_document(file: FilePath) -> Any:
    """The document in a JSON file. Raises DeclarationError, naming the file, where none is; OSError as files do."""
    import json

    try:
        return plain_document(json.loads(file.read_bytes()))
    except RecursionError:
        if is_short_of_stack():
            raise
        problem = f"{file}: {TOO_DEEP}"
    except ValueError as broken:
        problem = f"{file} is no JSON: {broken}"
    except DeclarationError as broken:
        problem = f"{file}: {broken.problem}"
    raise DeclarationError(problem, remedy="a document is a JSON file")


class _NoJsonDocument(Exception):
    """What cannot stand in a document, and where."""

    def __init__(self, held: str) -> None:
        super().__init__(held)
        self.held = held
        self.steps: list[Any] = []


def plain_document(document: Any) -> Any:
    """The same document of dicts, lists, text, numbers, true, false and null; a change to what came does not reach it.

    Raises DeclarationError, with the pointer, for what JSON has no form for: NaN, a set, a key that is no text.
    """
    known: dict[int, tuple[Any, Any]] = {}
    try:
        return _made(document, known)
    except _NoJsonDocument as odd:
        path: Path = tuple(reversed(odd.steps))
        raise DeclarationError(
            f"the document is no JSON at {pointer(path) or 'the root'}: it has {odd.held} there",
            remedy="write it as json.loads would give it",
        ) from None
    except RecursionError:
        if is_short_of_stack():
            raise
        raise DeclarationError(TOO_DEEP, remedy="name its inner schemas among the $defs") from None


def _made(value: Any, known: dict[int, tuple[Any, Any]]) -> Any:
    if not isinstance(value, Mapping | list | tuple):
        return _single(value)
    mark = id(value)  # what stands at several places stays one: else a small document could come to millions
    if mark in known:
        if known[mark][1] is _OPEN:
            raise _NoJsonDocument("itself")
        return known[mark][1]
    known[mark] = value, _OPEN  # kept: a mapping may make its values anew, and a mark must stay its own
    made: Any = {} if isinstance(value, Mapping) else []
    for step, each in value.items() if isinstance(value, Mapping) else enumerate(value):
        try:
            if isinstance(made, list):
                made.append(_made(each, known))
            elif isinstance(step, str):
                made[str(step)] = _made(each, known)
            else:
                raise _NoJsonDocument("a key that is no text")
        except _NoJsonDocument as odd:
            odd.steps.append(step)
            raise
    known[mark] = value, made
    return made


_OPEN = object()


def _single(value: Any) -> Any:
    held = no_json(value)
    if held and not isinstance(value, str):  # JSON can spell a lone surrogate, "\ud800"
        raise _NoJsonDocument(held)
    if isinstance(value, Decimal):
        return int(value) if value == value.to_integral_value() and abs(value) < _WHOLE else float(value)
    return value


_WHOLE = 10**15
