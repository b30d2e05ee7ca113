"""What a fault says, settled when the gate is built; the words are put together only when someone reads them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence, Sized
from functools import cached_property
from typing import ClassVar

from ..declare.facts import FoundLater, Got
from ..declare.phrases import Phrase, filled, part_told, worded
from ..declare.values import Value
from .catalogue import Catalogue, in_force
from .nearest_name import nearest
from .shown_values import plainly, quoted, shown

HIDDEN = "a hidden value"
HIDDEN_CONDITION = "something hidden holds"
_NO_NUMBERS: Mapping[str, object] = {}
_Told = tuple[Catalogue | None, Callable[[object, object], str]]


class Cause(Value):
    """The code, the wording and the numbers that faults of one origin share.

    `needs` is a template with slots named after `expected`, and `{phrase}` for the kind of value.
    `got` says what is told of what came, or is the words for it.
    `json` tells that the data is JSON: then a list is an array and a record an object, as JSON calls them.
    `keyword` is where the rule stands in a JSON Schema document, for a gate that was made of one.
    `of_key` tells that the key itself is at fault, not the value under it.
    """

    code: str
    needs: str
    expected: Mapping[str, object] = _NO_NUMBERS
    phrase: str = ""
    got: Got | str = Got.VALUE
    own_words: str | None = None
    label: str = ""
    secret: bool = False
    keyword: str = ""
    json: bool = False
    of_key: bool = False

    _last: ClassVar[_Told] = (None, lambda given, value: "")

    def of(self, code: str, needs: str) -> Cause:
        """A cause at the same field for a value that could not be read."""
        return self.replace(code=code, needs=needs, expected={}, phrase="", got=Got.VALUE)

    def numbers(self, given: object) -> Mapping[str, object]:
        """The rule's numbers by name, for one value that came."""
        return self.expected

    def tell(self, given: object, value: object) -> str:
        """The message of what came, and of what the steps had made of it when a rule failed."""
        catalogue = in_force()
        last = self._last
        if last[0] is not catalogue:
            last = self._teller_in(catalogue)
        return last[1](given, value)

    @property
    def wanted(self) -> str:
        """What would pass, in the language that is spoken: "2 to 80 characters"."""
        return self.wanted_in(in_force())

    def wanted_in(self, catalogue: Catalogue) -> str:
        """The same in one language."""
        known = self._wantings.get(id(catalogue))
        if known is None or known[0] is not catalogue:
            words = worded(self.needs, catalogue.spoken, self._slots(catalogue))
            known = self._wantings[id(catalogue)] = (catalogue, words)
        return known[1]

    @cached_property
    def _wantings(self) -> dict[int, tuple[Catalogue, str]]:
        return {}

    def _teller_in(self, catalogue: Catalogue) -> _Told:
        """The words in a language, kept, and kept at hand until another is asked for."""
        tellers = self._tellers
        known = tellers.get(id(catalogue))
        if known is None or known[0] is not catalogue:
            known = tellers[id(catalogue)] = (catalogue, self._teller(catalogue))
        self.__dict__["_last"] = known
        return known

    @cached_property
    def _tellers(self) -> dict[int, _Told]:
        return {}

    def _teller(self, catalogue: Catalogue) -> Callable[[object, object], str]:
        """The function that words a message: all that is the same whatever came is put together once."""
        spoken = catalogue.spoken
        if self.own_words is not None:
            return lambda given, value: self._in_own_words(catalogue, given)
        # Each message is one template, so that a language may put its parts in another order.
        subject = spoken("its key") if self.of_key else self.label
        slots = {"label": subject, "wanted": self.wanted_in(catalogue)}

        def whole(template: str) -> str:
            labelled = f"{{label}} {template}"
            return spoken(template) if not subject else catalogue.words.get(labelled, f"{{label}} {spoken(template)}")

        if self.code == "absent":
            came = worded(self.got if isinstance(self.got, str) else "none came", spoken)
            return _always(filled(whole("needs {wanted}; {came}"), {**slots, "came": came}))
        before, after = _around_given(whole("needs {wanted}; got {given}"), slots)
        if self.got is Got.LENGTH and not self.secret:
            return lambda given, value: f"{before}{_size_of(value)}{after}"
        if isinstance(self.got, str) or self.secret:
            return _always(before + worded(self.got if isinstance(self.got, str) else HIDDEN, spoken) + after)
        json = self.json
        if self.code == "kind":
            # Where the kind is wrong, text is called text: '12' alone might be taken for the number.
            text, behind = _around_given(whole("needs {wanted}; got the text {given}"), slots)
            return lambda given, value: (
                f"{text}{shown(given, spoken, json=json)}{behind}"
                if isinstance(given, str)
                else f"{before}{shown(given, spoken, json=json)}{after}"
            )
        return lambda given, value: f"{before}{shown(given, spoken, json=json)}{after}"

    def said_as(self, sentence: str, given: object, field: str) -> str:
        """A message in words of one's own, with what would pass, what came, and the field in its slots."""
        catalogue = in_force()
        hidden = self.secret or (self.code == "absent" and isinstance(self.got, str))
        came = worded(HIDDEN if self.secret else str(self.got), catalogue.spoken) if hidden else ""
        slots = {**self._slots(catalogue), "wanted": self.wanted, "label": self.label or field}
        return filled(sentence, {**slots, "given": came or shown(given, catalogue.spoken, json=self.json)})

    @property
    def has_own_words(self) -> bool:
        """Whether the declaration says it in words of its own."""
        return self.own_words is not None

    def found_in(self, value: object) -> Cause:
        """The same with words for one value, where more is known once that is looked at."""
        words = self.got.found(value) if isinstance(self.got, FoundLater) else None
        return self if words is None else self.replace(got=words)

    def _in_own_words(self, catalogue: Catalogue, given: object) -> str:
        words = catalogue.spoken(self.own_words or "")
        came = catalogue.spoken(HIDDEN) if self.secret else shown(given, catalogue.spoken, json=self.json)
        return filled(words, {**self._slots(catalogue), "given": came})

    def _slots(self, catalogue: Catalogue) -> dict[str, str]:
        numbers = {name: _told(number, catalogue.spoken) for name, number in self.expected.items()}
        return {**numbers, "phrase": worded(self.phrase, catalogue.spoken), "label": self.label}


