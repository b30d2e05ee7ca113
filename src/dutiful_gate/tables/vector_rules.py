"""Rules and steps over whole Arrow columns: which values surely obey, found without looking at one by one."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any, Final

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ..declare.clock import Clock
from ..declare.kinds.text import encodable
from ..declare.multiples import in_units
from ..declare.rules import (
    Contains,
    EndsWith,
    Equal,
    Has,
    Length,
    Matches,
    Multiple,
    OneOf,
    Rule,
    StartsWith,
)
from ..declare.rules.format import OfFormat
from ..declare.rules.pattern import PlainClass, plain_class
from ..declare.steps import Step, in_utc, lowered, trimmed, uppered
from ..regex.white_space import BLANKS

Test = Callable[[pa.Array], pa.Array]
"""Takes values in the type of their column; true where they surely obey, false or null where that is not known."""

_EXACT: Final = 2**53
_FEW: Final = 4
"""To compare with so few texts takes less time than to look each up."""


class VectorRule:
    """A rule over a column. `exact`: where the test is false, the rule does not hold either."""

    __slots__ = ("exact", "test")

    def __init__(self, test: Test, *, exact: bool = True) -> None:
        self.test = test
        self.exact = exact


def vector_rule(rule: Rule, kind: pa.DataType) -> VectorRule | None:
    """The rule over columns of a type; None where values must be looked at one by one."""
    if (ends := rule.ends) is not None:
        low = _bound(ends.floor, ">=" if ends.with_floor else ">", kind)
        high = _bound(ends.ceiling, "<=" if ends.with_ceiling else "<", kind)
        return high if ends.floor is None else low if ends.ceiling is None else _both(low, high)
    match rule:
        case Length() if pa.types.is_string(kind):
            return _length(rule, pc.utf8_length)
        case Length() if pa.types.is_list(kind):
            return _length(rule, pc.list_value_length)
        case Has(pattern=pattern, flags=flags) if pa.types.is_string(kind):
            return _pattern(pattern, flags, whole=False)
        case Matches(pattern=pattern, flags=flags) if pa.types.is_string(kind):
            return _pattern(pattern, flags, whole=True)
        case OfFormat(usual=usual) if usual and pa.types.is_string(kind):
            return _pattern(usual, 0, whole=True)
        case StartsWith(affix=affix) if pa.types.is_string(kind) and encodable(affix):
            return VectorRule(lambda array: pc.starts_with(array, affix))
        case EndsWith(affix=affix) if pa.types.is_string(kind) and encodable(affix):
            return VectorRule(lambda array: pc.ends_with(array, affix))
        case Contains(held=str() as held) if pa.types.is_string(kind) and encodable(held):
            return VectorRule(lambda array: pc.match_substring(array, held))
        case OneOf(choices=choices):
            return one_of(choices, kind)
        case Equal(constant=constant, wanted=wanted):
            among = one_of((constant,), kind)
            return among if wanted or among is None else VectorRule(lambda array: pc.invert(among.test(array)))
        case Multiple(step=step):
            return _multiple(step, kind)
    return None


_COMPARE: Final[dict[str, Callable[[Any, Any], Any]]] = {
    ">": pc.greater, ">=": pc.greater_equal, "<": pc.less, "<=": pc.less_equal, "==": pc.equal, "!=": pc.not_equal,
}  # fmt: skip


def compared(left: Any, sign: str, right: Any) -> Any:
    """Two columns, or a column and a constant, compared one by one."""
    return _COMPARE[sign](left, right)


def _bound(end: Any, sign: str, kind: pa.DataType) -> VectorRule | None:
    if isinstance(end, Clock):
        return _clock_bound(end, sign, kind)
    if pa.types.is_integer(kind) and isinstance(end, float | Decimal) and not isinstance(end, bool):
        if not math.isfinite(end):
            return None
        # The whole numbers past 2.5 are those of at least 3.
        if end != int(end):
            end, sign = (math.ceil(end), ">=") if sign.startswith(">") else (math.floor(end), "<=")
        end = int(end)
    constant = scalar_of(end, kind)
    return None if constant is None else VectorRule(lambda array: compared(array, sign, constant))


def _clock_bound(end: Clock[Any], sign: str, kind: pa.DataType) -> VectorRule | None:
    if not (pa.types.is_date(kind) or pa.types.is_timestamp(kind)):
        return None
    local = pa.types.is_timestamp(kind) and kind.tz is None
    sample = datetime(2026, 5, 4) if local else datetime(2026, 5, 4, tzinfo=UTC)

    def test(array: pa.Array) -> pa.Array:
        return compared(array, sign, pa.scalar(end.moment_for(sample), kind))

    # Where the clock goes on while rows are looked at, a moment later may say otherwise: none does for a bound above.
    return VectorRule(test, exact=False)


def scalar_of(constant: Any, kind: pa.DataType) -> pa.Scalar | None:
    """A constant of a declaration as a value of a column; None where the column holds none that is equal to it."""
    if isinstance(constant, bool):
        return pa.scalar(constant) if pa.types.is_boolean(kind) else None
    if pa.types.is_integer(kind):
        if not isinstance(constant, int | float | Decimal) or not -(2**63) < constant < 2**63:
            return None
        return pa.scalar(int(constant), kind) if constant == int(constant) else None
    if pa.types.is_floating(kind):
        if isinstance(constant, int) and abs(constant) > _EXACT:
            return None
        return pa.scalar(float(constant), kind) if isinstance(constant, int | float) else None
    if pa.types.is_string(kind):
        return pa.scalar(constant, kind) if isinstance(constant, str) and encodable(constant) else None
    if pa.types.is_date(kind):
        return pa.scalar(constant, kind) if isinstance(constant, date) and not isinstance(constant, datetime) else None
    if pa.types.is_timestamp(kind) and isinstance(constant, datetime):
        aware = constant.utcoffset() is not None
        return pa.scalar(constant, kind) if aware == (kind.tz is not None) else None
    return None


def _both(one: VectorRule | None, other: VectorRule | None) -> VectorRule | None:
    if one is None or other is None:
        return None
    return VectorRule(lambda array: pc.and_(one.test(array), other.test(array)), exact=one.exact and other.exact)


def _length(rule: Length, measure: Callable[[pa.Array], pa.Array]) -> VectorRule:
    def test(array: pa.Array) -> pa.Array:
        length = measure(array)
        if rule.barred is not None:
            return pc.not_equal(length, rule.barred)
        tests = [pc.greater_equal(length, rule.floor)] if rule.floor else []
        if rule.ceiling is not None:
            tests.append(pc.less_equal(length, min(rule.ceiling, 2**31 - 1)))
        return pc.and_(*tests) if len(tests) == 2 else tests[0] if tests else pc.is_valid(array)

    return VectorRule(test)


_PIECE = re.compile(
    r"[A-Za-z0-9 _:;,@#%&=<>~!'\"/-]"  # a character that stands for itself
    r"|\\[.\-/+*?()\[\]{}|^$\\dw]"
    r"|\[[A-Za-z0-9 _:;,@#%&=<>~!'\"/.+*?(){}|$-]+\]"
    r"|\((?:\?:)?|\)|\||[?*+](?![+?])|\{[0-9]{1,3}(?:,[0-9]{0,3})?\}(?![+?])"
)
_LONGEST_PATTERN = 300


def linear_pattern(pattern: str, flags: int) -> str | None:
    """The expression for an engine without ways back, which may match less, and never more; None for most.

    Letters, digits and classes of them mean the same to all engines; `\\d` is here the digits of ASCII alone.
    """
    if flags or len(pattern) > _LONGEST_PATTERN or "[]" in pattern or "[^" in pattern or "&&" in pattern:
        return None
    at = 0
    made = ""
    while at < len(pattern):
        found = _PIECE.match(pattern, at)
        if found is None or ("--" in found[0] or "||" in found[0] or "~~" in found[0]):
            return None
        made += {r"\d": "[0-9]", r"\w": "[0-9A-Za-z_]"}.get(found[0], found[0])
        at = found.end()
    return made


_CLASSES: Final[dict[frozenset[str], Test]] = {
    frozenset({"A-Z"}): lambda array: pc.and_(pc.ascii_is_alpha(array), pc.ascii_is_upper(array)),
    frozenset({"a-z"}): lambda array: pc.and_(pc.ascii_is_alpha(array), pc.ascii_is_lower(array)),
    frozenset({"0-9"}): pc.ascii_is_decimal,
    frozenset({"A-Z", "a-z"}): pc.ascii_is_alpha,
    frozenset({"A-Z", "a-z", "0-9"}): pc.ascii_is_alnum,
    frozenset({"A-Z", "0-9"}): lambda array: pc.and_(pc.ascii_is_alnum(array), pc.equal(pc.ascii_upper(array), array)),
    frozenset({"a-z", "0-9"}): lambda array: pc.and_(pc.ascii_is_alnum(array), pc.equal(pc.ascii_lower(array), array)),
}


def _plain(asked: PlainClass) -> VectorRule:
    """Letters or digits of ASCII, which a quarter of the time suffices for."""
    holds = _CLASSES[asked.ranges]

    def test(array: pa.Array) -> pa.Array:
        length = pc.binary_length(array)
        if asked.low == asked.high:
            return pc.and_(holds(array), pc.equal(length, asked.low))
        tests = [holds(array), pc.greater_equal(length, asked.low)]
        tests += [] if asked.high is None else [pc.less_equal(length, asked.high)]
        return all_of(*tests)

    return VectorRule(test)


def any_of(*tests: pa.Array) -> pa.Array:
    """Where one of some tests holds."""
    made = tests[0]
    for test in tests[1:]:
        made = pc.or_(made, test)
    return made


def all_of(*tests: pa.Array | None) -> pa.Array | None:
    """Where all of some tests hold; None is everywhere. Null is not known, and so false."""
    made: pa.Array | None = None
    for test in tests:
        if test is None:
            continue
        known = pc.fill_null(test, False) if test.null_count else test
        made = known if made is None else pc.and_(made, known)
    return made


def _pattern(pattern: str, flags: int, *, whole: bool) -> VectorRule | None:
    plain = plain_class(pattern, flags) if whole else None
    if plain is not None:
        return _plain(plain)
    written = linear_pattern(pattern, flags)
    if written is None:
        return None
    expression = f"^(?:{written})$" if whole else written
    try:
        pc.match_substring_regex(pa.array([""]), expression)
    except pa.ArrowInvalid:
        return None
    return VectorRule(lambda array: pc.match_substring_regex(array, expression), exact=False)


def one_of(choices: tuple[Any, ...], kind: pa.DataType) -> VectorRule | None:
    """That values are among some constants; None where they must be looked at one by one."""
    if not (pa.types.is_string(kind) or pa.types.is_integer(kind)):
        return None
    wanted = [str if pa.types.is_string(kind) else int]
    values = [each for each in choices if each.__class__ in wanted]
    if len(values) < len(choices) or any(each.__class__ is int and abs(each) >= 2**63 for each in values):
        return None
    try:
        among = pa.array(values, kind)
    except (pa.ArrowInvalid, UnicodeEncodeError):
        return None
    if len(values) <= _FEW:
        return VectorRule(lambda array: any_of(*(pc.equal(array, each) for each in among)))
    return VectorRule(lambda array: pc.is_in(array, among))


def _multiple(step: Any, kind: pa.DataType) -> VectorRule | None:
    if pa.types.is_integer(kind) and step.__class__ is int and 0 < step < 2**63:
        if step == 1:
            return VectorRule(pc.is_valid)
        return VectorRule(lambda array: pa.array(_numbers(array) % step == 0))
    if not pa.types.is_floating(kind) or step.__class__ not in (int, float, Decimal):
        return None
    counted, scale = in_units(step)
    if not counted:
        return None

    def test(array: pa.Array) -> pa.Array:
        # As for one value: up to 15 digits, a double tells each multiple from its neighbours.
        values = _numbers(array)
        with np.errstate(all="ignore"):
            units = values * float(scale)
            whole = np.rint(units)
            held = (np.abs(units) < 1e15) & (whole / float(scale) == values) & (np.fmod(whole, float(counted)) == 0)
        return pa.array(held)

    return VectorRule(test, exact=False)


def _numbers(array: pa.Array) -> Any:
    return pc.fill_null(array, 0).to_numpy(zero_copy_only=False)


Change = Callable[[pa.Array], tuple[pa.Array, pa.Array | None]]
"""Takes values; gives those after the step, and where they are surely right (None: everywhere)."""


def vector_step(step: Step, kind: pa.DataType) -> Change | None:
    """A step over columns of a type; None where values must be looked at one by one."""
    if step is in_utc or type(step) is type(in_utc):
        return (lambda array: (array, None)) if pa.types.is_timestamp(kind) else None
    if not pa.types.is_string(kind):
        return None
    if step == trimmed:
        return lambda array: (pc.utf8_trim(array, BLANKS), None)
    if step in (uppered, lowered):
        change = pc.ascii_upper if step == uppered else pc.ascii_lower
        # Other scripts have letters that grow, or have no partner: Python's own way is the one that counts.
        return lambda array: (change(array), pc.string_is_ascii(array))
    return None
