"""What a client would take: `Accept` and `Accept-Language` (RFC 9110, section 12.5)."""

from __future__ import annotations

from collections.abc import Sequence

from ..report.catalogue import ENGLISH, Catalogue
from .head import media_type


def weighed(header: str) -> list[tuple[str, float]]:
    """The ranges of such a header with their weights, the heaviest first; what cannot be read is passed over."""
    found = []
    for each in header.split(","):
        word, words = media_type(each)
        try:
            weight = float(words.get("q", "1"))
        except ValueError:
            continue
        if word and 0 <= weight <= 1:
            found.append((word, weight))
    return sorted(found, key=lambda pair: -pair[1])


def chosen_media(header: str | None, offered: Sequence[str]) -> str | None:
    """The media type that a client would rather have, of those that are offered; None where it takes none of them."""
    if header is None or header in ("*/*", "") or not header.strip():
        return offered[0] if offered else None
    if header in offered:
        return header
    ranges = weighed(header)
    barred = {word for word, weight in ranges if weight == 0}
    for word, weight in ranges:
        for media in offered if weight else ():
            whole, half = word == media, word.endswith("/*") and media.startswith(word[:-1])
            if (whole or half or word == "*/*") and media not in barred:
                return media
    return None


def chosen_language(header: str | None, catalogues: Sequence[Catalogue]) -> Catalogue:
    """The catalogue of the language that a client would rather read; English where it names none at hand."""
    for word, weight in weighed(header) if header and catalogues else ():
        for catalogue in (ENGLISH, *catalogues) if weight else ():
            if word == "*" or word.split("-")[0] == catalogue.language.lower().split("-")[0]:
                return catalogue
    return ENGLISH
