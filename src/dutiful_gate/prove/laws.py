"""The three laws of equivalence (see the charter), judged for one instance at a time."""

from __future__ import annotations

import json
from random import Random
from typing import Any

from ..declare.kinds.text import encodable
from ..declare.values import Value
from ..document.document import Unstated
from ..gates.document import DocumentGate
from ..gates.typed import Gate
from ..report.fault import Fault
from ..report.verdict import Refused, Verdict
from ..sample.typed_values import Made
from ..shape.uses import Use
from ..shape.walk import uses_of
from .names import names_along, names_under_unions
from .second_opinion import second_opinions


class Disagreement(Value):
    """A law that one instance breaks."""

    law: int
    instance: Any
    told: str

    def __str__(self) -> str:
        return f"law {self.law}: {self.told}\n    with {json.dumps(self.instance, ensure_ascii=False, default=str)}"


class Laws:
    """A gate and its documents.

    `shown` has, for each rule the document leaves unstated, an instance that only the gate refuses.
    """

    def __init__(self, gate: Gate[Any], dialect: Any = "2020-12") -> None:
        self.gate = gate
        self.sent = gate.schema(dialect=dialect)
        self.released = gate.schema(dialect=dialect, of="release")
        self.judge, self.release_judge = (
            DocumentGate(each, formats="assert", limits=gate.limits, dialect=dialect, judges=second_opinions())
            for each in (self.sent, self.released)
        )
        self.doubles = any(use.node.single is not None and use.node.single.strict.double for use in uses_of(gate.shape))
        others = any(field.also for record in gate.shape.records.values() for field in record.fields)
        self.strict = not others and not any(_bends(use) for use in uses_of(gate.shape))
        self.one_way = {each.field for each in gate.one_way}
        # What is write-only stays inside: what is released lacks it, and is not read again.
        fields = [field for record in gate.shape.records.values() for field in record.fields]
        self.comes_back = not any(field.write_only for field in fields)
        self.shown: dict[Unstated, Any] = {}
        self.admitted = 0
        self.refused = 0
        self.unsayable = 0
        self.made = self.made_released = 0

    def broken(self, instance: Any) -> Disagreement | None:
        """The law that an instance breaks, None when all hold."""
        gate = self.gate
        verdict = gate.examine(instance)
        if not is_sayable(instance, self.doubles):
            self.unsayable += 1
            return None
        accepted = self.judge.accepts(instance)
        if not verdict:
            self.refused += 1
            return self._first(instance, verdict.faults) if accepted else None
        self.admitted += 1
        if not accepted and self.strict and not verdict.fallbacks:
            told = self.judge.examine(instance).faults
            if not self._unstated(told):
                return Disagreement(2, instance, f"the gate admits it as sent, the document refuses: {told[0]}")
        return self._on_the_way_out(instance, verdict) or self._made_in_code(instance, verdict.value)

    def _first(self, instance: Any, faults: tuple[Fault, ...]) -> Disagreement | None:
        """Law 1: what the document accepts, the gate admits."""
        for fault in faults:
            fallback_faults = [rule for rule in self.sent.unstated if self._covers(rule, fault)]
            if not fallback_faults:
                return Disagreement(1, instance, f"the document accepts it, the gate refuses: {fault}")
            if len(faults) == 1:
                self.shown.setdefault(fallback_faults[0], instance)
        return None

    def _on_the_way_out(self, instance: Any, verdict: Verdict[Any]) -> Disagreement | None:
        value = verdict.value
        try:
            everything = json.loads(self.gate.release_json(value, secrets=True))
            shown = json.loads(self.gate.release_json(value))
        except Refused as refused:
            if refused.faults[0].code == "branch" and (verdict.dropped or _goes_out_otherwise(instance, refused)):
                return None  # what told options apart, a key or a way of writing, is there no longer
            return Disagreement(2, instance, f"what the gate admits, it does not release: {refused.faults[0]}")
        if not is_sayable(everything, self.doubles):  # a default that no document can speak of, an infinity
            return None
        if self.comes_back and not self.judge.accepts(everything):
            told = self.judge.examine(everything).faults
            if not self._unstated(told):
                return Disagreement(2, instance, f"released as {_short(everything)}, the document refuses: {told[0]}")
        if not self.release_judge.accepts(shown):
            told = self.release_judge.examine(shown).faults
            return Disagreement(3, instance, f"released as {_short(shown)}, the release document refuses: {told[0]}")
        return None

    def _made_in_code(self, instance: Any, value: Any) -> Disagreement | None:
        """The laws for a value as code makes it: it goes out and is read again, or is refused."""
        gate = self.gate
        made = Made(gate.shape, Random(json.dumps(instance, default=str))).of(gate.shape.root, value)
        self.made += 1
        try:
            shown = json.loads(gate.release_json(made))
            raw = gate.release_json(made, secrets=True)
            everything = json.loads(raw)
        except Refused:
            return None
        except Exception as error:
            return Disagreement(3, instance, f"a value made of it is not released but raises: {error!r}")
        self.made_released += 1
        if not is_sayable(everything, self.doubles):
            return None
        if not self.release_judge.accepts(shown):
            told = self.release_judge.examine(shown).faults
            return Disagreement(
                3, instance, f"made in code and released as {_short(shown)}, the release document: {told[0]}"
            )
        if self.comes_back and not self.judge.accepts(everything):
            told = self.judge.examine(everything).faults
            if not self._unstated(told):
                return Disagreement(
                    2, instance, f"made in code and released as {_short(everything)}, the document: {told[0]}"
                )
        if self.comes_back and not (again := gate.examine_json(raw)):
            lost = [fault for fault in again.faults if not self._is_one_way(fault)]
            if lost:
                return Disagreement(
                    2, instance, f"made in code and released as {_short(everything)}, not read again: {lost[0]}"
                )
        return None

    def _is_one_way(self, fault: Fault) -> bool:
        """Whether the gate says of a place that release does not check it, or cannot turn it back."""
        along, _ = names_along(self.gate.shape, fault.path)
        return not self.one_way.isdisjoint(along | names_under_unions(self.gate.shape, fault.path))

    def _unstated(self, faults: tuple[Fault, ...]) -> bool:
        """Whether what only the document finds is at fields whose value is read from something else."""
        return all(any(self._covers(rule, fault, converted=True) for rule in self.sent.unstated) for fault in faults)

    def _covers(self, rule: Unstated, fault: Fault, *, converted: bool = False) -> bool:
        if converted and not rule.rule.startswith(("split_on(", "then(", "made by ", "what is read", "otherwise(")):
            return False
        if rule.field in names_under_unions(self.gate.shape, fault.path):
            return True
        if not converted and rule.codes and fault.code not in rule.codes:
            return False
        along, ends = names_along(self.gate.shape, fault.path)
        # A rule answers for its own place; a function of the record, and a rule over all of a list, may point further
        # in, a step changes all inside.
        points_in = not rule.codes or "check" in rule.codes or ".all(" in rule.rule
        return rule.field in (along if points_in else ends)


