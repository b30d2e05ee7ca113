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
from dutiful_gate import it
from dutiful_gate.report import german

PAGE = Path(__file__).parent / "reference.md"

GROUPS: dict[str, list[str]] = {
    "The gate": ["Gate", "AnyGate", "Source", "Limits", "Verdict", "Fault", "Place", "Refused", "DeclarationError"],
    "Subjects of rules": ["it", "this", "now", "today"],
    "Checks of one's own": ["holds", "Wrong"],
    "Patterns of ECMA-262": ["ecma"],
    "Steps and what comes before reading": [
        "trimmed", "squeezed", "lowered", "uppered", "rounded_to", "in_utc", "then", "via", "split_on",
        "blank_is_none", "otherwise",
    ],
    "Marks": [
        "about", "named", "also_named", "if_absent", "told_by", "written", "as_text", "reading", "goes_out", "secret",
        "lenient", "rest", "unambiguous", "together", "utc_only", "without_offset", "without_point", "or_infinite",
    ],
    "Rules of a record": [
        "obeys", "needs", "when", "at_least_one", "at_most_one", "exactly_one", "all_or_none",
    ],
    "Variants": ["amendment", "subset"],
    "Names in the data": ["camel", "kebab"],
    "Kinds of text": ["Email", "WebUrl", "Hostname", "Slug"],
    "Words": ["Catalogue", "speaking"],
    "Documents": ["Document", "Unstated", "Flaw", "bundle", "DocumentGate", "declarations_of", "fits"],
    "Data made of a declaration": ["samples", "payloads", "probes", "CannotSample"],
}  # fmt: skip


def page() -> str:
    """The whole reference."""
    listed = [name for names in GROUPS.values() for name in names]
    missing = set(dutiful_gate.__all__) - set(listed)
    assert not missing, f"in no group: {missing}"
    lines = [
        "# Reference",
        "",
        "Made from the docstrings (`make reference`). All of these are imported from `dutiful_gate`.",
    ]
    for title, names in GROUPS.items():
        lines += ["", f"## {title}"]
        for name in names:
            lines += ["", *_entry(name, getattr(dutiful_gate, name))]
    lines += ["", f"The catalogue of German is `{german.__name__}.GERMAN`.", ""]
    return "\n".join(lines)


def _entry(name: str, thing: Any) -> list[str]:
    if inspect.isclass(thing):
        return [f"### `{name}`", "", *_doc(thing), *_members(thing)]
    if inspect.isfunction(thing):
        return [f"### `{name}{_signature(thing)}`", "", *_doc(thing)]
    lines = [f"### `{name}`", "", *_note(name)]
    return [*lines, *_members(type(it))] if thing is it else lines


def _members(owner: type) -> list[str]:
    lines: list[str] = []
    for name, member in vars(owner).items():
        if name.startswith("_"):
            continue
        if inspect.isfunction(member):
            lines += ["", f"- `.{name}{_signature(member)}`: {' '.join(_doc(member))}"]
        elif isinstance(member, property) and member.__doc__:
            lines += ["", f"- `.{name}`: {' '.join(inspect.cleandoc(member.__doc__).split())}"]
    return lines


def _signature(function: Any) -> str:
    text = str(inspect.signature(function)).replace("'", "")
    text = re.sub(r"\(self(?:, )?", "(", text)
    return re.sub(r"dutiful_gate(?:\.\w+)+\.", "", text)


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
