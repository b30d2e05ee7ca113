"""The words of messages in the reader's language. English is the language they are written in."""

from __future__ import annotations


def spoken(words: str) -> str:
    """A phrase or template in the language in force."""
    return words
