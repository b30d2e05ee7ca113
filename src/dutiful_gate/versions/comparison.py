"""Two versions of a shape compared: what changed, in which direction, and whom it breaks, with instances as proof."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Mapping
from contextlib import suppress
from typing import Any, Final, Literal, NamedTuple

from ..declare.json_pointer import escaped, joined, steps_of, unescaped
from ..document.declaring.meaning import Part
from ..engine.runtime import HIDDEN_KEY
from ..gates.base import AnyGate
from ..gates.document import DocumentGate
from ..gates.typed import Gate
from ..report.shown_values import visible
from .changes import ANY, Change
from .one_version import LENIENT, LIMITED, OR, GateVersion, OneVersion, documents_of
from .walk import SideBySide
from .witnesses import Accepting, Witness, Witnesses

Direction = Literal["narrowing", "widening", "both", "neither", "unclear"]
Answer = Literal["unharmed", "broken", "unclear"]
_BASES: Final = 16
_SAMPLED: Final = 200
_LONGEST: Final = 1_000


class Told:
    """One change between two versions.

    `pointer`    of the value in the data, `*` for any item or key
    `words`      what changed
    `direction`  "narrowing": the new version refuses something that the old one accepts; "widening": the other way
                 round; "both"; "neither": what is accepted stays the same; "unclear": no instance was found, and no
                 proof
    `of`         "send": what is sent; "release": what comes out
    `refused`    an instance that the old version accepts and the new one refuses, where there is one
    `accepted`   one that the new version accepts and the old one refuses
    `doubtful`   the directions in which it may go, of which none was shown: "narrowing", "widening"
    """

    __slots__ = ("accepted", "doubtful", "of", "pointer", "refused", "words")

    def __init__(
        self,
        pointer: str,
        words: str,
        of: Literal["send", "release"],
        refused: Witness | None = None,
        accepted: Witness | None = None,
        doubtful: tuple[str, ...] = (),
    ) -> None:
        self.pointer = pointer
        self.words = words
        self.of = of
        self.refused = refused
        self.accepted = accepted
        self.doubtful = doubtful

    @property
    def direction(self) -> Direction:
        """Which way it goes."""
        if self.refused is not None and self.accepted is not None:
            return "both"
        if self.refused is not None:
            return "narrowing"
        if self.accepted is not None:
            return "widening"
        return "unclear" if self.doubtful else "neither"

    def as_dict(self) -> dict[str, object]:
        """The change as plain JSON data."""
        told: dict[str, object] = {
            "pointer": self.pointer,
            "of": self.of,
            "change": self.words,
            "direction": self.direction,
        }
        if self.refused is not None:
            told["now_refused"] = {"instance": self.refused.instance, "at": self.refused.at}
        if self.accepted is not None:
            told["now_accepted"] = {"instance": self.accepted.instance, "at": self.accepted.at}
        if self.doubtful:
            told["may_be"] = list(self.doubtful)
        return told

    def __repr__(self) -> str:
        return f"<{self.direction} at {self.pointer or '(the whole)'}: {self.words}>"


class Comparison:
    """What changed between two versions, and whom it breaks.

    `changes`  from the outside in
    `senders`, `readers`  "broken": something that they send, or read, is refused, or comes that they cannot read;
               "unharmed": proved; "unclear": neither, and `reasons` says why
    """

    def __init__(self, old: str, new: str, changes: list[Told], reasons: Mapping[str, list[str]]) -> None:
        self.old = old
        self.new = new
        self.changes = changes
        self.reasons = dict(reasons)

    @property
    def senders(self) -> Answer:
        """Whether those who send what the old version accepts go on being admitted."""
        return self._answer("send", "senders", "narrowing")

    @property
    def readers(self) -> Answer:
        """Whether those who read what the old version releases can read what the new one does."""
        return self._answer("release", "readers", "widening")

    def _answer(self, of: str, who: str, direction: str) -> Answer:
        found = [each for each in self.changes if each.of == of]
        shown = [each.refused if direction == "narrowing" else each.accepted for each in found]
        if any(each is not None for each in shown):
            return "broken"
        if self.reasons.get(who) or any(direction in each.doubtful for each in found):
            return "unclear"
        return "unharmed"

    def answer(self, who: Literal["senders", "readers", "both"]) -> Answer:
        """The answer for some, or the worse of both."""
        asked = (
            [self.senders] if who == "senders" else [self.readers] if who == "readers" else [self.senders, self.readers]
        )
        return "broken" if "broken" in asked else "unclear" if "unclear" in asked else "unharmed"

    def why(self, who: Literal["senders", "readers", "both"]) -> list[str]:
        """Why it could not be told."""
        found: list[str] = []
        for each, of, direction in (("senders", "send", "narrowing"), ("readers", "release", "widening")):
            if who in (each, "both"):
                found += self.reasons.get(each, [])
                found += [
                    f"{change.pointer or '(the whole)'}: {change.words}: no instance shows it, and there is no proof"
                    for change in self.changes
                    if change.of == of and direction in change.doubtful
                ]
        return list(dict.fromkeys(found))

    def as_dict(self) -> dict[str, object]:
        """The comparison as plain JSON data."""
        return {
            "old": self.old,
            "new": self.new,
            "senders": self.senders,
            "readers": self.readers,
            "why": self.why("both"),
            "changes": [each.as_dict() for each in self.changes],
        }

    def __bool__(self) -> bool:
        return bool(self.changes)

    def __repr__(self) -> str:
        return f"<Comparison: {len(self.changes)} changes, senders {self.senders}, readers {self.readers}>"


def compare(
    old: object, new: object, *, undeclared: bool = False, seed: int = 0, names: tuple[str, str] = ("old", "new")
) -> Comparison:
    """Compare two versions: declared types, gates, or documents.

    Each change is told with a smallest instance that one version accepts and the other refuses, checked against both
    gates. Keys that a version does not declare, and does not refuse, do not count as sent, unless `undeclared`. It is
    the same for the same seed. Raises DeclarationError for what is no declaration.
    """
    return compared(side_of(old, names[0]), side_of(new, names[1]), undeclared=undeclared, seed=seed)


def breaks(old: object, new: object, *, of: Literal["senders", "readers", "both"] = "both") -> str:
    """Whom the step from one version to another breaks, in words for a test; "" where that is proved to be nobody.

    `assert not breaks(Booking1, Booking2, of="senders")`. Words that begin with "unclear" say that it cannot be told.
    """
    found = compare(old, new)
    answer = found.answer(of)
    if answer == "unharmed":
        return ""
    if answer == "unclear":
        return "unclear: " + "; ".join(found.why(of))
    told = []
    for change in found.changes:
        for whom, kind, witness in (("senders", "send", change.refused), ("readers", "release", change.accepted)):
            if change.of == kind and witness is not None and of in (whom, "both"):
                told.append(
                    f"{whom}: {change.pointer or '(the whole)'} {change.words}, as {visible(str(witness.instance))}"
                )
    return "; ".join(told)


def side_of(version: object, name: str) -> OneVersion:
    """A version by what was given: a gate, a declared type, a document, or what is a side already."""
    if hasattr(version, "refuses") and hasattr(version, "payloads"):
        return version  # type: ignore[return-value]
    if isinstance(version, AnyGate):
        return GateVersion(version, name)
    if isinstance(version, Mapping | bool):
        return GateVersion(Gate.from_schema(version, formats="assert"), name)
    return GateVersion(Gate(version), name)


def compared(old: OneVersion, new: OneVersion, *, undeclared: bool = False, seed: int = 0) -> Comparison:
    """The same of two sides."""
    sent, released = documents_of(old)
    sent_now, released_now = documents_of(new)
    changes = [*_changes(old, new, sent, sent_now, "send", undeclared=undeclared, seed=seed)]
    if old.typed or new.typed:
        changes += _changes(old, new, released, released_now, "release", undeclared=undeclared, seed=seed)
    else:
        changes += [_turned(each) for each in changes if each.direction != "neither"]
    reasons: dict[str, list[str]] = {"senders": [], "readers": []}
    shown = _Shown(old, new, sent, sent_now, seed)
    changes += _notes(old, new, shown, reasons)
    changes += _of_gates(old, new, shown, alone=not changes)
    found = _told_once(changes)
    hide_secrets(found, old, new)
    return Comparison(old.name, new.name, found, reasons)


def hide_secrets(found: Iterable[Told], *sides: OneVersion) -> None:
    """Take out of instances what is a secret that may be one of the constants that its rules name."""
    hidden = [steps_of(path) for side in sides for path, note in side.notes["fields"].items() if note["hides"]]
    for witness in (each for told in found for each in (told.refused, told.accepted) if each is not None):
        for path in hidden:
            witness.instance = _masked(witness.instance, path)


def _masked(instance: Any, path: tuple[str, ...]) -> Any:
    """An instance without what stands at a path."""
    if not path:
        return HIDDEN_KEY
    step, further = path[0], path[1:]
    if isinstance(instance, dict):
        return {key: _masked(held, further) if step in (ANY, key) else held for key, held in instance.items()}
    if isinstance(instance, list):
        return [_masked(held, further) if step in (ANY, str(at)) else held for at, held in enumerate(instance)]
    return instance


def _turned(change: Told) -> Told:
    """The change of a document that stands for what is sent and what is read alike."""
    return Told(change.pointer, change.words, "release", change.refused, change.accepted, change.doubtful)


def _told_once(changes: list[Told]) -> list[Told]:
    """Without what is told of a key's parts twice."""
    found: dict[tuple[str, str, str], Told] = {}
    for change in changes:
        found.setdefault((change.pointer, change.words, change.of), change)
    return list(found.values())


