"""`python -m dutiful_gate` is the command `dutiful`."""

from .cli import main

if __name__ == "__main__":  # processes of --jobs import this too
    main()
