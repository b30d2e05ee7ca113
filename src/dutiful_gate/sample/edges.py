"""Values at the edges of a declaration: at and just past each rule, of the wrong kind, in odd letters and digits."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from datetime import date, datetime, timedelta
from decimal import Decimal
from random import Random
from typing import Any

from ..declare.kinds.text import TEXTS
from ..declare.rules import Length, Rule
from ..declare.steps import Step
from ..shape.nodes import Alias, Branches, Choice, Entries, Fixed, Items, Link, Nullable, Scalar, Sealing
from ..shape.shape import Record, Shape
from ..shape.to_json import plain
from ..shape.uses import Use

ODD: tuple[Any, ...] = (
    None, True, False, 0, 1, -1, 2, 7, 3.0, 1.5, -0.0, 0.1, 1e308, 5e-324, -1e308, 10**30, -(10**30), 10**400,
    2**53 + 1, 1e16, "", " ", "x", "1", "true", "null", [], {}, [None], {"a": 1}, [[]], "0", [1, 1], ["x", "x"],
)  # fmt: skip
"""What may come in the place of anything."""

SIGNS = (
    " \n\t\x1c\x85\u00a0\u2028\ufeff\u0660\u0130\u00e9\U0001f6a2\x00"
    "0129aAfFgGxXoObBtTzZeEpPwW+-._:;,/\\@%#?&=*~^|'\"`$!()[]{}<>"
)
"""What may be typed in the place of another character: readers of numbers, dates and addresses pass over some of it."""
KEYS = ("", "x", "X ", "\u0130", "0", "01", "+1", " 1", "1.0", "true", "__class__", "a.b", "a/b~c", "\n")


class Edges:
    """Spoils sound payloads of one shape, a little at a time."""

    def __init__(self, shape: Shape, random: Random) -> None:
        self.shape = shape
        self.random = random
        self._known: dict[int, tuple[list[Any], Use]] = {}
        self._in: list[str] = []

    def of(self, use: Use) -> list[Any]:
        """The values at the edges of one use."""
        if id(use) not in self._known:
            self._known[id(use)] = ([*ODD, *self.own(use)], use)
        return self._known[id(use)][0]

    def own(self, use: Use) -> Iterator[Any]:
        """Those that its own kind and rules suggest."""
        if use.via is not None:
            yield from self.own(use.via)
        if isinstance(use.node, Nullable | Sealing):
            yield from self.own(use.node.inner)
        if isinstance(use.node, Branches):
            for option in use.node.options:
                yield from self.own(option)
        if isinstance(use.node, Alias) and use.node.key not in self._in:  # once: it leads to itself
            self._in.append(use.node.key)
            yield from self.own(self.shape.aliases[use.node.key])
            self._in.pop()
        yield from self.of_node(use)
        for part in use.parts:
            yield from self.of_part(use, part)

    def of_node(self, use: Use) -> Iterator[Any]:
        """Those of its kind."""
        match use.node:
            case Choice(wire=wire):
                for each in wire:
                    yield each
                    if isinstance(each, str):
                        yield from (each.upper(), each.lower(), f" {each}", f"{each}\n")
                    elif isinstance(each, int):
                        yield from (str(each), float(each), not each)
            case Scalar(kind):
                yield from TEXTS if use.split else ()
                yield from kind.edges()
            case Items() if use.split:
                yield from TEXTS
                yield use.split.join("abc")

    def of_part(self, use: Use, part: Step | Rule) -> Iterator[Any]:
        """Those of one rule."""
        for edge in part.edges(use.facts) if isinstance(part, Rule) else ():
            yield from self.around(use, edge)

    def around(self, use: Use, constant: Any) -> Iterator[Any]:
        """A constant and its neighbours, as plain data."""
        if isinstance(constant, bool):
            return
        if isinstance(constant, int | float | Decimal):
            if isinstance(constant, Decimal):
                constant = float(constant)
            yield from (constant, constant - 1, constant + 1)
            if abs(constant) < 2**60:
                near = float(constant)
                yield from (near, near + 0.5, math.nextafter(near, math.inf), math.nextafter(near, -math.inf))
        elif isinstance(constant, str):
            yield from (constant, constant.upper(), constant.lower(), f" {constant} ", constant + "x")
        elif isinstance(constant, datetime | date):
            for step in (timedelta(0), timedelta(days=1), timedelta(days=-1), timedelta(seconds=1)):
                try:
                    yield plain(Use(self._bare(use)), constant + step, self.shape)
                except (OverflowError, AttributeError, TypeError, StopIteration):
                    continue  # past the end of the calendar, or no value of the type

    def _bare(self, use: Use) -> Any:
        node = use.node
        while isinstance(node, Nullable | Sealing):
            node = node.inner.node
        return node

    def spoiled(self, use: Use, payload: Any) -> Any:
        """The payload with one thing changed; what was handed over stays as it is."""
        random = self.random
        if random.random() < 0.15:
            return random.choice(self.of(use))
        node = use.node
        while isinstance(node, Alias | Sealing) or (isinstance(node, Nullable) and payload is not None):
            use = self.shape.aliases[node.key] if isinstance(node, Alias) else node.inner
            node = use.node
        if isinstance(node, Branches) and node.held and isinstance(payload, dict):
            return self.in_wrapping(node, payload)
        if isinstance(node, Branches):
            use = random.choice(node.options)
            if isinstance(use.node, Alias):
                return self.spoiled(use, payload)
            node = use.node
        if isinstance(node, Link) and isinstance(payload, dict):
            return self.in_record(self.shape.records[node.key], payload)
        if isinstance(node, Items) and isinstance(payload, list):
            return self.in_list(node, use.parts, payload)
        if isinstance(node, Fixed) and isinstance(payload, list) and payload:
            made = list(payload)
            at = random.randrange(len(made))
            if random.random() < 0.2:
                return made[:-1] if random.random() < 0.5 else [*made, made[0]]
            held = node.at(at) or (node.items[-1] if node.items else None)
            made[at] = self.spoiled(held, made[at]) if held is not None else random.choice(ODD)
            return made
        if isinstance(node, Entries) and isinstance(payload, dict):
            return self.in_entries(node, payload)
        if isinstance(payload, str) and payload and random.random() < 0.4:
            return self.misspelt(payload)
        return random.choice(self.of(use))

    def in_wrapping(self, node: Branches, payload: dict[str, Any]) -> dict[str, Any]:
        """A tag with its data beside it, one of them changed."""
        random = self.random
        made = dict(payload)
        if node.held in made and random.random() < 0.7:
            made[node.held] = self.spoiled(random.choice(node.options), made[node.held])
        elif made and random.random() < 0.5:
            del made[random.choice(list(made))]
        else:
            made[random.choice([node.tag, "more"])] = random.choice(ODD)
        return made

    def misspelt(self, text: str) -> str:
        """A text with one or two characters wrong: out, in, another one, twice, in the other case."""
        random = self.random
        for _ in range(random.choice((1, 1, 1, 2))):
            at = random.randrange(len(text) + 1)
            before, here, after = text[:at], text[at : at + 1], text[at + 1 :]
            sign = random.choice(SIGNS)
            text = before + random.choice(("", sign + here, sign, here + here, here.swapcase())) + after
        return text

    def in_record(self, record: Record, payload: dict[str, Any]) -> dict[str, Any]:
        """A record with one thing changed."""
        random = self.random
        made = dict(payload)
        roll = random.random()
        if roll < 0.1 and made:
            del made[random.choice(list(made))]
        elif roll < 0.16:
            made[random.choice(KEYS)] = random.choice(ODD)
        elif record.fields:
            field = random.choice(record.fields)
            wire = random.choice((field.wire, *field.also))
            made[wire] = self.spoiled(field.use, made.get(wire, made.get(field.wire)))
        return made

    def in_list(self, node: Items, parts: Sequence[Step | Rule], payload: list[Any]) -> list[Any]:
        """A list with one thing changed."""
        random = self.random
        made = list(payload)
        roll = random.random()
        if roll < 0.12 and made:
            return [*made, random.choice(made)]
        if roll < 0.2 and made:
            return made[:-1]
        if roll < 0.3:
            for part in parts:
                if isinstance(part, Length) and made:
                    end = (part.ceiling if part.ceiling is not None else part.floor or 0) + 1
                    if end < 200:
                        return [made[number % len(made)] for number in range(end)]
        if not made:
            return [random.choice(self.of(node.item))]
        at = random.randrange(len(made))
        made[at] = self.spoiled(node.item, made[at])
        return made

    def in_entries(self, node: Entries, payload: dict[str, Any]) -> dict[str, Any]:
        """A dict with one thing changed."""
        random = self.random
        made = dict(payload)
        if random.random() < 0.5 or not made:
            texts = [each for each in self.of(node.key) if isinstance(each, str)]
            made[random.choice([*KEYS, *texts])] = next(iter(made.values()), random.choice(ODD))
        else:
            key = random.choice(list(made))
            made[key] = self.spoiled(node.value, made[key])
        return made
