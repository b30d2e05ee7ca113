"""JSON Schema documents: written from shapes."""
