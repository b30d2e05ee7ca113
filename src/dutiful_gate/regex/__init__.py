"""Patterns: their syntax as trees, matching that cannot run away, ECMA-262's meaning, Unicode's properties.

This room knows nothing of gates: it takes expressions as text and gives functions that judge text.

Private: what may be imported is the package itself, and the modules that the README names.
"""
