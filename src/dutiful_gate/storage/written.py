"""Records of mapped classes as a Python module that a developer keeps: typed dicts, whose values make rows."""

from __future__ import annotations

import builtins
import types
import typing
from collections.abc import Callable, Iterable, Sequence
from enum import Enum
from typing import Annotated, Any, Final, Literal, Union

import dutiful_gate

from ..declare.described import LEFT_OUT, Described, DescribedField
from ..declare.marks import About, AlsoNamed, Named
from .records import For, describe, fields_of, mapper_of

_WIDTH: Final = 120
_HEAD: Final = '"""Records of {names}, written by dutiful declare: write them anew when the model changes."""'


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
    for model in named:
        mapper_of(model)
        for use in uses:
            writer.record(model, use)
    return WrittenRecords(writer.module(named), writer.left)


class _Writer:
    def __init__(self) -> None:
        self.imports: dict[str, set[str]] = {}
        self.plain: set[str] = set()
        self.blocks: list[str] = []
        self.left: list[str] = []
        self._known: set[str] = set()

    def module(self, models: Sequence[Any]) -> str:
        """The whole source."""
        names = ", ".join(model.__name__ for model in models)
        lines = [_HEAD.format(names=names), "", "from __future__ import annotations", ""]
        lines += [f"import {name}" for name in sorted(self.plain)]
        for module in sorted(self.imports, key=lambda each: (each.startswith("dutiful_gate"), each)):
            lines.append(f"from {module} import {', '.join(sorted(self.imports[module]))}")
        return "\n".join(lines) + "\n\n\n" + "\n\n\n".join(self.blocks) + "\n"

    def name(self, module: str, name: str) -> str:
        """A name that is imported."""
        self.imports.setdefault(module, set()).add(name)
        return name

    def record(self, model: Any, use: For) -> None:
        """The record of a class for a use."""
        described = describe(model, "create" if use == "change" else use, (), (), f"{model.__name__}{use.title()}")
        if use != "change":
            self.described(described)
            return
        whole = f"{model.__name__}Create"
        if whole not in self._known:
            self.described(described.but(name=whole))
        keys = [each.attribute for each in fields_of(model) if each.column.primary_key]
        without = [key for key in keys if any(field.attribute == key for field in described.fields)]
        words = f", without={without!r}" if without else ""
        self.name("dutiful_gate", "amendment")
        self.blocks.append(f"{described.name} = amendment({whole}{words})")

    def described(self, described: Described) -> None:
        """A class."""
        if described.name in self._known:
            return
        self._known.add(described.name)
        lines = []
        rules = [text for rule in described.rules if (text := self.part(rule, described.name))]
        if rules:
            self.name("dutiful_gate", "obeys")
            lines.append(f"@obeys({', '.join(rules)})")
        lines.append(f"class {described.name}({self.name('typing', 'TypedDict')}):")
        text = described.text or f"What is sent or shown of a row: see {described.builder.__name__}."
        lines.append(f"    {_docstring(text)}")
        lines.append("")
        lines += [f"    {self.field(field, described.name)}" for field in described.fields]
        self.blocks.append("\n".join(lines))

    def field(self, field: DescribedField, record: str) -> str:
        """The line of a field."""
        where = f"{record}.{field.attribute}"
        held = self.annotation(field.annotation, where)
        if field.default is not LEFT_OUT:
            self.name("dutiful_gate", "if_absent")
            default = self.value(field.default, where)
            inner = held.removeprefix("Annotated[").removesuffix("]") if _is_annotated(field.annotation) else held
            held = f"{self.name('typing', 'Annotated')}[{inner}, if_absent({default})]"
        if field.may_lack:
            held = f"{self.name('typing', 'NotRequired')}[{held}]"
        line = f"{field.attribute}: {held}"
        return line if len(line) + 4 <= _WIDTH else _wrapped(line)

    def annotation(self, held: Any, where: str) -> str:
        """The source of an annotation."""
        origin, arguments = typing.get_origin(held), typing.get_args(held)
        if origin is Annotated:
            inner, *parts = arguments
            told = [text for part in parts if (text := self.part(part, where))]
            base = self.annotation(inner, where)
            return f"{self.name('typing', 'Annotated')}[{', '.join([base, *told])}]" if told else base
        if origin in (Union, types.UnionType):
            return " | ".join("None" if each is type(None) else self.annotation(each, where) for each in arguments)
        if origin is Literal:
            return f"{self.name('typing', 'Literal')}[{', '.join(self.value(each, where) for each in arguments)}]"
        if origin is not None:
            inner = ", ".join("..." if each is Ellipsis else self.annotation(each, where) for each in arguments)
            return f"{self.annotation(origin, where)}[{inner}]"
        if isinstance(held, Described):
            self.described(held)
            return held.name
        if held is Any:
            return self.name("typing", "Any")
        module, name = getattr(held, "__module__", ""), getattr(held, "__qualname__", "")
        if module == builtins.__name__:
            return str(name)
        if not name.isidentifier():
            self.left.append(f"{where}: the type {held!r}, which no module has by its name")
            return self.name("typing", "Any")
        return self.name(module, name)

    def part(self, part: Any, where: str) -> str:
        """The source of a rule, a step or a mark; "" for what has none, which is told, or is another library's."""
        if isinstance(part, About | Named | AlsoNamed):
            return self._call(part, where)
        if type(part).__module__.partition(".")[0] != dutiful_gate.__name__:
            return ""
        text = str(part)
        try:
            made = eval(text, _standard(), _Names())  # our own form of our own rule: is it the same?
        except Exception:
            made = None
        if made != part:
            self.left.append(f"{where}: {text}")
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
        self.name("dutiful_gate", word)
        return f"{word}({', '.join(parts)})"

    def _import_names(self, text: str) -> None:
        import ast

        for node in ast.walk(ast.parse(text, mode="eval")):
            if isinstance(node, ast.Name):
                if hasattr(dutiful_gate, node.id):
                    self.name("dutiful_gate", node.id)
                elif node.id in ("Decimal",):
                    self.name("decimal", node.id)
                elif node.id in ("datetime", "re", "uuid"):
                    self.plain.add(node.id)

    def value(self, held: Any, where: str) -> str:
        """The source of a constant."""
        if isinstance(held, Enum):
            return f"{self.annotation(type(held), where)}.{held.name}"
        text = repr(held)
        try:
            same = eval(text, _standard()) == held  # a constant of the developer's own model
        except Exception:
            same = False
        if not same:
            self.left.append(f"{where}: the value {text}")
            return "..."
        self._import_names(text)
        return text


