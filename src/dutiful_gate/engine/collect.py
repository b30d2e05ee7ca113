"""The function that collects every fault, run only when the sound one gave up. It has the last word."""

from __future__ import annotations

from collections.abc import Mapping

from ..declare.facts import FAILED, Facts, Source, Stop
from ..declare.rules import Length
from ..declare.steps import Step
from ..report.cause import Cause, UnknownKey
from ..shape.nodes import Choice, Field, Items, Link, Nothing, Nullable, Record, Scalar, Use
from .plan import Plan, build, choice_reader, choice_ready, constructed, default_source
from .program import Unit
from .runtime import (
    TOO_DEEP,
    StopCauses,
    attributes_of,
    check_failed,
    drop_unknown,
    in_document_order,
    is_blank,
    refuse_unknown,
)
from .sound import SoundWriter
from .writer import Writer

_NESTED = 4


def collecting_unit(plan: Plan) -> Unit:
    """The collecting function of a gate: `collect(data, (), log)` gives the value, or FAILED with faults in the log."""
    writer = CollectWriter(plan)
    entry = writer.entry(plan.shape.root, "collect", "", secret=False)
    constants = {**writer.swift.constants, **writer.constants}
    sources = [*writer.swift.functions, *writer.functions]
    return Unit(f"{plan.shape.name} faults", "\n\n\n".join(sources) + "\n", constants, entry)


