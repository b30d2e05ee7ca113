"""What the data is before it is read, and the ways in which a single value is read."""

from __future__ import annotations

from enum import Enum


class Reading(Enum):
    """How one value is read: not all of one piece of data are read in one way, since keys of JSON are always text."""

    PLAIN = "plain"
    """From what JSON has: text, numbers, true, false, null, lists and dicts."""

    TEXT = "text"
    """From text alone."""

    TYPED = "typed"
    """Not at all: it has its Python type already."""

    MIXED = "mixed"
    """From what JSON has, not at all where it has its Python type already, or from text that is marked as such."""

    @property
    def is_typed(self) -> bool:
        """Whether values have their Python type already: they are judged, and not read."""
        return self is Reading.TYPED

    @property
    def is_half_typed(self) -> bool:
        """Whether they may have: each may be read or not, and text may be marked as such."""
        return self is Reading.MIXED

    @property
    def is_text(self) -> bool:
        """Whether all of them are text."""
        return self is Reading.TEXT

    @property
    def is_json(self) -> bool:
        """Whether they are what JSON has, and nothing else."""
        return self is Reading.PLAIN

    @property
    def of_documents(self) -> bool:
        """Whether documents beside types judge what is read so: what JSON has, or could have."""
        return self in (Reading.PLAIN, Reading.MIXED)

    @property
    def of_keys(self) -> Reading:
        """How keys that stand for something other than text are read, where values are read so."""
        return Reading.TEXT if self in (Reading.PLAIN, Reading.MIXED) else self


class FromText(str):
    """Text that stands in half-typed data for a value of any kind: it is read as all-text data is.

    `FromText("12")` is a number where one is wanted, as the value of an environment variable is.
    """

    __slots__ = ()


class Source(Enum):
    """What the data is before it is read."""

    JSON = "json", Reading.PLAIN, True, False
    """Decoded JSON: dict, list, str, int, float, bool, None."""

    TEXT = "text", Reading.TEXT, False, True
    """All text: query strings, forms, headers, environment variables, CSV cells."""

    NATIVE = "native", Reading.TYPED, False, False
    """Python objects that already have their types."""

    MIXED = "mixed", Reading.MIXED, False, False
    """Half-typed data, as of TOML, YAML and spreadsheets: what JSON has, beside values that have their type already.

    Text is read as JSON's is ("PT5M" is a duration, "12" is no number), unless it is a `FromText`."""

    reading: Reading
    in_json: bool
    repeats: bool

    def __new__(cls, word: str, reading: Reading, in_json: bool, repeats: bool) -> Source:
        """A source by its word: how its values are read, and what else is true of it.

        `in_json`  it is what a JSON document holds: raw text can be read, JSON Schema judges it, and faults speak of
                   arrays and objects
        `repeats`  a key may come several times, as a list of what came
        """
        made = object.__new__(cls)
        made._value_ = word
        made.reading, made.in_json, made.repeats = reading, in_json, repeats
        return made

    def __repr__(self) -> str:
        return f"Source.{self.name}"


def read_so(reading: Reading) -> Source:
    """A source all of whose values are read in one way: the first that there is."""
    return next(source for source in Source if source.reading is reading)
