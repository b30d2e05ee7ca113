"""A rule on the media type of a file."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..declare.errors import DeclarationError
from ..declare.rules.holds import Holds, holds

if TYPE_CHECKING:
    from ..declare.uploads import UploadedFile


def of_type(*types: str, unverified: bool = True) -> Holds:
    """The file is of one of these media types, such as "application/pdf", or "image/*" for any image.

    Without `unverified`, its first bytes must have said so: what the client said alone is not enough. Raises
    DeclarationError for what is no media type.
    """
    for each in types:
        if each.count("/") != 1 or not all(each.split("/")):
            raise DeclarationError(f"{each!r} is no media type", remedy='as in of_type("application/pdf", "image/*")')
    wanted = frozenset(each.lower() for each in types)

    def is_of_type(file: UploadedFile) -> bool:
        half = file.media_type.partition("/")[0]
        return (file.verified or unverified) and not wanted.isdisjoint([file.media_type, f"{half}/*"])

    return holds(is_of_type, says=f"needs a file of one of these types: {', '.join(types)}")
