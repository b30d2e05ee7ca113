"""The front door: a gate of a type and a gate of a document, on one base; several in one document."""
