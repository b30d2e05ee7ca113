"""The page of a module that is being written: its names and imports, and what could not be said in types."""

from __future__ import annotations

import ast
import re
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any, Final

from ...codegen.layout import TEXTS, WIDTH, laid_out
from ...codegen.literals import literal
from ...codegen.module_check import checked, parsed
from ...report.fault import pointer
from ..judging.engine import DocumentEngine
from ..judging.library import Library, Subschema
from .kept_parts import needed, pruned
from .meaning import Part, Piece, judging_pieces
from .naming import Hint, ModuleNames, property_names
from .same_types import Meant

if TYPE_CHECKING:
    from .records import RecordTypes

NEVER: Final = "Never"
_NOT_PLAIN = re.compile(r"\b(?:datetime|date|time|timedelta|UUID|IPv\w+|Path|ZoneInfo|bytes|tuple|Decimal|Gate)\b")


class ModuleState:
    """What the parts of a document share while they become one module."""

    records: RecordTypes

    def __init__(
        self,
        engine: DocumentEngine,
        document: Any,
        documents: Mapping[str, Any],
        asked: str,
        homes: Mapping[Subschema, Subschema] | None = None,
    ) -> None:
        self.engine = engine
        # Resources that are handed over by themselves, by each schema in them that stays a document.
        self.homes = homes or {}
        self.root = engine.root
        self.library: Library = engine.root.document.library
        self.document = document
        self.documents = documents
        self.asked = asked
        # No type has the name of a property: inside a class the property would be meant.
        self.names = ModuleNames(property_names([document, *documents.values()]))
        self.aliases: list[str] = []
        self.shared_aliases: dict[str, str] = {}
        self.named: dict[Part, str] = {}
        # The names of types whose values are not what JSON has for them, and of those that are unions.
        self.converted: set[str] = set()
        self.unions: set[str] = set()
        # Parts that are being told, with how deep inside a value each began, and how deep inside it is now.
        self.building: dict[Part, int] = {}
        self.quoted: dict[Part, str] = {}
        self.reserved: dict[Part, str] = {}
        self.depth = 0
        # Whether what is at hand stands inside a secret, where it is written down, not where it is referred to.
        self.secret = False
        self.imports: dict[str, set[str]] = {"dutiful_gate": {"Gate"}}
        self.dressed: set[str] = set()
        # The constants of the module: the documents whose schemas stay, by their roots.
        self.constants: dict[Subschema, str] = {}
        self.uses_documents = False
        self.embeds: dict[str, set[str]] = {}
        self.kept: list[Subschema] = []
        self.judges_piece = judging_pieces(self.engine.judges)
        self.left_out: list[str] = []
        self.unknown_formats: dict[str, int] = {}

    # Names

    def use(self, module: str, *names: str) -> None:
        """Import names."""
        if module == "builtins":
            return
        self.imports.setdefault(module, set()).update(names)

    def ours(self, name: str) -> str:
        """Import a name of this package, and give it back."""
        self.use("dutiful_gate", name)
        return name

    def import_for(self, rules: list[str]) -> None:
        """Import what rules on a value are written with."""
        for name in ("it", "ecma"):
            if any(re.search(rf"\b{name}\b", TEXTS.sub('""', rule)) for rule in rules):
                self.ours(name)

    def title(self, node: Subschema) -> str:
        """The title of a schema where it can be a name, else ""."""
        title = node.raw.get("title") if isinstance(node.raw, dict) else None
        return title if isinstance(title, str) and title.isidentifier() and title.isascii() and len(title) <= 60 else ""

    def hint_of(self, node: Subschema) -> Hint:
        """What to call a schema: by its name among the definitions, or as it is asked for; by its title."""
        if node.steps:
            return Hint(str(node.steps[-1]))
        title = node.raw.get("title") if isinstance(node.raw, dict) else None
        return Hint(self.asked or (title if isinstance(title, str) and len(title) <= 60 else "") or "Document")

    def alias(self, name: str, told: str) -> None:
        """Write down what a name stands for."""
        self.aliases.append(f"{name} = {told}")
        if self.is_converted(told):
            self.converted.add(name)
        if self.is_union(told):
            self.unions.add(name)

    def shared(self, name: str, told: str) -> str:
        """A name for a type that stands at several places; it is written down once."""
        if told not in self.shared_aliases:
            self.shared_aliases[told] = self.names.fresh(name)
            self.unions.add(self.shared_aliases[told])
        return self.shared_aliases[told]

    def is_converted(self, told: str) -> bool:
        """Whether values of a type may differ from what JSON has for them."""
        return bool(_NOT_PLAIN.search(TEXTS.sub('""', told))) or not self.converted.isdisjoint(_names_in(told))

    def is_union(self, told: str) -> bool:
        """Whether a type is a union, which another one around it would take apart."""
        return len(_options_of(told)) > 1 or told.startswith("Union[") or told in self.unions

    def are_one(self, types: Sequence[str]) -> bool:
        """Whether Python takes two of some types for one, with what names stand for in their place."""
        meant = dict(line.split(" = ", 1) for line in self.aliases)
        meant |= {name: each for each, name in self.shared_aliases.items()}
        return len({Meant(meant).of(told) for told in types}) < len(types)

    # Expressions

    def any(self) -> str:
        """The type of anything."""
        self.use("typing", "Any")
        return "Any"

    def never(self) -> str:
        """The type of nothing."""
        self.use("typing", NEVER)
        return NEVER

    def annotated(self, base: str, beside: list[str]) -> str:
        """A type with rules and marks beside it."""
        if not beside:
            return base
        self.use("typing", "Annotated")
        opened = base[:-1] if base in self.dressed else f"Annotated[{base}"
        made = f"{opened}, {', '.join(beside)}]"
        self.dressed.add(made)
        return made

    def one_of(self, options: list[str]) -> str:
        """A union; of a name in quotes, which has no `|`, in the words of `typing`."""
        options = list(dict.fromkeys(each for option in options for each in _options_of(option)))
        if len(options) == 1:
            return options[0]
        if any(option.startswith('"') for option in options):
            self.use("typing", "Union")
            return f"Union[{', '.join(options)}]"
        return " | ".join(options)

    def length(self, low: int | None, high: int | None) -> list[str]:
        """The rule for a number of items."""
        if low is None and high is None:
            return []
        self.ours("it")
        if low is None:
            return [f"it.length <= {high}"]
        return [f"it.length >= {low}" if high is None else f"it.length.between({low}, {high})"]

    def judges(self, asked: Subschema | Piece, value: Any) -> bool:
        """Whether a value that the document holds is sound by a schema in it, or by what is at hand of one."""
        return self.judges_piece(asked, value) if isinstance(asked, Piece) else self.engine.judges(asked, value)

    # What has no form in types

    def embedded(self, node: Subschema, words: Mapping[str, Any]) -> None:
        """Put down that keywords of a schema stay as a document."""
        self.embeds.setdefault(self.place(node), set()).update(words)

    def place(self, node: Subschema) -> str:
        """Where a schema stands, for people."""
        return f"{node.document.name}#{pointer(node.steps)}"

    def whole(self, node: Subschema, words: Mapping[str, Any] | None = None) -> str:
        """A schema that stays in the document, which is kept as it is."""
        self.embedded(node, words if words is not None else node.raw)
        self.kept.append(node)
        self.ours("obeys_document")
        home = self.homes.get(node)
        more = ", documents=DOCUMENTS" if self.documents and home is None else ""
        self.uses_documents = self.uses_documents or bool(more)
        if node.document is not self.root.document:
            return f'obeys_document({{"$ref": {literal(f"{node.document.name}#{pointer(node.steps)}")}}}{more})'
        home = home or self.document_root
        if home not in self.constants:
            number = len(self.constants) + 1
            self.constants[home] = "DOCUMENT" if number == 1 else self.names.fresh(f"DOCUMENT_{number}")
        name = self.constants[home]
        more += "" if "$schema" in home.raw else f", dialect={literal(node.dialect.name)}"
        at = pointer(node.steps[len(home.steps) :])
        return f"obeys_document({name}, at={literal(at)}{more})" if at else f"obeys_document({name}{more})"

    @property
    def document_root(self) -> Subschema:
        """The document at hand as one schema."""
        return self.root.document.nodes[()]

    def kept_parts(self) -> tuple[dict[str, Any], dict[str, Any]]:
        """What is kept of the document, by constants, and of the others: all that the schemas beside types need."""
        if self.library.dynamic or not isinstance(self.document, dict):
            return {name: home.raw for home, name in self.constants.items()}, dict(self.documents)
        kept: dict[Subschema, list[Subschema]] = {self.document_root: []}
        for node in self.kept:
            kept.setdefault(self.homes.get(node, self.document_root), []).append(node)
        found = {home: needed(self.library, nodes) for home, nodes in kept.items()}
        parts: dict[str, Any] = {}
        for home, name in self.constants.items():
            steps = found[home].get(home.document, [])
            parts[name] = pruned(home.raw, [each[len(home.steps) :] for each in steps])
        others = {document.name: (document.raw, steps) for document, steps in found[self.document_root].items()}
        return parts, {name: pruned(*held) for name, held in others.items() if name in self.documents}

    # The module

    def text(self, classes: list[str], root: str, words: str) -> str:
        """The whole module."""
        kept, documents = self.kept_parts()
        parts = [laid_out(f"{name}: dict[str, Any] = {literal(document)}") for name, document in kept.items()]
        if self.uses_documents:
            parts.append(laid_out(f"DOCUMENTS: dict[str, Any] = {literal(documents)}"))
        parts += classes
        # What was tried first, and then kept as a document, may have been all that a name was for.
        used = set(re.findall(r"\w+", "\n".join([*classes, *self.aliases, root])))
        self.shared_aliases = {told: name for told, name in self.shared_aliases.items() if name in used}
        lines = [*(f"{name} = {told}" for told, name in self.shared_aliases.items()), *self.aliases]
        named = "\n".join(map(laid_out, lines))
        gate = laid_out(f"gate = Gate({root}{words})")
        end = f"{named}\n\n{gate}" if named else gate
        body = "\n\n\n".join([*parts, end])
        gap = "\n\n" if body.startswith(("class ", "@")) else "\n"
        lead = '"""Declarations made from a JSON Schema document."""\n\nfrom __future__ import annotations\n\n'
        return checked(f"{lead}{self.header(body)}\n{gap}{body}\n")

    def header(self, body: str) -> str:
        """The imports of what the module uses."""
        used = {node.id for node in ast.walk(parsed(body)) if isinstance(node, ast.Name)}
        self.use("typing", "Any")
        lines = []
        for module in sorted(self.imports, key=lambda module: (module == "dutiful_gate", module)):
            names = sorted(self.imports[module] & used, key=_order)
            line = f"from {module} import {', '.join(names)}"
            if names:
                lines.append(
                    line
                    if len(line) <= WIDTH
                    else "\n".join([f"from {module} import (", *(f"    {name}," for name in names), ")"])
                )
        return "\n".join([*lines[:-1], "", lines[-1]] if len(lines) > 1 else lines)


def _names_in(source: str) -> set[str]:
    """The names that source speaks of, texts left out."""
    return set(re.findall(r"[A-Za-z_]\w*", TEXTS.sub('""', source)))


def _order(name: str) -> tuple[int, str]:
    """As names are sorted in imports: constants, classes, all others."""
    return (0 if name.isupper() and len(name) > 1 else 1 if name[0].isupper() else 2), name


def _options_of(told: str) -> list[str]:
    """The options of a union that is written with `|`; the type itself where it is none."""
    if "|" not in told:
        return [told]
    plain = TEXTS.sub(lambda text: "." * len(text[0]), told)
    depth, begins = 0, [0]
    for at, letter in enumerate(plain):
        depth += (letter in "[({") - (letter in "])}")
        if letter == "|" and not depth:
            begins.append(at + 1)
    return [told[begin:end].strip(" |") for begin, end in zip(begins, [*begins[1:], len(told)], strict=True)]