def _changes(
    old: OneVersion,
    new: OneVersion,
    document: DocumentGate,
    document_now: DocumentGate,
    of: Literal["send", "release"],
    *,
    undeclared: bool,
    seed: int,
) -> Iterator[Told]:
    """The changes of what is sent, or of what is released, with their instances."""
    found = SideBySide(document, document_now, undeclared=undeclared).changes()
    if not found:
        return
    accepting = Accepting.sent if of == "send" else Accepting.released
    before, after = accepting(old, document, _BASES, seed), accepting(new, document_now, _BASES, seed)
    narrowing, widening = Witnesses(before, after), Witnesses(after, before)
    for change in found:
        refused = narrowing.of(change, _part(change, change.old)) if change.narrows else None
        accepted = widening.of(change, _part(change, change.new)) if change.widens else None
        doubtful = []
        if change.narrows and refused is None:
            doubtful.append("narrowing")
        if change.widens and accepted is None:
            doubtful.append("widening")
        words = change.words if of == "send" else _OUT.get(change.words, change.words)
        yield Told(joined(change.path), words, of, refused, accepted, tuple(doubtful))


_OUT: Final = {
    "new, must be there": "new, always there",
    "new, may be left out": "new, there now and then",
    "must now be there": "now always there",
    "may now be left out": "not always there any more",
    "gone, and now refused": "gone",
}
"""What is said of keys that come out, in the place of what is said of those that are sent."""


