"""Files and tables that cannot be read, and how far what is packed may unfold."""

from __future__ import annotations

from typing import Final

MOST_UNPACKED: Final = 1 << 28
MOST_FOLD: Final = 500
"""What unpacks to more than a quarter of a gibibyte, and to more than 500 times its size, is no delivery of records:
one row again and again comes to some 300 times."""
MOST_OF_LITTLE: Final = 1 << 23
"""What is gzipped is told from here on: each of its lines is examined, and blank ones are many."""


class CannotStart(ValueError):
    """A file or a table that cannot be read at all; its words say what to do."""


class BrokenOff(ValueError):
    """A file that cannot be read to its end: what is packed in it breaks off, or is damaged."""