def _around_given(template: str, slots: Mapping[str, str]) -> tuple[str, str]:
    """What stands before and behind what came."""
    before, _, after = template.partition("{given}")
    return filled(before, slots), filled(after, slots)


def _size_of(value: object) -> str:
    """How long a value is, where it has a length."""
    return f"{len(value):,}" if value.__class__ is str or isinstance(value, Sized) else shown(value)


def _always(text: str) -> Callable[[object, object], str]:
    return lambda given, value: text


class UnknownKey(Cause):
    """A key nobody declared; what is given is the key itself. The nearest known one is looked for only when asked."""

    code: str = "unknown"
    needs: str = ""
    known: tuple[str, ...] = ()
    of_key: bool = True

    def tell(self, given: object, value: object) -> str:
        """The message of the key, with the one that may have been meant."""
        spoken = in_force().spoken
        near = self.numbers(given).get("near")
        text = spoken("is not a known key")
        return f"{text}; {spoken('did you mean')} {quoted(str(near))}?" if near else text

    @property
    def wanted(self) -> str:
        """What is wrong with such keys."""
        return in_force().spoken("a known key")

    def numbers(self, given: object) -> Mapping[str, object]:
        """The nearest known key, if one is near."""
        near = nearest(given, self.known) if isinstance(given, str) else ""
        return {"near": near} if near else {}


def _told(number: object, spoken: Callable[[str], str]) -> str:
    """A number or name of a rule as it stands in a message; what is made of words is told in the language spoken."""
    if isinstance(number, Phrase):
        return plainly(number.told(spoken))
    if isinstance(number, list | tuple) and any(isinstance(each, Phrase) for each in number):
        return plainly([part_told(each, spoken) for each in number])
    return plainly(number)


def none_of_these(phrases: Sequence[str], both: str = "{one} or {other}") -> Cause:
    """The cause of a value that is none of some; `both` are the words for two of them."""
    told = list(dict.fromkeys(phrases))
    if len(told) != 2:
        return Cause("branch", "one of these: {options}" if len(told) > 2 else "{options}", {"options": told})
    return Cause("branch", "{phrase}", {"options": told}, phrase=Phrase(both, one=told[0], other=told[1]))


UNREADABLE = Cause("kind", "data that can be read", got="something that cannot")
"""Of data as a whole that raises when it is asked what it is."""
