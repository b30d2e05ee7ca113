"""A release check: whom does the next version of a shape break? The test fails where somebody breaks, with an instance.

Run it: `python examples/release_check.py`, or put it among your tests. In CI the command does the same against the main
branch: `dutiful compare harbour.shapes:Booking@main harbour.shapes:Booking --for senders --format markdown`.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from dutiful_gate import it, trimmed
from dutiful_gate.versions import breaks, compare


@dataclass
class Line:
    """A line of the manifest, as it is in use."""

    booking: Annotated[str, it.matches(r"[A-Z]{3}-[0-9]{6}")]
    weight_kg: Annotated[float, it > 0, it <= 26_000]
    contents: Annotated[str, trimmed, it.length.between(2, 80)]
    priority: Literal["standard", "urgent"] = "standard"


@dataclass
class NextLine:
    """The same as it is to be released."""

    booking: Annotated[str, it.matches(r"[A-Z]{3}-[0-9]{6}")]
    weight_kg: Annotated[float, it > 0, it <= 30_000]
    contents: Annotated[str, trimmed, it.length.between(2, 60)]
    priority: Literal["standard", "urgent", "late"] = "standard"
    berth: int | None = None


def test_senders_go_on_as_before() -> None:
    assert not breaks(Line, NextLine, of="senders"), breaks(Line, NextLine, of="senders")


def main() -> None:
    """Print what changed, and whether the test would pass."""
    found = compare(Line, NextLine, names=("in use", "next"))
    for change in found.changes:
        if change.of == "send":
            print(f"{change.direction:10} {change.pointer:12} {change.words}")
            if change.refused is not None:
                print("           now refused:", change.refused.instance)
    print("senders:", found.senders, "- readers:", found.readers)
    try:
        test_senders_go_on_as_before()
    except AssertionError as error:
        print("the test fails:", str(error).splitlines()[0])


if __name__ == "__main__":
    main()
