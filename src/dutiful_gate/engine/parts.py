"""Reads parts of one shape, each by itself: the functions of its records are written once for all of them."""

from __future__ import annotations

from ..codegen.unit import Unit
from ..shape.uses import Use
from .depth import may_be_deeper
from .engine import Engine
from .plan import Plan
from .walk.frame import Aim
from .walk.pen import Pen
from .walk.quick import Quick
from .walk.telling import Telling


class Parts:
    """The engines of parts of a plan's shape, made as they are asked for."""

    def __init__(self, plan: Plan) -> None:
        self.plan = plan
        self.bottomless = may_be_deeper(plan.shape, plan.limits.depth)
        self._quick = Quick(plan, Pen(), Aim())
        self._telling = Telling(plan)
        # The uses are kept, so that their marks stay their own.
        self._engines: dict[int, tuple[Use, Engine]] = {}

    def engine(self, use: Use) -> Engine:
        """What reads one part."""
        if id(use) not in self._engines:
            self._engines[id(use)] = use, _EngineOfPart(self, use)
        return self._engines[id(use)][1]

    def quick_unit(self, use: Use) -> Unit:
        """The quick function of a part."""
        return self._quick.unit(use, f"{self.plan.shape.name} part sound")

    def telling_unit(self, use: Use) -> Unit:
        """The function that collects the faults of a part."""
        return self._telling.unit(use, f"{self.plan.shape.name} part faults")


class _EngineOfPart(Engine):
    """Reads one part; classes are taken to stay as they are meanwhile."""

    def __init__(self, parts: Parts, use: Use) -> None:
        super().__init__(parts.plan)
        self._parts = parts
        self._use = use
        self.bottomless = parts.bottomless

    def _quick_unit(self) -> Unit:
        return self._unit("sound", lambda: self._parts.quick_unit(self._use))

    def _telling_unit(self) -> Unit:
        return self._unit("collect", lambda: self._parts.telling_unit(self._use))
