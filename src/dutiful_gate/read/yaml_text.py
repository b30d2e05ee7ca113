"""YAML from a file, by the core schema of YAML 1.2 (section 10.3), to half-typed data; needs the extra `yaml`.

`yes`, `012` and `12:30:00` are a text, the number 12 and a text there, and not what YAML 1.1 made of them: where such
a value stands is kept, so that a reader of the file can be told.
"""

from __future__ import annotations

import base64
import binascii
import re
from collections.abc import Callable
from datetime import date, datetime
from decimal import Decimal
from functools import cached_property
from typing import Any, Final, NamedTuple

from ..declare.limits import Limits
from ..declare.phrases import Phrase
from ..report.cause import Cause
from ..report.fault import Fault, Path
from ..report.place import Place
from .decoded_text import quoting_nothing

_MOST_VALUES: Final = 100_000
_NULL = re.compile(r"null|Null|NULL|~|")
_TRUTH = {"true": True, "True": True, "TRUE": True, "false": False, "False": False, "FALSE": False}
_WHOLE = re.compile(r"[-+]?[0-9]+")
_OTHER_WHOLE = re.compile(r"0o[0-7]+|0x[0-9a-fA-F]+")
_FRACTION = re.compile(r"[-+]?(?:\.[0-9]+|[0-9]+(?:\.[0-9]*)?)(?:[eE][-+]?[0-9]+)?")
_ODD = re.compile(r"[-+]?\.(?:inf|Inf|INF)|\.(?:nan|NaN|NAN)")
_TAG = "tag:yaml.org,2002:"
_OF_1_1: Final = (
    (re.compile(r"[-+]?0[0-7]+"), "{value} is the number {now}; in YAML 1.1 it was an octal one: write {now}"),
    (re.compile(r"yes|Yes|YES|no|No|NO|on|On|ON|off|Off|OFF|y|Y|n|N"),
     "{value} is a text; in YAML 1.1 it was true or false: write true or false, or put it in quotes"),
    (re.compile(r"[-+]?[0-9][0-9_]*(?::[0-5]?[0-9])+(?:\.[0-9_]*)?"),
     "{value} is a text; in YAML 1.1 it was a number of base 60: put it in quotes"),
    (re.compile(r"[-+]?(?=[0-9_.]*_)[0-9][0-9_]*(?:\.[0-9_]*)?|[-+]?0b[01_]+"),
     "{value} is a text; in YAML 1.1 it was a number: write it in plain digits, or put it in quotes"),
)  # fmt: skip


class Surprise(NamedTuple):
    """A value that YAML 1.1 read otherwise: its path, what stands there and what it is now, and what to say of it."""

    path: Path
    value: str
    now: Any
    template: str
    place: Place

    def told(self, *, hidden: bool) -> str:
        """The words, without the value where it may not be shown."""
        if hidden:
            return "YAML 1.1 read this otherwise: put it in quotes where it is a text"
        return self.template.format(value=self.value, now=self.now)


class _Wrong(Exception):
    def __init__(self, cause: Cause, place: Place, path: Path = ()) -> None:
        super().__init__(cause.needs)
        self.fault = Fault(path, cause, None, None, place)


