"""A service held against its consumer: whether all that one releases, the other admits."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

from ..declare.json_pointer import joined
from .comparison import Answer, Told, hide_secrets
from .one_version import LIMITED, OneVersion, documents_of
from .walk import SideBySide
from .witnesses import Accepting, Witnesses

_SAMPLED: Final = 300


class ConsumerAgreement:
    """Whether all that a producer releases, a consumer admits.

    `answer`   "unharmed": proved; "broken": `found` has counter-examples; "unclear": neither, and `reasons` says why
    `found`    what the consumer refuses, each with the smallest instance
    `sampled`  how many sound values of the producer were released and read by the consumer
    """

    def __init__(self, found: list[Told], reasons: list[str], sampled: int) -> None:
        self.found = found
        self.reasons = reasons
        self.sampled = sampled

    @property
    def answer(self) -> Answer:
        """What holds."""
        if any(each.refused is not None for each in self.found):
            return "broken"
        return "unclear" if self.reasons else "unharmed"

    def as_dict(self) -> dict[str, object]:
        """The same as plain JSON data."""
        return {
            "answer": self.answer,
            "sampled": self.sampled,
            "why": self.reasons,
            "found": [each.as_dict() for each in self.found],
        }


def agreement_of(
    producer: OneVersion, consumer: OneVersion, *, samples: int = _SAMPLED, seed: int = 0
) -> ConsumerAgreement:
    """Hold what one version releases against what another admits; the same for the same seed."""
    released, wanted = documents_of(producer)[1], documents_of(consumer)[0]
    values = producer.releases(samples, seed)
    witnesses = Witnesses(Accepting.released(producer, released, 16, seed), Accepting.sent(consumer, wanted, 16, seed))
    found, reasons = [], []
    for change in SideBySide(released, wanted).changes():
        if not change.narrows:
            continue
        pointer = joined(change.path)
        refused = witnesses.of(change, change.old)
        if refused is None:
            reasons.append(f"{pointer or '(the whole)'}: {change.words}: no instance shows it, and there is no proof")
        else:
            found.append(Told(pointer, _as_said(change.words), "release", refused))
    for value in values:
        at = consumer.refuses(value)
        if at and not any(_covers(each.pointer, pointer) for each in found for pointer in at):
            found.append(Told(at[0], "refused by a rule that no document states", "release", witnesses.least_of(value)))
            break
    reasons += _of_gates(producer, consumer)
    if not any(each.pointer == "" or "rule" in each.words for each in found):
        reasons += _beyond(producer, consumer)
    hide_secrets(found, producer, consumer)
    return ConsumerAgreement(found, reasons, len(values))


def _of_gates(producer: OneVersion, consumer: OneVersion) -> Iterator[str]:
    """What the consumer's gate refuses, whatever its document says."""
    if consumer.notes["reads"] != "json":
        yield f"the consumer reads {consumer.notes['reads']}, and what comes out is JSON"
    for name, what in LIMITED.items():
        most, wanted = producer.notes["limits"][name], consumer.notes["limits"][name]
        if wanted < most:
            yield f"the consumer takes at most {wanted:,} {what}, and the producer's own limit is {most:,}"


def _as_said(words: str) -> str:
    """The words of a change between versions, as of two that stand side by side."""
    return (
        words.replace(", was ", "; what comes is ").replace("new, must be there", "must be there").replace("now ", "")
    )


def _covers(pointer: str, at: str) -> bool:
    wanted, steps = pointer.split("/"), at.split("/")
    return len(steps) >= len(wanted) - 1 and all(want in ("*", step) for want, step in zip(wanted, steps, strict=False))


def _beyond(producer: OneVersion, consumer: OneVersion) -> list[str]:
    """The rules of the consumer that no document states, and that the producer does not ask of what it releases."""
    asked = [{**each, "passing": False} for each in producer.notes["unstated"] if not each["passing"]]
    lacking = [each for each in consumer.notes["unstated"] if each not in asked]
    return [
        f"{each['at'] or '(the whole)'}: {each['rule']}: a rule of the consumer that no document states"
        for each in lacking
    ]


__all__ = ["ConsumerAgreement", "agreement_of"]
