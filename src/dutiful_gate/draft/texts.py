"""What texts look like: a format of the standard, numbers, one of a few words."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Sequence
from typing import Any, Final

from ..declare.formats.table import JUDGES

_FORMATS: Final = ("date-time", "date", "time", "uuid", "ipv4", "ipv6", "email", "uri")
"""Formats that are guessed, the narrowest first. Others say too little: every word is a host name."""
_SURELY: Final[dict[str, Callable[[str], object]]] = {
    "email": re.compile(r"[^@]+@[\w.-]+\.[A-Za-z]{2,}").fullmatch,
    "uri": re.compile(r"[a-z][a-z0-9+.-]*://.+").fullmatch,
}
"""What is asked beside the standard's grammar, which names such as wrapper@1.2.0 and words with a colon keep to."""
_WHOLE = re.compile(r"0|-?[1-9][0-9]{0,17}")
_NUMBER = re.compile(r"-?(?:0|[1-9][0-9]{0,14})(?:\.[0-9]{1,12})?(?:[eE][+-]?[0-9]{1,2})?")
_LOOKED_AT: Final = 200
_MOST_CHOICES, _LEAST_SEEN, _LONGEST_CHOICE = 12, 20, 40


def format_of(texts: Sequence[str]) -> str:
    """The format that all texts are of; "" where there is none."""
    for name in _FORMATS:
        judge = JUDGES[name][1]
        if all(map(judge, texts)) and all(map(_SURELY.get(name, bool), texts)):
            return name
    return ""


def nearly(texts: Sequence[str]) -> str:
    """The format that most texts are of, and what is not, in words; "" where there is none."""
    for name in _FORMATS:
        judge = JUDGES[name][1]
        if sum(map(judge, texts[:_LOOKED_AT])) * 10 < 9 * len(texts[:_LOOKED_AT]):
            continue
        others = [text for text in texts if not judge(text)]
        if 0 < len(others) * 10 <= len(texts):
            return f"{name} but for {len(others)} of them, such as {others[0][:_LONGEST_CHOICE]!r}"
    return ""


def cells_of(texts: Sequence[str]) -> str:
    """The type that text cells stand for: "integer", "number", "boolean", or "string"."""
    if all(map(_WHOLE.fullmatch, texts)):
        return "integer"
    if all(map(_NUMBER.fullmatch, texts)):
        return "number"
    return "boolean" if all(text in ("true", "false") for text in texts) else "string"


def looks_like(texts: Sequence[str]) -> str:
    """What texts hold that stay text, in words; "" for nothing to tell."""
    kind = cells_of(texts)
    return {"integer": "whole numbers as text", "number": "numbers as text", "boolean": "true or false as text"}.get(
        kind, ""
    )


def choices_of(values: Sequence[str], *, closed: bool) -> list[str]:
    """The texts, where they are few and each comes again; the most frequent first. With `closed`, in any case."""
    counts = Counter(values)
    if closed:
        return [text for text, _ in counts.most_common()]
    few = 2 <= len(counts) <= _MOST_CHOICES and len(values) >= max(_LEAST_SEEN, 4 * len(counts))
    again = few and min(counts.values()) > 1 and all(0 < len(text) <= _LONGEST_CHOICE for text in counts)
    return [text for text, _ in counts.most_common()] if again else []


def told_of(texts: Sequence[str]) -> str:
    """How long texts are, with one of them; or what most of them are."""
    near = nearly(texts)
    if near:
        return near
    shortest = min(texts, key=lambda text: (len(text) == 0, len(text), text))
    example = f", such as {shortest!r}" if 0 < len(shortest) <= _LONGEST_CHOICE else ""
    return f"{sizes(texts, 'character')}{example}"


def times(count: int) -> str:
    """How often, in words."""
    return "once" if count == 1 else f"{count:,} times"


def sizes(values: Sequence[Any], noun: str) -> str:
    """How many there are of something in each value, in words: 3 to 17 characters."""
    words = spread(values, len)
    return f"{words} {noun}{'' if words in ('always 1', '0 to 1') else 's'}"


def spread(values: Sequence[Any], measure: Callable[[Any], Any] = lambda value: value) -> str:
    """The least and the greatest, in words."""
    measures = [*map(measure, values)]
    low, high = min(measures), max(measures)
    return f"always {low}" if low == high else f"{low} to {high}"