class YamlText:
    """One YAML text: its `value`, or in `broken` what is wrong with it; `surprises` are read otherwise by YAML 1.1."""

    def __init__(self, text: str, limits: Limits, *, exact: bool = False) -> None:
        self.text = text
        self.limits = limits
        self.value: Any = None
        self.broken: list[Fault] = []
        self.surprises: list[Surprise] = []
        self._exact = exact
        self._read(_Builder(limits, exact=exact))

    @property
    def readable(self) -> bool:
        """Whether there is a value."""
        return not self.broken

    def place(self, path: Path, *, of_key: bool = False) -> Place:
        """Where a path stands, or else the nearest thing around it that is there."""
        keys, values = self._places
        if of_key and path in keys:
            return keys[path]
        while path and path not in values:
            path = path[:-1]
        return values.get(path, Place(1, 1))

    @cached_property
    def _places(self) -> tuple[dict[Path, Place], dict[Path, Place]]:
        """Where keys and values stand: found by a second reading, for those who ask."""
        builder = _Builder(self.limits, exact=self._exact, keeps_places=True)
        self._read(builder)
        return builder.keys, builder.values

    def _read(self, builder: _Builder) -> None:
        try:
            import yaml
        except ModuleNotFoundError:
            raise ModuleNotFoundError(
                "YAML needs the package PyYAML; get it with: pip install 'dutiful-gate[yaml]'", name="yaml"
            ) from None
        try:
            self.value = builder.whole(yaml.parse(self.text, Loader=getattr(yaml, "CSafeLoader", yaml.SafeLoader)))
            self.broken = list(builder.repeated)
            self.surprises = builder.surprises
        except _Wrong as wrong:
            self.broken = [wrong.fault]
        except RecursionError:
            cause = Cause("depth", "at most {most} levels", {"most": self.limits.depth}, got="more")
            self.broken = [Fault((), cause, None, None, Place(1, 1))]
        except yaml.YAMLError as error:
            mark = getattr(error, "problem_mark", None)
            place = Place(mark.line + 1, mark.column + 1) if mark is not None else self._of_reader(error)
            words = getattr(error, "problem", None) or "a character that YAML does not allow"
            cause = Cause("reading", "YAML that can be read", got=Phrase("this: {words}", words=quoting_nothing(words)))
            self.broken = [Fault((), cause, None, None, place)]

    def _of_reader(self, error: Exception) -> Place:
        from .lines import Lines

        return Lines(self.text).place(min(max(getattr(error, "position", 0) or 0, 0), len(self.text)))


class _Builder:
    """Makes values of the events of one document."""

    def __init__(self, limits: Limits, *, exact: bool, keeps_places: bool = False) -> None:
        self.limits = limits
        self.exact = exact
        self.keeps_places = keeps_places
        self.keys: dict[Path, Place] = {}
        self.values: dict[Path, Place] = {}
        self.surprises: list[Surprise] = []
        self.repeated: list[Fault] = []
        self._anchors: dict[str, tuple[Any, int]] = {}
        self._open: set[str] = set()
        self._count = 0

    def whole(self, events: Any) -> Any:
        """The value of the one document that there is; None for none."""
        made, count = None, 0
        for event in events:
            kind = event.__class__.__name__
            if kind == "DocumentStartEvent":
                count += 1
                if count > 1:
                    raise _Wrong(Cause("reading", "one document", got="another after it"), _place(event))
                made = self._value(next(events), events, ())
        return made

    def _value(self, event: Any, events: Any, path: Path) -> Any:
        kind = event.__class__.__name__
        if len(path) > self.limits.depth:
            raise _Wrong(
                Cause("depth", "at most {most} levels", {"most": self.limits.depth}, got="more"), _place(event)
            )
        if self.keeps_places:
            self.values[path] = _place(event)
        if kind == "AliasEvent":
            return self._alias(event)
        before, anchor = self._count, event.anchor
        self._counted(1, event)
        if anchor is not None:
            self._open.add(anchor)
        if kind == "ScalarEvent":
            made = self._scalar(event, path)
        elif kind == "SequenceStartEvent":
            self._tagged(event, "seq")
            made = []
            while (inner := next(events)).__class__.__name__ != "SequenceEndEvent":
                made.append(self._value(inner, events, (*path, len(made))))
        else:
            self._tagged(event, "map")
            made = self._map(events, path)
        if anchor is not None:
            self._open.discard(anchor)
            self._anchors[anchor] = made, self._count - before
        return made

    def _counted(self, more: int, event: Any) -> None:
        self._count += more
        if self._count > _MOST_VALUES:
            most = {"most": _MOST_VALUES}
            raise _Wrong(Cause("size", "at most {most} values, aliases written out", most, got="more"), _place(event))

    def _alias(self, event: Any) -> Any:
        if event.anchor in self._open or event.anchor not in self._anchors:
            got = "one inside of itself" if event.anchor in self._open else "one that stands for nothing"
            raise _Wrong(Cause("reading", "an alias of what stands before it", got=got), _place(event))
        made, count = self._anchors[event.anchor]
        self._counted(count, event)
        return made

    def _map(self, events: Any, path: Path) -> dict[str, Any]:
        made: dict[str, Any] = {}
        while (key := next(events)).__class__.__name__ != "MappingEndEvent":
            if key.__class__.__name__ != "ScalarEvent":
                raise _Wrong(Cause("reading", "keys that are text", got="another"), _place(key), path)
            name = key.value
            if name == "<<" and key.implicit[0]:
                words = "keys of one's own: YAML 1.2 merges nothing"
                raise _Wrong(Cause("reading", words, got="the key <<"), _place(key), path)
            here = (*path, name)
            if name in made:
                self.repeated.append(
                    Fault(here, Cause("repeat", "to come once", got="it again", of_key=True), None, None, _place(key))
                )
            if self.keeps_places:
                self.keys[here] = _place(key)
            if key.anchor is not None:
                self._anchors[key.anchor] = name, 1
            made[name] = self._value(next(events), events, here)
        return made

    def _tagged(self, event: Any, own: str) -> None:
        if event.tag not in (None, "!", _TAG + own):
            raise _Wrong(Cause("reading", "no tags but those of the core schema", got="another"), _place(event))

    def _scalar(self, event: Any, path: Path) -> Any:
        text, tag = event.value, event.tag
        if tag is None:
            return self._plain(text, event, path) if event.implicit[0] else text
        if tag == "!":
            return text
        read = _BY_TAG.get(tag.removeprefix(_TAG)) if tag.startswith(_TAG) else None
        if read is None:
            raise _Wrong(Cause("reading", "no tags but those of the core schema", got="another"), _place(event))
        try:
            return read(self, text)
        except (ValueError, OverflowError):
            needs = Phrase("what its tag !!{tag} says", tag=tag.removeprefix(_TAG))
            raise _Wrong(Cause("reading", needs, got="something else"), _place(event), path) from None

    def _plain(self, text: str, event: Any, path: Path) -> Any:
        """What stands without quotes, by the core schema."""
        first = text[:1]
        if first.isalpha() and first not in "nNtTfFyYoO":
            return text
        if _NULL.fullmatch(text):
            return None
        if text in _TRUTH:
            return _TRUTH[text]
        made: Any = text
        if first in "0123456789-+.":
            try:
                made = self._number(text)
            except _TooLongNode:
                most = {"most": self.limits.digits}
                raise _Wrong(
                    Cause("size", "numbers of at most {most} digits", most, got="more"), _place(event)
                ) from None
        for pattern, words in _OF_1_1:
            if pattern.fullmatch(text):
                self.surprises.append(Surprise(path, text, made, words, _place(event)))
                break
        return made

    def _number(self, text: str) -> Any:
        """The number that stands there by the core schema; the text itself where it is none."""
        if _WHOLE.fullmatch(text):
            if len(text) > self.limits.digits:
                raise _TooLongNode
            return int(text)
        if _OTHER_WHOLE.fullmatch(text):
            if len(text) > self.limits.digits:
                raise _TooLongNode
            return int(text[2:], 8 if text[1] == "o" else 16)
        if _FRACTION.fullmatch(text):
            if len(text) > self.limits.digits:
                raise _TooLongNode
            return Decimal(text) if self.exact else float(text)
        if _ODD.fullmatch(text):
            return float(text.replace(".", "", 1))
        return text


