"""Gates, documents and verdicts as pieces of HTML, which notebooks show below a cell."""

from __future__ import annotations

from typing import Any, Final

from ..declare.errors import DeclarationError
from ..document.document import Document
from ..gates.document import DocumentGate
from ..gates.typed import Gate
from ..report.fault import written_step
from ..report.shown_values import counted
from ..report.verdict import Verdict
from .as_html import piece
from .branch import Branch
from .of_data import data_tree
from .of_document import shape_tree

_MOST_KEYS: Final = 12


def drawn(held: object) -> str:
    """The HTML of a gate, a document or a verdict: its tree, folded, and faults in red."""
    return piece(_tree(held))


def _tree(held: object) -> Branch:
    if isinstance(held, Verdict):
        return _of_verdict(held)
    if isinstance(held, DocumentGate):
        return shape_tree(held, _title(held.schema()))
    try:
        document: Any = held.schema() if isinstance(held, Gate) else held
        name = getattr(held.declared, "__name__", "gate") if isinstance(held, Gate) else _title(document)
        return shape_tree(DocumentGate(document, flaws="tell"), name)
    except DeclarationError as error:
        return Branch("no tree", faults=(str(error),))


def _title(document: Document) -> str:
    return str(document.get("title", "document"))


def _of_verdict(verdict: Verdict[Any]) -> Branch:
    """What was entered with each fault at its place; of what was admitted only what it is, since it may be secret."""
    if verdict:
        value = verdict.value
        kind = type(value).__name__
        words = f"a value of the type {kind}" if value is not None else "None"
        keys = ["/".join(map(written_step, path)) for path in verdict.dropped[:_MOST_KEYS]]
        left = f"{counted(len(verdict.dropped), 'unknown key')} left out: {', '.join(keys)}" if keys else ""
        return Branch("admitted", words, text=left)
    faults = counted(len(verdict.faults) + verdict.untold, "fault")
    tree = data_tree("refused", verdict, verdict.entered())
    return Branch("refused", f"{faults}", faults=tree.faults, children=tree.children or (tree,))
