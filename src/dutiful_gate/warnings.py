"""The warnings that declarations may give rise to, for the filters of a program's own."""

from .document.judging.idle_words import IdleKeyword
from .regex.cost import RunawayPattern

__all__ = ["IdleKeyword", "RunawayPattern"]