def _bends(use: Use) -> bool:
    """Whether more is taken there than values in their final form: steps, lenient reading, something that stands in."""
    return use.node.is_lenient or use.has_steps or not use.reads_what_came


def is_sayable(instance: Any, doubles: bool) -> bool:
    """Whether all who read its JSON read the same (I-JSON, RFC 7493, section 2): a document can speak of no other.

    Lone surrogates are left open by RFC 8259, and numbers that no double holds are read as others by many. With
    `doubles` that goes for whole numbers past 2**53 too: a field of them reads such a number as its neighbour.
    """
    if isinstance(instance, str):
        return encodable(instance)
    if isinstance(instance, int):
        if -(2**53) <= instance <= 2**53:
            return True
        return abs(instance) < 2**1023 and (not doubles or int(float(instance)) == instance)
    if isinstance(instance, float):
        return instance - instance == 0 and (not instance.is_integer() or abs(instance) <= 2**53)
    if isinstance(instance, dict):
        return all(is_sayable(key, doubles) and is_sayable(held, doubles) for key, held in instance.items())
    if isinstance(instance, list):
        return all(is_sayable(each, doubles) for each in instance)
    return instance is None


def _goes_out_otherwise(instance: Any, refused: Refused) -> bool:
    """Whether what was refused at release is written in another way than it came."""
    came = instance
    for step in refused.faults[0].path:
        if not isinstance(came, dict | list):
            return True
        try:
            came = came[step]
        except (KeyError, IndexError, TypeError):
            return True  # under another name, or in another order
    return bool(came != refused.faults[0].given)


def _short(plain: Any) -> str:
    text = json.dumps(plain, ensure_ascii=False)
    return text if len(text) <= 120 else f"{text[:119]}…"
