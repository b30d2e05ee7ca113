"""The way out for values made in code: checked against the shape of what goes out, and written, in one pass.

It gives REFUSED for anything that its gate would not read again, or its document not accept; the collecting function of
the outgoing shape then tells what is wrong.
"""

from __future__ import annotations

from collections.abc import Mapping

from ..codegen.unit import Unit
from ..declare.rules import Distinct, Length
from ..declare.sealed import Sealed
from ..declare.sources import Reading
from ..declare.steps import Step
from ..regex.white_space import is_blank
from ..shape.nodes import (
    MISSING,
    Alias,
    Branches,
    Choice,
    Entries,
    Field,
    Fixed,
    Items,
    Link,
    Nothing,
    Nullable,
    Record,
    Scalar,
    Sealing,
    Use,
)
from ..shape.to_json import plain_fallback
from ..shape.walk import holds_secret
from .exclusive_unions import OutgoingAlone
from .fast import SoundWriter
from .fast_records import REFUSE
from .hash_limits import crowded, spreads
from .json_out import fast_bytes, rare
from .outgoing import DistinctAgain
from .own_functions import refused
from .plan import Plan, attribute_of, collection, options_in_order
from .raw_json import is_written_alike
from .release import key_text, wire_of
from .rest_fields import sorter_of

_NESTED = 6


def checked_unit(plan: Plan, *, secrets: bool, exact: bool) -> Unit:
    """The function that takes a typed value and gives plain data, or REFUSED.

    `secrets` tells whether their values are written, `exact` whether Decimals stay what they are.
    """
    writer = CheckedWriter(plan, secrets=secrets, exact=exact)
    entry = writer.entry(plan.shape.root, "release", top=True)
    writer.finish()
    source = "\n\n\n".join(writer.functions) + "\n"
    return Unit(
        f"{plan.shape.name} release", source, writer.constants, entry, carries=writer.carries, notes=writer.notes
    )


