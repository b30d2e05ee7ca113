"""Classes of records as they will be written: their fields, their rules, their source."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Any

from ...codegen.layout import commented, docstring, laid_out
from ...codegen.literals import literal
from ..judging.library import Subschema
from .meaning import Part
from .module_state import ModuleState
from .naming import Hint

if TYPE_CHECKING:
    from .records import RecordTypes

OPEN, SHUT, GATHERS = "open", "shut", "gathers"
"""What a class does with keys that no property names."""


class Class:
    """A class as it will be written: what may still change is what it says of unknown keys."""

    __slots__ = ("asking", "fields", "keys", "name", "node", "rules", "text")

    def __init__(self, name: str, node: Subschema, keys: str) -> None:
        self.name = name
        self.asking: list[Subschema] = []
        self.node = node
        self.keys = keys
        self.fields: list[ClassField] = []
        self.rules: list[str] = []
        self.text = ""

    @property
    def counts(self) -> bool:
        """Whether it has a rule on how many keys came: then it says itself that none more may."""
        return any("this.length" in rule for rule in self.rules)

    def source(self, page: ModuleState, *, gate_refuses: bool) -> str:
        """The source of the class; where the gate refuses unknown keys, it need not say so."""
        rules = list(self.rules)
        if self.keys == SHUT and (not gate_refuses or self.counts):
            rules.append('unknown="refuse"')
        lines = [laid_out(f"@{page.ours('obeys')}({', '.join(rules)})")] if rules else []
        fields = [field for field in self.fields if not (gate_refuses and field.wire == "$schema" and field.is_mark)]
        of_dict = any(field.may_lack for field in fields)
        if of_dict:
            page.use("typing", "TypedDict")
            lines.append(f"class {self.name}(TypedDict):")
        else:
            page.use("dataclasses", "dataclass")
            late = [field.has_python_default for field in fields]
            lines.append(f"@dataclass{'' if late == sorted(late) else '(kw_only=True)'}")
            lines.append(f"class {self.name}:")
        if self.text:
            lines += [docstring(self.text, "    "), ""]
        for field in fields:
            lines += [*comment(field.part, "    "), laid_out(field.text(of_dict=of_dict), "    ")]
        if not fields:
            lines += [] if self.text else ["    pass"]
            lines = lines[:-1] if self.text else lines
        return "\n".join(lines)


def comment(part: Part, indent: str) -> list[str]:
    """What the schemas of a property say to those who maintain them (`$comment`), as comments."""
    told = [piece.node.raw.get("$comment") for piece in part if isinstance(piece.node.raw, dict)]
    return [line for text in told if isinstance(text, str) for line in commented(text, indent)]


class ClassField:
    """One property as a line of a class."""

    def __init__(self, records: RecordTypes, part: Part, wire: str, name: str, owner: str, *, required: bool) -> None:
        self.page = page = records.page
        self.attribute = name
        self.wire = wire
        self.part = part
        hint = "".join(letters(wire, upper=True)) or "Value"
        self.type = records.types.held(part, Hint(hint, f"{owner}{hint}"))
        self.required = required
        self.default = ""
        self.gathers = False
        raw = part[0].node.raw if part else None
        self.is_mark = raw == {}
        self.plain: Any = None
        if wire != name:
            self.type = page.annotated(self.type, [f"{page.ours('named')}({literal(wire)})"])

    @classmethod
    def gathering(cls, records: RecordTypes, name: str, told: str) -> ClassField:
        """The field that gathers keys nobody named."""
        made = cls.__new__(cls)
        made.page = page = records.page
        made.attribute, made.wire, made.part = name, "", ()
        made.type = page.annotated(told, [page.ours("rest")])
        made.required, made.default, made.gathers, made.is_mark, made.plain = True, "", True, False, None
        return made

    @property
    def may_lack(self) -> bool:
        """Whether it may be absent, with nothing in its place."""
        return not self.required and not self.default

    @property
    def has_python_default(self) -> bool:
        """Whether a dataclass may be made without it."""
        as_it_is = self.plain is None or self.is_empty or not self.page.is_converted(self.type)
        return self.gathers or (bool(self.default) and as_it_is)

    @property
    def is_empty(self) -> bool:
        """Whether its default is an empty list or dict, and its type just such a one."""
        bare = self.type.removeprefix("Annotated[")
        return (self.plain == [] and bare.startswith("list[")) or (self.plain == {} and bare.startswith("dict["))

    def text(self, *, of_dict: bool) -> str:
        """The line."""
        page = self.page
        if self.gathers:
            if of_dict:
                return f"{self.attribute}: {self.type}"
            page.use("dataclasses", "field")
            return f"{self.attribute}: {self.type} = field(default_factory=dict)"
        if self.may_lack:
            page.use("typing", "NotRequired")
            return f"{self.attribute}: NotRequired[{self.type}]"
        if self.required:
            return f"{self.attribute}: {self.type}"
        simple = self.plain is None or isinstance(self.plain, str | bool | int | float)
        if not self.has_python_default:
            return f"{self.attribute}: {page.annotated(self.type, [self.absent(f'sent={self.default}')])}"
        if of_dict:
            return f"{self.attribute}: {page.annotated(self.type, [self.absent(self.default)])}"
        if simple:
            return f"{self.attribute}: {self.type} = {self.default}"
        page.use("dataclasses", "field")
        made = {"[]": "list", "{}": "dict"}.get(self.default, f"lambda: {self.default}")
        return f"{self.attribute}: {self.type} = field(default_factory={made})"

    def absent(self, words: str) -> str:
        """The mark that says what stands for an absent value."""
        return f"{self.page.ours('if_absent')}({words})"


def letters(name: str, *, upper: bool = False) -> list[str]:
    """The words of a name, as a class or an attribute is named."""
    words = re.findall(r"[A-Za-z0-9]+", name)
    return [word[:1].upper() + word[1:] for word in words] if upper else [word.lower() for word in words]
