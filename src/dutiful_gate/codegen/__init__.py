"""Python source: written line by line, and compiled to functions that tracebacks can show."""
