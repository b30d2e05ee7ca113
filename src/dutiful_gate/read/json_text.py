"""JSON from outside, as bytes or text, to a plain value or to what is wrong with it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from ..declare.facts import Got, Stop
from ..declare.limits import Limits
from ..declare.phrases import Phrase
from ..report.cause import Cause
from ..report.document_order import RawFault
from ..report.fault import Fault, Path
from ..report.place import Place
from .json_careful import TextNote, read_carefully
from .json_places import places, places_in
from .lines import Lines

_BOM = "\ufeff"


class JsonText:
    """One JSON text, fractions with their digits when `exact`.

    With `hides`, no piece of it is shown in faults, and of their paths only what the function leaves.

    After `read`, `value` is its plain value when `sound`; else `broken` tells what is wrong.

    A text with repeated keys, NaN or over-long numbers still has a value, so that its other faults can be told too.
    """

    __slots__ = (
        "_exact",
        "_hides",
        "_limits",
        "_lines",
        "_raw",
        "_text",
        "broken",
        "readable",
        "untold",
        "value",
    )

    def __init__(
        self,
        raw: bytes | bytearray | memoryview | str,
        limits: Limits,
        *,
        exact: bool = False,
        hides: Callable[[Path], Path] | None = None,
    ) -> None:
        self._exact = exact
        self._hides = hides
        self._raw = raw
        self._limits = limits
        self._lines: Lines | None = None
        self._text: str | None = None
        self.value: object = None
        self.readable = False
        self.broken: list[Fault] = []
        self.untold = 0

    def read(self, plain: object) -> bool:
        """Take in the text, of which `plain_json` made `plain`; whether it is sound JSON within the limits."""
        raw = self._raw
        if plain.__class__ is not Stop:
            self.value, self.readable = plain, True
            return True
        if len(raw) > self._limits.bytes:
            self._refuse_size(len(raw))
            return False
        try:
            self._text = _decoded(raw)
        except UnicodeDecodeError as error:
            self._refuse_bytes(error.object, error.start)
            return False
        told = read_carefully(self.text, self._limits, exact=self._exact)
        self.value, self.readable, self.untold = told.value, told.whole, told.untold
        self.broken = [self._fault(note) for note in told.notes]
        return False

    @property
    def text(self) -> str:
        """The text, without the mark of its encoding."""
        if self._text is None:
            self._text = _decoded(self._raw)
        return self._text

    def placed(self, faults: Sequence[Fault], under: Path = ()) -> list[Fault]:
        """The same faults, each with its line and column; their paths lead to the text by the steps `under`."""
        start = len(under)
        paths = [fault.path[start:] for fault in faults] if start else [fault.path for fault in faults]
        places = self.lines.places(self._offsets(paths, [fault.of_key for fault in faults]))
        return [fault.at(place) for fault, place in zip(faults, places, strict=True)]

    def told(self, raws: Sequence[RawFault]) -> list[Fault]:
        """Faults of the text and of its values, as the engine found these, together in document order, one a place."""
        offsets = self._offsets([raw[0] for raw in raws], [raw[1].of_key for raw in raws])
        faults = [Fault(*raw, place) for raw, place in zip(raws, self.lines.places(offsets), strict=True)]
        # Most are told in the order in which they stand in the text.
        return faults if not self.broken and offsets == sorted(offsets) else one_a_place(self.broken, faults)

    def _offsets(self, paths: Sequence[Path], of_keys: Sequence[bool]) -> list[int]:
        """Where the ends of paths stand: of some the key, and not the value under it."""
        text = self.text
        found = places(text, paths, repeats=True) if self.broken else places_in(text, paths, self.value)
        return list(map(found.offset, paths, of_keys))

    @property
    def lines(self) -> Lines:
        """The lines of the text."""
        if self._lines is None:
            self._lines = Lines(self.text)
        return self._lines

    def merged(self, faults: Sequence[Fault], under: Path = ()) -> list[Fault]:
        """Faults of the text and of its values together, in document order, one a place."""
        broken = [fault.beneath(under) for fault in self.broken] if under else self.broken
        return one_a_place(broken, self.placed(faults, under))

    def _at(self, offset: int) -> Place:
        return self.lines.place(offset)

    def _fault(self, note: TextNote) -> Fault:
        # Where secrets may stand, a text that went wrong is not quoted: the piece might be one.
        if self._hides is None:
            return Fault(note.path, note.cause, note.given, note.given, self._at(note.offset))
        cause = note.cause.replace(secret=True) if note.cause.got is Got.VALUE else note.cause
        return Fault(self._hides(note.path), cause, None, None, self._at(note.offset))

    def _refuse_size(self, length: int) -> None:
        most = self._limits.bytes
        cause = Cause("size", "a text of at most {most} bytes", {"most": most}, got=f"{length:,}")
        self.broken = [Fault((), cause, None, None, Place(1, 1))]

    def _refuse_bytes(self, encoded: bytes, start: int) -> None:
        before = encoded[:start].decode().removeprefix(_BOM)
        cause = Cause("reading", "text in UTF-8", got=Phrase("the byte {byte}", byte=f"0x{encoded[start]:02X}"))
        self.broken = [Fault((), cause, None, None, Lines(before).place(len(before)))]


def _decoded(raw: bytes | bytearray | memoryview | str) -> str:
    """Raw text as text. Raises UnicodeDecodeError for what is not in UTF-8."""
    return (raw if isinstance(raw, str) else bytes(raw).decode()).removeprefix(_BOM)


def one_a_place(broken: Sequence[Fault], faults: Sequence[Fault]) -> list[Fault]:
    """Faults of a text and of its values together, in document order; where both speak, the text."""
    if not broken:
        return sorted(faults, key=_position)
    told_of = {(fault.path, of_key) for fault in broken for of_key in (False, fault.of_key)}
    others = (fault for fault in faults if (fault.path, fault.of_key) not in told_of)
    return sorted([*broken, *others], key=_position)


def _position(fault: Fault) -> tuple[int, int]:
    place = fault.place
    return (place.line, place.column) if place is not None else (0, 0)
