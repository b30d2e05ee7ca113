"""Plain data to JSON text, exact where a Decimal is, and with infinities as numbers beyond a double."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from decimal import Decimal
from typing import Any

fast_bytes: Callable[[object], bytes] | None = None
"""The encoder of the extra `fast`, where it is installed."""
try:
    import orjson
except ImportError:
    pass
else:
    _ONLY_JSON = orjson.OPT_PASSTHROUGH_DATACLASS | orjson.OPT_PASSTHROUGH_DATETIME | orjson.OPT_PASSTHROUGH_SUBCLASS

    def fast_bytes(plain: object) -> bytes:
        """Compact JSON. Raises TypeError for all that it does not write as the standard library does."""
        return orjson.dumps(plain, None, _ONLY_JSON)


class Rare:
    """A number that encoders write in different ways, such as 1e16: the standard library's has the word then."""

    __slots__ = ("number",)

    def __init__(self, number: float) -> None:
        self.number = number


def rare(number: Any) -> Any:
    """A number as it is where all encoders write it alike."""
    common = number.__class__ is not float or number == 0 or 1e-4 <= -number < 1e16 or 1e-4 <= number < 1e16
    return number if common else Rare(number)


class _Exact(Exception):
    """There is a Decimal in the data."""


def _no_plain_data(value: object) -> object:
    if isinstance(value, Rare):
        return value.number
    raise _Exact if isinstance(value, Decimal) and value.is_finite() else _unfit(value)


def _unfit(value: object) -> ValueError:
    return ValueError(f"{type(value).__name__} is no plain data")


_WORDS: dict[str, Any] = {"ensure_ascii": False, "separators": (",", ":"), "allow_nan": False}
_careful = json.JSONEncoder(**_WORDS, default=_no_plain_data).encode


def _kept_encoder() -> Callable[[object], str]:
    """One encoder for all data, where the interpreter lets it be kept; the usual one makes itself anew each time."""
    try:
        from json.encoder import c_make_encoder, encode_basestring  # type: ignore[attr-defined]

        chunks = c_make_encoder(None, _no_plain_data, encode_basestring, None, ":", ",", False, False, False)
        if "".join(chunks({"a": [1.5, None, "\u00e9"]}, 0)) != '{"a":[1.5,null,"\u00e9"]}':
            return _careful
    except Exception:  # another interpreter, or another version of it
        return _careful

    def encoded(plain: object) -> str:
        try:
            return "".join(chunks(plain, 0))
        except RecursionError:  # data that holds itself is told by the careful one
            return _careful(plain)

    return encoded


_encoded = _kept_encoder()


def json_bytes(plain: object, *, fast: bool = False) -> bytes:
    """Compact JSON in UTF-8. Raises ValueError for what is no JSON: NaN, or an object of another kind.

    `fast` tells that the data has no number which is not `Rare` where encoders differ in how they write it.
    """
    if fast and fast_bytes is not None:
        try:
            return fast_bytes(plain)
        except TypeError:  # a Decimal, a number of more than 64 bits, a lone surrogate, a rare number
            pass
    try:
        text = _encoded(plain)
    except (_Exact, ValueError):
        text = _with_digits(plain)
    return text.encode("utf-8", "surrogatepass" if not text.isascii() else "strict")


def _with_digits(plain: object) -> str:
    """The same with Decimals digit by digit, and infinities as numbers beyond a double."""
    from uuid import uuid4  # rarely needed, and it loads much

    held: list[str] = []
    token = uuid4().hex

    def kept(digits: str) -> str:
        held.append(digits)
        return f"{token}{len(held) - 1}"

    def exactly(value: object) -> str | float:
        if isinstance(value, Rare):
            return value.number
        if not isinstance(value, Decimal) or not value.is_finite():
            raise _unfit(value)
        return kept(str(value))

    def written(data: object) -> str:
        return json.dumps(data, **_WORDS, default=exactly)

    try:
        text = written(plain)
    except ValueError:
        held.clear()
        text = written(_beyond(plain, kept))
    if held:
        text = re.sub(f'"{token}([0-9]+)"', lambda found: held[int(found[1])], text)
    return text


def _beyond(plain: Any, kept: Any) -> Any:
    """Plain data with every infinity as a number that no double holds: JSON has no other way to write it."""
    plain = plain.number if isinstance(plain, Rare) else plain
    if isinstance(plain, float) and abs(plain) == float("inf"):
        return kept("1e999" if plain > 0 else "-1e999")
    if isinstance(plain, dict):
        return {name: _beyond(each, kept) for name, each in plain.items()}
    if isinstance(plain, list):
        return [_beyond(each, kept) for each in plain]
    return plain
