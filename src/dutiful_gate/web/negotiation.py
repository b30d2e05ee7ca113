"""What a client would take: `Accept` and `Accept-Language` (RFC 9110, section 12.5)."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TypeVar

from ..report.catalogue import ENGLISH, Catalogue
from .head import media_type

T = TypeVar("T")


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

    def fits(word: str, media: str) -> int:
        if word == media:
            return 3
        return 2 if word.endswith("/*") and word != "*/*" and media.startswith(word[:-1]) else word == "*/*"

    return _chosen(weighed(header), offered, fits)


def chosen_language(header: str | None, catalogues: Sequence[Catalogue]) -> Catalogue:
    """The catalogue of the language that a client would rather read; English where it names none at hand."""
    if not header or not catalogues:
        return ENGLISH

    def fits(word: str, held: Catalogue) -> int:
        return 2 if word.split("-")[0] == held.language.lower().split("-")[0] else word == "*"

    return _chosen(weighed(header), (ENGLISH, *catalogues), fits) or ENGLISH


def _chosen(ranges: Sequence[tuple[str, float]], offered: Sequence[T], fits: Callable[[str, T], int]) -> T | None:
    """What has the greatest weight by the range that fits it most closely (RFC 9110, section 12.5.1); none of weight 0.

    Of equals, what the client named first, and then what is offered first.
    """
    best: tuple[float, int, int] | None = None
    chosen: T | None = None
    for at, each in enumerate(offered):
        found = [(fits(word, each), -place, weight) for place, (word, weight) in enumerate(ranges)]
        close, place, weight = max(found, default=(0, 0, 0.0))
        if close and weight and (best is None or (weight, place, -at) > best):
            best, chosen = (weight, place, -at), each
    return chosen
