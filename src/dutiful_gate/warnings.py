"""The warnings that declarations may give rise to, for the filters of a program's own."""

from .regex.cost import RunawayPattern

__all__ = ["RunawayPattern"]
