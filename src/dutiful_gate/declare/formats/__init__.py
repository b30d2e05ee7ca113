"""Formats of text: what the JSON Schema standard names, and the types that stand for them."""
