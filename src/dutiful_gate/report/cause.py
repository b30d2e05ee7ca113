"""What a fault says, settled when the gate is built; the words are put together only when someone reads them."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from functools import cached_property

from ..declare.values import Value
from .catalogue import spoken
from .show import LONGEST, plainly, quoted, shown

_SLOT = r"\{([a-z_]+)\}"
_LONGEST_KEY = 200
HIDDEN = "a hidden value"
_NO_NUMBERS: Mapping[str, object] = {}


class Cause(Value):
    """The code, the wording and the numbers that faults of one origin share.

    `needs` is a template with slots named after `expected`, and `{phrase}` for the kind of value.
    `got` says what is told of what came: "value", "length", or else the words themselves.
    """

    code: str
    needs: str
    expected: Mapping[str, object] = _NO_NUMBERS
    phrase: str = ""
    got: str = "value"
    own_words: str | None = None
    label: str = ""
    secret: bool = False

    def of(self, code: str, needs: str) -> Cause:
        """A cause at the same field for a value that could not be read."""
        return self.but(code=code, needs=needs, expected={}, phrase="", got="value", own_words=None)

    def numbers(self, given: object) -> Mapping[str, object]:
        """The rule's numbers by name, for one value that came."""
        return self.expected

    @cached_property
    def tell(self) -> Callable[[object, object], str]:
        """The function that words a message of what came, and of what the steps had made of it when a rule failed.

        All that is the same whatever came is put together once.
        """
        if self.own_words is not None:
            return self._tell_in_own_words
        label = f"{self.label} " if self.label else ""
        opening = f"{label}{spoken('needs')} {_filled(spoken(self.needs), self._slots())};"
        if self.code == "absent":
            return _always(f"{opening} {spoken('none came')}")
        opening = f"{opening} {spoken('got')}"
        if self.got == "length":
            return lambda given, value: f"{opening} {len(value):,}"  # type: ignore[arg-type]
        if self.got != "value" or self.secret:
            return _always(f"{opening} {spoken(HIDDEN if self.got == 'value' else self.got)}")
        if self.code == "kind":
            return lambda given, value: f"{opening} {self._telling_text(given)}{shown(given)}"

        def tell_of_value(given: object, value: object) -> str:
            # Most of what is refused is short plain text: no further call for it.
            if given.__class__ is str and given.isprintable() and len(given) <= LONGEST:
                return f"{opening} '{given}'"
            return f"{opening} {shown(given)}"

        return tell_of_value

    def _tell_in_own_words(self, given: object, value: object) -> str:
        hidden = spoken(HIDDEN) if self.secret else shown(given)
        return _filled(self.own_words or "", {**self._slots(), "given": hidden})

    def _telling_text(self, given: object) -> str:
        """Where the kind is wrong, text is called text: '12' alone might be taken for the number."""
        return f"{spoken('the text')} " if isinstance(given, str) else ""

    def _slots(self) -> dict[str, str]:
        numbers = {name: plainly(number) for name, number in self.expected.items()}
        return {**numbers, "phrase": spoken(self.phrase), "label": self.label}


def _always(text: str) -> Callable[[object, object], str]:
    return lambda given, value: text


class UnknownKey(Cause):
    """A key nobody declared; what is given is the key itself. The nearest known one is looked for only when asked."""

    code: str = "unknown"
    needs: str = ""
    known: tuple[str, ...] = ()

    @cached_property
    def tell(self) -> Callable[[object, object], str]:
        """The function that words a message of the key, with the one that may have been meant."""
        return self._tell_of_key

    def _tell_of_key(self, given: object, value: object) -> str:
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
    return re.sub(_SLOT, lambda slot: slots.get(slot[1], slot[0]), template)
