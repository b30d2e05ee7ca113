"""The way to one value through its gate: records, lists, maps, unions, and what stands in for what did not come."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final

from ..declare.json_pointer import below
from ..declare.kinds import Anything
from ..declare.sealed import Sealed
from ..declare.sources import Reading
from ..engine.plan import is_text
from ..engine.rest_fields import sorter_of
from ..engine.runtime import HIDDEN_KEY
from ..report.fault import Path
from ..shape.nodes import (
    MISSING,
    Alias,
    Branches,
    Entries,
    Fixed,
    Items,
    Link,
    Nullable,
    Record,
    Scalar,
    Sealing,
    Use,
    default_of,
)
from ..shape.stages import stages_of
from ..shape.walk import holds_secret
from .answers import Answers

_MOST_FAULTS: Final = 100_000


class Follower(Answers):
    """Goes down to one value and asks what becomes of it; what happens on the way is told too."""

    def follow(self, use: Use, held: Any, steps: tuple[str, ...]) -> Path:
        """Go down to the value, and tell what becomes of it; gives back its path."""
        for number, step in enumerate(steps):
            self.now = number
            use, held = self.opened(use, held)
            found = self.under(use, held, step)
            if found is None:
                return self.path
            use, held = found
            if held is MISSING:
                return self.absent(use, steps[number + 1 :])
        self.value(use, held)
        for key, outer, record, attribute in reversed(self.around):
            self.record_rules(key, outer, record, attribute)
        return self.path

    def opened(self, use: Use, held: Any) -> tuple[Use, Any]:
        """What stands at a use, without null, names and unions around it, as far as the value tells."""
        while True:
            self.hidden = self.hidden or use.secret
            if use.source is not None:
                self.reading = use.source.reading
            before = stages_of(use, self.reading).via
            if before is not None:
                use = before
                continue
            match use.node:
                case Nullable(inner):
                    use = inner
                case Sealing(inner):
                    use, held = inner, held.opened() if isinstance(held, Sealed) else held
                case Alias(key):
                    use = self.shape.aliases[key]
                case Branches() as node:
                    chosen = self.chosen(node, held)
                    if chosen is None:
                        return use, held
                    if node.held:
                        self.path = (*self.path, node.held)
                        held = held.get(node.held) if isinstance(held, Mapping) else None
                    use = chosen
                case _:
                    return use, held

    def under(self, use: Use, held: Any, step: str) -> tuple[Use, Any] | None:
        """What stands under one step."""
        match use.node:
            case Link(key):
                return self.field(self.shape.records[key], use, held, step)
            case Items() | Fixed() if (found := below(held, step)) is not None and isinstance(found[0], int):
                inner = use.node.item if isinstance(use.node, Items) else use.node.at(found[0])
                if inner is not None:
                    self.path = (*self.path, found[0])
                    return inner, found[1]
            case Entries(key, value) if isinstance(held, Mapping) and step in held:
                self.to_key(step, hidden=self.hidden or key.secret)
                self.key(use, key, held, step)
                return value, held[step]
        self.tell("ends", f"there is no {step!r} in {self.phrase(use)}")
        self.path = (*self.path, step)
        return None

    def to_key(self, step: str, *, hidden: bool) -> None:
        """Go on to what stands under a key, which a path may not show inside of a secret."""
        self.path = (*self.path, HIDDEN_KEY if hidden else step)
        if hidden:
            self.unnamed.add(self.now)

    def key(self, use: Use, key: Use, held: Mapping[str, Any], step: str) -> None:
        """Whether a key of a map is one that may be, among the others."""
        alone = use.but(node=Entries(key, Use(Scalar(Anything()))), parts=())
        among = [step] if self.hidden or key.secret else held
        _, log = self.engine(alone, self.reading).collect(dict.fromkeys(among))
        told = next((f": {fault.message}" for fault in log.told() if fault.path in ((step,), (HIDDEN_KEY,))), "")
        if told or not is_text(key):
            self.tell("key", f"as {self.phrase(key)}{told}", not told)

    def field(self, record: Record, use: Use, held: Any, step: str) -> tuple[Use, Any] | None:
        """A field of a record, by one of its names."""
        for field in record.fields:
            if step not in (field.wire, *field.also, field.attribute):
                continue
            own = [field.wire, *field.also]
            if self.reading is Reading.TYPED and record.form == "dict":
                own.append(field.attribute)  # a typed dict has its fields under the names of its class
            names = [name for name in held if name in own] if isinstance(held, Mapping) else []
            self.path = (*self.path, names[0] if names and names[0] != field.attribute else field.wire)
            self.around.append((record.key, use, held, field.attribute))
            if field.use.about.title:
                self.tell("field", f"{record.name}.{field.attribute}, {field.use.about.title}")
            else:
                self.tell("field", f"{record.name}.{field.attribute}")
            if not names and not isinstance(held, Mapping) and hasattr(held, field.attribute):
                return field.use, getattr(held, field.attribute)
            if len(names) > 1:
                self.tell("several", f"it came by several names: {', '.join(names)}", False)
                return None
            if not names:
                self.default(field)
                return field.use, MISSING
            return field.use, held[names[0]]
        self.to_key(step, hidden=self.hidden)
        if isinstance(held, Mapping) and step in held:
            return self.gathered(record, held, step)
        known = ", ".join(field.wire for field in record.fields)
        self.tell("ends", f"{record.name} has no field {step!r}; it has {known}")
        return None

    def gathered(self, record: Record, held: Mapping[str, Any], step: str) -> tuple[Use, Any] | None:
        """What becomes of a key that nobody declared."""
        number = sorter_of(self.plan, record, self.reading).which(step) if record.rests else None
        node = record.rests[number].use.bare.node if number is not None else None
        if number is not None and isinstance(node, Entries):
            self.tell("gathered", f"into {record.name}.{record.rests[number].attribute}")
            self.key(record.rests[number].use, node.key, {step: None}, step)
            return node.value, held[step]
        known = ", ".join(field.wire for field in record.fields)
        refused = bool(record.rests) or self.plan.refuses_unknown(record)
        becomes = "it is refused" if refused else "it is left out"
        self.tell("unknown", f"{record.name} has no such field: {becomes}; it has {known}", not refused)
        return None

    def default(self, field: Any) -> None:
        """What stands in for a field that did not come."""
        self.hidden = self.hidden or holds_secret(field.use, self.shape.guarded)
        if field.required:
            self.tell("absent", "nothing came, and it has no default", False)
        elif field.may_lack:
            self.tell("absent", "nothing came: it stays absent", True)
        else:
            stands = "a new one is made" if field.factory is not None else self.seen(default_of(field))
            self.tell("absent", f"nothing came: {stands} stands in", True)

    def absent(self, use: Use, left: tuple[str, ...]) -> Path:
        """The end of the way where nothing came."""
        for step in left:
            self.tell("ends", f"and so nothing stands under {step!r}")
        return self.path