class _TooLongNode(Exception):
    pass


def _place(event: Any) -> Place:
    return Place(event.start_mark.line + 1, event.start_mark.column + 1)


def _truth(builder: _Builder, text: str) -> bool:
    if text not in _TRUTH:
        raise ValueError
    return _TRUTH[text]


def _of_numbers(*kinds: type) -> Callable[[_Builder, str], Any]:
    def read(builder: _Builder, text: str) -> Any:
        try:
            made = builder._number(text)
        except _TooLongNode:
            raise ValueError from None
        if not isinstance(made, kinds):
            raise ValueError
        return made

    return read


def _null(builder: _Builder, text: str) -> None:
    if not _NULL.fullmatch(text):
        raise ValueError


def _moment(builder: _Builder, text: str) -> date:
    return date.fromisoformat(text) if len(text) == 10 else datetime.fromisoformat(text)


def _binary(builder: _Builder, text: str) -> bytes:
    try:
        return base64.b64decode("".join(text.split()), validate=True)
    except binascii.Error:
        raise ValueError from None


_BY_TAG: Final[dict[str, Callable[[_Builder, str], Any]]] = {
    "str": lambda builder, text: text,
    "int": _of_numbers(int),
    "float": _of_numbers(int, float, Decimal),
    "bool": _truth,
    "null": _null,
    "timestamp": _moment,
    "binary": _binary,
}