def _part(change: Change, part: Part) -> Part:
    """The schemas that values for the place of a change are drawn from: of a key that is left out, none."""
    return () if change.key and change.words.startswith(("must", "may")) else part


# What documents do not say


def _notes(old: OneVersion, new: OneVersion, shown: _Shown, reasons: dict[str, list[str]]) -> Iterator[Told]:
    was, now = old.notes["fields"], new.notes["fields"]
    if not (old.typed and new.typed):
        if new.typed:
            reasons["senders"] += [
                f"{each['at'] or '(the whole)'}: {each['rule']}: the new version has it, and no document states it"
                for each in new.notes["unstated"]
            ]
        for path, note in was.items():  # what was put in order before it was judged is judged as it comes now
            if _done(note["steps"]):
                yield from shown.steps(path, note["steps"], [])
        return
    yield from _renamed(was, now)
    for path in was:
        if path not in now:
            continue
        before, after = was[path], now[path]
        if before["secret"] != after["secret"]:
            words = "is secret now, and left out of what is shown" if after["secret"] else "is secret no longer"
            yield Told(path, words, "release")
        elif before["stand_in"] != after["stand_in"] and not (before["required"] or after["required"]):
            yield shown.default(path, before, after)
        judged = before["judged"] or after["judged"]
        if before["steps"] != after["steps"]:
            yield from shown.steps(path, before["steps"], after["steps"], judged=judged)
        elif not {*before["leniently"]} <= {*after["leniently"]}:
            yield shown.less_leniently(path)
        if before["steps"] and _in_both(before["order"], after["order"]) != _in_both(after["order"], before["order"]):
            yield shown.order(path)
        if before["value"] != after["value"] and judged:
            yield shown.judged_otherwise(path)
        elif _has_other_options(before, after):
            yield shown.other_options(path)
        if before["value"] != after["value"] and before["wide"] and after["doubles"] and not after["free"]:
            yield shown.doubles(path)
        if after["infinite"] and not before["infinite"]:
            yield Told(path, "infinities may come now", "release", doubtful=("widening",))
    yield from shown.unstated()


