"""Sound JSON text, by the standard library's decoder made strict."""

from __future__ import annotations

import json
import re
from decimal import Decimal, InvalidOperation
from functools import lru_cache
from itertools import accumulate
from typing import Any

from ..declare.limits import Limits

_STRINGS = re.compile(rb'"(?:[^"\\]++|\\.)*+"', re.DOTALL)
_NO_BRACKETS = bytes(set(range(256)) - set(b"[]{}"))
_STEP = [0] * 256
for _bracket in b"[{":
    _STEP[_bracket] = 1
for _bracket in b"]}":
    _STEP[_bracket] = -1


class Troubled(Exception):
    """The text is not sound JSON within the limits; the careful reader tells where and why."""


def _without_repeats(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    made = dict(pairs)
    if len(made) != len(pairs):
        raise Troubled
    return made


def _no_constant(name: str) -> object:
    raise Troubled


_DECODER = json.JSONDecoder(object_pairs_hook=_without_repeats, parse_constant=_no_constant)


def decode(text: str, limits: Limits, *, exact: bool = False) -> Any:
    """The plain value of a JSON text, fractions as Decimal when `exact`. Raises Troubled for anything else."""
    try:
        if limits.digits < 4300 or exact:
            return _with_digits(limits.digits, exact=exact).decode(text)
        return _DECODER.decode(text)
    except (ValueError, RecursionError, InvalidOperation):
        # ValueError: no JSON, or a number with more digits than the interpreter reads.
        raise Troubled from None


@lru_cache(maxsize=16)
def _with_digits(most: int, *, exact: bool) -> json.JSONDecoder:
    def whole(digits: str) -> int:
        if len(digits.lstrip("-")) > most:
            raise Troubled
        return int(digits)

    def number(digits: str) -> float | Decimal:
        if len(digits) > most and sum(map(str.isdigit, digits)) > most:
            raise Troubled
        return Decimal(digits) if exact else float(digits)

    return json.JSONDecoder(
        object_pairs_hook=_without_repeats, parse_constant=_no_constant, parse_int=whole, parse_float=number
    )


def too_deep(raw: bytes, most: int) -> bool:
    """Whether lists and records nest deeper than `most`.

    Brackets inside strings are counted at first, since they seldom matter; where they may, they are taken out.
    """
    if raw.count(b"[") + raw.count(b"{") <= most:
        return False
    return _depth(raw) > most and _depth(_STRINGS.sub(b"", raw)) > most


def _depth(raw: bytes) -> int:
    return max(accumulate(map(_STEP.__getitem__, raw.translate(None, _NO_BRACKETS))), default=0)
