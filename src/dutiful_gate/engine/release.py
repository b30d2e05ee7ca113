"""The way out: typed values to plain JSON data, compiled like the way in."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from ..codegen.unit import Unit
from ..codegen.writer import Writer
from ..declare.kinds import Kind
from ..declare.sources import Reading
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
    Shape,
    Use,
)
from ..shape.to_json import Known, belongs, is_alike, nearest_first, plain_fallback
from .json_out import fast_bytes, rare
from .own_functions import asking, carried
from .plan import attribute_of, choice_ready
from .raw_json import is_written_alike


def release_unit(shape: Shape, *, secrets: bool, exact: bool) -> Unit:
    """The function that takes a sound typed value and gives plain data, with the values of secrets or without.

    With `exact`, Decimals stay what they are.
    """
    writer = ReleaseWriter(shape, secrets=secrets, exact=exact)
    entry = writer.entry(shape.root, "release")
    writer.finish()
    source = "\n\n\n".join(writer.functions) + "\n"
    title = f"{shape.name} release"
    return Unit(title, source, writer.constants, entry, carries=writer.carries, notes=writer.notes)


class ReleaseWriter(Writer):
    """Writes functions that make plain data of typed values."""

    def __init__(self, shape: Shape, *, secrets: bool, exact: bool) -> None:
        super().__init__()
        self.shape = shape
        self.secrets = secrets
        self.exact = exact
        self.marks_rare = exact and fast_bytes is not None and is_written_alike(shape)
        self._waiting: list[str] = []
        self.functions: list[str] = []
        self._functions: dict[str, str] = {}
        self.carries = False

    def computed(self, record: Record, attribute: str) -> str:
        """A name for the function that asks a record for a property that goes out."""
        self.carries = True
        hidden = record.key in self.shape.guarded
        asked = carried(asking(attribute), f"{record.name}.{attribute}", hidden=hidden, refuses=False)
        return self.bind(asked, "COMPUTED")

    def entry(self, use: Use, name: str) -> str:
        """Write the function for a use; gives back its name."""
        with self.aside() as lines, self.block(f"def {name}(value):"):
            self.release(use, "value")
            self.write("return value")
        self.functions.append("\n".join(lines))
        return name

    def finish(self) -> None:
        """Write the functions of records that were named, one after the other."""
        while self._waiting:
            key = self._waiting.pop(0)
            if key in self.shape.aliases:
                self.entry(self.shape.aliases[key], self._functions[key])
                continue
            with self.aside() as lines, self.block(f"def {self._functions[key]}(value):"):
                self.record(self.shape.records[key])
            self.functions.append("\n".join(lines))

    def function_of(self, key: str) -> str:
        """The name of the function for one record or alias, written later."""
        if key not in self._functions:
            noun = "alias" if key in self.shape.aliases else "record"
            self._functions[key] = self.claimed(f"release_{noun}_{len(self._functions) + 1}")
            self._waiting.append(key)
        return self._functions[key]

    def release(self, use: Use, value: str) -> None:
        """Make plain data of the variable `value` in place."""
        if use.making is not None:
            return  # what a function of one's own made goes out as it is
        if use.fallback is not MISSING and not _is_of(use.but(fallback=MISSING), use.fallback, self.shape):
            self.instead(use, value)
            return
        self.release_node(use, value)

    def instead(self, use: Use, value: str) -> None:
        """What stands in for a refused value and is not of its type goes out as it is."""
        fallback, kind = self.bind(use.fallback, "FALLBACK"), self.bind(type(use.fallback), "KIND")
        with self.block(f"if {value}.__class__ is {kind} and {value} == {fallback}:"):
            self.write(f"{value} = {self.bind(plain_fallback(use, self.shape), 'INSTEAD')}")
        with self.block("else:"):
            self.write("pass")
            self.release_node(use, value)

    def release_node(self, use: Use, value: str) -> None:
        """Make plain data of what a use holds."""
        match use.node:
            case Scalar(kind):
                source = value if self.exact and _is_exact(kind) else kind.release(value, self.bind)
                if self.marks_rare and kind.double and kind.written_alike:
                    source = f"{value} if 1e-4 <= {value} < 1e16 else {self.bind(rare, 'rare')}({value})"
                if source != value:
                    self.write(f"{value} = {source}")
            case Nothing():
                pass
            case Choice():
                told = f"{value} = {self.bind(wire_of(use.node), 'WIRE_OF')}({value})"
                ready = choice_ready(self, use.node, Reading.PLAIN, value)
                self.write(f"if not ({ready}): {told}" if ready else told)
            case Items(item, into):
                self.items(item, into, value)
            case Fixed():
                self.fixed(use.node, value)
            case Entries(key, held):
                self.entries(key, held, value)
            case Branches():
                self.branches(use.node, value)
            case Sealing(inner):
                self.write(f"{value} = {value}.opened()")
                self.release(inner, value)
            case Nullable(inner):
                with self.block(f"if {value} is not None:"):
                    self.release(inner, value)
            case Link(key) | Alias(key):
                self.write(f"{value} = {self.function_of(key)}({value})")

    def items(self, item: Use, into: str, value: str) -> None:
        """A collection becomes a list; a set's items are put in an order that stays."""
        made, each = self.variable("made"), self.variable("item")
        self.write(f"{made} = []")
        with self.block(f"for {each} in {value}:"):
            self.release(item, each)
            self.write(f"{made}.append({each})")
        if into in ("set", "frozenset"):
            self.write(f"{made}.sort(key=repr)")
        self.write(f"{value} = {made}")

    def fixed(self, node: Fixed, value: str) -> None:
        """A tuple becomes a list."""
        names = [self.variable("item") for _ in node.items]
        others = self.variable("others") if node.more is not None else ""
        if names or others:
            self.write(f"{', '.join(names)}{', ' if names else ''}{f'*{others}' if others else ''} = {value}")
        for name, item in zip(names, node.items, strict=True):
            self.release(item, name)
        if node.more is not None:
            self.items(node.more, "list", others)
        self.write(f"{value} = [{', '.join([*names, *([f'*{others}'] if others else [])])}]")

    def entries(self, key: Use, held: Use, value: str) -> None:
        """A dict becomes one with keys of text."""
        made, name, each = self.variable("made"), self.variable("key"), self.variable("held")
        self.write(f"{made} = {{}}")
        with self.block(f"for {name}, {each} in {value}.items():"):
            self.release(key, name)
            self.release(held, each)
            self.write(
                f"{made}[{name} if {name}.__class__ is str else {self.bind(key_text, 'key_text')}({name})] = {each}"
            )
        self.write(f"{value} = {made}")

    def branches(self, node: Branches, value: str) -> None:
        """Go out by the first option that the value belongs to."""
        options = node.options
        which = self.variable("which")
        self.write(f"{which} = {self.bind(self.belonging(options), 'WHICH')}({value})")
        for number, option in enumerate(options):
            with self.block(f"{'if' if not number else 'elif'} {which} == {number}:"):
                self.release(option, value)
                if node.held:
                    tag = f"{self.bind(node.tag, 'TAG')}: {self.bind(node.tags[number][0], 'TAG_OF')}"
                    self.write(f"{value} = {{{tag}, {self.bind(node.held, 'HELD')}: {value}}}")

    def belonging(self, options: Sequence[Use]) -> Callable[[Any], int]:
        """The function that tells which option a value belongs to."""
        shape, order = self.shape, nearest_first(options, self.shape)

        def which(value: object) -> int:
            fitting = [number for number in order if is_alike(options[number], value, shape)]
            if len(fitting) == 1:
                return fitting[0]
            known: Known = {}
            for number in fitting:
                if belongs(options[number], value, shape, known):
                    return number
            raise TypeError("a value of none of the types declared for it")

        return which

    def record(self, record: Record) -> None:
        """The body of a record's function."""
        of_dict = record.form == "dict"
        self.write("made = {}")
        for number, field in enumerate(record.fields, 1):
            if not field.goes_out(secrets=self.secrets):
                continue
            held = self.field_variable(field.attribute)
            key = self.key(field.attribute, trusted=True)
            mark = self.note(field.attribute, number)
            if field.may_lack:
                with self.block(f"if {key} in value:" if of_dict else f"if value.{field.attribute} is not None:"):
                    self.field(field, held, (f"value[{key}]" if of_dict else f"value.{field.attribute}") + mark)
            else:
                self.field(field, held, (f"value[{key}]" if of_dict else attribute_of(self, field, "value")) + mark)
        for rest in record.rests:
            if rest.use.secret and not self.secrets:
                continue
            held = self.field_variable(rest.attribute)
            key = self.key(rest.attribute, trusted=True)
            self.write(f"{held} = {f'value[{key}]' if of_dict else f'value.{rest.attribute}'}")
            self.release(rest.use, held)
            self.write(f"made.update({held})")
        for field in record.computed:
            if field.goes_out(secrets=self.secrets):
                self.field(
                    field, self.field_variable(field.attribute), f"{self.computed(record, field.attribute)}(value)"
                )
        self.write("return made")

    def field(self, field: Field, held: str, source: str) -> None:
        """One field into the record that is being made."""
        self.write(f"{held} = {source}")
        self.release(field.use, held)
        self.write(f"made[{self.key(field.wire, trusted=field.wire == field.attribute)}] = {held}")


def _is_of(use: Use, value: object, shape: Shape) -> bool:
    try:
        return belongs(use, value, shape)
    except Exception:
        return False


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


def _is_exact(kind: Kind) -> bool:
    return kind.exact
