"""What a fault says, settled when the gate is built; the words are put together only when someone reads them."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from .catalogue import spoken
from .show import plainly, quoted, shown

_SLOT = re.compile(r"\{([a-z_]+)\}")
_LONGEST_KEY = 200
HIDDEN = "a hidden value"


@dataclass(frozen=True, slots=True)
class Cause:
    """The code, the wording and the numbers that faults of one origin share.

    `needs` is a template with slots named after `expected`, and `{phrase}` for the kind of value.
    `got` says what is told of what came: "value", "length", or else the words themselves.
    """

    code: str
    needs: str
    expected: Mapping[str, object] = field(default_factory=dict)
    phrase: str = ""
    got: str = "value"
    own_words: str | None = None
    label: str = ""
    secret: bool = False

    def of(self, code: str, needs: str) -> Cause:
        """A cause at the same field for a value that could not be read."""
        return replace(self, code=code, needs=needs, expected={}, phrase="", got="value", own_words=None)

    def words(self, given: object, value: object) -> str:
        """The message: `given` is what came, `value` what the steps had made of it when the rule failed."""
        if self.own_words is not None:
            return _filled(self.own_words, self._slots(given))
        needs = _filled(spoken(self.needs), self._slots(given))
        text = f"{spoken('needs')} {needs}; {self._came(given, value)}"
        return f"{self.label} {text}" if self.label else text

    def numbers(self, given: object) -> Mapping[str, object]:
        """The rule's numbers by name, for one value that came."""
        return self.expected

    def _slots(self, given: object) -> dict[str, str]:
        return {
            **{name: plainly(number) for name, number in self.expected.items()},
            "phrase": spoken(self.phrase),
            "label": self.label,
            "given": spoken(HIDDEN) if self.secret else shown(given),
        }

    def _came(self, given: object, value: object) -> str:
        if self.code == "absent":
            return spoken("none came")
        if self.got == "length" and hasattr(value, "__len__"):
            return f"{spoken('got')} {len(value):,}"
        if self.got not in ("value", "length"):
            return f"{spoken('got')} {spoken(self.got)}"
        if self.secret:
            return f"{spoken('got')} {spoken(HIDDEN)}"
        kind = "the text " if isinstance(given, str) and self.code == "kind" else ""
        return f"{spoken('got')} {spoken(kind) if kind else ''}{shown(given)}"


@dataclass(frozen=True, slots=True)
class UnknownKey(Cause):
    """A key nobody declared; what is given is the key itself. The nearest known one is looked for only when asked."""

    code: str = "unknown"
    needs: str = ""
    known: tuple[str, ...] = ()

    def words(self, given: object, value: object) -> str:
        """The message, with the key that may have been meant."""
        near = self.numbers(given).get("near")
        text = spoken("is not a known key")
        return f"{text}; {spoken('did you mean')} {quoted(str(near))}?" if near else text

    def numbers(self, given: object) -> Mapping[str, object]:
        """The nearest known key, if one is near."""
        from difflib import get_close_matches  # only for those who read the message

        folded = {name.lower(): name for name in reversed(self.known)}
        near = get_close_matches(str(given)[:_LONGEST_KEY].lower(), folded, 1)
        return {"near": folded[near[0]]} if near else {}


def _filled(template: str, slots: Mapping[str, str]) -> str:
    return _SLOT.sub(lambda slot: slots.get(slot[1], slot[0]), template)
