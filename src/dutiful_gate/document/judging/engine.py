"""One document as an engine: the same questions that a gate asks of one compiled from types."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from os import PathLike
from pathlib import Path as FilePath
from typing import Any, ClassVar

from ...codegen.legend import whole
from ...declare.equality import LISTS
from ...declare.errors import DeclarationError
from ...declare.facts import REFUSED, Stop
from ...declare.formats.table import JUDGES
from ...declare.limits import Limits, is_short_of_stack
from ...report.document_order import RawFault, ranks_in
from ...report.fault import Fault, Path, pointer
from ...report.hostile_objects import without_liars
from ...report.shown_values import ALONE, fixed
from ..dialects import DRAFT_2020_12, Dialect
from ..plain_document import plain_document, read_document
from .causes import Keywords
from .checking import Checker
from .compiler import Judge, SchemaCompiler
from .findings import Finding, Found, KeywordNote, Question, spoken
from .findings import whole as whole_route
from .following import Follower, Look
from .interpreter import Interpreter
from .keywords import Scope, active, types_of
from .library import Library, Subschema
from .options import Judges, JudgingOptions
from .telling_writer import Unsettled

_MOST_FOUND, _MOST_OF_OUTPUT = 500, 10_000


class Findings:
    """What one look at data found, in the form a gate takes it."""

    __slots__ = ("_found", "dropped", "fallbacks", "unjudged", "untold")

    def __init__(self, found: Found, most: int, data: object) -> None:
        told = spoken(found)
        if len(told) > 1:
            # One keyword that refuses one value is one fault, by however many roads it was come to.
            if len({(each.path, each.keyword, each.of_key) for each in told}) < len(told):
                differ = {(each.path, each.keyword, each.of_key): each for each in reversed(told)}
                told = [*differ.values()][::-1]
            rank = ranks_in(data)
            told.sort(key=lambda finding: (rank(finding.path), not finding.is_of_key))
        self._found = told[:most]
        for finding in self._found:
            if finding.given.__class__ not in ALONE:  # the data may change before somebody reads what is told of it
                finding.look_closer()
                finding.given = fixed(finding.given)
        self.unjudged = tuple(map(pointer, sorted(found.unsure, key=ranks_in(data)))) if found.unsure else ()
        self.untold = max(0, len(told) - most) + found.lost
        self.dropped: list[Path] = []
        self.fallbacks: list[Any] = []

    @property
    def faults(self) -> list[RawFault]:
        """The faults before anybody asks for them."""
        return [(each.path, each.cause, each.given, each.given) for each in self._found]

    def told(self) -> list[Fault]:
        """The faults as a reader gets them."""
        return [Fault(*raw) for raw in self.faults]

    def told_fallbacks(self) -> list[Fault]:
        """None: a document fallback_faults nothing."""
        return []


class DocumentEngine:
    """Judges data by one document.

    Raises DeclarationError for a document that its meta-schema refuses, that refers to what was not handed over, or
    whose references go round in a circle.
    """

    __slots__ = (
        "_compiler",
        "_interpreter",
        "_keywords",
        "_memory",
        "_sound",
        "dialect",
        "flaws",
        "idle",
        "limits",
        "recursive",
        "remembers",
        "root",
    )

    native: ClassVar[bool] = False
    sound_json: ClassVar[None] = None
    noted_json: ClassVar[None] = None

    def __init__(
        self,
        document: Any,
        documents: Mapping[str, Any],
        dialect: Dialect | None,
        formats: str | None,
        limits: Limits,
        uri: str,
        judges: Judges = JUDGES,
        *,
        tell: bool = False,
    ) -> None:
        library = Library(documents, dialect or DRAFT_2020_12, sure=dialect is not None)
        self.limits = limits
        if not isinstance(document, dict | bool):
            raise DeclarationError(
                "a JSON Schema document is a record or a boolean", remedy="hand over the decoded document, or its path"
            )
        self.root = library.add(uri, document)
        self.dialect = self.root.dialect
        options = JudgingOptions(library, formats, limits, judges)
        keywords = self._keywords = Keywords(options)
        self._interpreter = Interpreter(options, keywords)
        self._compiler = SchemaCompiler(options, keywords, self._interpreter)
        self._interpreter.quick = self._compiler.ready
        checked = Checker(options, DocumentEngine, tell=tell).checked(self.root)
        self.recursive = checked.leads_back
        self.remembers = self._compiler.remembers = checked.meets
        self.flaws = checked.flaws
        self.idle = checked.idle
        self._interpreter.unsure = checked.unsure
        self._memory = options.memory
        self._sound: Judge = self._first if self.root not in checked.unsure else self._perhaps

    def sound(self, data: Any) -> Any:
        """The data itself when it is sound, else REFUSED."""
        try:
            if self.recursive and nests_deeper(data, self.limits.depth):
                return REFUSED
            if not self.remembers:
                return data if self._sound(data, ()) else REFUSED
            with self._memory.kept(True):
                return data if self._sound(data, ()) else REFUSED
        except RecursionError:
            self._is_of_data(data)
            return REFUSED
        except DeclarationError:
            raise
        except Exception:  # something in the data lies about what it is: `collect` says so
            return REFUSED

    def sound_and_known(self, data: Any) -> Any:
        """The same; REFUSED too where something could not be judged, which `collect` then tells."""
        return REFUSED if self.flaws else self.sound(data)

    sound_and_noted = sound_and_known

    def _first(self, data: Any, scope: Scope) -> bool:
        """What judges until a function is compiled: that is when data first comes."""
        self._sound = self._compiler.ready(self.root)
        return self._sound(data, scope)

    def _perhaps(self, data: Any, scope: Scope) -> bool:
        """Whether data is not surely unsound, by a document with parts that cannot be used."""
        return self._interpreter.sound(self.root, data, scope)

    def without_memory(self) -> DocumentEngine:
        """Itself, for a document that meets no place twice: its functions need not remember what they judged."""
        self._compiler.remembers = False
        return self

    def word_for_word(self, data: Any) -> bool:
        """Whether data is sound, told by following each keyword instead of by compiled functions."""
        try:
            with self._memory.kept(self.remembers):
                sound = self._interpreter.judged(self.root, Question(data)) is not None
            return sound and not (self.recursive and nests_deeper(data, self.limits.depth))
        except RecursionError:
            self._is_of_data(data)
            return False

    def judges(self, node: Subschema, data: Any) -> bool:
        """Whether data is sound by a schema inside the document."""
        try:
            with self._memory.kept(self.remembers):
                return self._compiler.ready(node)(data, ())
        except RecursionError:
            self._is_of_data(data)
            return False

    def _is_of_data(self, data: Any) -> None:
        """Raise RecursionError where it is the program that has gone too deep, and not the data."""
        if not nests_deeper(data, self.limits.depth) and is_short_of_stack():
            raise

    def target(self, node: Subschema, reference: str) -> Subschema:
        """The schema that a reference leads to."""
        return self._interpreter.library.target(node, reference)

    def wanted(self, node: Subschema, word: str) -> str:
        """What a keyword asks for, in words."""
        return self._keywords.at(node, word).cause.wanted

    def followed(self, data: Any, path: Path, value: Any) -> list[Look]:
        """What each schema that looks at the value at a path answers; none where data nests too deep."""
        if nests_deeper(data, self.limits.depth):
            return []
        try:
            with self._memory.kept(self.remembers):
                return [*Follower(self._interpreter, path).looks(self.root, data, value, _MOST_FOUND)]
        except RecursionError:
            return []

    def collect(self, data: Any) -> tuple[Any, Findings]:
        """The data or REFUSED, and every fault."""
        try:
            found = self._found(data, None, self._most_found)
            return (REFUSED if found else data), Findings(found, self.limits.faults, data)
        except DeclarationError:
            raise
        except Exception:  # what follows holds nothing but plain data, so that an error of our own is raised again
            data = without_liars(data, typed=False)
        found = self._found(data, None, self._most_found)
        if not found:
            found.note(Finding((), self._keywords.at(self.root, "readable"), None, None))
        return REFUSED, Findings(found, self.limits.faults, data)

    @property
    def _most_found(self) -> int:
        """How many findings are told one by one, before those are chosen that come first in the data."""
        return max(_MOST_FOUND, 2 * self.limits.faults)

    def _found(self, data: Any, notes: list[KeywordNote] | None, most: int = _MOST_OF_OUTPUT) -> Found:
        """What is found: by compiled functions; word for word where they cannot settle it, or notes are wanted."""
        try:
            if notes is None and not self.flaws:
                with suppress(Unsettled):
                    return self._told(data, Found(most))
            found = Found(most)
            with self._memory.kept(self.remembers):
                self._interpreter.judged(self.root, Question(data, found=found, notes=notes))
            if not found and self.recursive and nests_deeper(data, self.limits.depth):
                raise RecursionError
        except RecursionError:
            self._is_of_data(data)
            found = Found(most)
            found.note(Finding((), self._keywords.at(self.root, "too deep"), data, None))
        return found

    def _told(self, data: Any, found: Found) -> Found:
        """What compiled functions find. Raises Unsettled where they do not tell all that there is to tell."""
        if self.remembers:
            with self._memory.kept(True):
                self._compiler.teller_of(self.root)(data, (), (), None, found)
        else:
            self._compiler.teller_of(self.root)(data, (), (), None, found)
        if found.lost or (not found and self.recursive and nests_deeper(data, self.limits.depth)):
            raise Unsettled
        return found

    @property
    def kinds(self) -> list[str]:
        """The types that the root asks for, by its own `type` or that of what it refers to; none where unsure."""
        node = self.root
        for _ in range(20):
            if not isinstance(node.raw, dict) or not isinstance(active(node).get("$ref"), str):
                break
            node = self._interpreter.library.target(node, node.raw["$ref"])
        return types_of(node, active(node)) if isinstance(node.raw, dict) else []

    @property
    def source(self) -> str:
        """The Python source of what was compiled so far."""
        if not self._compiler.units:
            self.sound(None)
        units = self._compiler.units
        pieces = {"": "\n\n".join(unit.source for unit in units)}
        return whole(pieces, (line for unit in units for line in unit.legend))

    def output(self, data: Any, form: str) -> dict[str, Any]:
        """The standard's output (2020-12, section 12.4): "flag" or "basic"."""
        if form == "flag":
            return {"valid": self.sound(data).__class__ is not Stop}
        # Without notes, since then what alternatives ask in common is asked, and told, once.
        found = self._found(data, None)
        if found:
            return {"valid": False, "errors": [_error(each) for each in _flat(found, set())]}
        notes: list[KeywordNote] = []
        self._found(data, notes)
        return {
            "valid": True,
            "annotations": [
                {
                    "keywordLocation": pointer(whole_route(note.route)),
                    "absoluteKeywordLocation": note.location,
                    "instanceLocation": pointer(note.path),
                    "annotation": note.held,
                }
                for note in notes
            ],
        }


