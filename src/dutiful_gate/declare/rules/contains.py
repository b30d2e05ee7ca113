"""What a text holds: `it.has(re)`, `it.starts_with("T")`, `it.ends_with("T")`; `it.contains(x)` for lists too."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from functools import partial
from typing import TYPE_CHECKING, Any

from ..applicability import LIST, TEXT, TEXT_OR_LIST, Takes
from ..equality import is_one_of
from ..errors import DeclarationError
from ..facts import Bind, Facts, LengthUnit, Unsaid
from ..members import on_wire, quoted, told, typed
from ..native_forms import Native
from .base import Face, Rule, refuse
from .pattern import Matches, in_ecma, judged

if TYPE_CHECKING:
    from ..steps import Step
    from ..wish import Wish


class Has(Matches):
    """The expression matches somewhere in the text (`re.search`)."""

    def condition(self, value: str, bind: Bind) -> str:
        return f"{bind(judged(self.pattern, self.flags, whole=False), 'HAS')}({value}) is not None"

    def open_condition(self, value: str, bind: Bind) -> str:
        return self.condition(value, bind)

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        return (Face(self.condition(value, bind), "pattern", "text in which {pattern} is found"),)

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        said = in_ecma(self.pattern, self.flags)
        return said if isinstance(said, Unsaid) else {"pattern": said}

    def asks(self, wish: Wish) -> None:
        from ...regex.drawing import of_pattern

        wish.text += of_pattern(self.pattern, wish.random, self.flags) or ""
        wish.needed = True

    def __str__(self) -> str:
        return f"it.has({self.pattern!r})"


class _Affix(Rule):
    affix: str
    _method = ""
    _words = ""
    _said = ""
    _pattern = ""

    @property
    def tells_values(self) -> bool:
        return True

    def takes(self) -> Takes | None:
        return TEXT

    def condition(self, value: str, bind: Bind) -> str:
        return f"{value}.{self._method}({bind(self.affix, 'AFFIX')})"

    def native(self) -> tuple[Native, ...] | None:
        return (Native(f"{self._method.removesuffix('with')} with", (self.affix,)),)

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        return (Face(self.condition(value, bind), "pattern", self._words),)

    def numbers(self) -> Mapping[str, object]:
        return {"affix": self.affix}

    def examples(self, facts: Facts) -> Iterable[Any]:
        return (self.affix,)

    def edges(self, facts: Facts) -> Iterable[Any]:
        return (self.affix, f"{self.affix}x", f"x{self.affix}")

    def survives(self, step: Step) -> bool:
        return False

    def suits(self, facts: Facts) -> None:
        if not facts.text:
            refuse(self, facts, "it judges text")

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        return {"pattern": self._pattern.format(escaped(self.affix))}

    def __str__(self) -> str:
        return f"it.{self._said}({self.affix!r})"


class StartsWith(_Affix):
    """The text begins with another."""

    _method = "startswith"
    _words = "text that begins with {affix}"
    _said = "starts_with"
    _pattern = "^{}"

    def asks(self, wish: Wish) -> None:
        wish.starts = max(wish.starts, self.affix, key=len)


class EndsWith(_Affix):
    """The text ends with another."""

    _method = "endswith"
    _words = "text that ends with {affix}"
    _said = "ends_with"
    _pattern = "{}$"

    def asks(self, wish: Wish) -> None:
        wish.ends = max(wish.ends, self.affix, key=len)


def _holds_in(held: Any, value: Any) -> bool:
    return held in value if isinstance(value, str) else any(is_one_of((held,), each) for each in value)


class Contains(Rule):
    """A text is in the text, or a value among the items."""

    held: Any

    @property
    def tells_values(self) -> bool:
        return True

    def takes(self) -> Takes | None:
        return TEXT_OR_LIST if isinstance(self.held, str) else LIST

    @classmethod
    def said_by(cls, sort: str, words: dict[str, Any]) -> tuple[str, tuple[Any, ...]] | None:
        held = words.get("contains") if sort == "array" else None
        if not isinstance(held, dict) or list(held) != ["const"] or {"minContains", "maxContains"} & words.keys():
            return None
        const = held["const"]  # past 2**53 it may be the next float of another number
        if not isinstance(const, str) and (
            isinstance(const, bool) or not isinstance(const, int) or abs(const) >= 2**53
        ):
            return None
        del words["contains"]
        return "it.contains({})", (const,)

    def condition(self, value: str, bind: Bind) -> str:
        return f"{bind(typed(self.held), 'HELD')} in {value}"

    def open_condition(self, value: str, bind: Bind) -> str:
        held = partial(_holds_in, typed(self.held))
        return f"{bind(held, 'holds_in')}({value})"

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        words = "text that holds {held}" if facts.text else "{held} among the items"
        return (Face(self.condition(value, bind), "pattern" if facts.text else "count", words),)

    def numbers(self) -> Mapping[str, object]:
        return {"held": told(self.held)}

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        if facts.open and isinstance(self.held, str):
            return {"pattern": escaped(self.held), "contains": {"const": self.held}}
        if facts.text and not facts.open:
            return {"pattern": escaped(self.held)}
        return {"contains": {"const": on_wire(self.held)}}

    def suits(self, facts: Facts) -> None:
        if facts.text and not facts.open and not isinstance(self.held, str):
            raise DeclarationError(f"{self} looks for {self.held!r} in a text", remedy="look for text")
        if not facts.text and facts.measured is not LengthUnit.ITEMS:
            refuse(self, facts, "it judges text and lists")

    def examples(self, facts: Facts) -> Iterable[Any]:
        return (self.held,) if facts.text else ([typed(self.held)],)

    def edges(self, facts: Facts) -> Iterable[Any]:
        return (self.held, f"{self.held} x") if facts.text else ()

    def survives(self, step: Step) -> bool:
        return False

    def asks(self, wish: Wish) -> None:
        wish.held.append(on_wire(self.held))

    def __str__(self) -> str:
        return f"it.contains({quoted(self.held)})"


def escaped(text: str) -> str:
    """Text as a pattern of ECMA-262 that matches it and nothing else."""
    return re.sub(r"[\^$\\.*+?()\[\]{}|/]", lambda sign: "\\" + sign[0], text)
