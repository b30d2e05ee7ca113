"""Two terms of a record compared, as in `this.arrives > this.departs`."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, Final

from .conditions import Condition
from .equality import are_equal
from .errors import DeclarationError
from .facts import Bind, Facts, Got, LengthUnit, Order, Sort, Unsaid
from .field_access import FactsOf, Path, Reach
from .members import on_wire
from .native_forms import Native
from .outside import found_outside, from_caller, named_outside, outside_values
from .records import RecordRule, Standing
from .rules import Ceiling, Equal, Floor, Length, Rule
from .rules.base import Face
from .terms import Combined, Constant, FromCaller, Keys, Measured, NamedField, counts_keys, sample_of
from .value_conditions import HasValue, Obeying

_EQUALITY = {"==": "equal to", "!=": "different from"}
_KEYS: Final = Facts("a record", "record", measured=LengthUnit.KEYS)


class _Tried(Reach):
    """Gives the names of samples, to try a comparison on."""

    def __init__(self, known: FactsOf) -> None:
        self.known = known
        self.names: dict[Path, str] = {}

    def at(self, path: Path, bind: Bind) -> str:
        return self.names.setdefault(path, f"f_{len(self.names)}")

    def value(self, name: str) -> str:
        return self.at((name,), lambda constant, hint: hint)

    def has(self, name: str) -> str:
        return "True"

    came = sent = has

    def count(self) -> str:
        return "1"

    def facts(self, path: Path) -> Facts:
        return self.known[path]


class FieldComparison(Condition, RecordRule):
    """`this.arrives > this.departs`, `this.weight_kg * 2 <= this.limit_kg`, `this.crates.length < 5`."""

    left: Any
    sign: str
    right: Any

    @property
    def paths(self) -> tuple[Path, ...]:
        return tuple(dict.fromkeys((*self.left.paths(), *self.right.paths())))

    @property
    def of_whole(self) -> bool:
        return not self.paths

    @property
    def orders(self) -> bool:
        """Whether it asks which of two comes first."""
        return self.sign not in ("==", "!=")

    @property
    def may_raise(self) -> bool:
        return isinstance(self.left, Combined) or isinstance(self.right, Combined)

    @property
    def counts_keys(self) -> bool:
        return isinstance(self.left, Keys) or isinstance(self.right, Keys)

    @property
    def asks_presence_only(self) -> bool:
        return not self.paths

    @property
    def compares(self) -> bool:
        """Whether it looks at values."""
        return bool(self.paths)

    def condition(self, reach: Reach, bind: Bind) -> str:
        left, right = self.left.source(reach, bind), self.right.source(reach, bind)
        if not self.orders and any(reach.facts(path).open for path in self.paths) and not self.may_raise:
            test = f"{bind(are_equal, 'are_equal')}({left}, {right})"
            return test if self.sign == "==" else f"not {test}"
        test = f"{left} {self.sign} {right}"
        return f"{self._alike(reach, bind)}{test}"

    def native(self, reach: Reach, bind: Bind) -> Native | None:
        if not (isinstance(self.left, NamedField) and isinstance(self.right, NamedField)):
            return None
        paths = (self.left.paths()[0], self.right.paths()[0])
        plain = f"{self.left.source(reach, bind)} {self.sign} {self.right.source(reach, bind)}"
        if any(len(path) > 1 for path in paths) or self.condition(reach, bind) != plain:
            return None
        return Native("compare", (self.sign, paths[0][0], paths[1][0]))

    def _alike(self, reach: Reach, bind: Bind) -> str:
        """The test that times of day both have an offset, or none has: others do not compare."""
        if not self.orders or counts_keys(self.left):
            return ""
        kinds = [
            f"({reach.at(path, bind)}.tzinfo is None)" for path in self.paths if reach.facts(path).sort is Sort.TIME
        ]
        if len(kinds) > 1:
            return f"{' == '.join(kinds)} and "
        return f"{kinds[0]} and " if kinds else ""

    def test(self, reach: Reach, bind: Bind) -> str:
        there = [reach.there(path, bind) for path in self.paths]
        return " and ".join([each for each in there if each != "True"] + [self.condition(reach, bind)])

    def told(self, wire: Callable[[Path], str]) -> str:
        other = _told(self.right, wire)
        constant = isinstance(self.right, Constant) and isinstance(other, str)
        return f"{_told(self.left, wire)} {self.sign} {repr(other) if constant else other}"

    @property
    def turned(self) -> FieldComparison | None:
        """The same said from the other side, where it compares two fields: "starts < ends" of "ends > starts"."""
        if not (isinstance(self.left, NamedField) and isinstance(self.right, NamedField)):
            return None
        sign = {"<": ">", "<=": ">=", ">": "<", ">=": "<="}.get(self.sign, self.sign)
        return self.replace(left=self.right, sign=sign, right=self.left)

    @property
    def ruled(self) -> _Ruled | None:
        """The same as a rule on the one value that it mentions; None where it is none."""
        if not isinstance(self.right, Constant) or not isinstance(self.left, NamedField | Measured):
            return None
        path, value = self.left.paths()[0], self.right.value
        if isinstance(self.left, Measured):
            rule: Rule | None = _length(self.sign, value)
        elif self.orders:
            make = Floor if self.sign.startswith(">") else Ceiling
            rule = make(value, self.sign.endswith("="))
        else:
            rule = Equal(value, self.sign == "==")
        return None if rule is None else _Ruled(path, rule)

    def schema(self, at: Standing) -> Mapping[str, object] | Unsaid:
        if names := named_outside((self.left, self.right)):
            return from_caller(names)
        if isinstance(self.left, Keys):
            return self.keywords(at)
        ruled = self.ruled
        if ruled is None:
            return Unsaid("JSON Schema compares a value with constants only")
        return ruled.schema(at)

    def face(self, facts: FactsOf) -> Face:
        if not self.paths or counts_keys(self.left) or isinstance(self.left, Combined):
            words = _EQUALITY.get(self.sign) or Order.SIZE.word(self.sign)
            return Face("", "agreement", f"{{left}} {words} {{other}}", Got.VALUE if self.paths else "another number")
        first = facts[self.paths[0]]
        words = _EQUALITY.get(self.sign) or first.order.word(self.sign)
        return Face("", "agreement", f"a value {words} {{other}}")

    def numbers(self, wire: Callable[[Path], str]) -> Mapping[str, object]:
        told = {"comparison": self.sign, "other": _told(self.right, wire)}
        return told if isinstance(self.left, NamedField) else {**told, "left": _told(self.left, wire)}

    def keywords(self, at: Standing) -> Mapping[str, object] | Unsaid:
        if isinstance(self.left, Keys) and not isinstance(self.right, FromCaller):
            rule = _length(self.sign, self.right.value if isinstance(self.right, Constant) else None)
            return Unsaid("JSON Schema counts keys against constants only") if rule is None else rule.keywords(_KEYS)
        if names := named_outside((self.left, self.right)):
            return from_caller(names)
        if len(self.paths) > 1:
            return Unsaid("JSON Schema cannot compare one field with another")
        said = self.schema(at)
        if isinstance(said, Unsaid):
            return said
        # Judged where there is a value, and only there.
        there = HasValue(self.paths[0]).schema(at)
        return there if isinstance(there, Unsaid) else {"anyOf": [{"not": there}, said]}

    def suits(self, facts: FactsOf) -> None:
        from decimal import Decimal

        paths = self.paths
        for term in (self.left, self.right):
            if isinstance(term, Measured) and not facts[term.of.path].measured:
                raise DeclarationError(
                    f"{self} measures {facts[term.of.path].phrase}, which has no length", remedy="leave it out"
                )
        if counts_keys(self.left) or counts_keys(self.right):
            number = self.right.value.sample if isinstance(self.right, FromCaller) else getattr(self.right, "value", 0)
            if isinstance(self.right, Constant | FromCaller) and not _is_whole(number):
                raise DeclarationError(
                    f"{self} compares a number of things with {self.right!r}", remedy="give a whole number"
                )
            return
        if self.sign in ("==", "!=") and not self.may_raise:
            return
        for path in paths:
            if not facts[path].ordered and not facts[path].text:
                raise DeclarationError(
                    f"{self} compares {facts[path].phrase}, which has no order", remedy="leave it out"
                )
        values = {path: sample_of(facts[path]) for path in paths}
        if any(value is None for value in values.values()):
            if all(facts[path].text for path in paths) and not self.may_raise:
                if isinstance(self.right, FromCaller) and not isinstance(self.right.value.sample, str):
                    raise DeclarationError(f"{self} compares text with a value that is none", remedy="compare alike")
                if isinstance(self.right, Constant) and not isinstance(self.right.value, str):
                    raise DeclarationError(f"{self} compares text with {self.right!r}", remedy="write text there")
                return
            if any(facts[path].open for path in paths):
                return
        bound: dict[str, Any] = {}

        def bind(constant: object, hint: str) -> str:
            bound[f"c_{len(bound)}"] = constant
            return f"c_{len(bound) - 1}"

        tried = _Tried(facts)
        source = self.condition(tried, bind)
        asked = {each.name: each(each.sample) for each in found_outside((self.left, self.right))}
        try:
            with outside_values(*asked.values()):
                eval(source, bound | {name: values[path] for path, name in tried.names.items()})
        except TypeError:
            if any(isinstance(value, Decimal) for value in values.values()):
                raise DeclarationError(
                    f"{self} mixes decimal numbers with floats, which Python does not",
                    remedy="write constants as Decimal, and declare the fields alike",
                ) from None
            phrases = " with ".join(dict.fromkeys(facts[path].phrase for path in paths))
            constant = f" with {self.right!r}" if isinstance(self.right, Constant) else ""
            raise DeclarationError(
                f"{self} compares {phrases}{constant}", remedy="compare values of one kind"
            ) from None
        except (ZeroDivisionError, OverflowError):
            return

    def __str__(self) -> str:
        return f"{self.left!r} {self.sign} {self.right!r}"


class _Ruled(Obeying):
    """A comparison with a constant, as the rule that says it of the value."""

    def keywords(self, at: Standing, look: Any) -> Mapping[str, object] | Unsaid:
        if isinstance(self.rule, Equal):
            value = on_wire(self.rule.constant)
            if not isinstance(value, str | int | float | bool):
                return Unsaid("the condition's constant is no plain JSON")
            return {"const": value} if self.rule.wanted else {"not": {"enum": [value, None]}}
        return super().keywords(at, look)


def _is_whole(value: object) -> bool:
    return isinstance(value, int) and not isinstance(value, bool)


def _length(sign: str, value: Any) -> Length | None:
    """The rule on a number of characters, items or keys."""
    if not _is_whole(value):
        return None
    floor, ceiling = {
        "<": (None, value - 1), "<=": (None, value), ">": (value + 1, None), ">=": (value, None), "==": (value, value),
        "!=": (None, None),
    }[sign]  # fmt: skip
    return Length(floor, ceiling, f" {sign} {value}", value if sign == "!=" else None)


def _told(term: Any, wire: Callable[[Path], str]) -> object:
    match term:
        case NamedField(path):
            return wire(path)
        case Constant(value):
            return on_wire(value)
        case FromCaller(value):
            return value.told
        case Measured(of):
            return f"the length of {wire(of.path)}"
        case Keys():
            return "a number of keys"
        case Combined(left, sign, right):
            words = {"+": "plus", "-": "minus", "*": "times", "/": "divided by", "//": "divided by", "%": "modulo"}
            return f"{_in_words(left, wire)} {words[sign]} {_in_words(right, wire)}"
    return term


def _in_words(term: Any, wire: Callable[[Path], str]) -> object:
    from datetime import timedelta

    told = _told(term, wire)
    if isinstance(told, timedelta):
        from .kinds.texts import write_duration

        return write_duration(told)
    return told
