"""Several gates in one document."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

from ..declare.errors import DeclarationError
from ..document.dialects import WrittenDialect
from ..document.document import Document
from .typed import Gate


def bundle(
    gates: Mapping[str, Gate[Any]],
    *,
    of: Literal["send", "release"] = "send",
    dialect: WrittenDialect = "2020-12",
    formats: Literal["name", "spell-out"] = "name",
    id: str | None = None,
) -> Document:
    """One JSON Schema document of several gates, each under its name; what they have in common stands there once.

    Records that differ and have the same name are numbered. The words are those of `Gate.schema`. Raises
    DeclarationError for a gate from a document, or when a name is taken by something else.
    """
    from ..document.writing.compose import Part, bundled

    if of not in ("send", "release"):
        raise DeclarationError(f"of={of!r} is not known for a document", remedy="one of send, release")
    for name, gate in gates.items():
        if not isinstance(gate, Gate):
            raise DeclarationError(f"{name!r} is a gate from a document", remedy="hand the document itself over")
    shapes = {name: Part(gate.shape, gate.unknown == "refuse", of) for name, gate in gates.items()}
    return bundled(shapes, dialect=dialect, formats=formats, uri=id)
