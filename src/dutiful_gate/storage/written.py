"""Records of mapped classes as a Python module that a developer keeps: typed dicts, whose values make rows."""

from __future__ import annotations

import keyword
import types
import typing
from collections.abc import Iterable, Sequence
from enum import Enum
from typing import Annotated, Any, Final, Literal, Union

import dutiful_gate

from ..codegen.imports import Imports
from ..codegen.layout import docstring, laid_out
from ..codegen.module_check import Unwritable, checked
from ..declare.described import LEFT_OUT, Described, DescribedField
from ..declare.errors import DeclarationError
from ..declare.marks import About, AlsoNamed, Named
from .constants import MODULES, names_in, plain_source, same_source
from .records import For, describe, fields_of, mapper_of

_HEAD: Final = "Records of {names}, written by dutiful declare: write them anew when the model changes."
_OF_TYPING: Final = ("Annotated", "Any", "Literal", "NotRequired", "TypedDict")


class WrittenRecords:
    """A module, and what it could not say.

    `text`  the source
    `left`  what stands in the model and has no form in source: where, and what
    """

    def __init__(self, text: str, left: Sequence[str]) -> None:
        self.text = text
        self.left = tuple(left)


def written_records(models: Iterable[Any], uses: Iterable[For] = ("create", "change", "show")) -> WrittenRecords:
    """The module of the records of mapped classes. Raises DeclarationError as `record_of` does."""
    writer = _Writer()
    named = [*models]
    try:
        for model in named:
            mapper_of(model)
            writer.imports.avoid(each.attribute for each in fields_of(model))
        for model in named:
            for use in uses:
                writer.record(model, use)
        return WrittenRecords(writer.module(named), writer.left)
    except Unwritable as error:
        raise DeclarationError(
            f"the records cannot be written as Python: {error}", remedy="declare them as record_of(...) instead"
        ) from None


