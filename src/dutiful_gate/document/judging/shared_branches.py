"""Whether branches of a document meet: whether one value can come before the same schema by several roads.

Where they do, on every level anew, judging without a memory would take twice as long with each further level.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from .keywords import active
from .library import Subschema

_LISTS = frozenset(["items", "additionalItems", "contains", "unevaluatedItems"])
_NAMED = frozenset(["properties", "prefixItems"])
# Schemas for what those beside them have no schema for: within one schema no value comes before both.
_LEFT_OVER = frozenset(["additionalProperties", "additionalItems", "unevaluatedProperties", "unevaluatedItems"])
_MOST_STEPS = 20


class Meeting:
    """Looks for such places in the schemas of one document.

    `beside` holds the schemas that judge the same value as each does, `held` those of the parts of the value.
    Of a document too entangled to follow within a fixed number of steps for each schema, it is said that they meet.
    """

    def __init__(self, beside: Mapping[Subschema, list[Subschema]], held: Mapping[Subschema, list[Subschema]]) -> None:
        self.beside = beside
        self.held = held
        self.left = _MOST_STEPS * (len(held) + 50)
        self.around: dict[Subschema, dict[Subschema, None] | None] = {}

    def at(self, root: Subschema) -> bool:
        """Whether any branches meet."""
        parts = (subschema for subschemas in self.held.values() for subschema in subschemas)
        return any(self._meets_at(entry) for entry in dict.fromkeys([root, *parts]))

    def _meets_at(self, entry: Subschema) -> bool:
        """Whether they meet from where a value comes in, or from there in one of its parts."""
        here = self._around(entry)
        if here is None:
            return True
        subschemas = [(node, subschema) for node in here for subschema in self.held.get(node, ())]
        return len(subschemas) > 1 and any(self._share(group) for group in _of_one_part(subschemas))

    def _share(self, subschemas: Iterable[Subschema]) -> bool:
        """Whether a part comes before one schema by two of these."""
        seen: set[Subschema] = set()
        for subschema in subschemas:
            around = self._around(subschema)
            if around is None:
                return True
            for node in around:
                if node in seen and self._leads_on(node):
                    return True
            seen.update(around)
        return False

    def _around(self, entry: Subschema) -> dict[Subschema, None] | None:
        """The schemas that judge a value with this one; None where it comes before one of them twice."""
        if entry not in self.around:
            self.around[entry] = self._found_around(entry)
        return self.around[entry]

    def _found_around(self, entry: Subschema) -> dict[Subschema, None] | None:
        found: dict[Subschema, None] = {entry: None}
        waiting = [entry]
        while waiting:
            for node in self.beside.get(waiting.pop(), ()):
                self.left -= 1
                if self.left < 0:
                    return None
                if node not in found:
                    found[node] = None
                    waiting.append(node)
                elif self._leads_on(node):
                    return None
        return found

    def _leads_on(self, node: Subschema) -> bool:
        """Whether there is more to judge than its own words."""
        return bool(self.beside.get(node) or self.held.get(node))


def _of_one_part(subschemas: list[tuple[Subschema, Subschema]]) -> Iterable[list[Subschema]]:
    """The schemas of parts, in groups of those that may come to judge the same part."""
    named: dict[tuple[str, object], dict[Subschema, Subschema]] = {}
    loose: list[tuple[Subschema, str, Subschema]] = []
    names: list[Subschema] = []
    for node, subschema in subschemas:
        word, *more = subschema.steps[len(node.steps) :]
        of_place = more and (word in _NAMED or (word == "items" and isinstance(active(node)["items"], list)))
        if word == "propertyNames":
            names.append(subschema)
        elif of_place:
            named.setdefault(("list" if word in ("prefixItems", "items") else "record", more[0]), {})[node] = subschema
        else:
            loose.append((node, str(word), subschema))
    yield names
    for of_list in (True, False):
        group = [each for each in loose if (each[1] in _LISTS) is of_list]
        yield [subschema for _, _, subschema in group]
        for (kind, _), own in named.items():
            if (kind == "list") is of_list:
                others = [
                    subschema
                    for node, word, subschema in group
                    if (word not in _LEFT_OVER and (word != "items")) or node not in own
                ]
                yield [*own.values(), *others]
