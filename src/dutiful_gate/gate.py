"""The gate: the front door to all the rooms."""

from __future__ import annotations

import pickle
import sys
from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import partial
from typing import TYPE_CHECKING, Any, Generic, Literal, NoReturn, TypeVar, overload

from .declare.errors import DeclarationError
from .declare.facts import FAILED, Source
from .declare.limits import Limits
from .document.document import Document, Flaw
from .report.fault import Fault
from .report.verdict import Refused, Verdict, refusal

if TYPE_CHECKING:
    from os import PathLike

    from .document.judging.engine import DocumentEngine
    from .engine.gatehouse import Engine
    from .read.json_text import JsonText
    from .report.fault import Path
    from .shape.nodes import Shape

T = TypeVar("T")
Raw = bytes | bytearray | memoryview | str
_UNKNOWN = ("drop", "refuse")


# What can be seen is what is seen outside of this package: its own modules make gates of types that they are handed.
_OWN = f"{__package__}."


class Gate(Generic[T]):
    """A declared type, compiled for one source. Immutable, safe in threads, picklable where its type is.

    `declared`  a dataclass, a type like `list[Booking]`, or an `Annotated` alias of one
    `source`    what the data is before it is read: `Source.JSON` (decoded), `Source.TEXT`, `Source.NATIVE`
    `unknown`   keys nobody declared: "drop" leaves them out and tells of it, "refuse" makes each a fault
    `limits`    bounds on what comes from outside, see `Limits`
    `keys`      how names in the data are made of attributes': `camel`, `kebab`, or a function of one's own
    `lenient`   whether every field takes text for numbers and the like
    `names`     names that annotations use and that cannot be seen where the type is declared

    Raises DeclarationError when the declaration is wrong, naming the record, the field and the remedy.
    """

    __slots__ = (
        "_engine",
        "_names",
        "_plain_json",
        "declared",
        "keys",
        "lenient",
        "limits",
        "reads",
        "shape",
        "unknown",
    )

    declared: object
    reads: Source
    unknown: Literal["drop", "refuse"]
    limits: Limits
    keys: Callable[[str], str] | None
    lenient: bool
    shape: Shape
    _names: Mapping[str, Any]
    _engine: Engine | DocumentEngine
    _plain_json: Callable[[Raw, Limits, bool], Any]

    @overload
    def __init__(
        self,
        declared: type[T],
        source: Source = ...,
        *,
        unknown: Literal["drop", "refuse"] = ...,
        limits: Limits | None = ...,
        keys: Callable[[str], str] | None = ...,
        lenient: bool = ...,
        names: Mapping[str, Any] | None = ...,
    ) -> None: ...

    @overload
    def __init__(
        self: Gate[Any],
        declared: object,
        source: Source = ...,
        *,
        unknown: Literal["drop", "refuse"] = ...,
        limits: Limits | None = ...,
        keys: Callable[[str], str] | None = ...,
        lenient: bool = ...,
        names: Mapping[str, Any] | None = ...,
    ) -> None: ...

    def __init__(
        self,
        declared: Any,
        source: Source = Source.JSON,
        *,
        unknown: Literal["drop", "refuse"] = "drop",
        limits: Limits | None = None,
        keys: Callable[[str], str] | None = None,
        lenient: bool = False,
        names: Mapping[str, Any] | None = None,
    ) -> None:
        if unknown not in _UNKNOWN:
            raise DeclarationError(f"unknown={unknown!r} is no way to treat unknown keys", remedy='"drop" or "refuse"')
        if not isinstance(source, Source):
            raise DeclarationError(
                f"source={source!r} is no source", remedy="Source.JSON, Source.TEXT or Source.NATIVE"
            )
        # The rooms behind the door open when the first gate is built: importing the package stays cheap.
        from .engine.gatehouse import Engine, Plan
        from .engine.held import check_held
        from .read.json_fast import plain_json
        from .shape.build import shape_of

        # Types declared inside a function see each other through the frame in which their gate is built.
        frame = sys._getframe(1)
        while frame.f_back is not None and str(frame.f_globals.get("__name__")).startswith(_OWN):
            frame = frame.f_back
        seen = {**frame.f_globals, **frame.f_locals, **(names or {})}
        shape, used = shape_of(declared, seen, frame.f_code.co_qualname, keys=keys, lenient=lenient)
        check_held(shape)
        limits = limits or Limits()
        engine = Engine(Plan(shape, source, unknown == "refuse", limits))
        settled = {
            "declared": declared,
            "reads": source,
            "unknown": unknown,
            "limits": limits,
            "keys": keys,
            "lenient": lenient,
            "shape": shape,
            "_names": used,
            "_plain_json": plain_json if source is Source.JSON else _no_json(source),
            "_engine": engine,
        }
        for name, held in settled.items():
            object.__setattr__(self, name, held)

    @staticmethod
    def from_schema(
        document: Mapping[str, Any] | bool | PathLike[str],
        *,
        formats: Literal["assert", "annotate"] | None = None,
        documents: Mapping[str, Any] | PathLike[str] | None = None,
        dialect: str | None = None,
        flaws: Literal["refuse", "tell"] = "refuse",
        limits: Limits | None = None,
    ) -> DocumentGate:
        """A gate that judges by a JSON Schema document: draft-04, 06, 07, 2019-09, 2020-12, OpenAPI 3.0 or 3.1.

        It admits data as it is, and refuses it with the same faults as every gate; each has its `keyword` too.

        `document`   the decoded document, or the path of a JSON file
        `formats`    "assert": a wrong format is a fault (in draft-07 wrong content too); "annotate": it says nothing;
                     by default what the document's dialect asks for, which mostly is the second
        `documents`  what references may lead to, by URI; or a folder, whose JSON files are known by their path in it.
                     Nothing is ever fetched; the standard's own meta-schemas are at hand
        `dialect`    the edition of a document that has no `$schema`: by name, such as "draft-07"
        `flaws`      "tell": where a part of the document cannot be used, such as a reference to what is not at hand,
                     the gate judges by the rest, has the part in its `.flaws`, and each verdict lists in `.unjudged`
                     the places in the data that it could not judge. Such data is admitted unless the rest refuses it:
                     `accepts` and `admit` alone cannot tell whether all was judged, `examine` can

        Raises DeclarationError, with the pointer at fault, for a document that its meta-schema refuses, that refers to
        what is not at hand, that has a pattern which is none, or whose references go in a circle.
        """
        return DocumentGate(document, formats=formats, documents=documents, dialect=dialect, limits=limits, flaws=flaws)

    def __setattr__(self, name: str, value: object) -> NoReturn:
        raise AttributeError(f"a gate does not change: build another with other words instead of setting {name}")

    def __copy__(self) -> Gate[T]:
        return self  # it does not change

    def __deepcopy__(self, memo: dict[int, Any]) -> Gate[T]:
        return self

    def __reduce__(self) -> tuple[object, ...]:
        words = (self.declared, self.reads, self.unknown, self.limits, self.keys, self.lenient, dict(self._names))
        from .shape.travel import packed

        return _unpacked, (packed(self.shape, words),)

    def __repr__(self) -> str:
        return f"<Gate {self.shape.name} from {self.reads!r}>"

    def admit(self, data: object) -> T:
        """The typed value of sound data. Raises Refused, with every fault, for anything else."""
        value = self._engine.sound(data)
        if value is FAILED:
            verdict = self._examined(data)
            if not verdict:
                raise Refused(verdict)
            value = verdict.value
        return value  # type: ignore[no-any-return]

    def examine(self, data: object) -> Verdict[T]:
        """The verdict on data: its value, or every fault. Never raises for bad data."""
        value = self._engine.sound_and_known(data)
        if value is FAILED:
            return self._examined(data)
        return Verdict(value, (), (), 0, (), partial(self._entered, data))

    def accepts(self, data: object) -> bool:
        """Whether data would be admitted.

        By a document whose flaws are only told that includes data which could not be judged: `examine` lists it.
        """
        return self._engine.sound(data) is not FAILED or bool(self._examined(data))

    def examine_each(self, items: Iterable[object]) -> Iterator[Verdict[T]]:
        """One verdict an item, lazily, in order.

        What is no list of items, one record or a text, is one refused verdict that says so.
        """
        if isinstance(items, Mapping | str | bytes | bytearray) or not hasattr(items, "__iter__"):
            from .report.cause import Cause
            from .report.show import outlined

            json = self.reads is Source.JSON
            cause = Cause("kind", "an array of items" if json else "a list of items", json=json)
            given = outlined(items) if self.shape.secretive else items
            yield refusal([Fault((), cause, given)])
            return
        examine = self.examine
        for item in items:
            yield examine(item)

    def admit_json(self, raw: Raw) -> T:
        """The typed value of raw JSON. Raises Refused, every fault with its line and column, for anything else."""
        plain = self._plain_json(raw, self.limits, self.shape.exact)
        if plain is not FAILED:
            value = self._engine.sound(plain)
            if value is not FAILED:
                return value  # type: ignore[no-any-return]
        verdict = self._examined_json(raw, plain)
        if not verdict:
            raise Refused(verdict)
        return verdict.value

    def examine_json(self, raw: Raw) -> Verdict[T]:
        """The verdict on raw JSON (RFC 8259, in UTF-8 where it is bytes), within the gate's limits.

        Faults carry the line and column they stand at. Text that is no JSON is a fault too, never an exception.
        Raises TypeError when `raw` is no text at all, and for a gate whose source is not JSON.
        """
        plain = self._plain_json(raw, self.limits, self.shape.exact)
        value = FAILED if plain is FAILED else self._engine.sound_and_known(plain)
        if value is FAILED:
            return self._examined_json(raw, plain)
        return Verdict(value, (), (), 0, (), partial(self._entered, plain))

    def _examined_json(self, raw: Raw, plain: object) -> Verdict[T]:
        from .read.json_text import JsonText

        text = JsonText(raw, self.limits, exact=self.shape.exact, hides=self._hides)
        if not text.read(plain):
            if not text.readable:
                return refusal(text.broken, (), text.untold)
            self._engine.sound(None)  # notices when a class is no longer what it was
        return self._examined_text(text)

    def _examined(self, data: object) -> Verdict[T]:
        value, log = self._engine.collect(data)
        excused = log.told_excused() if log.excused else ()
        kept = partial(self._entered, data)
        if value is FAILED:
            return refusal(log.told, log.dropped, log.untold, excused, kept, log.unjudged)
        return Verdict(value, (), log.dropped, 0, excused, kept, log.unjudged)

    def _examined_text(self, text: JsonText) -> Verdict[T]:
        value, log = self._engine.collect(text.value)
        excused = text.placed(log.told_excused()) if log.excused else ()
        kept = partial(self._entered, text.value)
        if value is FAILED or text.broken:
            faults = text.merged(log.told())
            most = self.limits.faults
            untold = log.untold + text.untold + max(0, len(faults) - most)
            return refusal(faults[:most], log.dropped, untold, excused, kept, log.unjudged)
        return Verdict(value, (), log.dropped, 0, excused, kept, log.unjudged)

    @property
    def _hides(self) -> Callable[[Path], Path] | None:
        """What is left of a path that may be shown, where there are secrets: then no text is quoted either."""
        if not self.shape.secretive:
            return None
        from .shape.walk import declared_part

        return partial(declared_part, self.shape)

    def _entered(self, data: object) -> Any:
        from .engine.entered import entered

        return entered(self.shape, data)

    def release(self, value: T, *, secrets: bool = False) -> Any:
        """The way out: a typed value as plain JSON data, under the data's names; secrets only when asked for.

        The value may have been made in code: kinds, rules and record rules are checked, and normalising steps run, so
        that its gate reads again what comes out and the release document accepts it. Not asked again: what depends on
        the moment, functions of one's own, and what stands before a step that makes another value. Numbers that no
        double holds stay Decimals. Raises Refused, with every fault, for a value that cannot go out.
        """
        return self._released(value, secrets, exact=False)

    def release_json(self, value: T, *, secrets: bool = False) -> bytes:
        """The way out as JSON in UTF-8, Decimals digit by digit: 12.50 stays so. Raises Refused as `release` does."""
        from .engine.json_out import json_bytes

        return json_bytes(self._released(value, secrets, exact=True))

    def release_admitted(self, value: T, *, secrets: bool = False) -> Any:
        """The way out for a value that was just admitted and not changed since: it is not checked again."""
        return self._engine.release_admitted(value, secrets=secrets)

    def release_admitted_json(self, value: T, *, secrets: bool = False) -> bytes:
        """The same as JSON in UTF-8."""
        from .engine.json_out import json_bytes

        return json_bytes(self._engine.release_admitted(value, secrets=secrets, exact=True))

    def _released(self, value: T, secrets: bool, *, exact: bool) -> Any:
        made, log = self._engine.release(value, secrets=secrets, exact=exact)
        if made is FAILED:
            assert log is not None
            raise Refused(refusal(log.told, (), log.untold))
        return made

    def admit_cbor(self, raw: bytes | bytearray | memoryview) -> T:
        """The typed value of raw CBOR (RFC 8949). Raises Refused for anything else; needs the extra `cbor`."""
        verdict = self.examine_cbor(raw)
        if not verdict:
            raise Refused(verdict)
        return verdict.value

    def examine_cbor(self, raw: bytes | bytearray | memoryview) -> Verdict[T]:
        """The verdict on raw CBOR (RFC 8949) that holds JSON's kinds of values; needs the extra `cbor`."""
        from .read.cbor import decoded

        data, broken = decoded(bytes(raw), self.limits)
        return refusal([broken]) if broken is not None else self.examine(data)

    def release_cbor(self, value: T, *, secrets: bool = False) -> bytes:
        """The way out as CBOR; needs the extra `cbor`."""
        from .read.cbor import encoded

        return encoded(self.release(value, secrets=secrets))

    @property
    def takes_list(self) -> bool:
        """Whether it is made for a whole list, and not for the items of one."""
        from .shape.nodes import Fixed, Items

        return isinstance(self.shape.root.node, Items | Fixed)

    @property
    def fallen(self) -> tuple[str, ...]:
        """The record rules that lost a field on the way to a variant, and so fell away."""
        return tuple(rule for record in self.shape.records.values() for rule in record.fallen)

    def schema(
        self,
        *,
        of: Literal["send", "release"] = "send",
        dialect: Literal["2020-12", "draft-07", "openapi-3.1", "openapi-3.0"] = "2020-12",
        formats: Literal["name", "spell-out"] = "name",
        id: str | None = None,
    ) -> Document:
        """The JSON Schema document that says to clients what the gate says to data.

        `of`       "send": what a client should send, values in their final form; "release": what `release` gives
        `dialect`  "2020-12"; "draft-07", which editors read; "openapi-3.1" or "openapi-3.0", whose schemas stand under
                   `components`
        `formats`  "spell-out" puts a pattern beside each format, for clients that do not assert formats
        `id`       the document's own URI

        Its `unstated` lists the rules that it cannot express, each with its field and why. It is the same from run to
        run. Raises DeclarationError for a word that is not known.
        """
        from .document.writing.compose import composed

        refuse_unknown = self.unknown == "refuse"
        return composed(self.shape, refuse_unknown=refuse_unknown, of=of, dialect=dialect, formats=formats, uri=id)

    @property
    def source(self) -> str:
        """The Python source that the gate was compiled to."""
        return self._engine.source


