"""The rules on a value in words, as manuals, forms and templates tell them."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from ..declare.facts import Facts, LengthUnit
from ..declare.records import RecordRule
from ..declare.rules import Length, Matches, Rule
from ..declare.rules.format import OfFormat
from ..declare.steps import Step
from ..report.catalogue import in_force
from ..report.cause import Cause
from ..shape.paths import FactsAt, Paths
from ..shape.shape import Record, Shape
from ..shape.uses import Use


def rules_in_words(use: Use, *, of_secrets: bool = False) -> list[str]:
    """What is asked of a value, each rule once; nothing of a secret, or `of_secrets` its length and its form."""
    if use.secret and not of_secrets:
        return []
    facts = use.node.facts
    told: dict[str, None] = {}
    for part in use.parts:
        if isinstance(part, Step):
            facts = part.suits(facts)
        elif (own := _own_words(part)) and not use.secret:
            told[own] = None
        elif not use.secret or isinstance(part, Length | Matches | OfFormat):
            for face in part.faces("value", facts, lambda constant, hint: hint):
                if face.code != "size":  # a limit of ours, not a rule of theirs
                    told[Cause(face.code, face.needs, part.numbers(), facts.phrase).wanted] = None
    return list(told)


def _own_words(rule: Rule) -> str:
    """What the author says of a rule, in the language that is spoken and where it can be said before anything came;
    else ""."""
    if rule.own_words is None:
        return ""
    spoken = in_force().spoken
    before, _, after = spoken("needs {wanted}; got {given}").partition("{wanted}")
    words = spoken(rule.own_words).removeprefix("{label} ").partition(after)[0].removeprefix(before)
    return "" if "{" in words else words


def rule_in_words(rule: Rule) -> str:
    """One rule on a value in words, whatever that is."""
    if own := _own_words(rule):
        return own
    facts = Facts("a value", "value", measured=LengthUnit.ITEMS, text=True, number=True)
    faces = rule.faces("value", facts, lambda constant, hint: hint)
    return "; ".join(dict.fromkeys(Cause(face.code, face.needs, rule.numbers(), "a value").wanted for face in faces))


def record_rule_in_words(rule: RecordRule, record: Record, paths: Paths) -> str:
    """A rule on several fields, at the first that it names, by the names that the data has."""
    if rule.own_words is not None:
        return rule.own_words
    face = rule.face(FactsAt(paths, record))
    words = Cause(face.code, face.needs, rule.numbers(partial(paths.wire, record))).wanted
    first = paths.wire(record, rule.paths[0]) if rule.paths and not rule.of_whole else ""
    return f"{first}: {words}" if first else words


def record_rules_in_words(record: Record, shape: Shape) -> Iterator[str]:
    """The rules of a record in words, those that compare a secret left out, and what its functions are called."""
    paths = Paths(shape.records, shape.aliases)
    for rule in record.rules:
        if rule.asks_presence_only or not any(use.secret for path in rule.paths for use in paths.uses(record, path)):
            yield record_rule_in_words(rule, record, paths)
    yield from map(str, record.checks)
