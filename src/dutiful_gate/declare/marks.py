"""Marks: what is said about a field that neither checks nor changes it by itself."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from copy import deepcopy
from enum import Enum
from typing import TYPE_CHECKING, Any, Final, TypeVar

from .errors import DeclarationError, check_flags
from .values import Value
from .waiting import check_answers, shown_name

if TYPE_CHECKING:
    from functools import cached_property


class _Unsaid(Enum):
    UNSAID = "..."

    def __repr__(self) -> str:
        return "..."


_UNSAID: Final = _Unsaid.UNSAID
_F = TypeVar("_F", bound="Callable[..., Any] | property | cached_property[Any]")


class About(Value):
    """What people are told of a field or type, in documents and messages."""

    title: str | None = None
    text: str | None = None
    examples: tuple[Any, ...] = ()
    deprecated: bool = False
    read_only: bool = False
    write_only: bool = False
    shown: bool = False

    def __hash__(self) -> int:
        return hash((self.title, self.text, repr(self.examples)))


def about(
    *,
    title: str | None = None,
    text: str | None = None,
    examples: Iterable[Any] = (),
    deprecated: bool = False,
    read_only: bool = False,
    write_only: bool = False,
    shown: bool = False,
) -> About:
    """Tell people of a field: a title (its label in messages), a text, and examples as a client would send them.

    `deprecated` is for documents alone: clients should no longer send it. What is `read_only` is not taken where a
    client sends, from the parts of a request: it is left out and told in `.dropped`, refused with `unknown="refuse"`,
    and its default stands in; data of other origin has it. What is `write_only` never goes out. A field is one of the
    two at most: DeclarationError. A cookie, or a header that tells who asks, that may be `shown` is told in faults and
    logs as other values are; without it, it is hidden there.
    """
    check_flags(deprecated=deprecated, read_only=read_only, write_only=write_only, shown=shown)
    if read_only and write_only:
        raise DeclarationError(
            "about(read_only=True, write_only=True) is a field that nobody could use", remedy="leave one of the two out"
        )
    return About(title, text, tuple(examples), deprecated, read_only, write_only, shown)


class Mark(Value):
    """A word beside a type, told apart by its name."""

    word: str

    def __str__(self) -> str:
        return self.word


class Named(Value):
    """See `named`."""

    wire: str
    former: tuple[str, ...] = ()


def named(wire: str, *, formerly: str | Iterable[str] = ()) -> Named:
    """The field's name in the data, where it differs from the attribute's, or has been another before.

    Any text is a name, as in JSON, "" too. Under a former name it still comes; settings that are loaded with one warn,
    and say the new name.
    """
    former = (formerly,) if isinstance(formerly, str) else tuple(formerly)
    if not all(each.__class__ is str for each in (wire, *former)) or "" in former:
        raise DeclarationError(
            f"named({wire!r}) needs text", remedy='as in named("bookingRef") or named("limit", formerly="most")'
        )
    return Named(wire, former)


class AlsoNamed(Value):
    """See `also_named`."""

    wires: tuple[str, ...]


def also_named(*wires: str) -> AlsoNamed:
    """Other names under which the field may come; it goes out under its own. Under two of them it is a fault."""
    if not wires or not all(wire.__class__ is str and wire for wire in wires):
        raise DeclarationError(f"also_named{wires!r} needs names", remedy='as in also_named("bookingRef", "reference")')
    return AlsoNamed(tuple(dict.fromkeys(wires)))


class UnderKey(Value):
    """See `under_key`."""

    key: str


def under_key(key: str) -> UnderKey:
    """Beside the body of a request: it comes as a record of one key, and the value is what stands under that.

    `body: Annotated[Booking, under_key("booking")]` reads {"booking": {...}}, and gives a Booking.
    """
    if key.__class__ is not str or not key:
        raise DeclarationError(f"under_key({key!r}) needs a key", remedy='as in under_key("booking")')
    return UnderKey(key)


class IfAbsent(Value):
    """See `if_absent`."""

    value: Any = None
    make: Callable[[], Any] | None = None

    def __hash__(self) -> int:
        return hash((repr(self.value), self.make))

    def maker(self) -> Callable[[], Any] | None:
        """What makes the value anew for every record, None where one will do for all."""
        if self.make is not None:
            return AsSent(self.make.sent) if isinstance(self.make, AsSent) else self.make
        if self.value.__class__ in (list, dict, set) and not self.value:
            return self.value.__class__
        return None if self.value.__hash__ is not None else Copied(self.value)


def if_absent(value: Any = _UNSAID, *, make: Callable[[], Any] | None = None, sent: Any = _UNSAID) -> IfAbsent:
    """The value of a field that did not come, as in `decks: Annotated[int, if_absent(2)]`.

    For records that are TypedDicts, where no default can be written: the key is always there once admitted. In a
    dataclass too, where it stands in for what did not come, and not for what the program leaves out. A list, dict or
    set is copied for every record; `make` is a function that makes the value anew; `sent` is plain data that is read
    as if it had come, such as "2026-05-04" for a date. Raises DeclarationError unless one of the three is given.
    """
    given = [value is not _UNSAID, make is not None, sent is not _UNSAID].count(True)
    if given != 1 or not (make is None or callable(make)):
        raise DeclarationError(
            "if_absent() needs a value, or make= with a function, or sent= with plain data",
            remedy='as in if_absent(2), if_absent(make=Crate) or if_absent(sent="2026-05-04")',
        )
    if make is not None:
        check_answers(make, f"if_absent(make={shown_name(make)})", takes=0)
    if sent is not _UNSAID:
        make = AsSent(sent)
    return IfAbsent(None if value is _UNSAID else value, make)


class Copied:
    """Makes a copy of a value for every record."""

    __slots__ = ("held",)

    def __init__(self, held: Any) -> None:
        self.held = held

    def __call__(self) -> Any:
        return deepcopy(self.held)

    def __repr__(self) -> str:
        return f"a copy of {self.held!r}"


class AsSent:
    """Makes the value of plain data by reading it, each time anew; `reads` is set when its gate is built."""

    __slots__ = ("reads", "sent")

    def __init__(self, sent: Any) -> None:
        self.sent = sent
        self.reads: Callable[[Any], Any] | None = None

    def __call__(self) -> Any:
        assert self.reads is not None  # no value is wanted before the gate is built
        return self.reads(deepcopy(self.sent))

    def __repr__(self) -> str:
        return f"sent={self.sent!r}"


class TaggedBy(Value):
    """See `tagged_by`."""

    field: str
    beside: str = ""
    options: tuple[tuple[str, Any], ...] = ()
    others: Any = None


def tagged_by(
    field: str, *, beside: str = "", options: Mapping[str, Any] | None = None, others: Any = None
) -> TaggedBy:
    """Beside a union: the field, by its name in the data, whose value tells which of its options came.

    Where one required field can tell, it is found without this. With `beside` the tag does not stand in the record but
    beside it: `tagged_by("type", beside="data", options={"crate": Crate, "pallet": Pallet})` reads
    {"type": "crate", "data": {...}}, and gives a Crate. `options` names the value of the tag for every option; of an
    option that has several, the first is what it goes out with.

    `others` is the option for values of the tag that no other option has, a record in which the field is text:
    `Annotated[Berthed | Sailed | Event, tagged_by("kind", others=Event)]`. What has a tag of another option is that
    one, or refused: it is never taken for an `Event`.
    """
    if field.__class__ is not str or not field:
        raise DeclarationError(f"tagged_by({field!r}) needs the name of a field", remedy='as in tagged_by("kind")')
    if bool(beside) != bool(options) or beside == field:
        raise DeclarationError(
            f"tagged_by({field!r}) needs both beside= and options=, or neither",
            remedy='as in tagged_by("type", beside="data", options={"crate": Crate, "pallet": Pallet})',
        )
    if others is not None and beside:
        raise DeclarationError(
            "tagged_by(..., others=) needs the tag in the record, where it is kept",
            remedy="leave out beside=, or others=",
        )
    return TaggedBy(field, beside, tuple((options or {}).items()), others)


class WrittenAs(Value):
    """See `written_as`."""

    form: str

    def __str__(self) -> str:
        return f"written_as({self.form!r})"


def written_as(form: str) -> WrittenAs:
    """Beside a date, time or date-time: the form in which it is read and goes out, as in `written_as("%d.%m.%Y")`.

    %d day, %m month, %Y year in four digits, %H hour, %M minute, %S second, %f microseconds in six digits, %z offset
    as in +0200, %% a per cent sign. All that the value has must be in it; a date-time needs %z, or `without_offset`.
    """
    if form.__class__ is not str or "%" not in form:
        raise DeclarationError(f"written_as({form!r}) needs a form", remedy='as in written_as("%d.%m.%Y")')
    return WrittenAs(form)


class UnreadableSays(Value):
    """See `unreadable`."""

    words: str


class WhatCannotBeRead:
    """A value that is of another kind, or in a form that cannot be read."""

    __slots__ = ()

    def says(self, words: str) -> UnreadableSays:
        """Own wording for a value that is of another kind, or cannot be read; with `{given}` and `{label}`.

        Beside a union it speaks for those options, too, that have no words of their own.
        """
        for name in re.findall(r"\{([^{}]*)\}", words):
            if name not in ("given", "label"):
                raise DeclarationError(
                    f"unreadable.says({words!r}) names {{{name}}}, which it does not have",
                    remedy="it has {given}, {label}",
                )
        return UnreadableSays(words)


unreadable = WhatCannotBeRead()
"""A value that cannot be read, in `Annotated`: `unreadable.says("needs a day, such as 04.05.2026")`."""


def goes_out(function: _F) -> _F:
    """Beside `@property` or `@cached_property`: the property goes out with the record, and never comes in.

    Its type is what the function says it gives. It stands in the document of what is released alone. Raises
    DeclarationError for what is neither a property nor a function.
    """
    held: Any = getattr(function, "fget", None) or getattr(function, "func", None) or function
    check_answers(held, f"the property {shown_name(held)}")
    try:
        setattr(held, GOES_OUT, True)
    except AttributeError:
        raise DeclarationError(
            f"@goes_out stands above {function!r}, which is no property", remedy="write @property and then @goes_out"
        ) from None
    return function


GOES_OUT = "__goes_out__"

secret = Mark("secret")
"""The value is never shown: in no fault, problem body, document example, or `.entered()`; and withheld from release."""

lenient = Mark("lenient")
"""Text is taken for numbers and the like, numbers for text; 1, 0, yes, no, on, off for booleans."""

rest = Mark("rest")
"""The field gathers all keys that nobody declared, in a dict.

