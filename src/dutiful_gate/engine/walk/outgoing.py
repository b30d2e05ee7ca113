"""The way out: typed values to plain JSON data, in one pass.

Values made in code are checked against the shape of what goes out: what its gate would not read again, or its document
not accept, is REFUSED, and the telling function of that shape tells why. Those that were admitted: see `trusting.py`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from contextlib import nullcontext
from typing import Any, ClassVar

from ...codegen.unit import Unit
from ...declare.equality import are_equal
from ...declare.facts import Own
from ...declare.hash_limits import crowded
from ...declare.kinds.decimal import as_json
from ...declare.rules import Distinct, Rule
from ...declare.sealed import Sealed
from ...declare.sources import Reading
from ...regex.white_space import is_blank
from ...shape.known_defaults import known_default
from ...shape.nodes import (
    Alias,
    Branches,
    Choice,
    Entries,
    Fixed,
    Items,
    Link,
    Nothing,
    Nullable,
    Scalar,
    Sealing,
    Turned,
)
from ...shape.shape import Field, Record
from ...shape.to_json import plain, plain_fallback
from ...shape.uses import MISSING, Use
from ...shape.walk import holds_secret
from ..exclusive_unions import OutgoingExclusiveUnion
from ..hash_limits import spreads
from ..json_out import fast_bytes, rare
from ..outgoing import DistinctAgain
from ..own_functions import refused
from ..plan import Plan, attribute_of, options_in_order
from ..raw_json import is_written_alike
from ..rest_fields import sorter_of, taken_keys
from .frame import Aim, Frame
from .outcome import REFUSE, Check, needs
from .pen import Pen
from .quick import Quick
from .records import RecordSoFar
from .walk import SETS

_NO_FAULT = needs("kind", "")
"""What a check says here: nothing is told."""


def checked_unit(plan: Plan, *, secrets: bool, exact: bool) -> Unit:
    """The function that takes a typed value and gives plain data, or REFUSED.

    `secrets` tells whether their values are written, `exact` whether Decimals stay what they are.
    """
    return Outgoing(plan, secrets=secrets, exact=exact).release_unit()


class Outgoing(Quick):
    """Writes functions that check typed values and make plain data of them."""

    forgets: ClassVar[bool] = False
    # The values are typed: what raises is of another option, and not in doubt.
    after_error: ClassVar[str] = "refused(error)"
    sort: ClassVar[str] = "release"
    argument: ClassVar[str] = "value"

    def __init__(self, plan: Plan, *, secrets: bool, exact: bool) -> None:
        super().__init__(plan, Pen(), Aim(notes_unknown=True))
        self.secrets = secrets
        self.exact = exact
        self.pen.constants["refused"] = refused
        self.marks_rare = exact and fast_bytes is not None and is_written_alike(plan.shape)

    def release_unit(self) -> Unit:
        """The function of the whole."""
        entry = self.entry(self.plan.shape.root, "release", self.frame, top=True)
        source, pen = self.written_since(), self.pen
        title = f"{self.plan.shape.name} release"
        return Unit(title, source, pen.constants, entry, carries=pen.carries, notes=pen.notes)

    def whole(self, use: Use, frame: Frame) -> None:
        """The body of a function for a use."""
        self.write(f"return {self.out(use, frame)}")

    def whole_record(self, record: Record, frame: Frame) -> None:
        """The body of a function for a record."""
        self.write(f"return {self.out_record(record, frame)}")

    def leave_if(self, test: str, answer: str = REFUSE) -> None:
        """Give up where a test is true."""
        with self.block(f"if {test}:"):
            self.write(answer)

    def out(self, use: Use, frame: Frame) -> str:
        """Check the value, put its final form into its variable, and give back the name of its plain data."""
        if frame.nesting >= self.most_nested or use.fallback is not MISSING:
            return self.out_apart(use, frame)
        if use.blank:
            with self.block(f"if {frame.bind(is_blank, 'is_blank')}({frame.value}):"):
                self.write(f"{frame.value} = None")
        frame = frame.at(use, self.plan)
        made = self.out_node(use, frame)
        for document in use.documents:
            self.leave_if(f"not {frame.bind(document.sound, 'FITS')}({made})")
        return made

    def out_apart(self, use: Use, frame: Frame) -> str:
        """The same by a function of its own; what stands in for a value goes out though its rules refuse it."""
        value, made = frame.value, self.variable("made")
        self.write(f"{made} = {self.part(use.replace(fallback=MISSING), frame)}({value}{self.memory_argument})")
        instead = self.instead(use, frame)
        with self.block(f"if {made}.__class__ is Stop:"):
            if instead:
                self.leave_if(f"not ({self.is_fallback(use, frame)})")
                self.write(f"{made} = {instead}")
            else:
                self.write(f"return {made}")
        return made

    def is_fallback(self, use: Use, frame: Frame) -> str:
        """The test for what stands in for a refused value."""
        fallback, kind = frame.bind(use.fallback, "FALLBACK"), frame.bind(type(use.fallback), "KIND")
        return f"{frame.value}.__class__ is {kind} and {frame.value} == {fallback}"

    def instead(self, use: Use, frame: Frame) -> str:
        """The name of the plain data of what stands in; "" where there is none."""
        if use.fallback is MISSING:
            return ""
        try:
            told = plain_fallback(use, self.plan.shape)
        except Exception:
            return ""
        return frame.bind(told, "INSTEAD")

    def out_node(self, use: Use, frame: Frame) -> str:
        """What a use holds, its steps and rules, and its plain data."""
        node, value = use.node, frame.value
        match node:
            case Scalar():
                return self.out_single(node, use, frame)
            case Nothing():
                self.leave_if(f"{value} is not None")
                return "None"
            case Choice():
                self.parts(use.parts, node.facts, frame)
                return self.out_choice(node, frame)
            case Items():
                return self.out_items(node, use, frame)
            case Fixed():
                return self.out_fixed(node, use, frame)
            case Entries():
                return self.out_entries(node, use, frame)
            case Branches():
                return self.out_branches(node, use, frame)
            case Sealing(inner):
                self.leave_if(f"{value}.__class__ is not {frame.bind(Sealed, 'Sealed')}")
                opened = self.put(f"{value}.opened()", value)
                return self.out(inner, frame.part(opened))
            case Turned():
                return self.out_turned(node, use, frame)
            case Nullable(inner):
                made = self.variable("made")
                self.write(f"{made} = None")
                with self.block(f"if {value} is not None:"):
                    self.write(f"{made} = {self.out(inner, frame.deeper())}")
                return made
            case Link(key) | Alias(key):
                made = self.variable("made")
                self.write(f"{made} = {self.function_of(key, frame)}({value}{self.memory_argument})")
                self.leave_if(f"{made}.__class__ is Stop", f"return {made}")
                self.parts(use.parts, node.facts, frame)
                return made

    def out_turned(self, node: Turned, use: Use, frame: Frame) -> str:
        """What a function makes of a typed value, once that has been judged."""
        with self.unless(frame, *self.of_classes(node.of, frame)):
            if node.typed is not None:
                self.out(node.typed, frame)
            self.parts(use.parts, node.facts, frame)
            turned = self.put(f"{frame.bind(Own(node.back), 'BACK')}({frame.value})", "")
            return self.out(node.inner, frame.part(turned))

    def out_single(self, node: Scalar, use: Use, frame: Frame) -> str:
        """A single value, as JSON has it."""
        kind, value = node.kind, frame.value
        self.check_single(use, frame)
        source = value if self.exact and kind.exact else kind.release(value, frame.bind)
        if self.marks_rare and kind.double and kind.written_alike:
            source = f"{value} if 1e-4 <= {value} < 1e16 else {frame.bind(rare, 'rare')}({value})"
        return self.put(source, value)

    def check_single(self, use: Use, frame: Frame) -> None:
        """Its kind, its steps and rules."""
        assert isinstance(use.node, Scalar)
        with self.read_single(self.kind_here(use.node.kind, frame), use, frame):
            self.parts(use.parts, use.node.facts, frame)

    def out_choice(self, node: Choice, frame: Frame) -> str:
        """What stands in the data for a constant."""
        return self.put(f"{frame.bind(wire_of(node), 'WIRE_OF')}({frame.value})", "")

    def put(self, source: str, value: str) -> str:
        """The name of the variable that holds what an expression gives."""
        if source == value:
            return value
        made = self.variable("made")
        self.write(f"{made} = {source}")
        return made

    # Collections

    def keeps_typed(self, node: Items, use: Use) -> bool:
        """Whether the items in their final form are asked for by rules, or by the set that they are."""
        return node.into in SETS or any(not (isinstance(part, Rule) and part.measures_size) for part in use.parts)

    def out_items(self, node: Items, use: Use, frame: Frame) -> str:
        """A collection becomes a list; a set's items are put in an order that stays."""
        value = frame.value
        with self.unless(frame, self.list_check(frame, node.into), self.size_check(frame)):
            made, item = self.variable("made"), self.variable("item")
            self.write(f"{made} = []")
            typed = self.variable("typed") if self.keeps_typed(node, use) else ""
            if typed:
                self.write(f"{typed} = []")
            with self.block(f"for {item} in {value}:"):
                self.write(f"{made}.append({self.out(node.item, frame.part(item).deeper())})")
                if typed:
                    self.write(f"{typed}.append({item})")
            if node.into in SETS:
                self.check_set(node, typed, frame)
                self.write(f"{made}.sort(key=repr)")
            self.parts(use.parts, node.facts, frame.part(typed or value))
            self.check_again(node, use, made, frame)
        return made

    def check_set(self, node: Items, typed: str, frame: Frame) -> None:
        """Its items may be equal in their final form."""
        if not spreads(node.item):
            self.leave_if(f"{frame.bind(crowded, 'crowded')}({typed})")
        self.leave_if(f"len(set({typed})) != len({frame.value})")

    def check_again(self, node: Items, use: Use, made: str, frame: Frame) -> None:
        """What is brought into final form may come to equal."""
        if not self.secrets and holds_secret(node.item, self.plan.shape.guarded):
            return
        for part in use.parts:
            if isinstance(part, Distinct) and part.key is None:
                self.leave_if(f"not ({part.condition(made, frame.bind)})")
            if isinstance(part, DistinctAgain):
                self.leave_if(f"not {frame.bind(part.differ, 'differ_again')}({made})")

    def out_fixed(self, node: Fixed, use: Use, frame: Frame) -> str:
        """A tuple: its first items one by one, and those after them."""
        value, count = frame.value, len(node.items)
        few = f"len({value}) != {count}"
        if node.tail is not None:
            few = f"len({value}) < {count} or len({value}) > {self.plan.limits.items}"
        no_tuple = Check(f"not isinstance({value}, tuple)", _NO_FAULT, self.unless_is(value, "list"))
        with self.unless(frame, no_tuple, Check(few, _NO_FAULT)):
            names = [self.variable("item") for _ in node.items]
            others = self.variable("others") if node.tail is not None else ""
            if names or others:
                starred = f"*{others}" if others else ""
                self.write(f"{', '.join(names)}{', ' if names else ''}{starred} = {value}")
            made = [self.out(item, frame.part(name)) for name, item in zip(names, node.items, strict=True)]
            typed = [f"{name}, " for name in names]
            if node.tail is not None:
                more, typed_more, item = self.variable("made"), self.variable("typed"), self.variable("item")
                self.write(f"{more}, {typed_more} = [], []")
                with self.block(f"for {item} in {others}:"):
                    self.write(f"{more}.append({self.out(node.tail, frame.part(item).deeper())})")
                    self.write(f"{typed_more}.append({item})")
                made.append(f"*{more}")
                typed.append(f"*{typed_more},")
            self.parts(use.parts, node.facts, frame.part(f"({''.join(typed)})"))
        return self.put(f"[{', '.join(made)}]", "")

    def out_entries(self, node: Entries, use: Use, frame: Frame) -> str:
        """A dict becomes one with keys of text; no two keys may be one then."""
        value, mapping = frame.value, frame.bind(Mapping, "Mapping")
        with self.unless(frame, self.not_of(frame, "dict", mapping, _NO_FAULT), self.size_check(frame)):
            made, key, held = self.variable("made"), self.variable("key"), self.variable("held")
            self.write(f"{made} = {{}}")
            with self.block(f"for {key}, {held} in {value}.items():"):
                told = self.out(node.key, frame.part(key).deeper())
                text = f"{told} if {told}.__class__ is str else {frame.bind(key_text, 'key_text')}({told})"
                inner = self.out(node.value, frame.part(held).deeper())
                self.write(f"{made}[{text}] = {inner}")
            self.leave_if(f"len({made}) != len({value})")
            self.parts(use.parts, node.facts, frame)
        return made

    # Unions

    def out_branches(self, node: Branches, use: Use, frame: Frame) -> str:
        """The first option that the value is of goes out: a subclass before its base, a record by all that it holds."""
        if node.alone and not node.tag:
            self.leave_if(f"not {frame.bind(OutgoingExclusiveUnion(self.plan, node), 'ONE_ALONE')}({frame.value})")
        made = self.out_options(node, frame)
        self.parts(use.parts, node.facts, frame)
        # What its steps made of it is what goes out.
        return self.out_options(node, frame) if use.has_steps else made

    def out_options(self, node: Branches, frame: Frame) -> str:
        """The plain data of the first option that admits it."""
        made = self.variable("made")
        self.write(f"{made} = REFUSED")
        start = self.remembering()
        for number, option in enumerate(options_in_order(self.plan, node, frame.reading)):
            with self.block(f"if {made}.__class__ is Stop and {made} is not UNSURE:"):
                if number:
                    self.undone(start)
                self.write(f"{made} = {self.part(option, frame)}({frame.value}{self.memory_argument})")
                if node.held:
                    with self.block(f"if {made}.__class__ is not Stop:"):
                        self.write(f"{made} = {self.beside_tag(node, option, made, frame)}")
        self.leave_if(f"{made}.__class__ is Stop", f"return {made}")
        return made

    def beside_tag(self, node: Branches, option: Use, made: str, frame: Frame) -> str:
        """The source of a tag with what it tells the option of."""
        tag = frame.bind(node.tags[node.options.index(option)][0], "TAG_OF")
        return f"{{{frame.bind(node.tag, 'TAG')}: {tag}, {frame.bind(node.held, 'HELD')}: {made}}}"

    # Records

    def out_record(self, record: Record, frame: Frame) -> str:
        """A record's fields, its rules, and the object of them; gives back its name."""
        so_far = RecordSoFar(record, frame.within(record, self.plan))
        self.check_class(so_far)
        made = self.variable("made")
        self.write(f"{made} = {{}}")
        self.begin_fields(so_far)
        for number, field in enumerate(record.fields, 1):
            self.out_field(field, number, made, so_far)
        for number, rest in enumerate(record.rests):
            self.out_rest(rest, number, made, so_far)
        self.check_record(so_far)
        for field in record.computed:
            if field.goes_out(secrets=self.secrets):
                held = self.pen.field_variable(field.attribute)
                self.write(f"{held} = {self.computed(field, so_far)}({so_far.data})")
                told = self.out(field.use, so_far.frame.part(held))
                self.out_member(field, made, told, so_far.frame, trusted=False)
        return made

    def check_class(self, so_far: RecordSoFar) -> None:
        """It is of the declared type."""
        record, frame, value = so_far.record, so_far.frame, so_far.data
        if record.form == "dict":
            exactly = "dict" if record.builder is dict else frame.bind_class(record.builder)
            self.refuse_if(frame, self.not_of(frame, exactly, frame.bind(Mapping, "Mapping"), _NO_FAULT))
        else:
            self.leave_if(f"not isinstance({value}, {frame.bind_class(record.builder)})")

    def begin_fields(self, so_far: RecordSoFar) -> None:
        """Count those that are there."""
        so_far.known = self.variable("known")
        self.write(f"{so_far.known} = 0")

    def keys_from(self, so_far: RecordSoFar) -> str:
        """All of it is there."""
        return ""

    def check_record(self, so_far: RecordSoFar) -> None:
        """Its keys, its rules, and its checks."""
        record, frame, value = so_far.record, so_far.frame, so_far.data
        if record.form == "dict" and not record.rests:
            self.leave_if(f"len({value}) != {so_far.known}")
        self.record_rules(so_far)
        for check in record.checks:
            self.leave_if(self.says_no(check, value, frame))

    def leaves_out(self, field: Field) -> bool:
        """Whether a field is passed over: here all are looked at."""
        return False

    def out_field(self, field: Field, number: int, made: str, so_far: RecordSoFar) -> None:
        """One field into the object."""
        if self.leaves_out(field):
            return
        record, frame, of = so_far.record, so_far.frame, so_far.data
        value = so_far.value_of[field.attribute] = self.pen.field_variable(field.attribute)
        name = self.pen.key(field.attribute, trusted=True)
        of_dict = record.form == "dict"
        inner = frame.part(value, where=f"{record.name}.{field.attribute}")
        if field.may_lack:
            self.lacking(value)
            lacks = "ABSENT" if field.marked else "None"
            opening = f"if {name} in {of}:" if of_dict else f"if {attribute_of(inner, field, of)} is not {lacks}:"
            inner = inner.deeper()
        with self.block(opening) if field.may_lack else nullcontext():
            came = f"{of}[{name}]" if of_dict else attribute_of(inner, field, of)
            self.write(f"{value} = {came}{self.pen.note(field.attribute, number)}")
            self.there(so_far)
            told = self.out(field.use, inner)
            if field.goes_out(secrets=self.secrets):
                self.out_member(field, made, told, frame, trusted=field.wire == field.attribute)

    def out_member(self, field: Field, made: str, told: str, frame: Frame, *, trusted: bool) -> None:
        """Put the plain data of a field into the object, unless it is left out."""
        tests = [f"{told} is not None"] if "nulls" in field.leaves_out else []
        if "defaults" in field.leaves_out:
            shape = self.plan.shape
            default = frame.bind(as_json(plain(field.use, known_default(shape, field), shape)), "DEFAULT")
            tests.append(f"not {frame.bind(are_equal, 'are_equal')}({told}, {default})")
        with self.block(f"if {' and '.join(tests)}:") if tests else nullcontext():
            self.write(f"{made}[{self.pen.key(field.wire, trusted=trusted)}] = {told}")

    def lacking(self, value: str) -> None:
        """A field that may be absent is, until it is found."""
        self.write(f"{value} = ABSENT")

    def out_rest(self, field: Field, number: int, made: str, so_far: RecordSoFar) -> None:
        """What was gathered goes out beside the fields, and never in the place of one."""
        record, frame, of = so_far.record, so_far.frame, so_far.data
        value = so_far.value_of[field.attribute] = self.pen.field_variable(field.attribute)
        key = self.pen.key(field.attribute, trusted=True)
        held = f"{of}.get({key}, {{}})" if record.mends else f"{of}[{key}]" if record.form == "dict" else ""
        self.write(f"{value} = {held or f'{of}.{field.attribute}'}")
        if len(record.rests) > 1:
            sorter = frame.bind(sorter_of(self.plan, record, Reading.TYPED), "SORTER")
            self.leave_if(f"{sorter}.is_misplaced({number}, {value})")
        told = self.out(field.use, frame.part(value))
        wires = frame.bind(frozenset(taken_keys(record)), "WIRES")
        self.leave_if(f"not {wires}.isdisjoint({told})")
        if self.secrets or not field.use.secret:
            self.write(f"{made}.update({told})")


def key_text(plain: object) -> str:
    """A key of a JSON object for a plain value."""
    return str(plain).lower() if isinstance(plain, bool) else str(plain)


def wire_of(choice: Choice) -> Callable[[Any], object]:
    """The function that gives what stands in the data for a constant or member."""
    table = {(value.__class__, value): plain for plain, value in zip(choice.wire, choice.values, strict=True)}

    def wire(value: Any) -> object:
        told = table.get((value.__class__, value), table)
        if told is table:  # no exception that quotes the value hangs on this one
            raise TypeError("a value of none of the choices declared for it")
        return told

    return wire
