"""Whether a document can be judged by: its form, where its references lead, its patterns, circles.

What cannot be used is a DeclarationError; or, where flaws are only told, a keyword that judging leaves out.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from itertools import islice
from typing import Any

from ...declare.errors import DeclarationError
from ...declare.facts import Stop
from ...declare.limits import Limits, deepest
from ...report.fault import pointer
from ..document import Flaw
from ..plain_document import TOO_DEEP as NESTS_TOO_DEEP
from .idle_words import idle_words
from .keywords import REFERENCES, active, dynamic_name
from .library import MissingDocument, MissingDocuments, Resource, Subschema, held_schemas
from .metaschemas import standard_document
from .options import JudgingOptions
from .patterns import searcher
from .shared_branches import Meeting

_DEFINITIONS = frozenset(["$defs", "definitions"])
IN_PLACE = frozenset(["allOf", "anyOf", "oneOf", "not", "if", "then", "else", "dependentSchemas", "dependencies"])
# Keywords whose meaning hangs on another one beside them.
_HANG_ON: dict[str, tuple[str, ...]] = {
    "properties": ("additionalProperties",),
    "patternProperties": ("additionalProperties",),
    "prefixItems": ("items",),
    "items": ("additionalItems",),
    "minContains": ("contains",),
    "maxContains": ("contains",),
    "if": ("then", "else"),
    "exclusiveMinimum": ("minimum",),
    "minimum": ("exclusiveMinimum",),
    "exclusiveMaximum": ("maximum",),
    "maximum": ("exclusiveMaximum",),
}
_MOST_FLAWS = 10_000
_MOST_IDLE = 100


class Checked:
    """What came of checking.

    `leads_back`  whether the references can come back to where they were
    `meets`       whether one value can come before the same schema by several roads
    `flaws`       the parts that cannot be used; none unless they are only told
    `idle`        words that judge nothing, though they look as if they did; the first hundred
    `unsure`      the schemas by which judging can come to one of those
    """

    __slots__ = ("flaws", "idle", "leads_back", "meets", "unsure")

    def __init__(
        self,
        leads_back: bool,
        meets: bool,
        flaws: tuple[Flaw, ...],
        idle: tuple[Flaw, ...],
        unsure: frozenset[Subschema],
    ) -> None:
        self.leads_back = leads_back
        self.meets = meets
        self.flaws = flaws
        self.idle = idle
        self.unsure = unsure


class Checker:
    """Checks one document and all that it leads to. `engine` makes the engine of a meta-schema.

    Raises DeclarationError for the first flaw, or all missing documents at once; with `tell` for none.
    """

    def __init__(self, options: JudgingOptions, engine: Callable[..., Any], *, tell: bool) -> None:
        self.options = options
        self.library = options.library
        self.engine = engine
        self.tell = tell
        self.flaws: dict[Flaw, None] = {}
        self.idle: list[Flaw] = []
        self.missing: dict[str, list[str]] = {}

    def checked(self, root: Subschema) -> Checked:
        """Follow all references from the root."""
        self.form(root)
        beside: dict[Subschema, list[Subschema]] = {}
        every: dict[Subschema, list[Subschema]] = {}
        waiting, seen, documents = [root], {root}, {id(root.document)}
        while waiting or (waiting := [node for node in self.led_by_scope(seen) if node not in seen]):
            node = waiting.pop()
            seen.add(node)
            if not isinstance(node.raw, dict):
                continue
            if id(node.document) not in documents:
                documents.add(id(node.document))
                self.form(node.document.nodes[()])
            if node in node.document.late:
                self.form(node)
            led = self.led(node)
            self.keywords(node)
            # What stands among the definitions matters when something leads there.
            words = active(node).keys() - _DEFINITIONS
            held = [subschema for subschema in held_schemas(node) if subschema.steps[len(node.steps)] in words]
            beside[node] = led + [subschema for subschema in held if subschema.steps[len(node.steps)] in IN_PLACE]
            every[node] = [*led, *held]
            for each in (*led, *held):
                if each not in seen:
                    seen.add(each)
                    waiting.append(each)
        if self.missing and not self.tell:
            raise MissingDocuments(self.missing)
        while circle := _circle(beside):
            endless = DeclarationError(
                f"{circle.location()} refers to itself without taking a step into the data",
                remedy="break the circle: no data could ever be judged by it",
            )
            for word in active(circle).keys() & {*REFERENCES, *IN_PLACE}:
                self.note(circle, word, endless)
            beside[circle] = []
        leads_back = _circle(every) is not None or self.library.dynamic
        inside = {
            node: [subschema for subschema in subschemas if subschema not in beside[node]]
            for node, subschemas in every.items()
        }
        meets = leads_back or Meeting(beside, inside).at(root)
        return Checked(leads_back, meets, tuple(self.flaws), tuple(self.idle), self.unsure(every))

    def note(self, node: Subschema, word: str, error: DeclarationError) -> None:
        """One keyword that cannot be used. Raises the error unless flaws are only told."""
        if not self.tell:
            raise error
        self.flaws.setdefault(Flaw(node.location(word), str(error)))
        unusable = self.library.unusable.setdefault(node, set())
        unusable.update((word, *_HANG_ON.get(word, ())))

    def led(self, node: Subschema) -> list[Subschema]:
        """The schemas that its references lead to."""
        found = []
        words = active(node)
        for word in REFERENCES:
            if word not in words:
                continue
            try:
                found.append(self.library.target(node, words[word]))
            except MissingDocument as missing:
                self.missing.setdefault(missing.uri, []).append(node.location())
                if self.tell:
                    self.note(node, word, missing)
            except DeclarationError as error:
                self.note(node, word, error)
        return found

    def led_by_scope(self, reached: Iterable[Subschema]) -> dict[Subschema, None]:
        """The schemas that dynamic references may lead to, by the resources that judging may have come through."""
        found: dict[Subschema, None] = {}
        if not self.library.dynamic:
            return found
        names: set[str] = set()
        resources: dict[Resource, None] = {}
        for node in reached:
            resources[node.resource] = None
            words = active(node) if isinstance(node.raw, dict) else {}
            leads = [words.get(word) for word in ("$dynamicRef", "$recursiveRef")]
            names |= {dynamic_name(lead) for lead in leads if isinstance(lead, str)}
        for resource in resources:
            found.update((node, None) for name, node in resource.dynamic.items() if name in names)
            root = resource.root
            if "" in names and isinstance(root.raw, dict) and root.raw.get("$recursiveAnchor") is True:
                found[root] = None
        return found

    def keywords(self, node: Subschema) -> None:
        """Its patterns and formats, and the words that judge nothing."""
        words = active(node)
        idle = islice(idle_words(node, self.options), _MOST_IDLE - len(self.idle))
        self.idle += [Flaw(node.location(word), why) for word, why in idle]
        patterns = [("pattern", words["pattern"])] if isinstance(words.get("pattern"), str) else []
        patterns += [("patternProperties", pattern) for pattern in words.get("patternProperties", {})]
        for word, pattern in patterns:
            try:
                searcher(node, pattern)
            except DeclarationError as error:
                self.note(node, word, error)
        if (
            self.options.asserted is None
            and node.dialect.asserts
            and words.get("format", "date") not in self.options.judges
        ):
            unknown = DeclarationError(
                f"the format {words['format']!r} in {node.location()} is not known here, and its dialect asks for it",
                remedy='hand over formats="annotate" to judge without formats',
            )
            self.note(node, "format", unknown)

    def unsure(self, every: Mapping[Subschema, list[Subschema]]) -> frozenset[Subschema]:
        """All schemas from which one can come to a keyword that cannot be used."""
        if not self.library.unusable:
            return frozenset()
        if self.library.dynamic:
            return frozenset(every)
        leads_from: dict[Subschema, list[Subschema]] = {}
        for node, subschemas in every.items():
            for subschema in subschemas:
                leads_from.setdefault(subschema, []).append(node)
        waiting, found = list(self.library.unusable), set(self.library.unusable)
        while waiting:
            for node in leads_from.get(waiting.pop(), []):
                if node not in found:
                    found.add(node)
                    waiting.append(node)
        return frozenset(found)

    # Form

    def form(self, node: Subschema) -> None:
        """See whether a document is as the meta-schema of its dialect asks."""
        if not isinstance(node.raw, dict) or standard_document(node.resource.uri) is node.raw:
            return
        own = _of_other_dialects(node)
        for inner in own:
            self.form(inner)
        engine = self.meta_engine(node)
        if engine is None:
            return
        raw = _without(node, own) if own else node.raw
        if engine.sound(raw).__class__ is not Stop:
            return
        _, findings = engine.collect(raw)
        faults = findings.told()
        if not faults:
            return
        if faults[0].code == "depth":
            raise DeclarationError(NESTS_TOO_DEEP, remedy="name its inner schemas among the $defs")
        if self.tell:
            for fault in faults:
                broken, word = _keyword_at(node, fault.path)
                place = pointer((*node.steps, *fault.path)) or "the root"
                why = f"{place} breaks {node.dialect.name}: {fault.message}"
                self.note(broken, word, DeclarationError(why, remedy="mend the document"))
            return
        worst = min(faults, key=lambda fault: (fault.code == "branch", -len(fault.path)))
        more = len(faults) - 1 + findings.untold
        place = pointer((*node.steps, *worst.path)) or "the root"
        raise DeclarationError(
            f"the document breaks {node.dialect.name} at {place}: {worst.message}"
            + (f" (and {more} more)" if more else ""),
            remedy="mend the document, or name the dialect it is written in as its $schema or with dialect=",
        )

    def meta_engine(self, node: Subschema) -> Any:
        """The engine of a document's meta-schema; None where there is none, or where it is its own."""
        uri = node.dialect.uri
        limits = Limits(depth=deepest(), faults=_MOST_FLAWS)
        if uri not in _meta_engines:
            standard = standard_document(uri)
            if standard is None:
                handed = self.library.handed.get(uri, self.library.handed.get(f"{uri}#"))
                if handed is None or handed is node.raw:
                    return None
                # Whether formats are asserted by it is told by the dialect that it is written in itself.
                return self.engine(handed, self.library.handed, node.dialect, None, limits, uri)
            made = self.engine(standard, {}, node.dialect, "annotate", limits, uri)
            _meta_engines[uri] = made.without_memory()
        return _meta_engines[uri]


_meta_engines: dict[str, Any] = {}


def _keyword_at(node: Subschema, path: tuple[Any, ...]) -> tuple[Subschema, str]:
    """The innermost schema on the way to a place in a document, and the keyword of it that leads there."""
    nodes = node.document.nodes
    whole = (*node.steps, *path)
    for end in range(len(whole) - 1, len(node.steps) - 1, -1):
        if whole[:end] in nodes:
            return nodes[whole[:end]], str(whole[end])
    return node, str(path[0]) if path else "type"


def _of_other_dialects(node: Subschema) -> list[Subschema]:
    """The resources in a document that are written in another dialect than what is around them."""
    found = [
        each
        for each in node.document.nodes.values()
        if each.is_root and each is not node and each.dialect is not node.dialect and "$schema" in each.raw
    ]
    depth = len(node.steps)
    return [each for each in found if each.steps[:depth] == node.steps]


def _without(node: Subschema, inner: list[Subschema]) -> Any:
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


def _circle(leads: Mapping[Subschema, list[Subschema]]) -> Subschema | None:
    """A node from which one comes back to it."""
    done: set[Subschema] = set()
    for start in leads:
        if start in done:
            continue
        path: dict[Subschema, None] = {start: None}
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