class _Writer:
    def __init__(self) -> None:
        settled = [("typing", name) for name in _OF_TYPING] + [("decimal", "Decimal")]
        self.imports = Imports([*settled, *(("dutiful_gate", name) for name in dutiful_gate.__all__)], MODULES)
        self.blocks: list[str] = []
        self.left: list[str] = []
        self._known: dict[tuple[str, Any], str] = {}

    def module(self, models: Sequence[Any]) -> str:
        """The whole source."""
        names = ", ".join(model.__name__ for model in models)
        lines = [docstring(_HEAD.format(names=names), ""), "", "from __future__ import annotations", ""]
        lines += self.imports.lines("dutiful_gate")
        return checked("\n".join(lines) + "\n\n\n" + "\n\n\n".join(self.blocks) + "\n")

    def ours(self, name: str) -> str:
        """A name of this package that is imported."""
        return self.imports.of("dutiful_gate", name)

    def typing(self, name: str) -> str:
        """A name of `typing` that is imported."""
        return self.imports.of("typing", name)

    def record(self, model: Any, use: For) -> None:
        """The record of a class for a use."""
        described = describe(model, "create" if use == "change" else use, (), (), f"{model.__name__}{use.title()}")
        if use != "change":
            self.described(described)
            return
        whole = self.described(described.replace(name=f"{model.__name__}Create"))
        keys = [each.attribute for each in fields_of(model) if each.column.primary_key]
        without = [key for key in keys if any(field.attribute == key for field in described.fields)]
        name, held = self.imports.own(described.name), f"{self.ours('Amendment')}[{whole}]"
        if without:
            held = f"{self.typing('Annotated')}[{held}, {self.ours('without')}({', '.join(map(repr, without))})]"
        self.blocks.append(laid_out(f"{name} = {held}"))

    def described(self, described: Described) -> str:
        """Write a class, once; gives back its name."""
        mark = described.name, described.builder
        if mark in self._known:
            return self._known[mark]
        name = self._known[mark] = self.imports.own(described.name)
        rules = [text for rule in described.rules if (text := self.part(rule, name))]
        fields = {field.attribute: self.field(field, name) for field in described.fields}
        text = described.text or f"What is sent or shown of a row: see {described.builder.__name__}."
        meant = set(names_in(f"({', '.join(fields.values())},)")) if fields else set()
        if all(_may_be_attribute(each, name) for each in fields) and meant.isdisjoint(fields):
            lines = [laid_out(f"@{self.ours('obeys')}({', '.join(rules)})")] if rules else []
            lines += [f"class {name}({self.typing('TypedDict')}):", docstring(text, "    "), ""]
            lines += [laid_out(f"{attribute}: {held}", "    ") for attribute, held in fields.items()]
            self.blocks.append("\n".join(lines))
        else:  # a class has no place for such names, the call has
            held = ", ".join(f"{attribute!r}: {told}" for attribute, told in fields.items())
            made = f"{self.typing('TypedDict')}({name!r}, {{{held}}})"
            made = f"{self.ours('obeys')}({', '.join(rules)})({made})" if rules else made
            self.blocks.append(laid_out(f"{name} = {made}"))
        return name

    def field(self, field: DescribedField, record: str) -> str:
        """The annotation of a field."""
        where = f"{record}.{field.attribute}"
        held = self.annotation(field.annotation, where)
        if field.default is not LEFT_OUT:
            default = self.value(field.default, where)
            inner = held.removeprefix("Annotated[").removesuffix("]") if _is_annotated(field.annotation) else held
            held = f"{self.typing('Annotated')}[{inner}, {self.ours('if_absent')}({default})]"
        return f"{self.typing('NotRequired')}[{held}]" if field.may_lack else held

    def annotation(self, held: Any, where: str) -> str:
        """The source of an annotation."""
        origin, arguments = typing.get_origin(held), typing.get_args(held)
        if origin is Annotated:
            inner, *parts = arguments
            told = [text for part in parts if (text := self.part(part, where))]
            base = self.annotation(inner, where)
            return f"{self.typing('Annotated')}[{', '.join([base, *told])}]" if told else base
        if origin in (Union, types.UnionType):
            return " | ".join("None" if each is type(None) else self.annotation(each, where) for each in arguments)
        if origin is Literal:
            return f"{self.typing('Literal')}[{', '.join(self.value(each, where) for each in arguments)}]"
        if origin is not None:
            inner = ", ".join("..." if each is Ellipsis else self.annotation(each, where) for each in arguments)
            return f"{self.annotation(origin, where)}[{inner}]"
        if isinstance(held, Described):
            return self.described(held)
        if held is Any:
            return self.typing("Any")
        found = self.imports.class_of(held)
        if found is None:
            self.left.append(f"{where}: the type {held!r}, which no module has by its name")
            return self.typing("Any")
        return found

    def part(self, part: Any, where: str) -> str:
        """The source of a rule, a step or a mark; "" for what has none, which is told, or is another library's."""
        if isinstance(part, About | Named | AlsoNamed):
            return self._call(part, where)
        if type(part).__module__.partition(".")[0] != dutiful_gate.__name__:
            return ""
        text = same_source(part)
        if text is None:
            self.left.append(f"{where}: {part}")
            return ""
        self._import_names(text)
        return text

    def _call(self, part: Any, where: str) -> str:
        """The source of a mark with words in it."""
        if isinstance(part, Named):
            more: dict[str, Any]
            word, first, more = "named", [part.wire] if part.wire else [], {"formerly": part.former}
        elif isinstance(part, AlsoNamed):
            word, first, more = "also_named", [*part.wires], {}
        else:
            word, first = "about", []
            more = {
                "title": part.title,
                "text": part.text,
                "examples": list(part.examples),
                "deprecated": part.deprecated,
            }
        parts = [self.value(each, where) for each in first]
        parts += [f"{name}={self.value(held, where)}" for name, held in more.items() if held]
        return f"{self.ours(word)}({', '.join(parts)})"

    def _import_names(self, text: str) -> None:
        for name in names_in(text):
            if name in MODULES:
                self.imports.module(name)
            elif name == "Decimal":
                self.imports.of("decimal", name)
            elif name in dutiful_gate.__all__:
                self.ours(name)

    def value(self, held: Any, where: str) -> str:
        """The source of a constant."""
        if isinstance(held, Enum) and held.name in type(held).__members__:
            found = self.imports.class_of(type(held))
            if found is not None:
                return f"{found}[{held.name!r}]" if not _may_be_attribute(held.name, "") else f"{found}.{held.name}"
        text = plain_source(held)
        if text is None:
            self.left.append(f"{where}: the value {held!r}")
            return "..."
        self._import_names(text)
        return text


def _may_be_attribute(name: str, owner: str) -> bool:
    """Whether a name can stand in a class as it is: Python changes the spelling of some."""
    hidden = name.startswith("__") and not name.endswith("__") and bool(owner)
    return name.isidentifier() and name.isascii() and not keyword.iskeyword(name) and not hidden


def _is_annotated(annotation: Any) -> bool:
    """Whether something of the package stands beside a type that is written with it."""
    return typing.get_origin(annotation) is Annotated and any(
        type(part).__module__.startswith(dutiful_gate.__name__) for part in annotation.__metadata__
    )
