"""JSON Schema documents written from shapes, in the dialects that clients and editors ask for."""
