"""Sound JSON text, by the standard library's decoder made strict."""

from __future__ import annotations

import json
from collections.abc import Callable
from functools import lru_cache
from itertools import accumulate
from typing import Any, Protocol

from ..declare.digits import Digits
from ..declare.facts import REFUSED, Stop
from ..declare.json_strings import BACKSLASH, QUOTE, Uncounted, strings_in, strings_in_text
from ..declare.limits import Limits

# Records count as lists do; of everything else only what tells strings from the rest is kept.
_ALIKE = bytes.maketrans(b"{}", b"[]")
_NEITHER = bytes(set(range(256)) - set(b'[]{}"\\'))
_STEP = {ord("["): 1, ord("]"): -1}


class Troubled(Exception):
    """The text is not sound JSON within the limits; the careful reader tells where and why."""


def _without_repeats(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    made = dict(pairs)
    if len(made) != len(pairs):
        raise Troubled
    return made


def _no_constant(name: str) -> object:
    raise Troubled


_decoder = json.JSONDecoder(object_pairs_hook=_without_repeats, parse_constant=_no_constant)


def _scanner(decoder: json.JSONDecoder) -> Callable[[str, int], tuple[Any, int]]:
    """What reads a value of a text from a place on; it raises ValueError or StopIteration for what is no JSON."""
    scan: Callable[[str, int], tuple[Any, int]] = getattr(decoder, "scan_once", decoder.raw_decode)
    return scan


_scan = _scanner(_decoder)
_scan_quickly = _scanner(json.JSONDecoder(parse_constant=_no_constant))
_scan_exactly = _scanner(json.JSONDecoder(parse_constant=_no_constant, parse_float=Digits))
_BLANK = " \t\n\r"
fast_loads: Callable[[bytes | str], Any] | None = None
"""The decoder of the extra `fast`, where it is installed."""
try:
    import orjson
except ImportError:
    pass
else:
    fast_loads = orjson.loads


def plain_json(raw: bytes | bytearray | memoryview | str, limits: Limits, exact: bool) -> Any:
    """The plain value of sound JSON within the limits, fractions with their digits when `exact`.

    REFUSED for anything else: the careful reader tells what is wrong. Raises TypeError for what is no text at all.
    """
    try:
        if isinstance(raw, bytes):
            encoded = raw
            text = raw.decode()
        elif isinstance(raw, str):
            text = raw
            encoded = raw.encode("utf-8", "surrogatepass")
        elif isinstance(raw, bytearray | memoryview):
            encoded = bytes(raw)
            text = encoded.decode()
        else:
            raise TypeError(f"raw JSON is bytes or str, not {type(raw).__name__}: for decoded data call examine()")
        if len(raw) > limits.bytes:
            return REFUSED
        if text[:1] in _SPARE:
            # RFC 8259, section 8.1: a byte order mark may be ignored.
            text = text.removeprefix("\ufeff").lstrip(_BLANK)
        records = encoded.count(b"{")
        if encoded.count(b"[") + records > limits.depth and too_deep(encoded, limits.depth):
            return REFUSED
        if limits.digits != 4300 or exact:
            value, end = _with_digits(limits.digits, exact=exact).raw_decode(text, 0)
        else:
            alone = records == 1 and text[0] == "{"
            value, end = (_scan_quickly if alone else _scan)(text, 0)
            if alone and strings_in_text(encoded) != strings_in(value):
                value, end = _scan(text, 0)
    except (ValueError, RecursionError, StopIteration, Troubled):
        # ValueError: no UTF-8, no JSON, or a number with more digits than the interpreter reads.
        return REFUSED
    return REFUSED if end != len(text) and text[end:].strip(_BLANK) else value


_LATELY = 64
"""For so many texts after one with an unknown key the next is expected to have one, too."""


class Reads(Protocol):
    """What makes a value of decoded data, or REFUSED where anything is unusual or unknown."""

    sound: Callable[[Any], Any]
    sound_and_known: Callable[[Any], Any]


class Quickly(Protocol):
    """Reads raw JSON, where it `admits` for a value alone; `around` makes of the decoded data what is asked."""

    def __call__(self, raw: Any, admits: bool, around: Callable[[Any], Any] | None = None, /) -> tuple[Any, Any]:
        """The value and its plain data, or REFUSED in their places."""
        ...


def never_quick(raw: Any, admits: bool, around: Callable[[Any], Any] | None = None, /) -> tuple[Any, Any]:
    """No text is read quickly."""
    return _NOT_READ


_NOT_READ: tuple[Any, Any] = (REFUSED, REFUSED)


def quick_reader(engine: Reads, counts: Callable[[Any], int], limits: Limits, *, exact: bool, fast: bool) -> Quickly:
    """The function that reads sound raw JSON without a look at its depth, and without a hook for repeated keys.

    It gives the value and its plain data; REFUSED and the plain data where that is surely what `plain_json` would give
    and something in it is unsound or unknown; REFUSED twice where there is any doubt: `plain_json` has the word then.
    The shape must bound the depth; `counts` tells how many strings there are in what it admits, as many as in the text
    where no key stands twice. Where it `admits`, unknown keys are passed over. With `fast`, whole numbers past 64 bits
    may come as floats: the extra `fast` reads then.
    """
    most, deepest, scan = limits.bytes, limits.depth, _scan_exactly if exact else _scan_quickly
    if limits.digits != 4300:
        return never_quick
    # What the texts before were like: those of one sender are alike, so that the likely way is tried first.
    unknown_lately = 0

    def read(raw: Any, admits: bool, around: Callable[[Any], Any] | None = None, /) -> tuple[Any, Any]:
        nonlocal unknown_lately
        kind = raw.__class__
        if (kind is not bytes and kind is not str) or len(raw) > most:
            return _NOT_READ
        lossy = fast and fast_loads is not None
        try:
            if lossy:
                plain = fast_loads(raw)  # type: ignore[misc]
            else:
                text = raw.decode() if kind is bytes else raw
                plain, end = scan(text, 0)
                if end != len(text):
                    return _NOT_READ
        except (ValueError, RecursionError, StopIteration, Troubled):
            return _NOT_READ
        if not admits or not unknown_lately:
            value = engine.sound_and_known(plain if around is None else around(plain))
            if value.__class__ is not Stop:
                # Most text has no backslash; then a call is spared.
                spared = kind is bytes and BACKSLASH not in raw
                told = raw.count(QUOTE) >> 1 if spared else strings_in_text(raw)
                return (value, plain) if told == counts(plain) else _NOT_READ
        try:
            if strings_in_text(raw) != strings_in(plain, deepest, doubt=lossy):
                return _NOT_READ
        except Uncounted:
            return _NOT_READ
        value = engine.sound(plain if around is None else around(plain)) if admits else REFUSED
        if value.__class__ is not Stop:
            unknown_lately = unknown_lately - 1 if unknown_lately else _LATELY
        return value, plain

    return read


_SPARE = frozenset("\ufeff" + _BLANK)


@lru_cache(maxsize=16)
def _with_digits(most: int, *, exact: bool) -> json.JSONDecoder:
    def whole(digits: str) -> int:
        if len(digits.lstrip("-")) > most:
            raise Troubled
        return int(digits)

    def number(digits: str) -> float:
        if len(digits) > most and sum(map(str.isdigit, digits)) > most:
            raise Troubled
        return Digits(digits) if exact else float(digits)

    if most == 4300:  # the interpreter's own limit
        return json.JSONDecoder(
            object_pairs_hook=_without_repeats, parse_constant=_no_constant, parse_float=Digits if exact else None
        )
    return json.JSONDecoder(
        object_pairs_hook=_without_repeats, parse_constant=_no_constant, parse_int=whole, parse_float=number
    )


def too_deep(raw: bytes, most: int) -> bool:
    """Whether lists and records nest deeper than `most`, whatever stands inside strings."""
    # Two quotes side by side are an empty string, or the end of one and the beginning of another: taking them out
    # leaves quotes only around brackets and backslashes in strings, which are rare: then what stands between is taken.
    left = raw.translate(_ALIKE, _NEITHER).replace(b'""', b"")
    if b'"' in left:
        plain = raw.replace(rb"\\", b"").replace(rb"\"", b"") if BACKSLASH in raw else raw
        left = b"".join(plain.split(b'"')[::2]).translate(_ALIKE, _NEITHER)
    for _ in range(most):
        inner, left = left, left.replace(b"[]", b"")  # one level in a round
        if not left:
            return False
        if left == inner:
            break  # it does not balance, so it is no JSON: count what there is
    return max(accumulate(_STEP.get(sign, 0) for sign in left), default=0) > 0
