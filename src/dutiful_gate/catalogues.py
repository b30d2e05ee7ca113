"""Catalogues: the words of messages in other languages, for `speaking(...)`."""

from .report.catalogue import ENGLISH, Catalogue, speaking
from .report.german import GERMAN

__all__ = ["ENGLISH", "GERMAN", "Catalogue", "speaking"]
