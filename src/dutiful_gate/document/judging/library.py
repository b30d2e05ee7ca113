"""Documents at hand: what each `$id`, anchor and JSON Pointer in them leads to. Nothing is ever fetched."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import suppress
from typing import Any
from urllib.parse import unquote

from ...declare.errors import DeclarationError
from ...declare.json_pointer import index_of, steps_of
from ...report.fault import pointer
from ..dialects import (
    BY_NAME,
    DRAFT_2020_12,
    FORMAT_2019_09,
    FORMAT_ASSERTION,
    HELD_LIST,
    HELD_MAP,
    HELD_ONE,
    VOCABULARIES,
    Dialect,
    dialect_of,
)
from .metaschemas import standard_document
from .uris import resolved, split

Steps = tuple[str | int, ...]


class MissingDocument(DeclarationError):
    """A reference leads to a document that was not handed over."""

    def __init__(self, referring: str, reference: str, uri: str) -> None:
        super().__init__(
            f"{referring} refers to {reference!r}, and no document {uri!r} was handed over",
            remedy=f"nothing is fetched: hand it over, as in documents={{{uri!r}: ...}}",
        )
        self.uri = uri


class MissingDocuments(DeclarationError):
    """The same for all of them at once: `missing` has by its URI who refers to each."""

    def __init__(self, missing: Mapping[str, list[str]]) -> None:
        self.missing = missing
        first = next(iter(missing))
        told = ", ".join(f"{uri!r} (for {_some(referring)})" for uri, referring in missing.items())
        what = "a document was" if len(missing) == 1 else f"{len(missing)} documents were"
        self.said = f"{what} not handed over: {told}"
        remedy = f"nothing is fetched: hand over documents={{{first!r}: ...}}, or the path of their folder"
        super().__init__(self.said, remedy=remedy)

    def __reduce__(self) -> tuple[object, ...]:
        return MissingDocuments, (self.missing,)


def _some(places: list[str]) -> str:
    shown = ", ".join(places[:3])
    return shown if len(places) <= 3 else f"{shown} and {len(places) - 3} more"


class Resource:
    """A schema with a URI of its own, and the anchors in it."""

    __slots__ = ("anchors", "dialect", "dynamic", "root", "uri")

    def __init__(self, uri: str, dialect: Dialect) -> None:
        self.uri = uri
        self.dialect = dialect
        self.anchors: dict[str, Subschema] = {}
        self.dynamic: dict[str, Subschema] = {}
        self.root: Subschema


class Subschema:
    """One schema in a document: what stands there, in which resource, at which steps from the document's root."""

    __slots__ = ("document", "number", "raw", "resource", "steps")

    def __init__(self, document: LoadedDocument, steps: Steps, raw: Any, resource: Resource, number: int) -> None:
        self.document = document
        self.steps = steps
        self.raw = raw
        self.resource = resource
        self.number = number

    @property
    def dialect(self) -> Dialect:
        """The dialect it is written in."""
        return self.resource.dialect

    @property
    def pointer(self) -> str:
        """Where it stands in its resource, as a JSON Pointer."""
        return pointer(self.steps[len(self.resource.root.steps) :])

    @property
    def is_root(self) -> bool:
        """Whether it is the whole of a resource."""
        return self.resource.root is self

    def subschema(self, *steps: str | int) -> Subschema:
        """The schema further in."""
        return self.document.node((*self.steps, *steps))

    def location(self, *steps: str | int) -> str:
        """The URI of a keyword in it."""
        return f"{self.resource.uri}#{self.pointer}{pointer(steps)}"


class LoadedDocument:
    """One document handed over."""

    __slots__ = ("late", "library", "name", "nodes", "raw")

    def __init__(self, library: Library, name: str, raw: Any) -> None:
        self.late: set[Subschema] = set()
        """The schemas that stand where no keyword says so: a reference alone tells that they are some."""
        self.library = library
        self.name = name
        self.raw = raw
        self.nodes: dict[Steps, Subschema] = {}

    def node(self, steps: Steps) -> Subschema:
        """The schema at some steps from the root. Raises DeclarationError where none stands."""
        known = self.nodes.get(steps)
        if known is not None:
            return known
        held = self.raw
        for at, step in enumerate(steps):
            try:
                held = held[int(step) if isinstance(held, list) else step]
            except (KeyError, IndexError, ValueError, TypeError):
                raise DeclarationError(
                    f"nothing stands at {pointer(steps[: at + 1])} of the document {self.name or 'at hand'}",
                    remedy="mend the reference",
                ) from None
        near = steps[:-1]
        while near not in self.nodes:
            near = near[:-1]
        self.library.index(self, steps, held, self.nodes[near].resource)
        self.late.add(self.nodes[steps])
        return self.nodes[steps]


