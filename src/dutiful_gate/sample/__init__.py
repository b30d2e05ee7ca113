"""Instances of a declaration: sound ones that look plausible, and ones that break it in one known place."""
