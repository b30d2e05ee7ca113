"""What is raised where no sound value is found."""

from __future__ import annotations

from typing import Final

TRIES: Final = 80
"""So often a value is tried."""


class CannotSample(Exception):
    """No sound value was found; says for which field, and what to do about it."""

    def __init__(self, name: str, phrase: str) -> None:
        super().__init__(
            f"{name or 'the value'}: no sound value was found in {TRIES} tries for {phrase} with its rules; "
            "give one beside it, as in about(examples=[...])"
        )

    @classmethod
    def fixed(cls, name: str, why: str) -> CannotSample:
        """For values that were to be fixed."""
        made = cls.__new__(cls)
        Exception.__init__(made, f"{name}: {why}" if name else why)
        return made

    @classmethod
    def too_large(cls, name: str, what: str) -> CannotSample:
        """For what would be larger than anybody wants a sample to be."""
        return cls.fixed(name, f"{what} is more than a sample is made of; give one, as in about(examples=[...])")

    @classmethod
    def of_document(cls, place: str, schemas: str) -> CannotSample:
        """For a place in data that schemas want something of."""
        made = cls.__new__(cls)
        Exception.__init__(
            made,
            f'{place or "the whole"}: no sound value was found for {schemas}; give one there, as in "examples": [...]',
        )
        return made
