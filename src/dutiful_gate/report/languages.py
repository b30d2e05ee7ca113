"""A new language: what a catalogue lacks, and the beginning of one."""

from __future__ import annotations

from ..declare.phrases import SLOT
from .catalogue import Catalogue
from .german import GERMAN

PHRASES = tuple(GERMAN.words)
"""Every English phrase and template of messages: German has them all."""


def holes(catalogue: Catalogue) -> tuple[str, ...]:
    """The English phrases that a catalogue does not have, or of which it loses a slot."""

    def is_hole(english: str) -> bool:
        told = catalogue.words.get(english)
        return not told or sorted(SLOT.findall(told)) != sorted(SLOT.findall(english))

    return tuple(filter(is_hole, PHRASES))


def beginning(language: str) -> str:
    """The Python source of a catalogue in which every phrase waits for its words."""
    name = "".join(sign if sign.isalnum() else "_" for sign in language).upper()
    lines = [
        f'"""Messages in {language}: write the words behind each phrase, and keep what is in braces."""',
        "",
        "from dutiful_gate import Catalogue",
        "from dutiful_gate.catalogues import holes",
        "",
        "WORDS = {",
        *(f"    {phrase!r}: ''," for phrase in PHRASES),
        "}",
        f"{name} = Catalogue({language!r}, {{english: words for english, words in WORDS.items() if words}})",
        "",
        "",
        "def test_the_catalogue_has_no_holes():",
        f"    assert holes({name}) == ()",
    ]
    return "\n".join(lines) + "\n"
