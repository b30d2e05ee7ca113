"""A rule on the media type of a file."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from ..declare.errors import DeclarationError
from ..declare.facts import Bind, Facts, FoundLater, Own
from ..declare.phrases import Phrase
from ..declare.rules.base import Face
from ..declare.rules.holds import Holds
from ..report.shown_values import quoted

if TYPE_CHECKING:
    from ..declare.uploads import UploadedFile


class OfType(Holds):
    """See `of_type`."""

    types: tuple[str, ...] = ()

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        """Its fault, which tells the type that was found."""
        got = _TypeFound("a file of another type")
        return (Face(self.condition(value, bind), "check", "a file of one of these types: {types}", got),)

    def numbers(self) -> Mapping[str, object]:
        """The types that will do."""
        return {"types": ", ".join(self.types)}

    def condition(self, value: str, bind: Bind) -> str:
        """The call of its function."""
        return f"{bind(Own(self.function), 'OF_TYPE')}({value})"

    def __str__(self) -> str:
        return f"of_type({', '.join(map(repr, self.types))})"


class _TypeFound(FoundLater):
    """The type of the file that came, and whether its first bytes or the client said it."""

    __slots__ = ()

    def found(self, value: object) -> str | None:
        file: UploadedFile = value  # type: ignore[assignment]  # the rule stands beside files alone
        told = quoted(file.media_type)
        return Phrase("{type}" if file.verified else "{type}, as the client says", type=told)


def of_type(*types: str, unverified: bool = True) -> Holds:
    """The file is of one of these media types, such as "application/pdf", or "image/*" for any image.

    Without `unverified`, its first bytes must have said so: what the client said alone is not enough. Raises
    DeclarationError for what is no media type.
    """
    for each in types:
        if each.count("/") != 1 or not all(each.split("/")):
            raise DeclarationError(f"{each!r} is no media type", remedy='as in of_type("application/pdf", "image/*")')
    if not types:
        raise DeclarationError("of_type() names no media type", remedy='as in of_type("application/pdf", "image/*")')
    wanted = frozenset(each.lower() for each in types)

    def is_of_type(file: UploadedFile) -> bool:
        half = file.media_type.partition("/")[0]
        return (file.verified or unverified) and not wanted.isdisjoint([file.media_type, f"{half}/*"])

    return OfType(is_of_type, types=tuple(types))
