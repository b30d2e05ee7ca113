"""Python source: written line by line, and compiled to functions that tracebacks can show.

Private: what may be imported is the package itself, and the modules that the README names.
"""
