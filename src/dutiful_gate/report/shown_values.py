"""Values as a reader is shown them: short, in plain words, never a Python class name."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping, Sequence
from contextlib import suppress
from enum import Enum
from functools import cache
from typing import TYPE_CHECKING, Any

from ..declare.uploads import UploadedFile

if TYPE_CHECKING:
    from ..declare.kinds.base import Kind

LONGEST = 60
_MOST_BITS = 400
_MOST_NAMED = 12
_BREAKS = (
    r"[\x00-\x1f\x7f-\x9f\xad\u061c\u200b-\u200f\u2028-\u202e\u2060-\u206f\ud800-\udfff\ufeff\ufff9-\ufffb"
    r"\U000e0000-\U000e007f]"
)
_NAMED_BREAKS = {"\n": "\\n", "\r": "\\r", "\t": "\\t"}


def visible(text: str) -> str:
    """Text with control characters and lone surrogates written as escapes: it can be printed anywhere."""
    return (
        text
        if text.isprintable()
        else re.sub(_BREAKS, lambda found: _NAMED_BREAKS.get(found[0]) or _escape(ord(found[0])), text)
    )


def on_terminal(text: str) -> str:
    """The same of text of several lines: line ends and tabs stay."""
    if text.isprintable():
        return text
    return "\n".join("\t".join(map(visible, line.split("\t"))) for line in text.split("\n"))


def _escape(code: int) -> str:
    return f"\\u{code:04x}" if code < 0x10000 else f"\\U{code:08x}"


def shortened(text: str, most: int = LONGEST) -> str:
    """Text of at most `most` characters, with a mark where it was cut."""
    return text if len(text) <= most else text[: most - 1] + "…"


def quoted(text: str) -> str:
    """Text in quotes, short and printable."""
    if len(text) <= LONGEST and text.isprintable():
        return f"'{text}'"
    return f"'{visible(shortened(text))}'"


class Outline:
    """What may be shown of a value that holds a secret: whether it is a list or record, and of how many."""

    __slots__ = ("count", "kind")

    def __init__(self, kind: type, count: int) -> None:
        self.kind = kind
        self.count = count

    def __len__(self) -> int:
        return self.count

    def __reduce__(self) -> tuple[object, ...]:
        return Outline, (self.kind, self.count)


class Said:
    """What is said of a value that itself does not travel: its words, and how many it holds."""

    __slots__ = ("count", "words")

    def __init__(self, value: Any) -> None:
        self.words = shown(value)
        self.count = len(value) if isinstance(value, Collection) else 0

    def __len__(self) -> int:
        return self.count


class Unreadable:
    """Stands where an object stood that cannot be asked what it is."""

    def __repr__(self) -> str:
        return "something that cannot be read"


def fixed(value: Any) -> object:
    """What a message can say of a value, whatever becomes of it afterwards: of a list or record, how many it holds."""
    kind = type(value)
    if kind in ALONE:
        return value
    if kind in (dict, list, tuple):
        return Outline(dict if kind is dict else list, len(value))
    told = honest(value)
    if type(told) in ALONE:
        return told
    if type(told).__module__ not in TRUSTED and type(told) not in _shown_by_kinds():
        return Said(told)
    STEADY.add(type(told))
    return told


def honest(value: Any) -> object:
    """A value as a message can speak of it: what raises when it is asked what it is, or how long, is put aside."""
    try:
        if type(value).__module__ in TRUSTED or type(value) in _shown_by_kinds():
            return value
        if value.__class__ is not type(value):
            return Unreadable()
        for plain, read in _AS_PLAIN:
            if isinstance(value, plain):
                return read(value)
        if isinstance(value, Collection):
            len(value)
    except Exception:
        return Unreadable()
    return value


TRUSTED = ("datetime", "decimal", "uuid", UploadedFile.__module__, __name__)
_AS_PLAIN: tuple[tuple[type, Callable[[Any], object]], ...] = (
    (str, str.__str__), (bool, bool), (int, int.__int__), (float, float.__float__),
    (bytes, lambda value: bytes(memoryview(value))),
)  # fmt: skip


def outlined(value: object) -> Outline | None:
    """What may be shown of a value that holds a secret, or stands where one that does is wanted."""
    if value is None:
        return None
    with suppress(Exception):  # an object that cannot be asked what it is, or how long
        if isinstance(value, Mapping):
            return Outline(dict, len(value))
        if isinstance(value, list | tuple):
            return Outline(list, len(value))
    return Outline(object, 0)


def shown(value: object, spoken: Callable[[str], str] | None = None, *, json: bool = False) -> str:
    """A value in a message: 'fast', -4, true, null, a list of 3 items; in words of another language with `spoken`.

    With `json`, lists and records are called arrays and objects.
    """
    if value.__class__ is str:  # text and numbers are what most of all that is refused is
        return quoted(value)
    if value.__class__ is int:
        return _whole(value)
    show = _SHOWN.get(value.__class__)
    text = show(value) if show is not None else _shown_by_standing(value)
    if json and text.startswith(_IN_WORDS):
        text = text.replace("a list of", "an array of", 1).replace("a record of", "an object of", 1)
    return text if spoken is None else _in_words(text, spoken)


_IN_WORDS = ("a list of", "a record of")


def _in_words(text: str, spoken: Callable[[str], str]) -> str:
    """What is told in words, such as "a list of 3 items", with its number taken out and put in again."""
    if not text.startswith(("a ", "an ")) and not text.endswith("of binary data"):
        return text
    template = re.sub(r"[0-9][0-9,]*", "{count}", text)
    number = re.search(r"[0-9][0-9,]*", text)
    return spoken(template).replace("{count}", number[0]) if number else spoken(text)


def _shown_by_standing(value: object) -> str:
    """The same for a subclass of what is known, or for something unknown."""
    if isinstance(value, Said):
        return value.words
    if isinstance(value, Outline):
        if value.kind is object:
            return "a hidden value"
        return (
            f"a record of {counted(value.count, 'key')}"
            if value.kind is dict
            else f"a list of {counted(value.count, 'item')}"
        )
    try:
        if isinstance(value, Enum):
            return shown(value.value)
        for known, show in (*_SHOWN.items(), *_written()):
            if isinstance(value, known):
                return show(value)
        if (kind := _shown_by_kinds().get(type(value))) is not None:
            return shown(kind().plain(value))
        if isinstance(value, Mapping):
            return f"a record of {counted(len(value), 'key')}"
        if isinstance(value, Collection):
            return f"a collection of {counted(len(value), 'item')}"
        if hasattr(type(value), "__dataclass_fields__"):
            return "a record"
    except Exception:  # an object that lies about what it is, or cannot be asked
        pass
    return "a value of another kind"


@cache
def _as_text() -> tuple[type, ...]:
    """The types whose values JSON has as text, and people by its words alone."""
    import ipaddress
    from pathlib import PurePath
    from uuid import UUID
    from zoneinfo import ZoneInfo

    addresses = (ipaddress.IPv4Address, ipaddress.IPv6Address, ipaddress.IPv4Network, ipaddress.IPv6Network)
    return UUID, PurePath, ZoneInfo, *addresses


@cache
def _written() -> tuple[tuple[type, Callable[[Any], str]], ...]:
    """How values are shown that JSON has as text or numbers."""
    from datetime import date, time, timedelta
    from decimal import Decimal

    from ..declare.kinds.texts import write_duration

    return (
        (Decimal, _decimal),
        *((kind, _moment) for kind in (date, time)),
        (timedelta, write_duration),
        *((kind, lambda value: quoted(str(value))) for kind in _as_text()),
    )


def _moment(value: Any) -> str:
    text = str(value.isoformat())
    return f"{text[:-6]}Z" if text.endswith("+00:00") else text


def _decimal(value: Any) -> str:
    if not value.is_finite():
        return "not a number" if value.is_nan() else "infinity" if value > 0 else "minus infinity"
    return (
        shortened(str(value))
        if abs(value.adjusted()) <= LONGEST
        else f"a number of about {abs(value.adjusted()) + 1:,} digits"
    )


def plainly(value: object) -> str:
    """A number or name of a rule in a message: text stands without quotes, several stand in a row."""
    if isinstance(value, str):
        return visible(shortened(value, 4 * LONGEST))
    if isinstance(value, Sequence) and not isinstance(value, bytes):
        named = [plainly(each.value if isinstance(each, Enum) else each) for each in value[:_MOST_NAMED]]
        rest = len(value) - len(named)
        return ", ".join(named) + (f" and {rest} more" if rest else "")
    if isinstance(value, _as_text()):
        return visible(shortened(str(value), 4 * LONGEST))
    kind = _shown_by_kinds().get(type(value))
    return shown(value) if kind is None else plainly(kind().plain(value))


def _shown_by_kinds() -> Mapping[type, Callable[[], Kind]]:
    """The kinds that say how values of a class are shown; those of the standard library are known here."""
    from ..declare.kinds.base import Kind

    return Kind.shown_by


def counted(number: int, noun: str) -> str:
    """`1 item`, `3 items`."""
    return f"{number:,} {noun}" if number == 1 else f"{number:,} {noun}s"


def _number(value: float) -> str:
    if value != value:
        return "not a number"
    if value in (float("inf"), float("-inf")):
        return "infinity" if value > 0 else "minus infinity"
    return repr(value)


def _whole(value: int) -> str:
    return f"{value:d}" if value.bit_length() <= _MOST_BITS else f"a number of about {_digits(value)} digits"


def _digits(value: int) -> str:
    # log10(2), without making the digits: that alone is what the limit is there to avoid.
    return f"{int(value.bit_length() * 0.30103) + 1:,}"


ALONE: frozenset[type] = frozenset([type(None), bool, str, int, float, bytes])
"""The classes of plain values that hold no others."""

STEADY: set[type] = set(ALONE)
"""The classes whose values never change: those above, and those of the standard library that were met."""

PLAIN: frozenset[type] = ALONE | {dict, list, tuple, bytearray}
"""The classes whose values are what they say."""

# Narrower types before wider ones: a bool is an int to isinstance.
_SHOWN: dict[type, Callable[[Any], str]] = {
    type(None): lambda value: "null",
    bool: lambda value: "true" if value else "false",
    str: quoted,
    int: _whole,
    float: _number,
    dict: lambda value: f"a record of {counted(len(value), 'key')}",
    list: lambda value: f"a list of {counted(len(value), 'item')}",
    tuple: lambda value: f"a list of {counted(len(value), 'item')}",
    bytes: lambda value: f"{counted(len(value), 'byte')} of binary data",
    bytearray: lambda value: f"{counted(len(value), 'byte')} of binary data",
}
