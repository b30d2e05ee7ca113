"""Makes `reference.md` of the docstrings: `python docs/make_reference.py` (or `make reference`)."""

from __future__ import annotations

import ast
import inspect
import re
from functools import cache
from itertools import pairwise
from pathlib import Path
from typing import Any

import dutiful_gate
from dutiful_gate import (
    catalogues,
    config,
    draft,
    files,
    it,
    precompiled,
    problems,
    proofs,
    storage,
    tables,
    versions,
    warnings,
    web,
)
from dutiful_gate.config import click_options
from dutiful_gate.document.dialects import WrittenDialect
from dutiful_gate.web import asgi, django, flask, replies, starlette, wsgi

PAGE = Path(__file__).parent / "reference.md"

GROUPS: dict[str, list[str]] = {
    "The gate": [
        "Gate", "AnyGate", "Source", "FromText", "Limits", "Verdict", "Fault", "Place", "Refused", "DeclarationError",
        "Explanation",
    ],
    "Subjects of rules": ["it", "this", "now", "today"],
    "Checks of one's own": ["holds", "Wrong"],
    "Checks that wait": ["among", "waits", "WaitingGate"],
    "Values from outside": ["outside", "outside_values", "takes"],
    "Patterns of ECMA-262": ["ecma"],
    "Steps and what comes before reading": [
        "trimmed", "squeezed", "lowered", "uppered", "rounded_to", "in_utc", "then", "via", "split_on",
        "blank_is_none", "otherwise",
    ],
    "Marks": [
        "about", "named", "also_named", "if_absent", "tagged_by", "written_as", "as_text", "unreadable",
        "goes_out", "secret", "lenient", "rest", "appended", "unambiguous", "together", "utc_only",
        "without_offset", "without_point", "or_infinite", "byte_size", "time_span",
    ],
    "Rules of a record": [
        "obeys", "needs", "when", "at_least_one", "at_most_one", "exactly_one", "all_or_none",
    ],
    "Variants": ["Amendment", "without", "demanding", "subset", "changed", "Patch", "Absent", "ABSENT"],
    "Names in the data": ["camel", "kebab"],
    "Secrets": ["Sealed", "pickling_sealed"],
    "Kinds of text": ["Email", "WebUrl", "Hostname", "Slug"],
    "Words": ["Catalogue", "speaking"],
    "Documents": ["Document", "Unstated", "Flaw", "bundle", "DocumentGate", "declarations_of", "obeys_document"],
    "Data made of a declaration": ["samples", "payloads", "probes", "CannotSample"],
}  # fmt: skip


_HANDED_OUT = frozenset(
    ["Verdict", "Fault", "Place", "Explanation", "Document", "Head", "Served", "Amended", "Answered", "Requirement"]
)
"""Classes of which nobody makes one: they are given."""


def page() -> str:
    """The whole reference."""
    listed = [name for names in GROUPS.values() for name in names]
    missing = set(dutiful_gate.__all__) - set(listed)
    assert not missing, f"in no group: {missing}"
    lines = [
        "# Reference",
        "",
        "Made from the docstrings (`make reference`). All of these are imported from `dutiful_gate`, "
        "but for those of the modules at the end.",
    ]
    for title, names in GROUPS.items():
        lines += ["", f"## {title}"]
        for name in names:
            lines += ["", *_entry(name, getattr(dutiful_gate, name))]
    of_web = (web, asgi, wsgi, starlette, flask, django, replies)
    for module in (
        config,
        click_options,
        files,
        draft,
        storage,
        tables,
        versions,
        precompiled,
        *of_web,
        problems,
        catalogues,
        warnings,
        proofs,
    ):
        lines += ["", f"## `{module.__name__}`", "", *_doc(module)]
        for name in module.__all__:
            if name not in listed:
                lines += ["", *_entry(name, getattr(module, name))]
    return "\n".join([*lines, ""])


def _entry(name: str, thing: Any) -> list[str]:
    if inspect.isclass(thing):
        return [f"### `{name}`", "", *_constructor(name, thing), *_doc(thing), *_members(thing)]
    if inspect.isfunction(thing):
        return [f"### `{name}{_signature(thing)}`", "", *_doc(thing)]
    if isinstance(thing, dutiful_gate.Catalogue):
        return [f"### `{name}`", "", f"The words of messages in the language {thing.language!r}."]
    if isinstance(thing, str):
        return [f"### `{name}`", "", f"{thing!r}"]
    lines = [f"### `{name}`", "", *_note(name)]
    return [*lines, *_members(type(it))] if thing is it else lines


