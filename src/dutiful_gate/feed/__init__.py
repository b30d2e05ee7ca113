"""Data files: many records in one text, each with a verdict of its own."""