class Library:
    """The documents that references may lead to: those handed over, and the standard's own meta-schemas."""

    def __init__(self, documents: Mapping[str, Any], dialect: Dialect = DRAFT_2020_12, *, sure: bool = False) -> None:
        self.dialect = dialect
        self.sure = sure
        self.handed = {uri.removesuffix("#"): raw for uri, raw in documents.items()}
        self.resources: dict[str, Resource] = {}
        self.dialects: dict[str, Dialect] = {}
        self.dynamic = False
        self.unusable: dict[Subschema, set[str]] = {}
        self._numbers = 0
        self._looked_into_all = False

    def add(self, uri: str, raw: Any, dialect: Dialect | None = None) -> Subschema:
        """Take in a document, known by a URI; its root. Raises DeclarationError for what is no schema.

        `dialect` is that of the schema that refers to it: its own, where it names none.
        """
        document = LoadedDocument(self, uri, raw)
        base = Resource(uri, dialect or self.dialect)
        self.index(document, (), raw, base)
        root = document.nodes[()]
        self.resources.setdefault(uri, root.resource)
        return root

    def index(self, document: LoadedDocument, steps: Steps, raw: Any, within: Resource) -> None:
        """Make the nodes of a schema and of all that it holds, with their ids and anchors."""
        waiting: list[tuple[Steps, Any, Resource]] = [(steps, raw, within)]
        while waiting:
            at, held, resource = waiting.pop()
            if at in document.nodes:
                continue
            if not isinstance(held, dict | bool):
                raise DeclarationError(
                    f"what stands at {pointer(at) or 'the root'} is no schema",
                    remedy="a schema is a record or a boolean",
                )
            self._numbers += 1
            node = Subschema(document, at, held, resource, self._numbers)
            document.nodes[at] = node
            if isinstance(held, dict):
                self._identify(node)
            if not hasattr(node.resource, "root"):
                node.resource.root = node
            if isinstance(held, dict):
                waiting.extend((at + step, inner, node.resource) for step, inner in _held(held, node.dialect))

    def without(self, node: Subschema, words: frozenset[str]) -> Subschema:
        """A schema as it would be without some of its keywords; it stands where the whole one does."""
        self._numbers += 1
        left = {word: held for word, held in node.raw.items() if word not in words}
        return Subschema(node.document, node.steps, left, node.resource, self._numbers)

    def _identify(self, node: Subschema) -> None:
        """See to the keywords that name a schema."""
        raw, resource = node.raw, node.resource
        dialect = resource.dialect
        if not node.steps and isinstance(raw.get("$schema"), str):
            dialect = self.dialect_named(raw["$schema"])
        elif node.steps and isinstance(raw.get("$schema"), str):
            named = dialect_of(raw["$schema"]) or dialect
            # Only a resource of its own may change the dialect.
            dialect = self.dialect_named(raw["$schema"]) if isinstance(raw.get(named.id_word), str) else dialect
        own = raw.get(dialect.id_word)
        if isinstance(own, str) and not (dialect.old and "$ref" in raw):
            before, fragment = split(own)
            if before:
                resource = Resource(resolved(resource.uri, before), dialect)
                self.resources.setdefault(resource.uri, resource)
                resource.root = node
            if fragment and dialect.old:
                resource.anchors.setdefault(fragment, node)
        elif not node.steps:
            resource.dialect = dialect
        if not node.steps and resource.dialect is not dialect:
            resource.dialect = dialect
        node.resource = resource
        if dialect.old:
            return
        for keyword in ("$anchor", "$dynamicAnchor"):
            name = raw.get(keyword)
            if isinstance(name, str) and keyword in dialect.keywords:
                resource.anchors.setdefault(name, node)
                if keyword == "$dynamicAnchor":
                    resource.dynamic.setdefault(name, node)
        if "$dynamicRef" in raw or "$recursiveRef" in raw:
            self.dynamic = True

    def dialect_named(self, uri: str) -> Dialect:
        """The dialect that a `$schema` asks for; one of somebody's own is read from its `$vocabulary`."""
        known = dialect_of(uri) or self.dialects.get(uri)
        if known is not None:
            return known
        plain = uri.removesuffix("#")
        if plain not in self.handed and uri not in self.handed:
            if self.sure:
                return self.dialect
            raise DeclarationError(
                f"$schema is {uri!r}, which is no dialect known here and was not handed over",
                remedy="hand the meta-schema over in documents=, "
                f"or say with dialect= which one to read it as: {', '.join(BY_NAME)}",
            )
        raw = self.handed.get(plain, self.handed.get(uri))
        base = dialect_of(raw.get("$schema", "")) if isinstance(raw, dict) else None
        made = (base or self.dialect).replace(name=uri, uri=plain)
        wanted = raw.get("$vocabulary") if isinstance(raw, dict) else None
        if isinstance(wanted, dict):
            core = "2019-09" if base is not None and base.name == "2019-09" else "2020-12"
            words = set(VOCABULARIES[f"https://json-schema.org/draft/{core}/vocab/core"])
            for vocabulary, needed in wanted.items():
                if vocabulary in VOCABULARIES:
                    words |= VOCABULARIES[vocabulary]
                elif needed:
                    raise DeclarationError(
                        f"the meta-schema {uri} needs the vocabulary {vocabulary!r}, which is not known here",
                        remedy="a gate cannot judge by rules it does not know: hand over a meta-schema without it",
                    )
            made = made.replace(
                keywords=frozenset(words), asserts=FORMAT_ASSERTION in wanted or wanted.get(FORMAT_2019_09) is True
            )
        self.dialects[uri] = made
        return made

    def target(self, node: Subschema, reference: str) -> Subschema:
        """The schema that a reference in `node` leads to. Raises DeclarationError when there is none."""
        uri = resolved(node.resource.uri, reference)
        before, fragment = split(uri)
        resource = self.resource(before, node.dialect)
        if resource is None:
            raise MissingDocument(node.location(), reference, before)
        fragment = unquote(fragment)
        if not fragment:
            return resource.root
        if fragment.startswith("/"):
            return self._pointed(resource, steps_of(fragment))
        if fragment in resource.anchors:
            return resource.anchors[fragment]
        raise DeclarationError(
            f"{node.location()} refers to {reference!r}, and {before or 'the document'} has no anchor {fragment!r}",
            remedy="mend the reference, or write the anchor",
        )

    def _pointed(self, resource: Resource, steps: tuple[str, ...]) -> Subschema:
        document = resource.root.document
        try:
            return self._beneath(resource.root, steps)
        except DeclarationError:
            # Documents before 2019-09 often carry ids as mere labels, and mean the whole document all the same.
            if not resource.dialect.old or not resource.root.steps:
                raise
            return self._beneath(document.nodes[()], steps)

    def _beneath(self, root: Subschema, steps: tuple[str, ...]) -> Subschema:
        document = root.document
        held, path = root.raw, list(root.steps)
        for step in steps:
            index = index_of(step) if isinstance(held, list) else None
            path.append(step if index is None else index)
            try:
                held = held[path[-1]]
            except (KeyError, IndexError, TypeError):
                break  # the document's own message says where
        return document.node(tuple(path))

    def resource(self, uri: str, dialect: Dialect | None = None) -> Resource | None:
        """The schema of a URI, taken in now if it was handed over and not looked at yet; see `add`."""
        found = self.resources.get(uri)
        if found is None and uri in self.handed:
            found = self.add(uri, self.handed[uri], dialect).resource
        if found is None:
            standard = standard_document(uri)
            if standard is not None:
                found = self.add(uri, standard).resource
        if found is None and not self._looked_into_all:
            # A document handed over may hold the schema under an id of its own: look into all of them, once.
            self._looked_into_all = True
            for name, raw in self.handed.items():
                if name not in self.resources and isinstance(raw, dict | bool):
                    with suppress(DeclarationError):  # what is no document is nobody's aim
                        self.add(name, raw, dialect)
            found = self.resources.get(uri)
        return found or self._of_file(uri, dialect)

    def _of_file(self, uri: str, dialect: Dialect | None) -> Resource | None:
        """The document of a file at hand, known by its path alone, where a URI ends in that path."""
        paths = [name for name in self.handed if "://" not in name and name and uri.endswith(f"/{name}")]
        if not paths:
            return None
        name = max(paths, key=len)
        known = next((each for each in self.resources.values() if each.root.document.name == name), None)
        self.resources[uri] = known if known is not None else self.add(name, self.handed[name], dialect).resource
        return self.resources[uri]


def _held(raw: Mapping[str, Any], dialect: Dialect) -> Iterator[tuple[Steps, Any]]:
    """The schemas that a schema holds, with the steps that lead to them."""
    for word, inner in raw.items():
        if word not in dialect.keywords:
            if word == "components" and dialect.in_components:
                yield from _components(inner)
            continue
        if word in HELD_ONE and isinstance(inner, dict | bool):
            yield (word,), inner
        if word in HELD_LIST and isinstance(inner, list):
            for number, each in enumerate(inner):
                if isinstance(each, dict | bool):
                    yield (word, number), each
        elif word in HELD_MAP and isinstance(inner, dict):
            for name, each in inner.items():
                if isinstance(each, dict | bool):
                    yield (word, name), each


def _components(inner: Any) -> Iterator[tuple[Steps, Any]]:
    if isinstance(inner, dict) and isinstance(inner.get("schemas"), dict):
        for name, each in inner["schemas"].items():
            if isinstance(each, dict):
                yield ("components", "schemas", name), each


def held_schemas(node: Subschema) -> Iterator[Subschema]:
    """The schemas that a node holds."""
    if isinstance(node.raw, dict):
        for steps, _ in _held(node.raw, node.dialect):
            yield node.subschema(*steps)