def _constructor(name: str, thing: type) -> list[str]:
    """The call that makes one, where the class says how itself, a parameter to a line where they are many."""
    own = vars(thing).get("__init__")
    if name in _HANDED_OUT:
        return []
    if not inspect.isfunction(own) or issubclass(thing, BaseException) or hasattr(own, "__wrapped__"):
        return []
    if own.__module__ != thing.__module__:  # what another class or a decorator gave it
        return []
    told = f"{name}{_signature(own).removesuffix(' -> None')}"
    if len(told) <= 110:
        return ["```text", told, "```", ""]
    parts = re.split(r", (?=(?:\*{0,2}[a-z_]+(?::| =|=|,|\)|$)|\*,))", told.removeprefix(f"{name}(").removesuffix(")"))
    return ["```text", f"{name}(", *(f"    {part}," for part in parts), ")", "```", ""]


def _members(owner: type) -> list[str]:
    """The public methods, properties and attributes of a class, those it has from another public class by its name."""
    lines: list[str] = []
    for base in owner.__bases__:
        if base.__name__ in dutiful_gate.__all__:
            lines += ["", f"Also all of `{base.__name__}`."]
    for name, note in _attributes(owner).items():
        lines += ["", *_member(f".{name}", inspect.cleandoc(note).splitlines())]
    for name, member in vars(owner).items():
        function = member.__func__ if isinstance(member, staticmethod) else member
        if name.startswith("_"):
            continue
        if inspect.isfunction(function):
            lines += ["", *_member(f".{name}{_signature(function)}", _doc(function))]
        elif isinstance(member, property) and member.__doc__:
            lines += ["", *_member(f".{name}", inspect.cleandoc(member.__doc__).splitlines())]
    return lines


def _member(name: str, doc: list[str]) -> list[str]:
    """One item of a list, with its parameters as a list inside it."""
    first, *others = doc
    return [f"- `{name}`: {first}", *(f"  {line}".rstrip() for line in others)]


@cache
def _attributes(owner: type) -> dict[str, str]:
    """The attributes of a class that have a docstring under them."""
    (tree,) = [
        node
        for node in ast.parse(inspect.getsource(inspect.getmodule(owner))).body  # type: ignore[arg-type]
        if isinstance(node, ast.ClassDef) and node.name == owner.__name__
    ]
    return {
        getattr(getattr(statement, "target", None), "id", ""): str(after.value.value)
        for statement, after in pairwise(tree.body)
        if isinstance(statement, ast.AnnAssign)
        and isinstance(after, ast.Expr)
        and isinstance(after.value, ast.Constant)
    }


def _signature(function: Any) -> str:
    told, starred = [], False
    signature = inspect.signature(function)
    for parameter in signature.parameters.values():
        if parameter.name == "self":
            continue
        if parameter.kind is inspect.Parameter.KEYWORD_ONLY and not starred:
            told, starred = [*told, "*"], True
        starred = starred or parameter.kind is inspect.Parameter.VAR_POSITIONAL
        stars = {inspect.Parameter.VAR_POSITIONAL: "*", inspect.Parameter.VAR_KEYWORD: "**"}.get(parameter.kind, "")
        typed = f": {_type(parameter.annotation)}" if parameter.annotation is not parameter.empty else ""
        usual = "..." if repr(parameter.default).startswith("<") else repr(parameter.default)
        default = "" if parameter.default is parameter.empty else f"{' = ' if typed else '='}{usual}"
        told.append(f"{stars}{parameter.name}{typed}{default}")
    back = signature.return_annotation
    return f"({', '.join(told)})" + (f" -> {_type(back)}" if back is not signature.empty else "")


def _type(annotation: Any) -> str:
    said = annotation if isinstance(annotation, str) else inspect.formatannotation(annotation)
    return said.replace("WrittenDialect", str(WrittenDialect).removeprefix("typing."))


def _doc(thing: Any) -> list[str]:
    lines = (inspect.getdoc(thing) or "").splitlines()
    return [re.sub(r"^(`[\w.]+`) {2,}", r"- \1: ", line) for line in lines]


def _note(name: str) -> list[str]:
    """The docstring that stands under a constant in the source."""
    if name not in _notes():
        raise AssertionError(f"{name} has no docstring in the source")
    return inspect.cleandoc(_notes()[name]).splitlines()


@cache
def _notes() -> dict[str, str]:
    """The docstrings that stand under constants, by the first place of each name."""
    found: dict[str, str] = {}
    for file in Path(dutiful_gate.__file__).parent.rglob("*.py"):
        for statement, after in pairwise(ast.parse(file.read_text()).body):
            if isinstance(after, ast.Expr) and isinstance(after.value, ast.Constant):
                for target in getattr(statement, "targets", [getattr(statement, "target", None)]):
                    found.setdefault(getattr(target, "id", ""), str(after.value.value))
    return found


if __name__ == "__main__":
    PAGE.write_text(page(), encoding="utf-8")
    print(f"{PAGE.name}: {len(page().splitlines())} lines")
