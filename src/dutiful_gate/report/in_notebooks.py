"""What gates, documents and verdicts look like in a notebook.

They stand below the room that draws trees. What a notebook asks for is looked up there when it asks: the one place
where a lower room reaches up, so that nobody else has to.
"""

from __future__ import annotations

from importlib import import_module


class DrawnInNotebooks:
    """Something that a notebook draws as a tree."""

    __slots__ = ()

    def _repr_html_(self) -> str:
        """The tree as HTML, as notebooks ask for it; no secret is in it."""
        drawn: str = import_module("dutiful_gate.outline.in_notebooks").drawn(self)
        return drawn
