"""`python -m dutiful_gate` is the command `dutiful`."""

from .cli import main

main()
