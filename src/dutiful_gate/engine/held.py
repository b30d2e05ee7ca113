"""What a declaration itself holds, checked when the gate is built: defaults and examples obey their own rules."""

from __future__ import annotations

from ..declare.errors import DeclarationError
from ..declare.facts import FAILED, Source, Stop
from ..declare.rules import Rule
from ..declare.steps import Step
from ..report.show import shown
from ..shape.nodes import Field, Record, Scalar, Shape, Use, default_of
from .gatehouse import Engine
from .plan import Plan


def check_held(shape: Shape) -> None:
    """Raise DeclarationError for a default or an example that its own field would refuse."""
    for record in shape.records.values():
        for field in record.fields:
            if not field.required and not field.may_lack:
                _check_default(shape, record, field)
            for example in field.use.about.examples:
                _check_example(shape, field.use, example, record.name, field.attribute)
    for example in shape.root.about.examples:
        _check_example(shape, shape.root, example, None, None)


def _check_default(shape: Shape, record: Record, field: Field) -> None:
    default = default_of(field)
    if default is None and field.use.nullable:
        return
    problem = _quick_problem(field.use, default)
    if problem is None:
        problem = _problem(shape, field.use, default, Source.NATIVE)
    if problem:
        raise DeclarationError(
            f"the default {'' if field.use.secret else shown(default) + ' '}breaks its own rule: {problem}",
            remedy="change the default or the rule",
            record=record.name,
            field=field.attribute,
        )


def _quick_problem(use: Use, default: object) -> str | None:
    """What is wrong with the default of a single value, "" for nothing, None when only an engine can tell."""
    if not isinstance(use.node, Scalar):
        return None
    value = use.node.kind.reader(Source.NATIVE)(default)
    if isinstance(value, Stop):
        return None
    for part in use.parts:
        if isinstance(part, Step) and (not part.normalising or part.done(value) != value):
            return None
        if isinstance(part, Rule) and not part.holds(value):
            return None
    return ""


def _problem(shape: Shape, use: Use, value: object, source: Source) -> str:
    """What is wrong with a value of the declaration, "" for nothing."""
    plan = Plan(shape.but(root=use), source)
    read, log = Engine(plan).collect(value)
    if read is FAILED:
        return log.told()[0].message
    if source is Source.NATIVE and read != value:
        return f"its steps make {shown(read)} of it; write that"
    return ""


def _check_example(shape: Shape, use: Use, example: object, record: str | None, field: str | None) -> None:
    if problem := _problem(shape, use, example, Source.JSON):
        raise DeclarationError(
            f"the example {shown(example)} would be refused: {problem}",
            remedy="write examples as a client would send them",
            record=record,
            field=field,
        )
