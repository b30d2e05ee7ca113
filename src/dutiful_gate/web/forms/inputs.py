"""What a browser is told of a field: the kind of input, and attributes that refuse nothing which the gate admits."""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import date
from typing import Any, Final

from ...declare.facts import Sort, Unsaid
from ...declare.kinds import Day, LocalMoment, MomentKind
from ...declare.rules import Length, Matches, Rule
from ...declare.rules.format import OfFormat
from ...declare.steps import Step
from ...shape.nodes import Scalar
from ...shape.uses import Use

# Patterns that mean the same under the flag `v`, under which browsers read them: plain classes, no set operations.
_PLAIN: Final = re.compile(
    r"(?:[A-Za-z0-9 _:,;=@#%!'\"<>]|\\[-.+*?/()dDwWsS]|\[\^?(?:[A-Za-z0-9](?:-[A-Za-z0-9])?|[ _.,:@'])+\]"
    r"|\{[0-9,]+\}|[.+*?()|^$]|\(\?:)*"
)
_DATE_TIMES: Final = {Sort.MOMENT: "zoned", Sort.LOCAL_MOMENT: "datetime-local", Sort.DAY: "date"}


def widget_of(use: Use) -> str:
    """The kind of input: text, number, date, datetime-local, zoned (one with its zone beside it), check or password."""
    if use.secret:
        return "password"
    if not isinstance(use.node, Scalar) or use.via is not None or use.split:
        return "text"
    kind = use.node.kind
    facts = kind.strict.facts
    plain = type(kind) in _DATE_KINDS
    if facts.sort in _DATE_TIMES and plain:
        return _DATE_TIMES[facts.sort]
    return "check" if kind.strict.comes_as == {bool} else "text"


_DATE_KINDS: Final = frozenset([MomentKind, LocalMoment, Day])
"""Kinds that are written as browsers write them; those with a form of their own are typed as text."""


def attributes_of(use: Use, widget: str) -> Mapping[str, Any]:
    """The attributes of an input, by name."""
    made: dict[str, Any] = {}
    facts = use.node.facts
    if isinstance(use.node, Scalar) and facts.number:
        made["inputmode"] = "numeric" if facts.sort is Sort.WHOLE else "decimal"
    if use.via is not None or use.split:
        return made
    before: list[Step] = []
    for part in use.parts:
        if isinstance(part, Step):
            before.append(part)
        elif widget in ("text", "password", "date"):
            made |= _said(part, before, use, widget)
    return made


def _said(rule: Rule, before: list[Step], use: Use, widget: str) -> Mapping[str, Any]:
    """What a browser can ask as the rule does, or less: it counts in UTF-16, before any step, and blanks are typed."""
    if widget == "date" and (ends := rule.ends) is not None:
        low = {"min": str(ends.floor)} if isinstance(ends.floor, date) and ends.with_floor else {}
        high = {"max": str(ends.ceiling)} if isinstance(ends.ceiling, date) and ends.with_ceiling else {}
        return low | high
    match rule:
        case Length(floor=floor) if floor is not None and use.node.facts.text:
            return {"minlength": floor} if all(step.only_shortens for step in before) else {}
        case Matches() if not before:
            said = rule.keywords(use.node.facts)
            pattern = "" if isinstance(said, Unsaid) else str(said.get("pattern", ""))
            inner = pattern.removeprefix("^").removesuffix("$")
            return {"pattern": inner} if pattern == f"^{inner}$" and _PLAIN.fullmatch(inner) else {}
        case OfFormat() if rule.format == "email":
            return {"inputmode": "email", "autocomplete": "email", "pattern": ".+@.+"}
    return {}
