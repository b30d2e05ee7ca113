"""Conditions of records as Python source, joined."""

from __future__ import annotations

from collections.abc import Sequence

from ...codegen.layout import TEXTS

_MOST_OPTIONS = 6
TRUE = "True"


class Unsayable(Exception):
    """There are no words for it."""


def _parts(told: Sequence[str]) -> list[str]:
    return [each for each in dict.fromkeys(told) if each != TRUE]


def bracketed(told: str) -> str:
    """A condition that `&` and `|` can stand beside."""
    return told if is_whole(told) else f"({told})"


def asks_value(test: str, at: str) -> bool:
    """Whether a condition is one that does not hold where a value is absent."""
    return is_whole(test) and test.startswith((f"{at}.", f"({at} ", f"({at}."))


def is_whole(told: str) -> bool:
    """Whether a condition is one, and not several that are joined."""
    depth = 0
    for letter in TEXTS.sub("t", told):
        depth += (letter in "([{") - (letter in ")]}")
        if not depth and letter in " &|":
            return False
    return True


def both(told: Sequence[str]) -> str:
    """That all of some conditions hold."""
    parts = _parts(told)
    return " & ".join(map(bracketed, parts)) if len(parts) > 1 else parts[0] if parts else TRUE


def either(told: Sequence[str]) -> str:
    """That one of some conditions holds at least. Raises Unsayable where there is none."""
    if TRUE in told:
        return TRUE
    parts = _parts(told)
    if not parts:
        raise Unsayable
    return " | ".join(map(bracketed, parts)) if len(parts) > 1 else parts[0]


def opposite(told: str) -> str:
    """That a condition does not hold. Raises Unsayable for one that always does."""
    if told == TRUE:
        raise Unsayable
    return told[1:] if told.startswith("~") and is_whole(told) else f"~{bracketed(told)}"


def exactly_one(options: Sequence[str]) -> str:
    """That one of some conditions holds, and no other."""
    if len(options) == 1:
        return options[0]
    if len(options) > _MOST_OPTIONS or TRUE in options:
        raise Unsayable
    return either(
        [
            both([each if at == number else opposite(each) for at, each in enumerate(options)])
            for number in range(len(options))
        ]
    )


def bare(told: str) -> str:
    """Without the brackets that a comparison needs beside others."""
    return told[1:-1] if told.startswith("(") and told.endswith(")") and is_whole(told) and _closes_last(told) else told


def _closes_last(told: str) -> bool:
    """Whether the first bracket is closed by the last one."""
    depth, without_texts = 0, TEXTS.sub("t", told)
    for at, letter in enumerate(without_texts):
        depth += (letter == "(") - (letter == ")")
        if not depth:
            return at == len(without_texts) - 1
    return False
