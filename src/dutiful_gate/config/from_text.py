"""Names with text, as variables, secrets and arguments have them, to the data of a layer."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any, NamedTuple

from ..declare.sources import FromText, Reading
from ..engine.plan import may_be_blank
from ..read.json_fast import plain_json
from ..read.json_text import JsonText
from ..report.cause import Cause
from ..report.fault import Fault, Path
from ..report.place import Place
from ..shape.nodes import Branches, Entries, Fixed, Items, Link, Nullable, Sealing, Use
from .names import spelled
from .sheet import Asked, Sheet

_UNSET: Any = object()


class Spelled(NamedTuple):
    """One setting as text: the steps of its name, its text, and where it stands."""

    steps: Sequence[str]
    text: str
    place: Place


class _Placed(NamedTuple):
    place: Place
    text: JsonText | None


def from_text(several: Iterable[Spelled], label: str, asked: Asked, *, folds: bool) -> Sheet:
    """The sheet of a layer of names with text. With `folds`, names are spelled as variables are, in any case."""
    return _Assembly(label, asked, folds=folds).sheet(several)


class _Assembly:
    def __init__(self, label: str, asked: Asked, *, folds: bool) -> None:
        self.asked = asked
        self.names = asked.names
        self.folds = folds
        self.places: dict[Path, _Placed] = {}
        self.made = Sheet(label, {}, self._place)

    def sheet(self, several: Iterable[Spelled]) -> Sheet:
        whole: dict[Any, Any] = {}
        for each in sorted(several, key=lambda each: len(each.steps)):
            path, use = self._path(each.steps)
            if path in self.places:
                cause = Cause("repeat", "to come once", got="it again", of_key=True)
                self.made.broken.append(Fault(path, cause, None, None, each.place))
                continue
            held = self._read(use, each, path)
            if held is not _UNSET:
                _put(whole, path, held)
        self.made.data = _settled(whole)
        return self.made

    def _place(self, path: Path, of_key: bool) -> Place:
        for length in range(len(path), -1, -1):
            found = self.places.get(path[:length])
            if found is None:
                continue
            if found.text is None or length == len(path):
                return found.place
            inner = found.text.placed([Fault(path[length:], _NO_CAUSE)])[0].place
            return found.place if inner is None else Place(inner.line, inner.column, found.place.source)
        inside = [placed.place for known, placed in self.places.items() if known[: len(path)] == path]
        return inside[0] if inside else Place(0, 0, self.made.label)

    def _path(self, steps: Sequence[str]) -> tuple[Path, Use | None]:
        """The path that a name leads to, and what stands there; None where nobody declared it."""
        path: Path = ()
        use: Use | None = self.names.shape.root
        for step in steps:
            node = self.names.node(use)
            if isinstance(node, Items | Fixed) and step.isascii() and step.isdigit() and len(step) < 7:
                path, use = (*path, int(step)), self.names.below(use, int(step))
                continue
            if isinstance(node, Entries):
                path, use = (*path, step.lower() if self.folds else step), node.value
                continue
            path, use = self._named(path, use, step)
        return path, use

    def _named(self, path: Path, use: Use | None, step: str) -> tuple[Path, Use | None]:
        for record in self.names.records(use):
            known = self.names.spelled(record) if self.folds else self.names.written(record)
            field = known.get(spelled(step) if self.folds else step)
            if field is not None:
                here = (*path, field.wire)
                if any(spelled(name) == spelled(step) for name in field.former) and spelled(field.wire) != spelled(
                    step
                ):
                    self.made.former.append(here)
                    self.made.spelled_as[here] = step.lower() if self.folds else step
                if field.use.about.deprecated:
                    self.made.deprecated.append(here)
                return here, field.use
        name = step.lower() if self.folds else step
        return (*path, name), self.names.below(use, name)

    def _read(self, use: Use | None, each: Spelled, path: Path) -> Any:
        """What a text stands for: text that the gate reads, or what it holds as JSON."""
        self.places[path] = _Placed(each.place, None)
        if use is None:
            return each.text
        inner, null = _bare(use)
        holds = isinstance(self.names.node(inner), Items | Fixed | Entries | Link | Branches)
        if holds and not inner.is_reread and each.text.lstrip()[:1] in ("{", "["):
            return self._json(each, path, hidden=self.names.holds_secret(use))
        if may_be_blank(inner, Reading.TEXT, self.names.shape.aliases) and not each.text.strip():
            return None if null else _UNSET
        if null and inner.blank and not each.text.strip():
            return None
        if isinstance(self.names.node(inner), Items) and not inner.is_reread:
            return [FromText(each.text)]
        return FromText(each.text)

    def _json(self, each: Spelled, path: Path, *, hidden: bool) -> Any:
        raw = each.text
        hides = (lambda inside: ()) if hidden else None
        text = JsonText(raw, self.asked.limits, exact=self.asked.exact, hides=hides)
        text.read(plain_json(raw, self.asked.limits, self.asked.exact))
        self.places[path] = _Placed(each.place, text if text.readable else None)
        for fault in text.broken:
            at = fault.place or Place(0, 0)
            place = Place(at.line, at.column, each.place.source)
            self.made.broken.append(fault.beneath(path).at(place))
        return text.value if text.readable else _UNSET


_NO_CAUSE = Cause("", "")


def _bare(use: Use) -> tuple[Use, bool]:
    """A use without null and seals around it, and whether it may be null."""
    null = False
    while isinstance(use.node, Nullable | Sealing):
        null = null or isinstance(use.node, Nullable)
        use = use.node.inner
    return use, null


def _put(whole: dict[Any, Any], path: Path, held: Any) -> None:
    level = whole
    for step in path[:-1]:
        inner = level.get(step)
        if isinstance(inner, list):  # a whole list as JSON, and then an item of it
            inner = dict(enumerate(inner))
        if not isinstance(inner, dict):
            inner = {}
        level[step] = inner
        level = inner
    last = path[-1] if path else ""
    before = level.get(last)
    level[last] = {**before, **held} if isinstance(before, dict) and isinstance(held, dict) else held


def _settled(held: Any) -> Any:
    """Lists where the steps were numbers, in their order."""
    if not isinstance(held, dict):
        return held
    made = {step: _settled(inner) for step, inner in held.items()}
    if made and all(isinstance(step, int) for step in made):
        return [made[step] for step in sorted(made)]
    return made
