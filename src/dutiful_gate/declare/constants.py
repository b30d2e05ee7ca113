"""What JSON can hold: asked of the constants, names and words of a declaration, which end up in documents."""

from __future__ import annotations

from collections.abc import Mapping
from decimal import Decimal

from .errors import DeclarationError
from .kinds.text import encodable

# More digits the interpreter neither reads nor writes.
_TOO_LARGE = 10**4300
_DIGITS, _SURROGATE, _OF_TYPE = "a number of more than 4300 digits", "a lone surrogate", "a value of the type"


def no_json(constant: object) -> str:
    """What of a plain value JSON cannot hold, in words: "NaN", "a set"; "" where it holds all of it."""
    if isinstance(constant, str):
        return "" if encodable(constant) else _SURROGATE
    if constant is None or isinstance(constant, bool):
        return ""
    if isinstance(constant, int):
        return _DIGITS if abs(constant) >= _TOO_LARGE else ""
    if isinstance(constant, Decimal):
        return "NaN" if constant.is_nan() else "infinity" if constant.is_infinite() else ""
    if isinstance(constant, float):
        return "NaN" if constant != constant else "infinity" if constant - constant != 0 else ""
    if isinstance(constant, dict):
        return next(filter(None, (no_json(each) for pair in constant.items() for each in pair)), "") or (
            "" if all(isinstance(name, str) for name in constant) else "a key that is no text"
        )
    if isinstance(constant, list):
        return next(filter(None, map(no_json, constant)), "")
    return f"{_OF_TYPE} {type(constant).__name__}"


def lacks(held: str) -> bool:
    """Whether what `no_json` told is a number or text that JSON lacks, not some object that a function may make."""
    return bool(held) and not held.startswith(_OF_TYPE)


def check_words(**words: str | None) -> None:
    """Raise DeclarationError for words that no document can hold."""
    for name, text in words.items():
        if text is not None and not encodable(text):
            raise DeclarationError(
                f"the {name.replace('_', ' ')} {text!r} holds a lone surrogate",
                remedy="UTF-8 has no form for it: leave it out",
            )


def check_constants(rule: object, numbers: Mapping[str, object], *, texts: bool) -> None:
    """Raise DeclarationError for a rule with a number that JSON cannot hold, or a text where `texts` are values."""
    for number in numbers.values():
        for constant in number if isinstance(number, tuple) else (number,):
            held = no_json(constant)
            if not lacks(held) or (held == _SURROGATE and not texts):
                continue
            written = "a rule" if held == _DIGITS else str(rule)
            raise _lacking(written, held)


def check_constant(constant: object) -> None:
    """Raise DeclarationError for a constant beside the fields of a record rule that JSON does not have."""
    if lacks(held := no_json(constant)):
        raise _lacking("a rule of fields", held)


def _lacking(written: str, held: str) -> DeclarationError:
    return DeclarationError(
        f"{written} names {held}, which JSON does not have",
        remedy="leave the rule out, or write a function of your own",
    )