class CheckedWriter(SoundWriter):
    """Writes functions that check typed values and make plain data of them."""

    forgets = False
    # The values are typed: what raises is of another option, and not in doubt.
    after_error = "refused(error)"

    def __init__(self, plan: Plan, *, secrets: bool, exact: bool) -> None:
        super().__init__(plan, note_unknown=True)
        self.secrets = secrets
        self.exact = exact
        self.constants["refused"] = refused
        self.marks_rare = exact and fast_bytes is not None and is_written_alike(plan.shape)

    def whole(self, use: Use) -> None:
        """The body of a function for a use."""
        self.write(f"return {self.out(use, 'data')}")

    def body(self, record: Record) -> None:
        """The body of a function for a record."""
        self.write(f"return {self.out_record(record, 'data')}")

    def given_up(self, test: str, answer: str = REFUSE) -> None:
        """Give up where a test is true."""
        with self.block(f"if {test}:"):
            self.write(answer)

    def out(self, use: Use, value: str) -> str:
        """Check the variable `value`, put its final form into it, and give back the name of its plain data."""
        if self._nesting >= _NESTED or use.fallback is not MISSING:
            return self.apart(use, value)
        if use.blank:
            with self.block(f"if {self.bind(is_blank, 'is_blank')}({value}):"):
                self.write(f"{value} = None")
        with self.at(use):
            made = self.out_node(use, value)
        for document in use.fits:
            self.given_up(f"not {self.bind(document.sound, 'FITS')}({made})")
        return made

    def apart(self, use: Use, value: str) -> str:
        """The same by a function of its own; what stands in for a value goes out though its rules refuse it."""
        made = self.variable("made")
        name = self.part(use.but(fallback=MISSING))
        self.write(f"{made} = {name}({value}{self.more})")
        with self.block(f"if {made}.__class__ is Stop:"):
            if use.fallback is not MISSING and (instead := self.plain_fallback(use)) is not None:
                fallback = self.bind(use.fallback, "FALLBACK")
                kind = self.bind(type(use.fallback), "KIND")
                self.given_up(f"{value}.__class__ is not {kind} or {value} != {fallback}")
                self.write(f"{made} = {instead}")
            else:
                self.write(f"return {made}")
        return made

    def plain_fallback(self, use: Use) -> str | None:
        """The name of the plain data of what stands in; None where it has none."""
        try:
            told = plain_fallback(use, self.plan.shape)
        except Exception:
            return None
        return self.bind(told, "INSTEAD")

    def out_node(self, use: Use, value: str) -> str:
        """What a use holds, its steps and rules, and its plain data."""
        node = use.node
        facts = node.facts
        match node:
            case Scalar(kind):
                self.scalar(kind, value, use.parts)
                self.run(use.parts, value, facts)
                source = value if self.exact and kind.exact else kind.release(value, self.bind)
                if self.marks_rare and kind.double and kind.written_alike:
                    source = f"{value} if 1e-4 <= {value} < 1e16 else {self.bind(rare, 'rare')}({value})"
                return self.put(source, value)
            case Nothing():
                self.given_up(f"{value} is not None")
                return "None"
            case Choice():
                self.run(use.parts, value, facts)
                return self.put(f"{self.bind(wire_of(node), 'WIRE_OF')}({value})", "")
            case Items():
                return self.out_items(node, use, value)
            case Fixed() as fixed:
                return self.out_fixed(fixed, use, value)
            case Entries(key, held):
                return self.out_entries(key, held, use, value)
            case Branches():
                if node.alone and not node.tag:
                    self.given_up(f"not {self.bind(OutgoingAlone(self.plan, node), 'ONE_ALONE')}({value})")
                made = self.out_branches(node, value)
                self.run(use.parts, value, facts)
                # What its steps made of it is what goes out.
                return self.out_branches(node, value) if any(isinstance(part, Step) for part in use.parts) else made
            case Sealing(inner):
                self.given_up(f"{value}.__class__ is not {self.bind(Sealed, 'Sealed')}")
                return self.out(inner, self.put(f"{value}.opened()", value))
            case Nullable(inner):
                made = self.variable("made")
                self._nesting += 1
                self.write(f"{made} = None")
                with self.block(f"if {value} is not None:"):
                    self.write(f"{made} = {self.out(inner, value)}")
                self._nesting -= 1
                return made
            case Link(key) | Alias(key):
                made = self.variable("made")
                self.write(f"{made} = {self.function_of(key)}({value}{self.more})")
                self.given_up(f"{made}.__class__ is Stop", f"return {made}")
                self.run(use.parts, value, facts)
                return made

    def put(self, source: str, value: str) -> str:
        """The name of the variable that holds what an expression gives."""
        if source == value:
            return value
        made = self.variable("made")
        self.write(f"{made} = {source}")
        return made

    def out_items(self, node: Items, use: Use, value: str) -> str:
        """A collection becomes a list; a set's items are put in an order that stays."""
        self._of_class(value, collection(self, node.into), self._many_typed)
        self._within_limit(value)
        of_set = node.into in ("set", "frozenset")
        made, each = self.variable("made"), self.variable("item")
        self.write(f"{made} = []")
        typed = ""
        if of_set or any(not isinstance(part, Length) for part in use.parts):
            typed = self.variable("typed")
            self.write(f"{typed} = []")
        self._nesting += 1
        with self.block(f"for {each} in {value}:"):
            self.write(f"{made}.append({self.out(node.item, each)})")
            if typed:
                self.write(f"{typed}.append({each})")
        self._nesting -= 1
        if of_set:
            if not spreads(node.item):
                self.given_up(f"{self.bind(crowded, 'crowded')}({typed})")
            self.given_up(f"len(set({typed})) != len({value})")
            self.write(f"{made}.sort(key=repr)")
        self.run(use.parts, typed or value, node.facts)
        if self.secrets or not holds_secret(node.item, self.plan.shape.guarded):
            for part in use.parts:
                if isinstance(part, Distinct) and part.key is None:  # what is brought into final form may come to equal
                    self.given_up(f"not ({part.condition(made, self.bind)})")
                if isinstance(part, DistinctAgain):
                    self.given_up(f"not {self.bind(part.differ, 'differ_again')}({made})")
        return made

    def out_fixed(self, node: Fixed, use: Use, value: str) -> str:
        """A tuple: its first items one by one, and those after them."""
        test = f"len({value}) != {len(node.items)}"
        if node.more is not None:
            test = f"len({value}) < {len(node.items)} or len({value}) > {self.plan.limits.items}"
        self.given_up(f"not isinstance({value}, tuple)", self.unless_is(value, "list"))
        self.given_up(test)
        names = [self.variable("item") for _ in node.items]
        others = self.variable("others") if node.more is not None else ""
        if names or others:
            self.write(f"{', '.join(names)}{', ' if names else ''}{f'*{others}' if others else ''} = {value}")
        made = [self.out(item, name) for name, item in zip(names, node.items, strict=True)]
        more, typed = "", ""
        if node.more is not None:
            more, typed, each = self.variable("made"), self.variable("typed"), self.variable("item")
            self.write(f"{more}, {typed} = [], []")
            self._nesting += 1
            with self.block(f"for {each} in {others}:"):
                self.write(f"{more}.append({self.out(node.more, each)})")
                self.write(f"{typed}.append({each})")
            self._nesting -= 1
        self.run(
            use.parts, f"({''.join(name + ', ' for name in names)}{f'*{typed},' if typed else ''})", use.node.facts
        )
        return self.put(f"[{', '.join(made)}{', ' if made and more else ''}{f'*{more}' if more else ''}]", "")

    def out_entries(self, key: Use, held: Use, use: Use, value: str) -> str:
        """A dict becomes one with keys of text; no two keys may be one then."""
        self._of_class(value, "dict", self.bind(Mapping, "Mapping"))
        self._within_limit(value)
        made, name, each = self.variable("made"), self.variable("key"), self.variable("held")
        self.write(f"{made} = {{}}")
        self._nesting += 1
        with self.block(f"for {name}, {each} in {value}.items():"):
            told = self.out(key, name)
            text = f"{told} if {told}.__class__ is str else {self.bind(key_text, 'key_text')}({told})"
            inner = self.out(held, each)
            self.write(f"{made}[{text}] = {inner}")
        self._nesting -= 1
        self.given_up(f"len({made}) != len({value})")
        self.run(use.parts, value, use.node.facts)
        return made

    def out_branches(self, node: Branches, value: str) -> str:
        """The first option that the value is of goes out: a subclass before its base, a record by all that it holds."""
        made = self.variable("made")
        self.write(f"{made} = REFUSED")
        start = self.remembering()
        for number, option in enumerate(options_in_order(self.plan, node, self.reading)):
            with self.block(f"if {made}.__class__ is Stop and {made} is not UNSURE:"):
                if number:
                    self.undone(start)
                self.write(f"{made} = {self.part(option)}({value}{self.more})")
                if node.held:
                    tag = self.bind(node.tags[node.options.index(option)][0], "TAG_OF")
                    beside = f"{{{self.bind(node.tag, 'TAG')}: {tag}, {self.bind(node.held, 'HELD')}: {made}}}"
                    with self.block(f"if {made}.__class__ is not Stop:"):
                        self.write(f"{made} = {beside}")
        self.given_up(f"{made}.__class__ is Stop", f"return {made}")
        return made

    def out_record(self, record: Record, value: str) -> str:
        """A record's fields, its rules, and the object of them; gives back its name."""
        where = self.where
        of_dict = record.form == "dict"
        if of_dict:
            self._of_class(value, "dict", self.bind(Mapping, "Mapping"))
        else:
            self.given_up(f"not isinstance({value}, {self.bind_class(record.builder)})")
        made = self.variable("made")
        self.write(f"{made} = {{}}")
        known = self.variable("known")
        self.write(f"{known} = 0")
        value_of = {}
        for number, field in enumerate(record.fields, 1):
            self.where = f"{record.name}.{field.attribute}"
            value_of[field.attribute] = self.out_field(field, number, value, made, known, of_dict=of_dict)
        for number, rest in enumerate(record.rests):
            value_of[rest.attribute] = self.out_rest(record, number, rest, value, made, of_dict=of_dict)
        if of_dict and not record.rests:
            self.given_up(f"len({value}) != {known}")
        self.where = record.name
        self.record_rules(record, value_of)
        outlined, self.outlined = self.outlined, self.hidden or record.key in self.plan.shape.guarded
        for check in record.checks:
            self.given_up(self.says_no(check, value))
        self.outlined = outlined
        for field in record.computed:
            if field.goes_out(secrets=self.secrets):
                held = self.field_variable(field.attribute)
                self.write(f"{held} = {self.computed(record, field.attribute)}({value})")
                self.write(f"{made}[{self.key(field.wire, trusted=False)}] = {self.out(field.use, held)}")
        self.where = where
        return made

    def out_field(self, field: Field, number: int, record: str, made: str, known: str, *, of_dict: bool) -> str:
        """One field into the object; gives back the name of its typed value."""
        held = self.field_variable(field.attribute)
        name = self.key(field.attribute, trusted=True)
        wire = self.key(field.wire, trusted=field.wire == field.attribute)
        depth = 0
        if field.may_lack:
            self.write(f"{held} = ABSENT")
            self.write(f"if {name} in {record}:" if of_dict else f"if {record}.{field.attribute} is not None:")
            depth = 1
        self._indent += depth
        self._nesting += depth
        came = f"{record}[{name}]" if of_dict else attribute_of(self, field, record)
        self.write(f"{held} = {came}{self.note(field.attribute, number)}")
        self.write(f"{known} += 1")
        told = self.out(field.use, held)
        if field.goes_out(secrets=self.secrets):
            self.write(f"{made}[{wire}] = {told}")
        self._nesting -= depth
        self._indent -= depth
        return held

    def out_rest(self, record: Record, number: int, field: Field, value: str, made: str, *, of_dict: bool) -> str:
        """What was gathered goes out beside the fields, and never in the place of one; the name of its typed value."""
        held = self.field_variable(field.attribute)
        key = self.key(field.attribute, trusted=True)
        self.write(f"{held} = {f'{value}[{key}]' if of_dict else f'{value}.{field.attribute}'}")
        if len(record.rests) > 1:
            sorter = self.bind(sorter_of(self.plan, record, Reading.TYPED), "SORTER")
            self.given_up(f"{sorter}.is_misplaced({number}, {held})")
        told = self.out(field.use, held)
        wires = self.bind(frozenset(each.wire for each in (*record.fields, *record.computed)), "WIRES")
        self.given_up(f"not {wires}.isdisjoint({told})")
        if self.secrets or not field.use.secret:
            self.write(f"{made}.update({told})")
        return held
