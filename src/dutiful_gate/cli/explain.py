"""`dutiful explain`: what a code of a fault means, how it comes, and how it is mended."""

from __future__ import annotations

import click
from rich.text import Text

from ..declare.errors import did_you_mean
from ..report.codes import CODES
from .console import console, sure_output
from .target import CannotRun


@click.command(
    epilog="""Example:

\b
    dutiful explain agreement
    dutiful explain             all codes, a line each
    dutiful explain --catalogue fr > french.py
"""
)
@click.argument("code", required=False)
@click.option(
    "--catalogue", "language", metavar="LANGUAGE", help="Begin the messages of another language, as a Python module."
)
def explain(code: str | None, language: str | None) -> None:
    """Tell what a CODE of a fault means, how it comes, and how it is mended; without one, which there are."""
    sure_output()
    if language is not None:
        if code is not None:
            raise CannotRun("a code is explained, or a catalogue is begun: leave out one of the two")
        from ..report.languages import beginning

        click.echo(beginning(language), nl=False)
        return
    out = console()
    if code is None:
        for name, told in CODES.items():
            out.print(Text.assemble((f"{name:10}", "pointer"), " ", told.means.partition(". ")[0].rstrip(".")))
        return
    if code not in CODES:
        hint = did_you_mean(code, CODES, f"there are: {', '.join(CODES)}")
        raise CannotRun(f"{code!r} is no code of a fault; {hint}")
    told = CODES[code]
    out.print(Text.assemble((code, "heading"), "\n\n", told.means))
    for title, words in (("How it comes", told.comes), ("How to mend it", told.mend), ("It belongs to", told.rules)):
        out.print(Text.assemble("\n", (title, "heading"), "\n  ", words))
    out.print(Text.assemble("\n", ("Such as", "heading"), "\n  ", (told.words, "quiet")))
