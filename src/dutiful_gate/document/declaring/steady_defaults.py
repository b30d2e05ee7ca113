"""Defaults that must go: those that change what a schema around says, or that would stand in themselves."""

from __future__ import annotations

import re
from collections.abc import Sequence

from ..judging.library import Subschema
from .classes import Class
from .module_state import ModuleState
from .record_rules import is_steady, looked_into

_NAMES = re.compile(r"[A-Za-z_]\w*")


class SteadyDefaults:
    """Looks over the defaults of the classes of a module, once all are known."""

    def __init__(self, page: ModuleState, classes: Sequence[Class]) -> None:
        self.page = page
        self.classes = classes

    def leave_looked_at(self) -> None:
        """Leave out defaults of records of which a record around them asks what came."""
        by_name = {made.name: made for made in self.classes}
        held = self.held_names()
        seen: set[tuple[str, Subschema]] = set()
        waiting = [(made, node) for made in self.classes for node in made.asking]
        while waiting:
            made, node = waiting.pop()
            if (made.name, node) in seen:
                continue
            seen.add((made.name, node))
            for name, inner in looked_into(self.page, node):
                for field in made.fields:
                    if field.wire != name:
                        continue
                    for each in self.reached(set(_NAMES.findall(field.type)), held, through=set(held) - set(by_name)):
                        if each in by_name:
                            self.keep_steady(by_name[each], inner)
                            waiting.append((by_name[each], inner))

    def keep_steady(self, made: Class, asking: Subschema) -> None:
        """Leave out the defaults of a class that change what a schema says of its records."""
        for field in made.fields:
            if field.default and not is_steady(self.page, [asking], field.wire, field.plain):
                place = self.page.place(field.part[0].node)
                self.page.left_out.append(f"{place}: a record around it asks which properties came")
                field.default, field.plain = "", None

    def held_names(self) -> dict[str, set[str]]:
        """The names that stand in each class and each alias."""
        held = {made.name: set(_NAMES.findall(" ".join(field.type for field in made.fields))) for made in self.classes}
        named = (line.partition(" = ") for line in self.page.aliases)
        return held | {name: set(_NAMES.findall(told)) for name, _, told in named}

    def reached(self, start: set[str], held: dict[str, set[str]], *, through: set[str]) -> set[str]:
        """The names that lead on from some, looking into those in `through` only."""
        found: set[str] = set()
        waiting = [name for name in start if name in held]
        while waiting:
            name = waiting.pop()
            if name not in found:
                found.add(name)
                waiting += [each for each in held[name] if each in held] if name in through else []
        return found

    def break_circles(self) -> None:
        """Leave out defaults that are read as a record in which they would stand again, without an end."""
        held = self.held_names()
        for made in self.classes:
            for field in made.fields:
                if field.has_python_default or not isinstance(field.plain, dict | list) or not field.default:
                    continue
                if made.name in self.reached(set(_NAMES.findall(field.type)), held, through=set(held)):
                    place = self.page.place(field.part[0].node)
                    self.page.left_out.append(f"{place}: it would stand in itself without an end")
                    field.default, field.plain = "", None
