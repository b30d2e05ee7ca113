"""Words of messages that are made of parts, so that each part can be told in another language."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any, Final

SLOT: Final = re.compile(r"\{\{|\}\}|\{([a-z_]+)\}")
"""A slot of a template, or a doubled brace, which stands for one."""
_NONE: Mapping[str, str] = {}


def filled(template: str, slots: Mapping[str, str]) -> str:
    """A template with what stands in its slots; a slot for which nothing stands, and a lone brace, stay as they are."""
    return SLOT.sub(lambda slot: slots.get(slot[1], slot[0]) if slot[1] else slot[0][0], template)


class Phrase(str):
    """A template with what stands in its slots, which may be phrases again: a text, in English.

    Slots for which nothing is given stay, for whoever words a fault to fill: they are among the numbers of a rule.
    """

    template: str
    slots: Mapping[str, Any]

    def __new__(cls, template: str, **slots: Any) -> Phrase:
        made = super().__new__(cls, filled(template, {name: str(held) for name, held in slots.items()}))
        made.template, made.slots = template, slots
        return made

    def told(self, spoken: Callable[[str], str], others: Mapping[str, str] = _NONE) -> str:
        """The same in another language, with what stands in the slots that were left."""
        own = {name: part_told(held, spoken, others) for name, held in self.slots.items()}
        return filled(spoken(self.template), {**others, **own})

    def __reduce__(self) -> tuple[object, ...]:
        return _again, (self.template, dict(self.slots))


class Row(Phrase):
    """Phrases one after the other, as the parts of a condition are."""

    def __new__(cls, *phrases: str, between: str = ", ") -> Row:
        made = str.__new__(cls, between.join(phrases))
        made.template, made.slots = between, {str(number): phrase for number, phrase in enumerate(phrases)}
        return made

    def told(self, spoken: Callable[[str], str], others: Mapping[str, str] = _NONE) -> str:
        """The same in another language, and so what stands between them."""
        return spoken(self.template).join(part_told(held, spoken, others) for held in self.slots.values())

    def __reduce__(self) -> tuple[object, ...]:
        return _row, (self.template, tuple(self.slots.values()))


def part_told(part: Any, spoken: Callable[[str], str], others: Mapping[str, str] = _NONE) -> str:
    """A part in another language: a phrase by its own parts; a name, a number or a value as it is."""
    return part.told(spoken, others) if isinstance(part, Phrase) else str(part)


def worded(words: str, spoken: Callable[[str], str], slots: Mapping[str, str] = _NONE) -> str:
    """Words of a message in another language, be they one template or made of several."""
    return words.told(spoken, slots) if isinstance(words, Phrase) else filled(spoken(words), slots)


def _again(template: str, slots: Mapping[str, Any]) -> Phrase:
    return Phrase(template, **slots)


def _row(between: str, phrases: tuple[str, ...]) -> Row:
    return Row(*phrases, between=between)
