"""Names with text, as variables, secrets and arguments have them, to the data of a layer."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any, NamedTuple

from ..declare.json_pointer import index_of
from ..declare.sources import FromText, Reading
from ..engine.plan import may_be_blank
from ..read.json_fast import plain_json
from ..read.json_text import JsonText
from ..report.cause import Cause
from ..report.fault import Fault, Path
from ..report.place import Place
from ..shape.nodes import Branches, Choice, Entries, Fixed, Items, Link, Scalar
from ..shape.shape import Field
from ..shape.uses import Use
from .names import Known, bare, blank_is_null, spelled
from .sheet import Sheet, SheetOptions

_UNSET: Any = object()

_MOST_ITEMS = 1_000_000


class Spelled(NamedTuple):
    """One setting as text: the steps of its name, its text, and where it stands."""

    steps: Sequence[str]
    text: str
    place: Place


class _Placed(NamedTuple):
    place: Place
    text: JsonText | None


def from_text(several: Iterable[Spelled], label: str, asked: SheetOptions, *, folds: bool) -> Sheet:
    """The sheet of a layer of names with text. With `folds`, names are spelled as variables are, in any case."""
    return _Assembly(label, asked, folds=folds).sheet(several)


class _Assembly:
    def __init__(self, label: str, asked: SheetOptions, *, folds: bool) -> None:
        self.asked = asked
        self.names = asked.names
        self.folds = folds
        self.places: dict[Path, _Placed] = {}
        self.made = Sheet(label, {}, self._place)

    def sheet(self, several: Iterable[Spelled]) -> Sheet:
        whole: dict[Any, Any] = {}
        for each in sorted(several, key=lambda each: len(each.steps)):
            path, use, single = self._path(each.steps)
            if path in self.places:
                cause = Cause("repeat", "to come once", got="it again", of_key=True)
                self.made.broken.append(Fault(path, cause, None, None, each.place))
                continue
            held = self._read(use, each, path, single=single)
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

    def _path(self, steps: Sequence[str]) -> tuple[Path, Use | None, bool]:
        """The path that a name leads to, what stands there, None where nobody declared it, and if it is single."""
        known = self.names.known.get(mark := (*steps, "" if self.folds else "."))
        if known is None:
            path, use, former, fixed = self._looked_up(steps)
            if use is None:
                return path, None, False
            known = Known(path, use, former, use.about.deprecated, self._is_single(use))
            if fixed:
                self.names.known[mark] = known
        if known.former:
            self.made.former.append(known.path)
            self.made.spelled_as[known.path] = steps[-1].lower() if self.folds else steps[-1]
        if known.deprecated:
            self.made.deprecated.append(known.path)
        return known.path, known.use, known.single

    def _looked_up(self, steps: Sequence[str]) -> tuple[Path, Use | None, bool, bool]:
        """The same, whether the last step is a former name, and whether all steps are names of fields."""
        path: Path = ()
        use: Use | None = self.names.shape.root
        former, fixed = False, True
        for step in steps:
            node = self.names.node(use)
            index = index_of(step) if isinstance(node, Items | Fixed) else None
            if index is not None and index < _MOST_ITEMS:
                path, use, fixed = (*path, index), self.names.below(use, index), False
                continue
            if isinstance(node, Entries):
                path, use, fixed = (*path, step.lower() if self.folds else step), node.value, False
                continue
            field = self._field(use, step)
            if field is None:
                name = step.lower() if self.folds else step
                path, use, fixed = (*path, name), self.names.below(use, name), False
                continue
            path, use = (*path, field.wire), field.use
            former = spelled(step) in map(spelled, field.former) and spelled(step) != spelled(field.wire)
        return path, use, former, fixed

    def _field(self, use: Use | None, step: str) -> Field | None:
        """The field that one step names."""
        for record in self.names.records(use):
            known = self.names.spelled(record) if self.folds else self.names.written(record)
            if (field := known.get(spelled(step) if self.folds else step)) is not None:
                return field
        return None

    def _is_single(self, use: Use) -> bool:
        """Whether nothing but text that is not blank is needed for a value."""
        inner, _ = bare(use)
        return isinstance(self.names.node(inner), Scalar | Choice) and not inner.facts.open

    def _read(self, use: Use | None, each: Spelled, path: Path, *, single: bool) -> Any:
        """What a text stands for: text that the gate reads, or what it holds as JSON."""
        self.places[path] = _Placed(each.place, None)
        if use is None:
            return each.text
        if single and each.text and not each.text.isspace():
            return FromText(each.text)
        inner, _ = bare(use)
        node = self.names.node(inner)
        holds = isinstance(node, Items | Fixed | Entries | Link | Branches) or inner.facts.open
        if holds and not inner.is_reread and each.text.lstrip()[:1] in ("{", "["):
            return self._json(each, path, hidden=self.names.holds_secret(use))
        if holds and inner.split and (listed := self._list_in(each.text)) is not None:
            return listed
        if not each.text.strip():
            if blank_is_null(use, self.names):
                return None
            if may_be_blank(inner, Reading.TEXT, self.names.shape.aliases):
                return _UNSET
        if isinstance(node, Items) and not inner.is_reread:
            return [FromText(each.text)]
        return FromText(each.text)

    def _list_in(self, text: str) -> list[Any] | None:
        """The list that a text is in JSON, where it is one: else it is split."""
        if not (text.lstrip().startswith("[") and text.rstrip().endswith("]")):
            return None
        told = plain_json(text, self.asked.limits, self.asked.exact)
        return told if isinstance(told, list) else None

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
