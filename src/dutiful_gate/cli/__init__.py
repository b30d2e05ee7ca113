"""The command `dutiful`.

Private: what may be imported is the package itself, and the modules that the README names.
"""

from __future__ import annotations

import sys


def main() -> None:
    """Run the command; where Click and Rich are missing, say how to get them."""
    try:
        from .app import dutiful
    except ModuleNotFoundError as error:
        if error.name not in ("click", "rich"):
            raise
        print(
            f"dutiful needs the package {error.name!r}, which is not installed; "
            "get it with: pip install 'dutiful-gate[cli]'",
            file=sys.stderr,
        )
        raise SystemExit(2) from None
    dutiful(prog_name="dutiful")
