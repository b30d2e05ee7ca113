"""JSON Schema documents of any draft: read, resolved, and compiled to functions that judge data."""
