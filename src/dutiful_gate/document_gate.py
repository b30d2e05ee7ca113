"""A gate made of a JSON Schema document that somebody wrote, instead of types."""

from __future__ import annotations

import json
from collections.abc import Mapping
from os import PathLike
from pathlib import Path
from typing import Any, Literal

from .declare.errors import DeclarationError
from .declare.facts import Source
from .declare.kinds import Anything
from .declare.limits import Limits
from .document.document import Document
from .document.judging.engine import DocumentEngine, documents_in, draft_called
from .gate import Gate
from .read.json_fast import plain_json
from .shape.nodes import Scalar, Shape, Use

_FORMATS = (None, "assert", "annotate")


class DocumentGate(Gate[Any]):
    """See `Gate.from_schema`, which makes it. Immutable, safe in threads, picklable.

    `dialect` is the edition that the document turned out to be written in.
    """

    __slots__ = ("_asked", "_documents", "_formats", "dialect")

    _asked: str | None
    _documents: Mapping[str, Any]
    _engine: DocumentEngine
    _formats: Literal["assert", "annotate"] | None
    dialect: str

    def __init__(
        self,
        document: Mapping[str, Any] | bool | PathLike[str],
        *,
        formats: Literal["assert", "annotate"] | None = None,
        documents: Mapping[str, Any] | PathLike[str] | None = None,
        dialect: str | None = None,
        limits: Limits | None = None,
    ) -> None:
        if formats not in _FORMATS:
            raise DeclarationError(f"formats={formats!r} is no way to treat formats", remedy='"assert" or "annotate"')
        handed = documents_in(Path(documents)) if isinstance(documents, str | PathLike) else dict(documents or {})
        uri, raw = "", document
        if isinstance(document, PathLike):
            raw, path = _read(Path(document)), Path(document)
            # Among the documents of its own folder it is known as they are: by its path there.
            inside = isinstance(documents, str | PathLike) and path.resolve().is_relative_to(Path(documents).resolve())
            uri = path.resolve().relative_to(Path(documents).resolve()).as_posix() if inside else ""  # type: ignore[arg-type]
        limits = limits or Limits()
        plain = dict(raw) if isinstance(raw, Mapping) else raw
        engine = DocumentEngine(plain, handed, draft_called(dialect), formats, limits, uri)
        settled = {
            "declared": plain,
            "reads": Source.JSON,
            "unknown": "drop",
            "limits": limits,
            "keys": None,
            "lenient": False,
            "shape": Shape(Use(Scalar(Anything()))),
            "dialect": engine.dialect.name,
            "_plain_json": plain_json,
            "_engine": engine,
            "_asked": dialect,
            "_documents": handed,
            "_formats": formats,
        }
        for name, held in settled.items():
            object.__setattr__(self, name, held)

    def __reduce__(self) -> tuple[object, ...]:
        return _rebuilt, (self.declared, self._formats, dict(self._documents), self._asked, self.limits)

    def __repr__(self) -> str:
        title = self.declared.get("title", "") if isinstance(self.declared, dict) else ""
        return f"<Gate from a {self.dialect} document{f' {title!r}' if title else ''}>"

    def output(self, data: object, form: Literal["flag", "basic"] = "basic") -> dict[str, Any]:
        """The verdict in the standard's own form (2020-12, section 12.4).

        "flag" tells only whether data is valid; "basic" lists errors, or the annotations of valid data.
        """
        if form not in ("flag", "basic"):
            raise ValueError(f"{form!r} is no output form that is written here: flag or basic")
        return self._engine.output(data, form)

    def schema(self, **words: Any) -> Document:
        """The document itself."""
        if words:
            raise TypeError(f"a gate from a document gives it back as it is, and takes no {', '.join(words)}")
        declared = self.declared if isinstance(self.declared, dict) else {} if self.declared else {"not": {}}
        return Document(declared, ())


def _read(path: Path) -> Any:
    try:
        return json.loads(path.read_bytes())
    except ValueError as broken:
        raise DeclarationError(f"{path} is no JSON: {broken}", remedy="a document is a JSON file") from None


def _rebuilt(document: Any, formats: Any, documents: Any, dialect: Any, limits: Limits) -> DocumentGate:
    return DocumentGate(document, formats=formats, documents=documents, dialect=dialect, limits=limits)