Of several such fields the first whose type of keys admits a key gathers it, as in
`Annotated[dict[Annotated[str, it.starts_with("x-")], Any], rest]` before one for all others. A key that none admits is
refused."""

appended = Mark("appended")
"""Beside a list of settings: the items of a later layer are put behind those of earlier ones, and replace none."""

unambiguous = Mark("unambiguous")
"""Beside a union: a value that more than one of its types would admit is refused."""

together = Mark("together")
"""Beside a union inside of an `unambiguous` one: its types count as one there, where Python would write out both."""

as_text = Mark("as_text")
"""A Decimal comes and goes as text in JSON, so that no reader on the way makes a double of it."""

utc_only = Mark("utc_only")
"""A date-time must be written in UTC."""

without_offset = Mark("without_offset")
"""A date-time has no offset: what a clock on the wall shows."""

without_point = Mark("without_point")
"""A whole number is written without a decimal point in JSON: 3, and not 3.0."""

byte_size = Mark("byte_size")
"""A whole number of bytes may be written with a unit, as operators do: `10MiB`, `512kB`, or `4096`."""

time_span = Mark("time_span")
"""A timedelta may be written as operators do: `90s`, `1h30m`, `250ms`, beside ISO 8601."""

or_infinite = Mark("or_infinite")
"""A float may be infinite."""


def camel(attribute: str) -> str:
    """`weight_kg` as `weightKg`: for `Gate(..., keys=camel)`."""
    head, *tail = attribute.strip("_").split("_")
    return head + "".join(part[:1].upper() + part[1:] for part in tail)


def kebab(attribute: str) -> str:
    """`weight_kg` as `weight-kg`: for `Gate(..., keys=kebab)`."""
    return attribute.strip("_").replace("_", "-")
