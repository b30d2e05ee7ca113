"""A gate of a type."""

from __future__ import annotations

import pickle
from collections.abc import Callable, Collection, Mapping
from copy import deepcopy
from typing import TYPE_CHECKING, Any, ClassVar, Literal, NoReturn, TypeVar, overload

from ..declare.answers import is_waiting_anywhere
from ..declare.errors import DeclarationError, check_flags
from ..declare.facts import Stop
from ..declare.limits import Limits, limits_of
from ..declare.sources import Source
from ..document.document import Document
from ..report.verdict import Refused, refusal
from .active_store import stored_engine, stores
from .asking import Asking, become_asking
from .base import AnyGate, Raw
from .callers import seen_by_caller

if TYPE_CHECKING:
    from os import PathLike

    from typing_extensions import TypeForm
    from typing_extensions import TypeVar as TypeVarWithDefault

    from ..document.dialects import WrittenDialect
    from ..engine.engine import Engine
    from ..read.json_fast import Quickly
    from ..shape.one_way import OneWay
    from ..shape.shape import Shape
    from .document import DocumentGate

if TYPE_CHECKING:
    T = TypeVarWithDefault("T", default=Any)
else:
    T = TypeVar("T")
LeavesOut = Literal["nulls", "defaults"] | Collection[str]
_UNKNOWN = ("drop", "refuse")


# What can be seen is what is seen outside of this package: its own modules make gates of types that they are handed.


