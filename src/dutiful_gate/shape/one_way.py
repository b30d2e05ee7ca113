"""What is one way: rules that the way in asks alone, and what the way out cannot turn back."""

from __future__ import annotations

from collections.abc import Iterator

from ..declare.clock import Clock
from ..declare.outside import Outside
from ..declare.records import RecordCheck, RecordRule
from ..declare.rules import Rule
from ..declare.steps import Step, TakenOut
from ..declare.values import Value
from .final_forms import keeps_form, survives
from .nodes import Branches
from .shape import Record, Shape
from .to_json import way_back
from .uses import Use
from .walk import holds_secret, named_uses, part_of

_OWN = "a function of one's own is asked on the way in alone, unless it is declared with both_ways=True"
_CLOCK = "the moment of checking is asked on the way in alone"
_OUTSIDE = "a value from outside is asked for on the way in alone"
_CAME = "it judges what came, and that changes on the way"
_BEFORE = "it judges what came before another value was made of it"
_TOLD_APART = "its options are told apart by what is asked on the way in alone"
_NOT_THERE = "a field that it mentions is given to the constructor alone"


class OneWay(Value):
    """A rule that `release` does not ask for, or something it cannot turn back: its field, what it is, and why.

    What is released may be refused where its gate reads it again, because of these alone.
    """

    field: str
    rule: str
    reason: str

    def __str__(self) -> str:
        return f"{self.field}: {self.rule} ({self.reason})"


def one_ways(shape: Shape) -> tuple[OneWay, ...]:
    """All that is one way in a shape, each once, in the order of its declaration."""
    unions = [
        OneWay(name, "unambiguous", _TOLD_APART)
        for name, use in named_uses(shape)
        if isinstance(use.node, Branches) and use.node.alone and not is_told_apart(shape, use.node)
    ]
    return tuple(dict.fromkeys([*_asked_once(shape), *unions]))


def is_told_apart(shape: Shape, node: Branches) -> bool:
    """Whether the way out asks all that tells the options of a union apart."""
    return next(_asked_once(part_of(shape, Use(node))), None) is None


def _asked_once(shape: Shape) -> Iterator[OneWay]:
    for name, use in named_uses(shape):
        yield from _of_use(shape, name, use)
    for record in shape.records.values():
        yield from _of_record(shape, record)


def is_for_admission(rule: Rule | RecordRule | RecordCheck) -> bool:
    """Whether only admission asks for it: values from outside, the moment of checking, functions of one's own."""
    return bool(_why_not_asked(rule))


def _why_not_asked(held: object) -> str:
    """Why a rule, a condition or what one is made of is for admission alone; "" where it is not."""
    if isinstance(held, Clock):
        return _CLOCK
    if isinstance(held, Outside):
        return _OUTSIDE
    if isinstance(held, RecordCheck) or (isinstance(held, Rule) and held.functions):
        return "" if getattr(held, "both_ways", False) else _OWN
    if isinstance(held, Value):
        held = tuple(vars(held).values())
    if isinstance(held, tuple):
        return next(filter(None, map(_why_not_asked, held)), "")
    return ""


def _of_use(shape: Shape, name: str, use: Use) -> Iterator[OneWay]:
    hidden = holds_secret(use, shape.guarded)

    def told(rule: Rule | Step, reason: str) -> OneWay:
        return OneWay(name, rule.named(hidden=hidden) if isinstance(rule, Rule) else str(rule), reason)

    turned = way_back(use, shape)
    if use.split and turned is None:
        yield OneWay(name, f"split_on({use.split!r})", "the items go out as a list, not joined again")
    if use.via is not None and turned is None:
        yield OneWay(name, "via(...)", "what was made of it goes out, not what it was made of")
    after = use.after_making
    begin = 0 if after is None else len(use.parts) - len(after)
    if after is not None and turned is not None:  # what it was made of goes out, and is judged
        yield from _of_use(shape, name, use.before_making.replace(secret=use.secret))
        yield from (told(part, why) for part in after if not isinstance(part, Step) and (why := _why_not_asked(part)))
        return
    for part in use.parts[:begin]:
        if isinstance(part, TakenOut):
            yield told(part, "it goes out without its key")
        elif isinstance(part, Step):
            if not part.normalising:
                yield told(part, "what it made goes out as it is, and is not turned back")
        else:
            yield told(part, _BEFORE)
    for number, part in enumerate(use.parts[begin:], begin + 1):
        if isinstance(part, Step):
            continue
        if why := _why_not_asked(part):
            yield told(part, why)
        elif not survives(part, use.parts[number:]):
            yield told(part, "a later step changes what it judged")
    if not keeps_form(use, shape.aliases):
        for document in use.documents:
            yield OneWay(name, str(document), _CAME)


def _of_record(shape: Shape, record: Record) -> Iterator[OneWay]:
    given = {field.attribute for field in record.fields if field.only_given}
    for field in record.fields:
        if field.only_given:
            yield OneWay(f"{record.name}.{field.attribute}", "InitVar", "only the constructor has it")
        elif field.write_only:
            yield OneWay(f"{record.name}.{field.attribute}", "write_only", "it never goes out")
        elif "nulls" in field.leaves_out and field.default is not None and not field.may_lack:
            why = "a value must come" if field.required else "its default stands in for it then"
            yield OneWay(f"{record.name}.{field.attribute}", "leaves_out", f"null is left out, and {why}")
    for rule in record.rules:
        if why := _NOT_THERE if given.intersection(rule.fields) else _why_not_asked(rule):
            fields = [record.by_attribute[name] for name in rule.fields]
            hidden = any(holds_secret(field.use, shape.guarded) for field in fields)
            told = f"a rule of {', '.join(rule.fields)}" if hidden else str(rule)
            yield OneWay(f"{record.name}.{rule.fields[0]}" if fields else record.name, told, why)
    for check in record.checks:
        if why := _why_not_asked(check):
            yield OneWay(record.name, str(check), why)
    for document in record.documents:
        yield OneWay(record.name, str(document), _CAME)
    if record.runs_own:
        yield OneWay(record.name, "its own constructor", "a record that is there is not made again")
