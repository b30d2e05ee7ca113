"""JSON Schema documents of any dialect: read, resolved, and compiled to functions that judge data."""
