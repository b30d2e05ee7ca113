"""The front door: a gate of a type and a gate of a document, on one base; several in one document.

Private: what may be imported is the package itself, and the modules that the README names.
"""
