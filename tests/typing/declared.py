"""Checked by mypy, not run: what a type checker makes of users' code."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, assert_type

from dutiful_gate import Document, DocumentGate, Fault, Gate, Source, Verdict, bundle, it, payloads, probes, samples
from dutiful_gate.declare.rules import Between, Ceiling, Equal, Floor, Length, Matches
from dutiful_gate.declare.terms import Comparison, this
from dutiful_gate.demo.ferries import Booking, bookings

assert_type(bookings, Gate[Booking])
assert_type(bookings.admit({}), Booking)
assert_type(bookings.admit_json(b"{}"), Booking)
assert_type(bookings.examine({}), Verdict[Booking])
assert_type(bookings.examine({}).value, Booking)
assert_type(bookings.examine_each([]), Iterator[Verdict[Booking]])
assert_type(bookings.accepts({}), bool)
assert_type(Gate(list[Booking]).admit([]), list[Booking])
assert_type(Gate(int, Source.TEXT).admit("1"), int)

many: Gate[int | None] = Gate(int | None)
assert_type(many.admit(None), int | None)
assert_type(Gate(int | None).admit(None), Any)

assert_type(Gate.from_schema({}), DocumentGate)
assert_type(Gate.from_schema({}).admit({}), Any)
assert_type(bookings.schema(of="release", dialect="draft-07"), Document)
assert_type(bundle({"Booking": bookings}), Document)
assert_type(samples(bookings, 3), list[Booking])
assert_type(samples(Booking), list[Booking])
assert_type(payloads(bookings), list[Any])
assert_type(probes(bookings), Iterator[tuple[Any, Fault]])

assert_type(it > 0, Floor)
assert_type(it <= 0, Ceiling)
assert_type(it == 0, Equal)
assert_type(it.between(1, 2), Between)
assert_type(it.length.between(1, 2).says("{given}"), Length)
assert_type(it.matches("x").says("no"), Matches)
assert_type(this.arrives > this.departs, Comparison)
