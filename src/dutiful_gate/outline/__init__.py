"""Shapes and data as trees, to look them over.

Private: `dutiful tree` shows them.
"""
