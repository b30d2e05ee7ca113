"""Data files: many records in one text, each with a verdict of its own.

Private: what may be imported is the package itself, and the modules that the README names.
"""