def _unpacked(words: bytes) -> Gate[Any]:
    declared, source, unknown, limits, keys, lenient, names = pickle.loads(words)
    return Gate(declared, source, unknown=unknown, limits=limits, keys=keys, lenient=lenient, names=names)


def _no_json(source: Source) -> Callable[[Raw, Limits, bool], Any]:
    def refuse(raw: Raw, limits: Limits, exact: bool) -> NoReturn:
        raise TypeError(f"this gate reads {source!r}: build one for Source.JSON to read raw JSON")

    return refuse


class DocumentGate(Gate[Any]):
    """See `Gate.from_schema`, which makes it. Immutable, safe in threads, picklable.

    `dialect` is the edition that the document turned out to be written in. `flaws` are the parts of the document that
    cannot be used, none unless the gate was made with `flaws="tell"`.
    """

    __slots__ = ("_asked", "_documents", "_formats", "_tells", "_uri", "dialect", "flaws")

    _asked: str | None
    _documents: Mapping[str, Any]
    _engine: DocumentEngine
    _formats: Literal["assert", "annotate"] | None
    _tells: Literal["refuse", "tell"]
    _uri: str
    dialect: str
    flaws: tuple[Flaw, ...]

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
        from .declare.formats.judges import JUDGES
        from .declare.kinds import Anything
        from .document.judging.engine import DocumentEngine, draft_called, read_documents
        from .read.json_fast import plain_json
        from .shape.nodes import Scalar, Shape, Use

        if formats not in (None, "assert", "annotate"):
            raise DeclarationError(f"formats={formats!r} is no way to treat formats", remedy='"assert" or "annotate"')
        if flaws not in ("refuse", "tell"):
            raise DeclarationError(f"flaws={flaws!r} is no way to treat flaws", remedy='"refuse" or "tell"')
        uri, plain, handed = read_documents(document, documents, uri)
        limits = limits or Limits()
        others = {name: (JUDGES[name][0], judge) for name, judge in (judges or {}).items()}
        engine = DocumentEngine(
            plain, handed, draft_called(dialect), formats, limits, uri, {**JUDGES, **others}, tell=flaws == "tell"
        )
        settled = {
            "declared": plain,
            "reads": Source.JSON,
            "unknown": "drop",
            "limits": limits,
            "keys": None,
            "lenient": False,
            "shape": Shape(Use(Scalar(Anything()))),
            "_names": {},
            "dialect": engine.dialect.name,
            "_plain_json": plain_json,
            "_engine": engine,
            "_asked": dialect,
            "_documents": handed,
            "_formats": formats,
            "_uri": uri,
            "_tells": flaws,
            "flaws": engine.flaws,
        }
        for name, held in settled.items():
            object.__setattr__(self, name, held)

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


def bundle(
    gates: Mapping[str, Gate[Any]],
    *,
    of: Literal["send", "release"] = "send",
    dialect: Literal["2020-12", "draft-07", "openapi-3.1", "openapi-3.0"] = "2020-12",
    formats: Literal["name", "spell-out"] = "name",
    id: str | None = None,
) -> Document:
    """One JSON Schema document of several gates, each under its name; what they have in common stands there once.

    Records that differ and have the same name are numbered. The words are those of `Gate.schema`. Raises
    DeclarationError for a gate from a document, or when a name is taken by something else.
    """
    from .document.writing.compose import bundled

    for name, gate in gates.items():
        if isinstance(gate.declared, dict | bool):
            raise DeclarationError(f"{name!r} is a gate from a document", remedy="hand the document itself over")
    shapes = {name: (gate.shape, gate.unknown == "refuse") for name, gate in gates.items()}
    return bundled(shapes, of=of, dialect=dialect, formats=formats, uri=id)
