"""Checked by mypy, not run: what a type checker makes of users' code."""

from __future__ import annotations

from collections.abc import Iterator
from copy import deepcopy
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Annotated, Any, assert_type

from dutiful_gate import (
    Amendment,
    Document,
    DocumentGate,
    Email,
    Fault,
    Gate,
    Limits,
    Source,
    Verdict,
    also_named,
    as_text,
    bundle,
    goes_out,
    it,
    payloads,
    probes,
    samples,
    subset,
    tagged_by,
    unreadable,
    without,
    written_as,
)
from dutiful_gate.declare.field_comparison import FieldComparison
from dutiful_gate.declare.rules import Matches, Rule
from dutiful_gate.declare.this import this
from dutiful_gate.demo.ferries import Booking, bookings
from dutiful_gate.problems import Problem, ProblemError
from dutiful_gate.testing import admitted, refused

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
assert_type(Gate(int | None).admit(None), int | None)

assert_type(Gate.from_schema({}), DocumentGate)
assert_type(Gate.from_schema({}).admit({}), Any)
assert_type(bookings.schema(of="release", dialect="draft-07"), Document)
assert_type(bundle({"Booking": bookings}), Document)
assert_type(samples(bookings, 3), list[Booking])
assert_type(samples(Booking), list[Booking])
assert_type(payloads(bookings), list[Any])
assert_type(probes(bookings), Iterator[tuple[Any, Fault]])

assert_type(bookings.release_json(bookings.admit({})), bytes)
assert_type(bookings.release_admitted_json(bookings.admit({})), bytes)
assert_type(bookings.release(bookings.admit({})), Any)
assert_type(bookings.release_admitted(bookings.admit({})), Any)
assert_type(deepcopy(bookings), Gate[Booking])


@dataclass
class Tariff:
    """New marks leave the types of fields alone."""

    price: Annotated[Decimal, as_text, also_named("fare")]
    on: Annotated[date, written_as("%d.%m.%Y"), unreadable.says("needs a day")]
    kept: Annotated[int | str, tagged_by("kind")]

    @property
    @goes_out
    def double(self) -> Decimal:
        """A property stays what it is."""
        return self.price * 2


def typed(tariff: Tariff) -> None:
    """What a type checker sees of them."""
    assert_type(tariff.price, Decimal)
    assert_type(tariff.on, date)
    assert_type(tariff.kept, int | str)
    assert_type(tariff.double, Decimal)


assert_type(it > 0, Rule)
assert_type(it <= 0, Rule)
assert_type(it == 0, Rule)
assert_type(it.between(1, 2), Rule)
assert_type(it.length.between(1, 2).says("{given}"), Rule)
assert_type(it.matches("x").says("no"), Matches)
assert_type(this.arrives > this.departs, FieldComparison)


@dataclass
class Sent:
    number: int
    contact: Email


def checked() -> None:
    problem = Gate(Sent).examine({}).problem()
    assert_type(problem, Problem)
    assert_type(problem["status"], int)
    assert_type(problem.get("errors", []), list[ProblemError])
    assert_type(Gate(Sent).admit({}).number, int)
    assert_type(Gate(list[Sent]).admit([]), list[Sent])
    either: Gate[Sent | None] = Gate(Sent | None)
    assert_type(either.admit(None), Sent | None)
    mail: Gate[str] = Gate(Email)
    assert_type(mail.admit("desk@quillport.example"), str)
    amended: Gate[dict[str, Any]] = Gate(Annotated[Amendment[Sent], without("number")])
    assert_type(amended.admit({}), dict[str, Any])
    Gate(subset(Sent, only="contact")).admit({})
    Limits(bytse=3)  # type: ignore[call-arg]
    Limits(bytes="3")  # type: ignore[arg-type]
    Gate(Sent, unknwon="drop")  # type: ignore[call-overload]
    Gate(Sent, unknown="drpo")  # type: ignore[call-overload]
    subset(Sent, olny="contact")  # type: ignore[call-arg]
    without(number=1)  # type: ignore[call-arg]
    Gate(Sent).schema(dialect="2020")  # type: ignore[arg-type]
    problem["stauts"]  # type: ignore[typeddict-item]
    assert_type(samples(Sent, 3, number=4), list[Sent])
    assert_type(admitted(Gate(Sent), {}), Sent)
    assert_type(refused(Sent, {}, at="/number"), Fault)
