"""A gate of a JSON Schema document."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Any, Literal

from ..declare.errors import DeclarationError
from ..declare.limits import Limits, limits_of
from ..declare.sources import Source
from ..document.document import Document, Flaw
from .base import AnyGate

if TYPE_CHECKING:
    from os import PathLike

    from ..document.judging.engine import DocumentEngine


class DocumentGate(AnyGate[Any]):
    """See `Gate.from_schema`, which makes it. Immutable, safe in threads, picklable.

    `dialect` is the one that the document turned out to be written in. `flaws` are the parts of the document that
    cannot be used, none unless the gate was made with `flaws="tell"`. `idle` are its words that judge nothing, though
    they look as if they did: misspelt, of another edition, beside a `$ref` that silences them. By the standard they are
    annotations; `Gate.from_schema` warns of them (IdleKeyword), and the first hundred stand here.
    """

    __slots__ = ("_asked", "_documents", "_formats", "_tells", "_uri", "dialect", "flaws", "idle")

    _asked: str | None
    _documents: Mapping[str, Any]
    _engine: DocumentEngine
    _formats: Literal["assert", "annotate"] | None
    _tells: Literal["refuse", "tell"]
    _uri: str
    dialect: str
    flaws: tuple[Flaw, ...]
    idle: tuple[Flaw, ...]

    def __init__(
        self,
        document: Mapping[str, Any] | bool | PathLike[str],
        *,
        formats: Literal["assert", "annotate"] | None = None,
        documents: Mapping[str, Any] | PathLike[str] | None = None,
        dialect: str | None = None,
        limits: Limits | None = None,
        uri: str = "",
        flaws: Literal["refuse", "tell"] = "refuse",
        judges: Mapping[str, Callable[[str], bool]] | None = None,
    ) -> None:
        from ..declare.formats.table import JUDGES
        from ..declare.kinds import Anything
        from ..document.dialects import dialect_called
        from ..document.judging.engine import DocumentEngine, read_documents
        from ..read.json_fast import never_quick, plain_json
        from ..shape.nodes import Scalar
        from ..shape.shape import Shape
        from ..shape.uses import Use

        if formats not in (None, "assert", "annotate"):
            raise DeclarationError(f"formats={formats!r} is no way to treat formats", remedy='"assert" or "annotate"')
        if flaws not in ("refuse", "tell"):
            raise DeclarationError(f"flaws={flaws!r} is no way to treat flaws", remedy='"refuse" or "tell"')
        uri, plain, handed = read_documents(document, documents, uri)
        limits = limits_of(limits)
        others = {name: (JUDGES[name][0], judge) for name, judge in (judges or {}).items()}
        engine = DocumentEngine(
            plain, handed, dialect_called(dialect), formats, limits, uri, {**JUDGES, **others}, tell=flaws == "tell"
        )
        self._settle(
            declared=plain,
            reads=Source.JSON,
            limits=limits,
            _shape=Shape(Use(Scalar(Anything()))),
            dialect=engine.dialect.name,
            _plain_json=plain_json,
            _quickly=never_quick,
            _engine=engine,
            _asked=dialect,
            _documents=handed,
            _formats=formats,
            _uri=uri,
            _tells=flaws,
            flaws=engine.flaws,
            idle=engine.idle,
        )

    def __reduce__(self) -> tuple[object, ...]:
        words = {
            "formats": self._formats,
            "documents": dict(self._documents),
            "dialect": self._asked,
            "flaws": self._tells,
        }
        return _judging_again, (self.declared, {**words, "limits": self.limits, "uri": self._uri})

    def __repr__(self) -> str:
        title = self.declared.get("title", "") if isinstance(self.declared, dict) else ""
        return f"<Gate from a {self.dialect} document{f' {title!r}' if title else ''}>"

    @property
    def takes_list(self) -> bool:
        """Whether the document is one of lists, as its `type` tells."""
        return self._engine.kinds == ["array"]

    def output(self, data: object, form: Literal["flag", "basic"] = "basic") -> dict[str, Any]:
        """The verdict in the standard's own form (2020-12, section 12.4).

        "flag" tells only whether data is valid; "basic" lists errors, or the annotations of valid data. In a document
        that leads to itself, what several alternatives find in common is listed once, and annotations end after
        10,000 values.
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


def _judging_again(document: Any, words: dict[str, Any]) -> DocumentGate:
    return DocumentGate(document, **words)
