"""What texts and numbers are asked, and how many of a thing: where two versions bound them otherwise."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from contextlib import suppress
from fractions import Fraction
from typing import Any

from ..document.declaring.meaning import Part, SaidOfValue
from ..document.judging.keywords import number_bounds
from .changes import Change, in_figures, listed


def text_changes(was: list[SaidOfValue], now: list[SaidOfValue], old: Part, new: Part) -> Iterator[Change]:
    """Where texts are bounded otherwise: their length, patterns, formats, and what is encoded in them."""
    yield from counted_changes("characters", "minLength", "maxLength", was, now, old, new)
    for word, told in (
        ("pattern", "the pattern"), ("format", "the format"), ("contentEncoding", "the encoding"),
        ("contentMediaType", "the content"),
    ):  # fmt: skip
        before, after = (
            list(dict.fromkeys(each.words[word] for each in said if word in each.words)) for said in (was, now)
        )
        gone = [each for each in before if each not in after]
        come = [each for each in after if each not in before]
        if gone and come:
            words = f"{told} was {listed(gone)}, now {listed(come)}"
        elif gone:
            words = f"{told} {listed(gone)} is no longer asked for"
        elif come:
            words = f"{told} {listed(come)} is now asked for"
        else:
            continue
        yield Change(words, narrows=bool(come), widens=bool(gone), old=old, new=new, edges=("", "x", "QLP", "1", " x"))


def counted_changes(
    unit: str, low: str, high: str, was: list[SaidOfValue], now: list[SaidOfValue], old: Part, new: Part
) -> Iterator[Change]:
    """Where other numbers of characters, items or keys are asked for."""
    lows = [max((each.words[low] for each in said if low in each.words), default=0) for said in (was, now)]
    highs = [min((each.words[high] for each in said if high in each.words), default=None) for said in (was, now)]
    edges = [*_long(unit, lows, highs)]
    yield from end_changes(unit, lows[0], highs[0], lows[1], highs[1], old, new, edges)


def _long(unit: str, lows: list[Any], highs: list[Any]) -> Iterator[Any]:
    if unit != "characters":
        return
    for end in (*lows, *highs):
        if end is not None and end <= 10_000:
            yield from ("x" * max(0, int(end) + more) for more in (-1, 0, 1))


def end_changes(
    unit: str, low: Any, high: Any, low_now: Any, high_now: Any, old: Part, new: Part, edges: Sequence[Any]
) -> Iterator[Change]:
    """Where a number of things has other ends."""
    if low != low_now:
        words = (
            f"at least {in_figures(low_now)} {unit}, was {in_figures(low)}"
            if low
            else f"at least {in_figures(low_now)} {unit}, was any number"
        )
        words = words if low_now else f"any number of {unit}, was at least {in_figures(low)}"
        yield Change(words, narrows=low_now > low, widens=low_now < low, old=old, new=new, edges=edges)
    if high != high_now:
        if high_now is None:
            words = f"any number of {unit}, was at most {in_figures(high)}"
        else:
            words = f"at most {in_figures(high_now)} {unit}, was {'any number' if high is None else in_figures(high)}"
        narrows = high_now is not None and (high is None or high_now < high)
        yield Change(words, narrows=narrows, widens=not narrows, old=old, new=new, edges=edges)


def number_changes(was: list[SaidOfValue], now: list[SaidOfValue], old: Part, new: Part) -> Iterator[Change]:
    """Where numbers have other bounds, or must be multiples of others."""
    before, after = _bounds(was), _bounds(now)
    ends = [end for pair in (*before, *after) if pair is not None for end in [pair[0]]]
    edges = [value for end in ends for value in beside(end)]
    for at, (told, more) in enumerate((("at least", "above"), ("at most", "below"))):
        low, low_now = before[at], after[at]
        if low == low_now:
            continue
        narrows = low_now is not None and (low is None or _is_tighter(low_now, low, at))
        words = f"{_bound(low_now, told, more)}, was {_bound(low, told, more)}"
        yield Change(words, narrows=narrows, widens=not narrows, old=old, new=new, edges=edges)
    steps, steps_now = (
        list(dict.fromkeys(each.words["multipleOf"] for each in said if "multipleOf" in each.words))
        for said in (was, now)
    )
    narrows = not all(any(_divides(step, other) for other in steps) for step in steps_now)
    widens = not all(any(_divides(step, other) for other in steps_now) for step in steps)
    if narrows or widens:
        words = f"a multiple of {listed(steps_now)}" if steps_now else "a multiple of nothing"
        words = f"{words}, was {f'of {listed(steps)}' if steps else 'any number'}"
        multiples = [step * factor for step in (*steps, *steps_now) for factor in (1, 2, 3, 7)]
        yield Change(words, narrows=narrows, widens=widens, old=old, new=new, edges=[1, 0.5, *multiples])


def beside(number: Any) -> Iterator[Any]:
    """A number and its neighbours: whole ones, those between, and the next that a double holds."""
    yield from (number, number - 1, number + 1)
    with suppress(OverflowError):  # past a double there are whole numbers alone
        near = float(number)
        yield from (near + 0.5, near - 0.5, math.nextafter(near, math.inf), math.nextafter(near, -math.inf))


Bound = tuple[Any, bool]


def _bounds(said: list[SaidOfValue]) -> tuple[Bound | None, Bound | None]:
    """The tightest floor and ceiling, each with whether it is excluded."""
    bounds = [bound for each in said for bound in number_bounds(each.words)]
    lows = [(bound, sign == ">") for sign, bound in bounds if sign.startswith(">")]
    highs = [(bound, sign == "<") for sign, bound in bounds if sign.startswith("<")]
    low = max(lows, key=lambda each: (each[0], each[1]), default=None)
    high = min(highs, key=lambda each: (each[0], not each[1]), default=None)
    return low, high


def _is_tighter(one: Bound, other: Bound, at: int) -> bool:
    if one[0] == other[0]:
        return one[1] and not other[1]
    return bool(one[0] > other[0] if at == 0 else one[0] < other[0])


def _bound(bound: Bound | None, told: str, more: str) -> str:
    return "unbounded" if bound is None else f"{more if bound[1] else told} {in_figures(bound[0])}"


def _divides(step: Any, other: Any) -> bool:
    """Whether all multiples of another are multiples of a step."""
    try:
        return (Fraction(str(other)) / Fraction(str(step))).denominator == 1
    except (ValueError, ZeroDivisionError):
        return bool(step == other)
