"""How rules of a record reach its fields in the functions that read it."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from ..declare.facts import Bind, Facts
from ..declare.field_access import Path, Reach
from ..declare.records import RecordRule
from ..shape.paths import Paths
from ..shape.shape import Record
from .plan import Plan


class FieldsReach(Reach):
    """What rules of a record write for its fields: their variables, and the tests for what came and has a value.

    `data` is the variable of what came as a dict, "" where all of a record is there.
    """

    def __init__(
        self, plan: Plan, record: Record, value_of: Mapping[str, str], key_of: Callable[[str], str], data: str
    ) -> None:
        self.paths = Paths(plan.shape.records, plan.shape.aliases)
        self.record = record
        self.value_of = value_of
        self.key_of = key_of
        self.data = data
        self.field_of = {field.attribute: field for field in record.fields}

    def value(self, name: str) -> str:
        """The variable of a field."""
        return self.value_of[name]

    def sent(self, name: str) -> str:
        """The test that a field is there."""
        return f"{self.value_of[name]} is not ABSENT" if self.field_of[name].may_lack else "True"

    def has(self, name: str) -> str:
        """The test that a field has a value."""
        field = self.field_of[name]
        may_be_none = field.use.may_be_null or field.default is None
        tests = [test for test in (self.sent(name),) if test != "True"]
        return " and ".join([*tests, *([f"{self.value_of[name]} is not None"] if may_be_none else [])]) or "True"

    def came(self, name: str) -> str:
        """The test that a field stands in the data."""
        field = self.field_of[name]
        if field.required or field.may_lack or not self.data:
            return self.sent(name)
        return f"{self.key_of(field.wire)} in {self.data}"

    def count(self) -> str:
        """How many keys came: none is left out where that is asked."""
        lacking = [f"({self.sent(field.attribute)})" for field in self.record.fields if field.may_lack]
        sure = str(len([field for field in self.record.fields if not field.may_lack]))
        gathered = [f"len({self.value_of[field.attribute]})" for field in self.record.rests]
        return f"({' + '.join([sure, *lacking, *gathered])})"

    def facts(self, path: Path) -> Facts:
        """What is known of a value."""
        return self.paths.facts(self.record, path)


def values_there(reach: Reach, rule: RecordRule, bind: Bind) -> list[str]:
    """The tests for whether all that a rule mentions has a value, where it is judged only then."""
    if not rule.needs_values:
        return []
    return [f"({test})" for path in rule.paths if (test := reach.there(path, bind)) != "True"]
