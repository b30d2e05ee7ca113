"""The way out of values that were admitted: nothing is asked of them."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from typing import Any

from ...codegen.unit import Unit
from ...declare.facts import Facts, Own
from ...declare.rules import Rule
from ...declare.sources import Reading
from ...declare.steps import Step
from ...shape.nodes import Branches, Choice, Items
from ...shape.shape import Field
from ...shape.to_json import Known, WayBack, belongs, is_alike, nearest_first, plain_fallback, way_back
from ...shape.uses import MISSING, Use
from ..own_functions import asking, carried
from ..plan import Plan, choice_ready
from .frame import Frame
from .outcome import REFUSE, Check
from .outgoing import Outgoing, wire_of
from .records import RecordSoFar


def trusting_unit(plan: Plan, *, secrets: bool, exact: bool) -> Unit:
    """The function that takes a sound typed value and gives plain data, with the values of secrets or without.

    With `exact`, Decimals stay what they are.
    """
    return Trusting(plan, secrets=secrets, exact=exact).release_unit()


class Trusting(Outgoing):
    """Writes functions that make plain data of typed values which are known to be sound: nothing is asked of them."""

    def __init__(self, plan: Plan, *, secrets: bool, exact: bool) -> None:
        super().__init__(plan, secrets=secrets, exact=exact)
        self.memory_argument = ""  # no option is tried

    @contextmanager
    def caught(self, *, top: bool = False) -> Iterator[None]:
        """What raises is raised."""
        yield

    def leave_if(self, test: str, answer: str = REFUSE) -> None:
        """It is not so."""

    @contextmanager
    def unless(self, frame: Frame, *checks: Check) -> Iterator[None]:
        """Nothing is wrong."""
        yield

    def parts(self, parts: Sequence[Step | Rule], facts: Facts, frame: Frame) -> None:
        """Steps have run, rules hold."""

    def check_single(self, use: Use, frame: Frame) -> None:
        """It is of its kind."""

    def check_class(self, so_far: RecordSoFar) -> None:
        """So it is."""

    def check_record(self, so_far: RecordSoFar) -> None:
        """It was checked."""

    def check_set(self, node: Items, typed: str, frame: Frame) -> None:
        """Its items differ."""

    def begin_fields(self, so_far: RecordSoFar) -> None:
        """They are not counted."""

    def there(self, so_far: RecordSoFar) -> None:
        """Nor here."""

    def lacking(self, value: str) -> None:
        """Nobody asks for it."""

    def keeps_typed(self, node: Items, use: Use) -> bool:
        """No rule is asked."""
        return False

    def check_again(self, node: Items, use: Use, made: str, frame: Frame) -> None:
        """They differ in their final form."""

    def leaves_out(self, field: Field) -> bool:
        """What does not go out is not looked at."""
        return not field.goes_out(secrets=self.secrets)

    def out(self, use: Use, frame: Frame) -> str:
        """What a function of one's own made goes out as it is, where nothing turns it back."""
        turned = way_back(use, self.plan.shape)
        if use.making is not None and turned is None:
            return frame.value
        fallback = use.fallback is not MISSING and not self._is_of(use)
        if not fallback:
            return self.out_node(use, frame) if turned is None else self.turned_back(turned, frame)
        made = self.variable("made")
        with self.block(f"if {self.is_fallback(use, frame)}:"):
            self.write(f"{made} = {frame.bind(plain_fallback(use, self.plan.shape), 'INSTEAD')}")
        with self.block("else:"):
            told = self.out_node(use, frame) if turned is None else self.turned_back(turned, frame)
            self.write(f"{made} = {told}")
        return made

    def turned_back(self, turned: WayBack, frame: Frame) -> str:
        """What a value goes out as again. What the function raises is raised: nothing is refused."""
        self.pen.carries = True
        back = carried(Own(turned.back), frame.where, hidden=frame.shown.outlined, refuses=False)
        made = self.put(f"{self.pen.bind(back, 'BACK')}({frame.value})", "")
        return self.out(turned.inner, frame.part(made)) if turned.own else made

    def _is_of(self, use: Use) -> bool:
        """Whether what stands in is of the declared type."""
        try:
            return belongs(use.replace(fallback=MISSING), use.fallback, self.plan.shape)
        except Exception:
            return False

    def out_choice(self, node: Choice, frame: Frame) -> str:
        """Most are what stands for them in the data."""
        value = frame.value
        told = f"{frame.bind(wire_of(node), 'WIRE_OF')}({value})"
        ready = choice_ready(frame, node, Reading.PLAIN, value)
        return self.put(f"{value} if {ready} else {told}" if ready else told, value)

    def out_options(self, node: Branches, frame: Frame) -> str:
        """The option that the value belongs to."""
        which, made = self.variable("which"), self.variable("made")
        belonging = self.belonging(node.options)
        self.write(f"{which} = {frame.bind(belonging, 'WHICH')}({frame.value})")
        for number, option in enumerate(node.options):
            with self.block(f"{'if' if not number else 'elif'} {which} == {number}:"):
                told = self.out(option, frame)
                self.write(f"{made} = {self.beside_tag(node, option, told, frame) if node.held else told}")
        return made

    def out_branches(self, node: Branches, use: Use, frame: Frame) -> str:
        """Its steps have run."""
        return self.out_options(node, frame)

    def belonging(self, options: Sequence[Use]) -> Callable[[Any], int]:
        """The function that tells which option a value belongs to."""
        shape, order = self.plan.shape, nearest_first(options, self.plan.shape)

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

    def computed(self, field: Field, so_far: RecordSoFar) -> str:
        """What it raises is raised: nothing is refused."""
        record = so_far.record
        self.pen.carries = True
        hidden = record.key in self.plan.shape.guarded
        asked = carried(asking(field.attribute), f"{record.name}.{field.attribute}", hidden=hidden, refuses=False)
        return self.pen.bind(asked, "COMPUTED")
