"""Values at the edges of a declaration: at and just past each rule, of the wrong kind, in odd letters and digits."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from datetime import date, datetime, timedelta
from decimal import Decimal
from random import Random
from typing import Any

from ..declare.kinds import Day, Epoch, ExactAsText, Flags, Formed, LocalMoment, Moment, Written
from ..declare.kinds.lenient import Lenient
from ..declare.rules import Length, Rule
from ..declare.steps import Step
from ..shape.nodes import (
    Alias,
    Branches,
    Choice,
    Entries,
    Fixed,
    Items,
    Link,
    Nullable,
    Record,
    Scalar,
    Shape,
    Use,
)
from ..shape.to_json import plain

ODD: tuple[Any, ...] = (
    None, True, False, 0, 1, -1, 2, 7, 3.0, 1.5, -0.0, 0.1, 1e308, 5e-324, -1e308, 10**30, -(10**30), 10**400,
    2**53 + 1, 1e16, "", " ", "x", "1", "true", "null", [], {}, [None], {"a": 1}, [[]], "0", [1, 1], ["x", "x"],
)  # fmt: skip
"""What may come in the place of anything."""

TEXTS: tuple[str, ...] = (
    "", " ", "\t", "\n", "\u00a0", "\u2003", "\x1c", "\x85", "\ufeff", " x", "x ", "x\n", "\u00a0x", "x\u3000",
    "x  y", "x\ty",
    "abc", "ABC", "Abc", "aBC ", "\u00df", "\u0130", "\u0149", "\ufb01", "\u01c5", "\u1e9e", "\uff21\uff22\uff23",
    "\u0661\u0662\u0663", "\u09e7", "\u00b2", "e\u0301", "\u00e9", "\x00", "\U0001f6a2", "\u4e00", "'", '"', "\\",
    "${x}", "\ud800",
    "{given}", "a" * 25, "x" * 300, "1_000", "+1", "1e3", "0x1", "01", "-0", "NaN", "Infinity",
)  # fmt: skip
MOMENTS: tuple[str, ...] = (
    "2026-05-04T09:30:00Z", "2026-05-04t09:30:00z", "2026-05-04 09:30:00Z", "2026-05-04T09:30:00", "2026-05-04T09:30Z",
    "2026-05-04T09:30:00+02:00", "2026-05-04T09:30:00-00:00", "2026-05-04T09:30:00+24:00", "2026-05-04T24:00:00Z",
    "2026-02-29T09:30:00Z", "2024-02-29T09:30:00Z", "0000-01-01T00:00:00Z", "0001-01-01T00:00:00+05:00",
    "9999-12-31T23:59:59Z", "9999-12-31T23:59:59-05:00", "2016-12-31T23:59:60Z", "2016-12-31T22:59:60Z",
    "2017-01-01T00:59:60+01:00", "9999-12-31T23:59:60Z", "2026-05-04T09:30:00.123456789Z", "2026-05-04T09:30:00.Z",
    "2026-05-04T09:30:00,5Z", "2026-5-4T09:30:00Z", "2026-05-04T09:60:00Z", "2026-05-04T09:30:00+0200",
    "20260504T093000Z",
    "\u0662026-05-04T09:30:00Z", "2026-05-04T09:30:00Z\n", "2026-W19-1", "2026-05-04", "2026-02-30", "2026-124",
    "20260504",
    "2026-05-04T09:30:00+02:00:30", "1998-12-31T23:59:61Z",
)  # fmt: skip
WRITTEN: dict[str, tuple[str, ...]] = {
    "UUID": (
        "5F0C7D1E-3B5A-4C7E-9A55-0D1C2B3A4F5E", "{5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e}",
        "5f0c7d1e3b5a4c7e9a550d1c2b3a4f5e", "urn:uuid:5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e",
        "5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5g", "00000000-0000-0000-0000-000000000000",
        "5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5\uff11",
        "0x0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e", "5f0c7d1e-3b5a-4c7e-9a55-0d1c_b3a4f5e",
    ),
    "binary value": ("", "Y3JhdGU=", "Y3JhdGU", "Y3JhdGV=", "Y3Jh\nZGU=", "Y3_hdGU=", "====", "AA==", "AB==", "Y Q=="),
    "time": (
        "09:30", "09:30:00", "09:30:00Z", "9:30", "24:00", "09:30:60", "09:30:00.1234567", "09:30:00.", "09:30z",
        "09:30+01:00",
        "09:30+24:00", "093000", "09:30:00-00:00",
    ),
    "duration": (
        "PT0S", "P", "PT", "P1D", "-P1D", "P1W", "P1Y", "P1M", "PT1.5S", "PT1,5S", "P1DT", "P999999999D",
        "P1000000000D",
        "-P999999999D", "PT0.0000001S", "P1WT1H", "p1d", "+P1D", "-P999999999DT1S", "PT999999999H", "P99999999W",
    ),
    "path": ("/", ".", "a\x00b", "a/../b", "a//b", " "),
    "time zone": ("UTC", "Europe/London", "europe/london", "../etc/passwd", "Nowhere/None", "Europe"),
    "IPv4 address": ("192.0.2.7", "192.0.2.07", "192.0.2.256", "1.2.3", "\u0661.2.3.4", " 1.2.3.4", "1.2.3.4%x"),
    "IPv6 address": ("::", "::1", "2001:DB8::7", "fe80::1%eth0", "1::2::3", "::ffff:192.0.2.7", "12345::"),
    "IPv4 network": ("192.0.2.0/24", "192.0.2.7/24", "192.0.2.0", "192.0.2.0/33", "192.0.2.0/255.255.255.0"),
}  # fmt: skip
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
        if isinstance(use.node, Nullable):
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
                inner = kind.inner if isinstance(kind, Lenient) else kind
                if inner.facts.text or use.split:
                    yield from TEXTS
                if isinstance(inner, Moment | Day | LocalMoment):
                    yield from MOMENTS
                if isinstance(inner, Written):
                    yield inner.example
                    yield from WRITTEN.get(inner.name, ())
                    yield from TEXTS
                if isinstance(inner, Formed):
                    yield from (
                        "04.05.2026",
                        "30.02.2026",
                        "4.5.2026",
                        "04.05.2026 09:30",
                        "20260504",
                        "09:30",
                        "24:00",
                    )
                if isinstance(inner, ExactAsText):
                    yield from ("12.50", "1E+3", "1e9999", ".5", "5.", " 1", "0x1", "NaN", 12.5, "1_0", "-0")
                if isinstance(inner, Flags):
                    yield from (inner.all, inner.all + 1, -1, 1.0, "1", 3)
                if isinstance(inner, Epoch):
                    yield from (0, -1, 1e9, 1.5, 10**12, 10**18, True)
                if isinstance(kind, Lenient):
                    yield from ("42", " 42 ", "4_2", "yes", "OFF", "2", "1.0", "\u0664\u0662", "1e3")
                if inner.facts.number:
                    yield from (0.5, 0.25, 1e15, 1e17 + 1, 1e22, 123456789.125, -7, 2.675, 1e-7, 0.30000000000000004)
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
            yield from (constant, constant - 1, constant + 1, constant + 0.5)
            if abs(constant) < 2**60:
                near = float(constant)
                yield from (near, math.nextafter(near, math.inf), math.nextafter(near, -math.inf))
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
        while isinstance(node, Nullable):
            node = node.inner.node
        return node

    def spoiled(self, use: Use, payload: Any) -> Any:
        """The payload with one thing changed; what was handed over stays as it is."""
        random = self.random
        if random.random() < 0.15:
            return random.choice(self.of(use))
        node = use.node
        while isinstance(node, Alias) or (isinstance(node, Nullable) and payload is not None):
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
