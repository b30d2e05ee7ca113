"""Whether the native core reads for the gates of this process."""

from __future__ import annotations


def native_core() -> str:
    """The version of the native core that reads, or in words why none does, such as "not installed"."""
    from ..engine.native.core import core

    return core()[1]