def _has_other_options(before: Mapping[str, Any], after: Mapping[str, Any]) -> bool:
    """Whether an option is another or gone, and one of which no document says all may take the same data."""
    return bool(before["alone"] != after["alone"]) or any(
        mark not in after["marks"]
        and any(place == at and (kind == each or "any" in (kind, each)) for at, each in after["unsaid"])
        for place, kind, mark in before["options"]
    )


def _of_gates(old: OneVersion, new: OneVersion, shown: _Shown, *, alone: bool) -> Iterator[Told]:
    """What the gates themselves are told, beside their types: limits, and the source that they read.

    Where this alone is another, what the one version refuses shows it.
    """
    limits = [name for name in LIMITED if old.notes["limits"][name] != new.notes["limits"][name]]
    before, after = old.notes["reads"], new.notes["reads"]
    if before != after:
        yield Told("", f"reads {after}, was {before}", "send", doubtful=("narrowing", "widening"))
    for name in limits:
        most, most_now = old.notes["limits"][name], new.notes["limits"][name]
        words = f"at most {most_now:,} {LIMITED[name]}, was {most:,}"
        found = shown.limit(name, most, most_now) if alone and len(limits) == 1 else None
        if most_now < most:
            yield Told("", words, "send", found, doubtful=() if found else ("narrowing",))
        else:
            yield Told("", words, "send", None, found, doubtful=() if found else ("widening",))


def _renamed(was: Mapping[str, Any], now: Mapping[str, Any]) -> Iterator[Told]:
    """Fields that have another name, or stand elsewhere."""
    gone = {path: note for path, note in was.items() if path not in now}
    come = {path: note for path, note in now.items() if path not in was}
    for path, note in come.items():
        before, _, name = path.rpartition("/")
        former = [each for each in note["former"] if f"{before}/{escaped(each)}" in gone]
        if former:
            yield Told(path, f"renamed: was {former[0]!r}, which is still taken", "send")
            continue
        like = [each for each in gone if each.rpartition("/")[0] == before and _are_alike(gone[each], note)]
        twins = [each for each in come if each.rpartition("/")[0] == before and _are_alike(come[each], note)]
        if len(like) == 1 and len(twins) == 1:
            yield Told(path, f"perhaps renamed: {unescaped(like[0].rpartition('/')[2])!r} is gone", "send")
            continue
        moved = [each for each in gone if each.rpartition("/")[2] == name and each.rpartition("/")[0] != before]
        if len(moved) == 1:
            yield Told(path, f"perhaps moved: {moved[0]} is gone", "send")


def _are_alike(one: Mapping[str, Any], other: Mapping[str, Any]) -> bool:
    return all(one[word] == other[word] for word in ("required", "steps", "secret", "default", "shape"))