def _flat(found: Sequence[Finding], told: set[int]) -> Iterator[Finding]:
    """Findings and those of their alternatives, each once."""
    for finding in found:
        if id(finding) not in told:
            told.add(id(finding))
            yield finding
            for branch in finding.branches:
                yield from _flat(branch, told)


def _error(finding: Finding) -> dict[str, Any]:
    fault = Fault(finding.path, finding.cause, finding.given, finding.given)
    # The standard has no place for what is not there: it stands at the record.
    absent = fault.code in ("absent", "agreement") and bool(finding.path)
    lead = f"{finding.path[-1]}: " if absent else ""
    return {
        "keywordLocation": pointer(finding.route),
        "absoluteKeywordLocation": fault.keyword,
        "instanceLocation": pointer(finding.path[:-1] if absent else finding.path),
        "error": lead + fault.message,
    }


def nests_deeper(data: Any, most: int) -> bool:
    """Whether lists and records nest deeper than `most`."""
    level = [data]
    for _ in range(most + 1):
        inner: list[Any] = []
        for each in level:
            if isinstance(each, dict):
                inner += [held for held in each.values() if isinstance(held, (dict, *LISTS))]
            elif isinstance(each, LISTS):
                inner += [held for held in each if isinstance(held, (dict, *LISTS))]
        if not inner:
            return False
        # What stands at several places is looked at once.
        level = list({id(each): each for each in inner}.values()) if len(inner) > len(level) else inner
    return True


def read_documents(
    document: Mapping[str, Any] | bool | PathLike[str],
    documents: Mapping[str, Any] | PathLike[str] | None,
    uri: str = "",
) -> tuple[str, Any, dict[str, Any]]:
    """The URI of a document, its content, and the others by URI; each may be given as the path of a file or a folder.

    A file in the folder of the others is known there as they are: by its path from the folder.
    """
    folder = FilePath(documents) if isinstance(documents, str | PathLike) else None
    handed = documents_in(folder) if folder is not None else plain_document(documents or {})
    if not isinstance(document, PathLike):
        return uri, plain_document(document), handed
    path = FilePath(document).resolve()
    if folder is not None and path.is_relative_to(folder.resolve()):
        uri = path.relative_to(folder.resolve()).as_posix()
    return uri, read_document(path), handed


def documents_in(folder: FilePath) -> dict[str, Any]:
    """Every JSON document under a folder, by its path from there: that is how references among them find it."""
    return {file.relative_to(folder).as_posix(): read_document(file) for file in sorted(folder.rglob("*.json"))}
