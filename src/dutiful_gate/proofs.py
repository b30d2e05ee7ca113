"""Proofs: a gate and its documents run against each other on generated data, as `dutiful prove` does."""

from .prove.laws import Disagreement
from .prove.of_document import prove_document
from .prove.proof import Proof, prove

__all__ = ["Disagreement", "Proof", "prove", "prove_document"]
