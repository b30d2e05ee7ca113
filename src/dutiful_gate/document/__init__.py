"""JSON Schema documents: written from shapes.

Private: what may be imported is the package itself, and the modules that the README names.
"""