class _Shown:
    """Looks for instances that show what documents do not say: other steps, other rules of their own."""

    def __init__(
        self, old: OneVersion, new: OneVersion, document: DocumentGate, document_now: DocumentGate, seed: int
    ) -> None:
        self.old, self.new = old, new
        self._documents = document, document_now
        self._seed = seed
        self._pair: tuple[Witnesses, Witnesses] | None = None
        self._instances: list[Any] = []
        self._further = False  # whether something else may refuse that no document states

    def _witnesses(self) -> tuple[Witnesses, Witnesses]:
        if self._pair is None:
            before = Accepting.sent(self.old, self._documents[0], _SAMPLED, self._seed)
            after = Accepting.sent(self.new, self._documents[1], _SAMPLED, self._seed)
            self._pair = Witnesses(before, after), Witnesses(after, before)
            self._instances = [*before.bases, *after.bases]
        return self._pair

    def steps(self, path: str, before: list[str], after: list[str], *, judged: bool = False) -> Iterator[Told]:
        """Other steps: what was put in order before it was judged may be refused now.

        Where there were none, the document says all that was accepted, and its walk tells. To take text for numbers as
        well refuses nothing. A value that is `judged` together with others, or by an own function, may be refused for
        what the steps make of it.
        """
        self._further = True
        narrowing, widening = self._witnesses()
        words = f"its steps were {_named(before)}, now {_named(after)}"
        change = Change(words, path=steps_of(path), edges=_UNTIDY, narrows=True, widens=True)
        values = [held for each in self._instances for held in _at(each, change.path) if isinstance(held, str)]
        change.edges = (*_UNTIDY, *(form for held in values[:6] for form in (f" {held} ", held.lower(), held.upper())))
        refused, accepted = narrowing.of(change, ()), widening.of(change, ())
        is_wider = not _done(before) or before == [step for step in after if step != LENIENT]
        doubtful = () if refused is not None or (is_wider and not judged) else ("narrowing",)
        yield Told(path, words, "send", refused, accepted, doubtful)
        if set(before) != set(after):
            yield Told(path, words, "release", doubtful=())

    def judged_otherwise(self, path: str) -> Told:
        """Another value is made of the same data: a rule between fields, or an own function, may refuse that one."""
        words = "another value is made of it now, which rules between fields or own functions judge"
        return self._refused(Change(words, path=steps_of(path), edges=_UNTIDY))

    def less_leniently(self, path: str) -> Told:
        """Text, or the like, that was read at some place in it may be refused there now; no document says so."""
        return self._refused(
            Change("it is read leniently at other places, or otherwise", path=steps_of(path), edges=_UNTIDY)
        )

    def other_options(self, path: str) -> Told:
        """An option of a union is another, or gone; of others no document says all that they ask."""
        words = "an option is another now or gone, beside one of which no document says all"
        return self._refused(Change(words, path=steps_of(path), edges=_UNTIDY))

    def doubles(self, path: str) -> Told:
        """Numbers of any size were taken, and now those alone that a double holds; both documents say: a number."""
        words = "numbers past a double are refused now"
        return self._refused(Change(words, path=steps_of(path), edges=_PAST_DOUBLES))

    def _refused(self, change: Change) -> Told:
        """What may refuse something, and no document says so, with an instance where one is found."""
        self._further = True
        refused = self._witnesses()[0].of(change, ())
        return Told(joined(change.path), change.words, "send", refused, None, () if refused else ("narrowing",))

    def limit(self, name: str, most: int, most_now: int) -> Witness | None:
        """An instance that the lower limit refuses, where nothing else is another."""
        witnesses = self._witnesses()[0 if most_now < most else 1]
        longer = min(most, most_now) + 1
        return witnesses.any(longer if name == "items" and longer < _LONGEST else 0)

    def order(self, path: str) -> Told:
        """The same steps, some of them on the other side of a rule: it judges what stands there otherwise."""
        self._further = True
        change = Change("its steps and rules stand in another order", path=steps_of(path), edges=_UNTIDY)
        refused, accepted = (each.of(change, ()) for each in self._witnesses())
        return Told(path, change.words, "send", refused, accepted, _not_shown(refused, accepted))

    def default(self, path: str, before: Mapping[str, Any], after: Mapping[str, Any]) -> Told:
        """Another default: a rule between fields, or an own function, that judges it may refuse what was admitted."""
        was, now = before["default"], after["default"]
        words = f"its default was {was}, now {now}"
        if not (was and now):
            words = f"has no default any more, was {was}" if was else f"has a default now: {now}"
        elif was == now:
            words = f"its default is another now: {now}"
        if not (before["judged"] or after["judged"]):
            return Told(path, words, "send")
        self._further = True
        narrowing, widening = self._witnesses()
        steps = steps_of(path)
        change = Change(words, path=steps, key=steps[-1], edges=[*_near(was), *_near(now)])
        refused, accepted = narrowing.left_out(change), widening.left_out(change)
        return Told(path, words, "send", refused, accepted, _not_shown(refused, accepted))

    def unstated(self) -> Iterator[Told]:
        """Rules that no document states."""
        was, now = (_rules_of(each.notes) for each in (self.old, self.new))
        gone, come = _without(was, now), _without(now, was)
        alike = [rule for rule in come if any(rule[:3] == other[:3] for other in gone)]
        gone, come = ([rule for rule in rules if all(rule[:3] != each[:3] for each in alike)] for rules in (gone, come))
        changed = set(self.old.notes["functions"]) ^ set(self.new.notes["functions"])
        other = sorted(
            name
            for name in {each.partition(" [")[0] for each in changed}
            if not any(name == rule.rule for rule in (*gone, *come))
        )
        alike = [rule for rule in alike if rule.rule not in other]
        if not (gone or come or other or alike):
            return
        narrowing, widening = self._witnesses()
        document, document_now = self._documents
        for rules, witnesses, accepts, direction in (
            (come, narrowing, document_now.accepts, "narrowing"),
            (gone, widening, document.accepts, "widening"),
        ):
            for rule in rules:
                alone = len(rules) == 1 and not (other or alike or self._further)
                found = witnesses.beyond(accepts, rule.at, alone=alone)
                words = f"{'new rule' if direction == 'narrowing' else 'no longer a rule'}: {rule.rule}"
                doubtful: tuple[str, ...] = () if found is not None else (direction,)
                refused, accepted = (found, None) if direction == "narrowing" else (None, found)
                yield Told(rule.at, words, "send", refused, accepted, doubtful)
        others = [_Unstated("", "", f"functions of its own are others now: {', '.join(other)}", "")] if other else []
        for rule in [*alike, *others]:
            alone = not (gone or come or self._further) and len(alike) + len(others) == 1
            refused = narrowing.beyond(document_now.accepts, "", alone=True) if alone else None
            accepted = widening.beyond(document.accepts, "", alone=True) if alone else None
            words = rule.rule if rule in others else f"another rule by the same words: {rule.rule}"
            yield Told(rule.at, words, "send", refused, accepted, _not_shown(refused, accepted))