class _Names(dict[str, Any]):
    """The public names of the package, each looked up when it is asked for."""

    def __missing__(self, name: str) -> Any:
        try:
            return getattr(dutiful_gate, name)
        except AttributeError:
            raise KeyError(name) from None


def _standard() -> dict[str, Callable[..., Any] | types.ModuleType]:
    import datetime
    import re
    import uuid
    from decimal import Decimal

    return {"datetime": datetime, "Decimal": Decimal, "re": re, "uuid": uuid, "UUID": uuid.UUID}


def _is_annotated(annotation: Any) -> bool:
    """Whether something of the package stands beside a type that is written with it."""
    return typing.get_origin(annotation) is Annotated and any(
        type(part).__module__.startswith(dutiful_gate.__name__) for part in annotation.__metadata__
    )


def _wrapped(line: str) -> str:
    """A field on several lines, a part on each: cut where nothing is open but the outermost bracket."""
    opening = line.index("[")
    inner, parts, depth, quote = line[opening + 1 : -1], [""], 0, ""
    for sign in inner:
        if quote:
            quote = "" if sign == quote else quote
        elif sign in "'\"":
            quote = sign
        depth += (sign in "[({" and not quote) - (sign in "])}" and not quote)
        if sign == "," and not depth and not quote:
            parts.append("")
        else:
            parts[-1] += sign
    told = "".join(f"        {part.strip()},\n" for part in parts)
    return f"{line[: opening + 1]}\n{told}    ]"


def _docstring(text: str) -> str:
    safe = text.replace("\\", "\\\\").replace('"""', '\\"\\"\\"')
    lines = safe.split("\n")
    if len(lines) == 1:
        return f'"""{safe}"""'
    return "\n".join([f'"""{lines[0]}', *(f"    {line}".rstrip() for line in lines[1:]), '    """'])