class CollectWriter(Writer):
    """Writes collecting functions; items of lists are first tried by sound functions, which stand beside them."""

    def __init__(self, plan: Plan) -> None:
        super().__init__()
        self.plan = plan
        self.functions: list[str] = []
        self.swift = SoundWriter(plan, note_unknown=True)
        # Both writers fill one namespace, so that no name means two things.
        self.swift.constants = self.constants
        self.swift._names = self._names
        self.constants.update({"FAILED": FAILED, "Stop": Stop})
        self._record_names: dict[str, str] = {}
        self._count = 0
        self._nesting = 0
        self._label = ""
        self._secret = False

    def entry(self, use: Use, name: str, label: str, *, secret: bool) -> str:
        """Write the function for a use; gives back its name."""
        nesting, self._nesting = self._nesting, 0
        held, self._label, self._secret = (self._label, self._secret), label, secret
        with self.aside() as lines, self.block(f"def {name}(data, path, log):"):
            self.write("faults = log.faults")
            self.write("start = len(faults)")
            self.read(use, "data", "path")
            self.write("return data if len(faults) == start else FAILED")
        self._nesting = nesting
        self._label, self._secret = held
        self.functions.append("\n".join(lines))
        return name

    def record_function(self, key: str) -> str:
        """The name of the function for one record, written at the first asking."""
        if key not in self._record_names:
            name = self._record_names[key] = f"collect_record_{len(self._record_names) + 1}"
            nesting, self._nesting = self._nesting, 0
            held = self._label, self._secret
            with self.aside() as lines, self.block(f"def {name}(data, path, log):"):
                self.record(self.plan.shape.records[key])
            self._nesting = nesting
            self._label, self._secret = held
            self.functions.append("\n".join(lines))
        return self._record_names[key]

    # Faults

    def cause(self, code: str, needs: str, facts: Facts | None = None, **more: object) -> str:
        """The name of a cause at the field that is being written."""
        phrase = facts.phrase if facts is not None else ""
        made = Cause(code, needs, phrase=phrase, label=self._label, secret=self._secret, **more)  # type: ignore[arg-type]
        return self.bind(made, code.upper())

    def fault(self, path: str, cause: str, given: str = "None", value: str = "None") -> None:
        """Note a fault."""
        self.write(f"faults.append(({path}, {cause}, {given}, {value}))")

    def stopped(self) -> str:
        """The name of the table of causes for values that cannot be read here."""
        return self.bind(StopCauses(Cause("", "", label=self._label, secret=self._secret)), "STOPPED")

    # Values

    def read(self, use: Use, value: str, path: str) -> None:
        """Read the variable `value` in place; what is wrong with it is noted at `path`, an expression."""
        if self._nesting >= _NESTED:
            self._count += 1
            name = self.entry(use, f"collect_part_{self._count}", self._label, secret=self._secret)
            self.write(f"{value} = {name}({value}, {path}, log)")
            return
        match use.node:
            case Scalar(kind):
                source = self.plan.source
                reader = self.bind(kind.reader(source), kind.reader(source).__name__)
                self.single(use, value, path, kind.ready(source, value, self.bind), reader)
            case Nothing():
                blank = f" and not {self.bind(is_blank, 'is_blank')}({value})" if self._is_text else ""
                with self.block(f"if {value} is not None{blank}:"):
                    self.fault(path, self.cause("kind", "null"), value)
                with self.block("else:"):
                    self.write(f"{value} = None")
            case Choice():
                self.choice(use.node, use, value, path)
            case Items(item):
                self.items(item, use, value, path)
            case Nullable(inner):
                self.nullable(inner, value, path)
            case Link(key):
                self.link(key, use, value, path)

    @property
    def _is_text(self) -> bool:
        return self.plan.source is Source.TEXT

    def single(self, use: Use, value: str, path: str, ready: str, reader: str) -> None:
        """A single value: its kind, its reading, then its steps and rules."""
        given = self.variable("given")
        self.write(f"{given} = {value}")
        if self._lone(value, given, path):
            self._indent += 1
        if ready == "False":
            self.write(f"{value} = {reader}({value})")
        else:
            with self.block(f"if not ({ready}):"):
                self.write(f"{value} = {reader}({value})")
        with self.block(f"if {value}.__class__ is Stop:"):
            self.fault(path, f"{self.stopped()}[{value}]", given)
        if use.parts:
            with self.block("else:"):
                self.run(use, value, given, path)
        if self._is_text:
            self._indent -= 1

    def _lone(self, value: str, given: str, path: str) -> bool:
        """In all-text sources a key may come several times, as a list: here it may come once."""
        if not self._is_text:
            return False
        with self.block(f"if {value}.__class__ is list and len({value}) == 1:"):
            self.write(f"{given} = {value} = {value}[0]")
        with self.block(f"if {value}.__class__ is list:"):
            self.fault(path, self.cause("repeat", "one value", got="several"), given)
        self.write("else:")
        return True

    def choice(self, node: Choice, use: Use, value: str, path: str) -> None:
        """Find the constant that came."""
        given = self.variable("given")
        self.write(f"{given} = {value}")
        nested = self._lone(value, given, path)
        self._indent += nested
        ready = choice_ready(self, node, self.plan.source, value)
        choose = f"{value} = {choice_reader(self, node, self.plan.source)}({value})"
        if ready is None:
            self.write(choose)
        else:
            with self.block(f"if not ({ready}):"):
                self.write(choose)
        with self.block(f"if {value} is FAILED:"):
            self.fault(path, self.cause("choice", "one of {choices}", expected={"choices": node.wire}), given)
        if use.parts:
            with self.block("else:"):
                self.run(use, value, given, path)
        self._indent -= nested

    def items(self, item: Use, use: Use, value: str, path: str) -> None:
        """Read a list: every item, then the rules on the whole."""
        if self._is_text:
            with self.block(f"if {value}.__class__ is str:"):
                self.write(f"{value} = [{value}]")
        given, made, each = self.variable("given"), self.variable("made"), self.variable("item")
        index, before = self.variable("index"), self.variable("before")
        self.write(f"{given} = {value}")
        with self.block(f"if {value}.__class__ is not list and not isinstance({value}, (list, tuple)):"):
            self.fault(path, self.cause("kind", "a list"), given)
        with self.block("else:"):
            self.write(f"{made} = []")
            self.write(f"{before} = len(faults)")
            self._nesting += 1
            with self.block(f"for {index}, {each} in enumerate({value}):"):
                self.read(item, each, f"(*{path}, {index})")
                self.write(f"{made}.append({each})")
                with self.block(f"if len(faults) > {before} + log.most:"):
                    self.write(f"log.spill({before})")
            self._nesting -= 1
            self.write(f"{value} = {made}")
            self.list_rules(use, value, given, path, before)

    def list_rules(self, use: Use, value: str, given: str, path: str, before: str) -> None:
        """Rules on a whole list: those that only count run even when an item failed."""
        counting = tuple(part for part in use.parts if isinstance(part, Length))
        if len(counting) == len(use.parts):
            self.run(use, value, given, path)
            return
        with self.block(f"if len(faults) == {before}:"):
            self.run(use, value, given, path)
        with self.block("else:"):
            self.run(Use(use.node, counting), value, given, path)

    def nullable(self, inner: Use, value: str, path: str) -> None:
        """Read what is inside unless it is null."""
        if self.plan.may_be_blank(inner):
            with self.block(f"if {self.bind(is_blank, 'is_blank')}({value}):"):
                self.write(f"{value} = None")
        self._nesting += 1
        with self.block(f"if {value} is not None:"):
            self.read(inner, value, path)
        self._nesting -= 1

    def link(self, key: str, use: Use, value: str, path: str) -> None:
        """Read a record: by the sound function if that will do, else by the collecting one."""
        given = self.variable("given")
        self.write(f"{given} = {value}")
        if path == "path":  # the sound function has given this very record up already
            self.write(f"{value} = {self.record_function(key)}({given}, {path}, log)")
        else:
            self.write(f"{value} = {self.swift.record_function(key)}({given})")
            with self.block(f"if {value} is FAILED:"):
                self.write(f"{value} = {self.record_function(key)}({given}, {path}, log)")
        if use.parts:
            with self.block(f"if {value} is not FAILED:"):
                self.run(use, value, given, path)

    def run(self, use: Use, value: str, given: str, path: str) -> None:
        """Steps and rules in order: rules do not stop one another."""
        facts = use.node.facts
        for part in use.parts:
            if isinstance(part, Step):
                self.write(f"{value} = {part.expression(value, self.bind)}")
                facts = part.suits(facts)
                continue
            for face in part.faces(value, facts, self.bind):
                with self.block(f"if not ({face.condition}):"):
                    told = {"expected": part.numbers(), "got": face.got, "own_words": part.own_words}
                    self.fault(path, self.cause(face.code, face.needs, facts, **told), given, value)

    # Records

    def record(self, record: Record) -> None:
        """The body of a record's function."""
        plan = self.plan
        self._label, self._secret = "", False
        self.write("faults = log.faults")
        self.write("start = len(faults)")
        if record.key in plan.shape.recursive:
            too_deep = self.bind(Cause("depth", TOO_DEEP.needs, {"most": plan.limits.depth}, got=TOO_DEEP.got), "DEPTH")
            with self.block(f"if len(path) >= {plan.limits.depth}:"):
                self.fault("path", too_deep)
                self.write("return FAILED")
        self._open_record(record)
        mentioned = {name for rule in record.rules for name in rule.fields}
        value_of = {}
        sound = {}
        missing = self.variable("missing")
        self.write(f"{missing} = 0")
        for field in record.fields:
            before = self.variable("before") if field.attribute in mentioned else ""
            value_of[field.attribute] = self.field(field, before, missing)
            if before:
                sound[field.attribute] = self.variable("is_sound")
                self.write(f"{sound[field.attribute]} = len(faults) == {before}")
        self._unknown_keys(record, missing)
        self.record_rules(record, value_of, sound)
        with self.block("if len(faults) != start:"):
            with self.block("if len(faults) > start + 1:"):
                self.write(f"{self.bind(in_document_order, 'in_document_order')}(log, start, len(path), data)")
            self.write("return FAILED")
        self._build(record, value_of)

    def _open_record(self, record: Record) -> None:
        if self.plan.source is Source.NATIVE:
            names = self.bind(tuple((field.attribute, field.wire) for field in record.fields), "NAMES")
            with self.block(f"if isinstance(data, {self.bind_class(record.builder)}):"):
                self.write(f"data = {self.bind(attributes_of, 'attributes_of')}(data, {names})")
        with self.block("if data.__class__ is not dict:"):
            with self.block(f"if not isinstance(data, {self.bind(Mapping, 'Mapping')}):"):
                self.fault("path", self.cause("kind", "a record"), "data")
                self.write("return FAILED")
            self.write("data = dict(data)")

    def field(self, field: Field, before: str, missing: str) -> str:
        """Read one field into a variable of its own; gives back the variable's name.

        `before`, if not empty, names a variable for the number of faults before this field; `missing` one that
        counts the fields that are not in the data, so that what is left over is known to be unknown.
        """
        self._label, self._secret = field.label, False
        value = self.variable(field.attribute)
        key = self.key(field.wire, trusted=field.wire == field.attribute)
        path = f"(*path, {key})"
        if before:
            self.write(f"{before} = len(faults)")
        with self.block(f"if {key} in data:"):
            self.write(f"{value} = data[{key}]")
            if not field.required and self.plan.may_be_blank(field.use) and not field.use.nullable:
                with self.block(f"if {self.bind(is_blank, 'is_blank')}({value}):"):
                    self.write(f"{value} = {default_source(self, field)}")
                with self.block("else:"):
                    self.read(field.use, value, path)
            else:
                self.read(field.use, value, path)
        with self.block("else:"):
            self.write(f"{missing} += 1")
            if field.required:
                self.fault(path, self.cause("absent", "a value"))
                self.write(f"{value} = FAILED")
            else:
                self.write(f"{value} = {default_source(self, field)}")
        self._label, self._secret = "", False
        return value

    def _unknown_keys(self, record: Record, missing: str) -> None:
        wires = tuple(field.wire for field in record.fields)
        known = self.bind(frozenset(wires), "KNOWN")
        with self.block(f"if len(data) + {missing} != {len(wires)}:"):
            if self.plan.refuse_unknown:
                cause = self.bind(UnknownKey(known=wires), "UNKNOWN")
                self.write(f"{self.bind(refuse_unknown, 'refuse_unknown')}(data, {known}, path, log, {cause})")
            else:
                self.write(f"{self.bind(drop_unknown, 'drop_unknown')}(data, {known}, path, log)")

    def record_rules(self, record: Record, value_of: dict[str, str], sound: dict[str, str]) -> None:
        """Rules run when every field they mention is sound, whatever else failed."""
        uses = {field.attribute: field for field in record.fields}
        facts = {name: field.use.facts for name, field in uses.items()}
        wire = {name: field.wire for name, field in uses.items()}
        for rule in record.rules:
            names = dict.fromkeys(rule.fields)
            tests = [sound[name] for name in names]
            tests += [f"{value_of[name]} is not None" for name in names if uses[name].use.nullable]
            first = uses[rule.fields[0]]
            face = rule.face(facts)
            self._label = first.label
            cause = self.cause(
                face.code,
                face.needs,
                facts[first.attribute],
                expected=rule.numbers(wire),
                own_words=rule.own_words,
            )
            self._label = ""
            key = self.key(first.wire, trusted=first.wire == first.attribute)
            path, value = f"(*path, {key})", value_of[first.attribute]
            with self.block(f"if {' and '.join(tests)} and not ({rule.condition(value_of, self.bind)}):"):
                self.fault(path, cause, f"data.get({key}, {value})", value)

    def _build(self, record: Record, value_of: dict[str, str]) -> None:
        """Make the record; what its own constructor says against it is a fault too."""
        if record.stores:
            build(self, record, "made", value_of)
            self.write("return made")
            return
        with self.block("try:"):
            self.write(f"return {constructed(self, record, value_of)}")
        with self.block("except ValueError as error:"):
            self.fault("path", f"{self.bind(check_failed, 'check_failed')}(error)", "data")
            self.write("return FAILED")
