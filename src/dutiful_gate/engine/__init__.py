"""Shapes to Python source, and source to functions.

Private: what may be imported is the package itself, and the modules that the README names.
"""
