"""One document as an engine: the same questions that a gate asks of one compiled from types."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from os import PathLike
from pathlib import Path as FilePath
from typing import Any

from ...declare.errors import DeclarationError
from ...declare.facts import FAILED
from ...declare.formats.judges import JUDGES
from ...declare.limits import Limits, deepest
from ...report.fault import Fault, Path, pointer
from ..plain_document import TOO_DEEP as NESTS_TOO_DEEP
from ..plain_document import plain_document, read_document
from .drafts import BY_NAME, DRAFT_2020_12, Draft, draft_of
from .findings import Ask, Finding, Found, Note, spoken
from .library import Library, Node, held_schemas
from .metaschemas import standard_document
from .patterns import searcher
from .plain import LISTS
from .sound import Judges, Say, Sounder, active, types_of
from .tell import TOO_DEEP, Teller

_DEFINITIONS = frozenset(["$defs", "definitions"])
IN_PLACE = frozenset(["allOf", "anyOf", "oneOf", "not", "if", "then", "else", "dependentSchemas", "dependencies"])


class Findings:
    """What one look at data found, in the form a gate takes it."""

    __slots__ = ("_found", "dropped", "excused", "untold")

    def __init__(self, found: Found, most: int, data: object) -> None:
        told = spoken(found)
        if len(told) > 1:
            told = in_document_order(told, data)
        self._found = told[:most]
        self.untold = max(0, len(told) - most) + found.lost
        self.dropped: list[Path] = []
        self.excused: list[Any] = []

    def told(self) -> list[Fault]:
        """The faults as a reader gets them."""
        return [Fault(each.path, each.cause, each.given, each.value) for each in self._found]

    def told_excused(self) -> list[Fault]:
        """None: a document excuses nothing."""
        return []


class DocumentEngine:
    """Judges data by one document.

    Raises DeclarationError for a document that its meta-schema refuses, that refers to what was not handed over, or
    whose references go round in a circle.
    """

    __slots__ = ("_memory", "_sound", "_sounder", "_teller", "dialect", "limits", "recursive", "root")

    def __init__(
        self,
        document: Any,
        documents: Mapping[str, Any],
        draft: Draft | None,
        formats: str | None,
        limits: Limits,
        uri: str,
        judges: Judges = JUDGES,
    ) -> None:
        library = Library(documents, draft or DRAFT_2020_12, sure=draft is not None)
        self.limits = limits
        if not isinstance(document, dict | bool):
            raise DeclarationError(
                "a JSON Schema document is a record or a boolean", remedy="hand over the decoded document, or its path"
            )
        self.root = library.add(uri, document)
        self.dialect = self.root.draft
        _check_form(library, self.root)
        say = Say(library, formats, limits.items, judges)
        self._teller = Teller(say, limits.depth)
        self._sounder = Sounder(say, self._teller.sound)
        self._teller.quick = lambda node, value, scope: self._sounder.call(node)(value, scope)
        self.recursive = self._sounder.remembers = _check_references(say, self.root)
        self._memory = say.memory
        self._sound = self._sounder.call(self.root)

    def sound(self, data: Any) -> Any:
        """The data itself when it is sound, else FAILED."""
        try:
            if self.recursive and nests_deeper(data, self.limits.depth):
                return FAILED
            if not self.recursive:
                return data if self._sound(data, ()) else FAILED
            with self._memory.kept(True):
                return data if self._sound(data, ()) else FAILED
        except RecursionError:
            return FAILED

    sound_and_known = sound

    def judges(self, node: Node, data: Any) -> bool:
        """Whether data is sound by a schema inside the document."""
        try:
            with self._memory.kept(self.recursive):
                return self._sounder.call(node)(data, ())
        except RecursionError:
            return False

    def collect(self, data: Any) -> tuple[Any, Findings]:
        """The data or FAILED, and every fault."""
        found = self._found(data, None)
        return (FAILED if found else data), Findings(found, self.limits.faults, data)

    def _found(self, data: Any, notes: list[Note] | None) -> Found:
        found = Found()
        try:
            with self._memory.kept(self.recursive):
                self._teller.judged(self.root, Ask(data, found=found, notes=notes))
            if not found and self.recursive and nests_deeper(data, self.limits.depth):
                raise RecursionError
        except RecursionError:
            deep = TOO_DEEP.but(expected={"most": self.limits.depth})
            found = Found()
            found.note(Finding((), deep, data, data, Ask(data).route))
        return found

    def release(self, value: Any, *, secrets: bool, exact: bool = False) -> tuple[Any, None]:
        """The data as it is."""
        return value, None

    def release_admitted(self, value: Any, *, secrets: bool, exact: bool = False) -> Any:
        """The data as it is."""
        return value

    @property
    def kinds(self) -> list[str]:
        """The types that the root asks for, by its own `type` or that of what it refers to; none where unsure."""
        node = self.root
        for _ in range(20):
            if not isinstance(node.raw, dict) or not isinstance(node.raw.get("$ref"), str):
                break
            node = self._teller.library.target(node, node.raw["$ref"])
        return types_of(node, active(node)) if isinstance(node.raw, dict) else []

    @property
    def source(self) -> str:
        """The Python source of what was compiled so far."""
        if not self._sounder.units:
            self.sound(None)
        return "\n\n".join(unit.source for unit in self._sounder.units)

    def output(self, data: Any, form: str) -> dict[str, Any]:
        """The standard's output (2020-12, section 12.4): "flag" or "basic"."""
        if form == "flag":
            return {"valid": self.sound(data) is not FAILED}
        # Without notes, since then what alternatives ask in common is asked, and told, once.
        found = self._found(data, None)
        if found:
            return {"valid": False, "errors": [_error(each) for each in _flat(found, set())]}
        notes: list[Note] = []
        self._found(data, notes)
        return {
            "valid": True,
            "annotations": [
                {
                    "keywordLocation": pointer(note.route.whole()),
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
    fault = Fault(finding.path, finding.cause, finding.given, finding.value)
    # The standard has no place for what is not there: it stands at the record.
    absent = fault.code in ("absent", "agreement") and bool(finding.path)
    lead = f"{finding.path[-1]}: " if absent else ""
    return {
        "keywordLocation": pointer(finding.route.whole()),
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
        level = inner
    return True


def in_document_order(found: list[Finding], data: Any) -> list[Finding]:
    """Findings in the order in which their places stand in the data; what is absent stands where its record begins."""
    ranks: dict[int, dict[Any, int]] = {}

    def rank(path: Path) -> tuple[int, ...]:
        places, held = [], data
        for step in path:
            if isinstance(held, dict):
                if id(held) not in ranks:
                    ranks[id(held)] = {key: at for at, key in enumerate(held)}
                places.append(ranks[id(held)].get(step, -1))
                held = held.get(step)
            elif isinstance(held, LISTS) and isinstance(step, int) and step < len(held):
                places.append(step)
                held = held[step]
            else:
                places.append(-1)
                held = None
        return tuple(places)

    return sorted(found, key=lambda finding: rank(finding.path))


_meta_engines: dict[str, DocumentEngine] = {}


def _check_form(library: Library, node: Node) -> None:
    """Raise DeclarationError where a document breaks the meta-schema of its dialect."""
    if not isinstance(node.raw, dict):
        return
    if standard_document(node.resource.uri) is node.raw:
        return
    uri = node.draft.uri
    standard = standard_document(uri)
    if standard is not None and uri not in _meta_engines:
        _meta_engines[uri] = DocumentEngine(standard, {}, node.draft, "annotate", Limits(depth=deepest()), uri)
    own = _of_other_dialects(node)
    for inner in own:
        _check_form(library, inner)
    engine = _meta_engines.get(uri)
    if engine is None:
        handed = library.handed.get(uri, library.handed.get(f"{uri}#"))
        if handed is None or handed is node.raw:
            return
        # Whether it asks for formats in the documents that it judges is told by the dialect it is itself written in.
        engine = DocumentEngine(handed, library.handed, node.draft, None, Limits(depth=deepest()), uri)
    raw = _without(node, own) if own else node.raw
    if engine.sound(raw) is FAILED:
        _, findings = engine.collect(raw)
        faults = findings.told()
        if not faults:
            return
        if faults[0].code == "depth":
            raise DeclarationError(NESTS_TOO_DEEP, remedy="name its inner schemas among the $defs")
        worst = min(faults, key=lambda fault: (fault.code == "branch", -len(fault.path)))
        more = len(faults) - 1 + findings.untold
        raise DeclarationError(
            f"the document breaks {node.draft.name} at {worst.pointer or 'the root'}: {worst.message}"
            + (f" (and {more} more)" if more else ""),
            remedy="mend the document, or name the edition it is written in as its $schema or with dialect=",
        )


def _of_other_dialects(node: Node) -> list[Node]:
    """The resources in a document that are written in another edition than what is around them."""
    found = [
        each
        for each in node.document.nodes.values()
        if each.is_root and each is not node and each.draft is not node.draft and "$schema" in each.raw
    ]
    depth = len(node.steps)
    return [each for each in found if each.steps[:depth] == node.steps]


def _without(node: Node, inner: list[Node]) -> Any:
    """A document with some of its schemas left out."""
    made = node.raw
    for each in inner:
        made = _left_out(made, each.steps[len(node.steps) :])
    return made


def _left_out(held: Any, steps: tuple[Any, ...]) -> Any:
    if not steps:
        return {}
    made = dict(held) if isinstance(held, dict) else list(held)
    made[steps[0]] = _left_out(held[steps[0]], steps[1:])
    return made


def _check_references(say: Say, root: Node) -> bool:
    """Follow all references from the root; whether they can come back to where they were.

    Raises DeclarationError for one to nothing, and for a circle that takes no step into the data.
    """
    library = say.library
    waiting = [root]
    seen: set[Node] = {root}
    beside: dict[Node, list[Node]] = {}
    every: dict[Node, list[Node]] = {}
    checked = {id(root.document)}
    while waiting:
        node = waiting.pop()
        if not isinstance(node.raw, dict):
            continue
        if id(node.document) not in checked:
            checked.add(id(node.document))
            _check_form(library, node.document.nodes[()])
        words = active(node)
        # What stands among the definitions matters when something leads there.
        led = [library.target(node, words[word]) for word in ("$ref", "$dynamicRef", "$recursiveRef") if word in words]
        held = [kid for kid in held_schemas(node) if kid.steps[len(node.steps)] in words.keys() - _DEFINITIONS]
        for pattern in [words["pattern"]] if isinstance(words.get("pattern"), str) else []:
            searcher(node, pattern)
        for pattern in words.get("patternProperties", {}):
            searcher(node, pattern)
        if say.asserted is None and node.draft.asserts and words.get("format", "date") not in say.judges:
            raise DeclarationError(
                f"the format {words['format']!r} in {node.location()} is not known here, and its dialect asks for it",
                remedy='hand over formats="annotate" to judge without formats',
            )
        beside[node] = led + [kid for kid in held if kid.steps[len(node.steps)] in IN_PLACE]
        every[node] = [*led, *held]
        for each in (*led, *held):
            if each not in seen:
                seen.add(each)
                waiting.append(each)
    if circle := _circle(beside):
        raise DeclarationError(
            f"{circle.location()} refers to itself without taking a step into the data",
            remedy="break the circle: no data could ever be judged by it",
        )
    return _circle(every) is not None or library.dynamic


def _circle(leads: Mapping[Node, list[Node]]) -> Node | None:
    """A node from which one comes back to it."""
    done: set[Node] = set()
    for start in leads:
        if start in done:
            continue
        path: dict[Node, None] = {start: None}
        stack = [iter(leads[start])]
        while stack:
            after = next(stack[-1], None)
            if after is None:
                stack.pop()
                done.add(path.popitem()[0])
            elif after in path:
                return after
            elif after not in done and after in leads:
                path[after] = None
                stack.append(iter(leads[after]))
    return None


def draft_called(dialect: str | None) -> Draft | None:
    """The edition by name or URI, None where none is named. Raises DeclarationError for one that is not known."""
    if dialect is None:
        return None
    found = BY_NAME.get(dialect) or draft_of(dialect)
    if found is None:
        raise DeclarationError(f"dialect={dialect!r} is not known", remedy=f"one of {', '.join(BY_NAME)}")
    return found


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
