"""Catalogues: the words of messages in other languages, for `speaking(...)`."""

from .report.catalogue import ENGLISH, Catalogue, speaking
from .report.german import GERMAN
from .report.languages import holes

__all__ = ["ENGLISH", "GERMAN", "Catalogue", "holes", "speaking"]
