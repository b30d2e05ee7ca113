"""Instances of a declaration: sound ones that look plausible, and ones that break it in one known place.

Private: what may be imported is the package itself, and the modules that the README names.
"""