_PAST_DOUBLES: Final = (10**400, -(10**400), [10**400], {"x": 10**400})
_UNTIDY: Final = ("", " ", " x ", "QLP", "qlp", " QLP", "qlp ", "x  y", 1, 1.5, "1", None)


class _Unstated(NamedTuple):
    """A rule that a document does not state: where it stands, what of the value it judges, its words, its mark."""

    at: str
    of: str
    rule: str
    mark: str


def _without(rules: list[_Unstated], others: list[_Unstated]) -> list[_Unstated]:
    """The rules that are not among others; of several that are alike as many more as there are."""
    left = list(others)
    found = []
    for rule in rules:
        if rule in left:
            left.remove(rule)
        else:
            found.append(rule)
    return found


def _rules_of(notes: Mapping[str, Any]) -> list[_Unstated]:
    return [_Unstated(each["at"], each["of"], each["rule"], each["mark"]) for each in notes["unstated"]]


def _not_shown(refused: Witness | None, accepted: Witness | None) -> tuple[str, ...]:
    """The directions in which something may go, of which no instance was found."""
    return tuple(way for way, found in (("narrowing", refused), ("widening", accepted)) if found is None)


def _near(default: str) -> Iterator[Any]:
    """A default that is told as JSON, and where it is a number, those beside it."""
    with suppress(ValueError):
        value = json.loads(default)
        yield value
        if isinstance(value, int | float) and not isinstance(value, bool):
            yield from (value - 1, value + 1)


def _in_both(order: list[str], other: list[str]) -> list[str]:
    """Of the steps and rules of one version those that the other has as well."""
    return [each for each in order if each in other]


def _done(steps: list[str]) -> list[str]:
    """The steps alone, in whatever option of a union."""
    return [each for each in steps if each != OR]


def _named(steps: list[str]) -> str:
    told = ", ".join(each.partition(" [")[0] or "none" for each in steps)
    return told.replace(f", {OR}, ", f" {OR} ") if _done(steps) else "none"


def _at(instance: Any, path: tuple[str, ...]) -> Iterator[Any]:
    """The values that stand at a path."""
    if not path:
        yield instance
    elif isinstance(instance, dict):
        for key in instance if path[0] == "*" else [path[0]]:
            if key in instance:
                yield from _at(instance[key], path[1:])
    elif isinstance(instance, list):
        for each in instance:
            yield from _at(each, path[1:])


__all__ = ["Comparison", "Told", "breaks", "compare", "compared", "side_of"]
