"""One loading: layers read, merged and examined, and every fault and value traced to its place."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Final, TypeVar

from ..declare.absent import ABSENT
from ..declare.facts import Stop
from ..declare.sealed import SEALED, Sealed
from ..declare.sources import Source
from ..engine.engine import Engine
from ..engine.plan import Plan
from ..gates.typed import Gate
from ..report.cause import Cause, UnknownKey
from ..report.fault import Fault, Path, dotted
from ..report.place import Place
from ..report.verdict import Verdict, refusal, relisted
from ..shape.known_defaults import known_default
from ..shape.nodes import Entries
from ..shape.shape import Record
from ..shape.to_json import plain
from ..shape.uses import MISSING, Use
from ..shape.walk import part_of
from .expansion import Expansion
from .layers import File, may_have_profile
from .loaded import DEFAULT, Advice, Loaded, Origin, Setting, told_value
from .merging import Held, merged, owner_of
from .names import SettingNames, prefix_of, variable
from .sheet import Layer, Sheet, SheetOptions

T = TypeVar("T")
_MOST_LOWER: Final = 20
_MOST_ASKED: Final = 40


class Loading:
    """Reads the layers of one set of settings, once."""

    def __init__(self, gate: Gate[Any], names: SettingNames, layers: Sequence[Layer], asked: SheetOptions) -> None:
        self.gate = gate
        self.names = names
        self.layers = layers
        self.asked = asked
        read = [layer.read(asked) for layer in layers]
        self.sheets = [sheet for sheets in read for sheet in sheets]
        if asked.profile is not None:
            by_profile = [
                (layer, sheets) for layer, sheets in zip(layers, read, strict=True) if may_have_profile(layer)
            ]
            told = any(isinstance(layer, File) and layer.optional for layer, _ in by_profile)
            if by_profile and not told and not any(sheets for _, sheets in by_profile):
                self.sheets.append(_no_profile(asked.profile))
        held = Held({}, {})
        for number, sheet in enumerate(self.sheets):
            if sheet.data is not None:
                root = None if names.merges_plainly else names.shape.root
                held = merged(names, root, held, Held(sheet.data, number))
        self.data: dict[str, Any] = held.data
        self.owner = held.owner
        self.unexpanded: list[Fault] = []
        self._asked = 0
        if any(sheet.expands for sheet in self.sheets):
            self._expand()

    def _expand(self) -> None:
        prefix = prefix_of(self.layers)
        expansion = Expansion(
            self.names, self.data, self.asked.variables, prefix, self._expands, self.gate.limits.bytes
        )
        self.data = expansion.whole()
        for path, cause in expansion.wrong:
            self.unexpanded.append(Fault(path, cause, None, None, self.place(path)))

    def _expands(self, path: Path) -> bool:
        found = self._owner_of(path)
        return found is not None and self.sheets[found[0]].expands

    def _owner_of(self, path: Path) -> tuple[int, Path] | None:
        """The layer that gave what stands at a path, and its path there; None where none did."""
        found = owner_of(self.owner, path)
        if found is None or self._in_sheet(*found) is MISSING:  # a record that it gave, without this in it
            return None
        return found

    # Places

    def place(self, path: Path, *, of_key: bool = False) -> Place | None:
        """Where what stands at a path does; of what no layer gave, where the record around it does."""
        length = len(path)
        while True:
            found = self._owner_of(path[:length])
            if found is not None:
                number, own = found
                return self.sheets[number].placed(own, of_key=of_key and length == len(path))
            if not length:
                return None
            length -= 1

    def _record_place(self, path: Path) -> Place | None:
        """Where the record begins in which something is absent: in the first file that has any of it."""
        for number, sheet in enumerate(self.sheets):
            if sheet.of_file and self._in_sheet(number, path) is not MISSING:
                return sheet.placed(path)
        return None

    def origin(self, path: Path) -> Origin:
        """Where a setting comes from. Raises KeyError for what is none."""
        found = self._owner_of(path)
        if found is not None:
            number, own = found
            return Origin(self.sheets[number].label, self.sheets[number].placed(own))
        if self.names.at(path, self.data) is None:
            raise KeyError(f"{dotted(path)!r} is no setting")
        return Origin(DEFAULT)

    # The verdict

    def loaded(self) -> Loaded[Any]:
        """What the gate says of all layers together, every fault at its place."""
        broken = [fault for sheet in self.sheets for fault in sheet.broken] + self.unexpanded
        verdict = self.gate.examine(self.data)
        fallbacks = [self._hidden(fault.at(self.place(fault.path))) for fault in verdict.fallbacks]
        verdict = relisted(verdict, fallbacks=fallbacks) if fallbacks else verdict
        told: dict[int, str] = {}
        if broken or not verdict:
            verdict = self._refused(verdict, broken, told)
        stands_in = [
            Advice(fault.path, f"{fault.message}; what otherwise(...) declares stands in", fault.place, surprising=True)
            for fault in fallbacks
        ]
        return Loaded(verdict, told, [*self._advice(), *stands_in], self.origin, self.settings, self.asked.looked_at)

    def _refused(self, verdict: Verdict[Any], broken: list[Fault], told: dict[int, str]) -> Verdict[Any]:
        unread = any(sheet.data is None for sheet in self.sheets)
        known = {fault.path for fault in broken}
        faults = list(map(self._hidden, broken))
        for fault in verdict.faults:
            # What stands in a file that could not be read is not absent, as far as anybody knows.
            if fault.path in known or (unread and fault.code == "absent"):
                continue
            told[len(faults)] = self._more(fault)
            absent = fault.code == "absent" and self._owner_of(fault.path) is None
            place = self._record_place(fault.path[:-1]) if absent else self.place(fault.path, of_key=fault.of_key)
            owned = self._owner_of(fault.path)
            shown = fault.sealed() if owned is not None and self.sheets[owned[0]].seals else fault
            faults.append(self._hidden(shown.at(place)))
        return refusal(faults, (), verdict.untold, verdict.fallbacks)

    def _hidden(self, fault: Fault) -> Fault:
        """The same fault, without a key that may be a secret that was put in its place."""
        path = self.names.shown(fault.path)
        if path == fault.path:
            return fault
        return Fault(path, UnknownKey(), None, None, fault.place) if fault.code == "unknown" else fault.along(path)

    def _more(self, fault: Fault) -> str:
        """What else helps with a fault: what to set, what a file's format made of it, what it would have replaced."""
        if fault.code == "absent" and fault.path:
            return self._to_be_set(fault.path)
        found = self._owner_of(fault.path)
        if found is None:
            return "; it is the default" if fault.code == "agreement" else ""
        number, own = found
        hint = self.sheets[number].hints.get(own, "")
        more = f" ({hint})" if hint and fault.code in ("kind", "reading", "choice") else ""
        return more + self._instead(fault, number)

    def _to_be_set(self, path: Path) -> str:
        files = [sheet.label for sheet in self.sheets if sheet.of_file]
        prefix = prefix_of(self.layers)
        ways = [f"{dotted(path)} in {files[0]}"] if files else []
        if prefix and not any(isinstance(step, int) for step in path):
            ways.append(variable(prefix, path))
        return f"; set {' or '.join(ways)}" if ways else ""

    def _instead(self, fault: Fault, number: int) -> str:
        """The sound value that the one at fault would have replaced, with its place."""
        if fault.code == "unknown" or not fault.path:
            return ""
        hidden = self.names.is_hidden(fault.path, self.data)
        for lower in range(number - 1, max(-1, number - 1 - _MOST_LOWER), -1):
            found = self._in_sheet(lower, fault.path)
            if found is MISSING or not self._is_sound(fault.path, found):
                continue
            value = SEALED if hidden or self.sheets[lower].seals else told_value(_plainly(found))
            return f"; it would have replaced {value} from {self.sheets[lower].placed(fault.path)}"
        return ""

    def _in_sheet(self, number: int, path: Path) -> Any:
        """What stands at a path in one layer; MISSING for nothing."""
        held: Any = self.sheets[number].data
        for step in path:
            in_list = isinstance(held, list) and isinstance(step, int) and step < len(held)
            if not in_list and not (isinstance(held, dict) and step in held):
                return MISSING
            held = held[step]
        return held

    def _is_sound(self, path: Path, value: Any) -> bool:
        """Whether a value would do at a path, by itself."""
        use = self.names.at(path, self.data)
        if use is None or self._asked >= _MOST_ASKED:
            return False
        self._asked += 1
        plan = Plan(part_of(self.names.shape, use), Source.MIXED, True, self.gate.limits)
        return Engine(plan).collect(value)[0].__class__ is not Stop

    def _advice(self) -> list[Advice]:
        told = []
        for sheet in self.sheets:
            for path in sheet.former:
                name = sheet.renamed.get(path, sheet.spelled_as.get(path, "this"))
                words = f"is a former name; write {path[-1]}"
                told.append(Advice((*path[:-1], name), words, sheet.placed(path, of_key=True)))
            for path in sheet.deprecated:
                use = self.names.at(path, self.data)
                text = use.about.text if use is not None else None
                told.append(Advice(path, f"should no longer be set{': ' + text if text else ''}", sheet.placed(path)))
            told += [Advice(path, words, sheet.placed(path), True) for path, words in sheet.notes]
        return told

    # What is in force

    def settings(self, value: Any) -> list[Setting]:
        """Each setting in force, of the typed value."""
        found: list[Setting] = []
        self._of_use(self.names.shape.root, value, (), found, default=MISSING)
        return found

    def _of_use(self, use: Use, value: Any, path: Path, found: list[Setting], *, default: Any) -> None:
        record = self._record(use, value)
        if record is None:
            found.append(self._setting(use, value, path, default))
            return
        for field in record.fields:
            if field.only_given or (record.form == "dict" and field.attribute not in value):
                continue
            held = value[field.attribute] if record.form == "dict" else getattr(value, field.attribute)
            if held is ABSENT:
                continue
            self._of_use(field.use, held, (*path, field.wire), found, default=known_default(self.names.shape, field))
        for rest in record.rests:
            held = value[rest.attribute] if record.form == "dict" else getattr(value, rest.attribute)
            entries = self.names.node(rest.use)
            for name, each in held.items():
                assert isinstance(entries, Entries)
                self._of_use(entries.value, each, (*path, name), found, default=MISSING)

    def _record(self, use: Use, value: Any) -> Record | None:
        """The record that a typed value is, which is looked into; none for a secret, which is one setting."""
        if value is None or use.secret or use.making is not None:
            return None
        for record in self.names.records(use):
            if record.form == "dict":
                if isinstance(value, dict):
                    return record
            elif isinstance(value, record.builder):
                return record
        return None

    def _setting(self, use: Use, value: Any, path: Path, default: Any) -> Setting:
        hidden = self.names.holds_secret(use)
        origin = self.origin(path)
        replaced: list[tuple[Any, Origin]] = []
        top = self._owner_of(path)
        # A list that several layers made replaced nothing.
        several = self._owner_at(path)
        beside: list[Origin] = []
        if isinstance(several, list) and top is not None:
            others = sorted({layer for layer, _ in several} - {top[0]}, reverse=True)
            beside = [Origin(self.sheets[number].label, self.sheets[number].placed(path)) for number in others]
        lowest = top[0] if top is not None and not isinstance(several, list) else 0
        for number in range(lowest - 1, -1, -1):
            lower = self._in_sheet(number, path)
            if lower is not MISSING:
                told = SEALED if lower is not None and (hidden or self.sheets[number].seals) else _plainly(lower)
                replaced.append((told, Origin(self.sheets[number].label, self.sheets[number].placed(path))))
        if top is not None and default is not MISSING:
            told = SEALED if hidden and default is not None else _released(use, default, self.names.shape)
            replaced.append((told, Origin(DEFAULT)))
        hidden = hidden or (top is not None and self.sheets[top[0]].seals)
        told = SEALED if hidden and value is not None else _released(use, value, self.names.shape)
        return Setting(path, told, origin, tuple(replaced), hidden, tuple(beside), Sealed(value))

    def _owner_at(self, path: Path) -> Any:
        owner = self.owner
        for step in path:
            if not isinstance(owner, dict) or step not in owner:
                return owner
            owner = owner[step]
        return owner


def _no_profile(name: str) -> Sheet:
    """A sheet that says that no file is there for a profile."""
    place = Place(0, 0, "profile")
    cause = Cause("choice", "a profile that some file is for")
    return Sheet("profile", None, lambda path, of_key: place, [Fault((), cause, name, name, place)])


def _released(use: Use, value: Any, shape: Any) -> Any:
    try:
        return plain(use, value, shape)
    except Exception:  # what a function of the developer's own made has no form that is known
        return str(value)


def _plainly(held: Any) -> Any:
    """What a layer gave, as plain data."""
    if isinstance(held, dict):
        return {name: _plainly(each) for name, each in held.items()}
    if isinstance(held, list):
        return [_plainly(each) for each in held]
    return str.__str__(held) if isinstance(held, str) else held