class Gate(AnyGate[T]):
    """A declared type, compiled for one source. Immutable, safe in threads, picklable where its type is.

    `declared`  a dataclass, a type like `list[Booking]`, or an `Annotated` alias of one
    `source`    what the data is before it is read: `Source.JSON` (decoded), `Source.TEXT`, `Source.NATIVE`
    `unknown`   keys nobody declared: "drop" leaves them out and tells of it, "refuse" makes each a fault
    `limits`    bounds on what comes from outside, see `Limits`
    `keys`      how names in the data are made of attributes': `camel`, `kebab`, or a function of one's own
    `lenient`   whether every field takes text for numbers and the like
    `leaves_out`  what `release` leaves out, and its document need not have: "nulls", "defaults" (fields that are what
                would stand in for them), or a list of both
    `names`     names that annotations use and that cannot be seen where the type is declared
    `native`    whether the native core reads, where it is installed; it gives the same answers, sooner

    Raises DeclarationError when the declaration is wrong, naming the record, the field and the remedy.
    """

    __slots__ = ("_names", "keys", "leaves_out", "lenient", "native", "unknown")

    awaits: ClassVar[bool] = False  # whether its verbs are called by what waits for checks
    unknown: Literal["drop", "refuse"]
    keys: Callable[[str], str] | None
    lenient: bool
    leaves_out: tuple[str, ...]
    native: bool
    _names: Mapping[str, Any]
    _engine: Engine

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
        leaves_out: LeavesOut = ...,
        names: Mapping[str, Any] | None = ...,
        native: bool = ...,
    ) -> None: ...

    @overload
    def __init__(
        self,
        declared: TypeForm[T],
        source: Source = ...,
        *,
        unknown: Literal["drop", "refuse"] = ...,
        limits: Limits | None = ...,
        keys: Callable[[str], str] | None = ...,
        lenient: bool = ...,
        leaves_out: LeavesOut = ...,
        names: Mapping[str, Any] | None = ...,
        native: bool = ...,
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
        leaves_out: LeavesOut = ...,
        names: Mapping[str, Any] | None = ...,
        native: bool = ...,
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
        leaves_out: LeavesOut = (),
        names: Mapping[str, Any] | None = None,
        native: bool = True,
    ) -> None:
        if unknown not in _UNKNOWN:
            raise DeclarationError(f"unknown={unknown!r} is no way to treat unknown keys", remedy='"drop" or "refuse"')
        if not isinstance(source, Source):
            raise DeclarationError(f"source={source!r} is no source", remedy=", ".join(map(str, Source)))
        if not (keys is None or callable(keys)):
            raise DeclarationError(f"keys={keys!r} makes no names", remedy="a function of an attribute's name")
        check_flags(lenient=lenient, native=native)
        # The rooms behind the door open when the first gate is built: importing the package stays cheap.
        from ..engine.defaults import check_held
        from ..engine.engine import Engine, Plan
        from ..read.json_fast import plain_json
        from ..shape.build import shape_of
        from ..shape.left_out import with_left_out, words_of

        limits = limits_of(limits)
        used: Mapping[str, Any] = {}
        shape: Shape | None = None
        left_out = words_of(leaves_out)
        words = (declared, source, unknown, limits, keys, lenient, left_out)
        engine = stored_engine(words) if stores and not names else None
        if engine is None:
            seen, scope = seen_by_caller(names)
            shape, used = shape_of(declared, seen, scope, keys=keys, lenient=lenient)
            check_held(shape)
            shape = with_left_out(shape, left_out)
            engine = Engine(Plan(shape, source, unknown == "refuse", limits), native=native)
        self._settle(
            declared=declared,
            reads=source,
            unknown=unknown,
            limits=limits,
            keys=keys,
            lenient=lenient,
            leaves_out=left_out,
            native=native,
            _shape=shape,
            _names=used,
            _plain_json=plain_json if source.in_json else _no_json(source),
            _quickly=self._first_quickly,
            _engine=engine,
        )
        if is_waiting_anywhere() and not self.awaits:
            become_asking(self, AskingGate, f"await WaitingGate({self.shape.name}) instead", awaited=False)

    def _decoded(self, raw: Raw) -> Any:
        engine = self._engine
        plain = engine.plain_json(raw)
        if plain.__class__ is Stop:
            plain = self._plain_json(raw, self.limits, self.shape.exact)
        return engine.handed_over(plain)

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
        `dialect`    that of a document that has no `$schema`: by name, such as "draft-07"
        `flaws`      "tell": where a part of the document cannot be used, such as a reference to what is not at hand,
                     the gate judges by the rest, has the part in its `.flaws`, and each verdict lists in `.unjudged`
                     the places in the data that it could not judge. Such data is admitted unless the rest refuses it:
                     `accepts` and `admit` alone cannot tell whether all was judged, `examine` can

        Raises DeclarationError, with the pointer at fault, for a document that its meta-schema refuses, that refers to
        what is not at hand, that has a pattern which is none, or whose references go in a circle. Warns of words that
        judge nothing, though they look as if they did (IdleKeyword); they stand in the gate's `.idle`.
        """
        from ..document.judging.idle_words import warn
        from .document import DocumentGate

        gate = DocumentGate(document, formats=formats, documents=documents, dialect=dialect, limits=limits, flaws=flaws)
        warn(gate.idle, stacklevel=2)
        return gate

    def __reduce__(self) -> tuple[object, ...]:
        words = (
            self.declared,
            self.reads,
            self.unknown,
            self.limits,
            self.keys,
            self.lenient,
            dict(self._names),
            self.native,
            self.leaves_out,
        )
        from ..shape.pickling import packed

        return unpacked, (packed(self.shape, words), type(self) if self.awaits else Gate)

    def __repr__(self) -> str:
        return f"<Gate {self.shape.name} from {self.reads!r}>"

    def _first_quickly(self, raw: Any, admits: bool, around: Callable[[Any], Any] | None = None, /) -> tuple[Any, Any]:
        """Make what reads raw JSON quickly, and read by it."""
        from ..read.json_fast import never_quick, quick_reader

        engine = self._engine
        counts = engine.counts_strings
        made: Quickly = never_quick
        if counts is not None:
            made = quick_reader(engine, counts, self.limits, exact=self.shape.exact, fast=engine.reads_alike)
        self._settle(_quickly=made)
        return made(raw, admits, around)

    def release(self, value: T, *, secrets: bool = False) -> Any:
        """The way out: a typed value as plain JSON data, under the data's names; secrets only when asked for.

        The value may have been made in code: kinds, rules and record rules are checked, and normalising steps run, so
        that the release document accepts what comes out. Its gate reads it again too, but for what `one_way` lists:
        the moment of checking, functions of one's own that are not declared with `both_ways`, and what stands before a
        step that makes another value. Numbers that no double holds stay Decimals. An object of another class goes out
        as the record that is declared where it has all of its attributes: a row, or a record of which this is a subset.
        Raises Refused, with every fault, for a value that cannot go out.
        """
        return self._released(value, secrets, exact=False)

    def release_json(self, value: T, *, secrets: bool = False) -> bytes:
        """The way out as JSON in UTF-8, Decimals digit by digit: 12.50 stays so. Raises Refused as `release` does."""
        told = self._engine.json_checked(value, secrets=secrets)
        return self._engine.json_of(self._released(value, secrets, exact=True)) if told is None else told

    def release_admitted(self, value: T, *, secrets: bool = False) -> Any:
        """The way out for a value that was just admitted and not changed since: it is not checked again."""
        return self._engine.release_admitted(value, secrets=secrets)

    def release_admitted_json(self, value: T, *, secrets: bool = False) -> bytes:
        """The same as JSON in UTF-8."""
        return self._engine.json_admitted(value, secrets=secrets)

    def _released(self, value: T, secrets: bool, *, exact: bool) -> Any:
        made, log = self._engine.release(value, secrets=secrets, exact=exact)
        if made.__class__ is Stop:
            from ..engine.filling import filled

            other = filled(self.shape, value, self.limits.depth)
            if other is not value:
                made, log = self._engine.release(other, secrets=secrets, exact=exact)
        if made.__class__ is Stop:
            assert log is not None
            raise Refused(refusal(log.told, (), log.untold))
        return made

    def release_cbor(self, value: T, *, secrets: bool = False) -> bytes:
        """The way out as CBOR; needs the extra `cbor`."""
        from ..read.cbor import encoded

        return encoded(self.release(value, secrets=secrets))

    @property
    def one_way(self) -> tuple[OneWay, ...]:
        """What `release` does not ask for, or cannot turn back, each with its field and why.

        It is empty where all that is released is read again by this gate, and by the document of `schema()`.
        """
        from ..shape.one_way import one_ways

        return one_ways(self.shape)

    @property
    def lost_rules(self) -> tuple[str, ...]:
        """The record rules that lost a field on the way to a variant, and so fell away."""
        return tuple(rule for record in self.shape.records.values() for rule in record.lost_rules)

    def schema(
        self,
        *,
        of: Literal["send", "release"] = "send",
        dialect: WrittenDialect = "2020-12",
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
        from ..document.writing.compose import composed
        from ..engine.stored import StoredEngine

        usual = (of, dialect, formats, id) == ("send", "2020-12", "name", None)
        kept = self._engine.document if usual and isinstance(self._engine, StoredEngine) else None
        if kept is not None:
            content, unstated = kept
            return Document(deepcopy(content), unstated)
        refuse_unknown = self.unknown == "refuse"
        return composed(self.shape, refuse_unknown=refuse_unknown, of=of, dialect=dialect, formats=formats, uri=id)


class AskingGate(Asking[T], Gate[T]):
    """A `Gate` of a declaration with checks that wait, none of which has to be awaited."""

    __slots__ = ()


def unpacked(words: bytes, made: type[Gate[Any]] = Gate) -> Gate[Any]:
    """The gate of packed words."""
    declared, source, unknown, limits, keys, lenient, names, *more = pickle.loads(words)
    said = {"unknown": unknown, "limits": limits, "keys": keys, "lenient": lenient, "names": names}
    return made(declared, source, **said, **dict(zip(("native", "leaves_out"), more, strict=False)))


def _no_json(source: Source) -> Callable[[Raw, Limits, bool], Any]:
    def refuse(raw: Raw, limits: Limits, exact: bool) -> NoReturn:
        raise TypeError(f"this gate reads {source!r}: build one for Source.JSON to read raw JSON")

    return refuse
