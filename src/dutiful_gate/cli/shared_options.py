"""Options that several commands have, said once: what is printed, unknown keys, how a table in a file is laid out."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import fields
from functools import wraps
from typing import Any

import click

from ..files.opened import CannotStart
from ..files.table_layout import TableLayout
from .target import CannotRun

unknown_option = click.option(
    "--unknown",
    type=click.Choice(["drop", "refuse"]),
    default=None,
    help="What to do with keys nobody declared.  [default: as the gate says, or drop]",
)


def printed_as(forms: list[str], help: str) -> Callable[[Any], Any]:
    """The option that says in which form a command prints, handed over as `printed`; the first form is the default."""
    return click.option("--format", "printed", type=click.Choice(forms), default=forms[0], show_default=True, help=help)


_OPTIONS = (
    click.option("--separator", default="", metavar="SIGN", help="CSV: what stands between cells.  [default: found]"),
    click.option(
        "--quote", default="", metavar="SIGN", help="CSV: what stands around cells.  [default: found, \" or ']"
    ),
    click.option(
        "--encoding", default="", metavar="NAME", help="CSV: as in latin-1.  [default: UTF-8, or UTF-16 by its mark]"
    ),
    click.option(
        "--header-line", default=0, metavar="N", help="CSV, XLSX: the line or row of the headings.  [default: found]"
    ),
    click.option("--decimal-comma", is_flag=True, help="CSV, XLSX: numbers in text have a comma, as 1.234,50."),
    click.option(
        "--dates", default="", metavar="FORM", help="CSV, XLSX: the form of dates, as in %d.%m.%Y; or serial."
    ),
    click.option("--shortened", is_flag=True, help="CSV, XLSX: take text such as 1.23E+15 as it stands."),
    click.option(
        "--sheet", default="", metavar="NAME", help="XLSX: the sheet to read.  [default: the first visible one]"
    ),
)
_COLUMN = click.option(
    "--column", "columns", multiple=True, metavar="HEADING=FIELD", help="CSV, XLSX: the field that a column is."
)


def layout_options(*, columns: bool = False) -> Callable[[Callable[..., None]], Callable[..., None]]:
    """Give a command the options of a table's layout, which it takes as one `layout`; with `columns` also those that
    name the field of a column."""

    def with_options(command: Callable[..., None]) -> Callable[..., None]:
        @wraps(command)
        def with_layout(**given: Any) -> None:
            said = {each.name: given.pop(each.name) for each in fields(TableLayout) if each.name in given}
            said["separator"] = {"tab": "\t", "\\t": "\t"}.get(said["separator"], said["separator"])
            said["columns"] = _columns(said.get("columns", ()))
            try:
                layout = TableLayout(**said)
            except CannotStart as error:
                raise CannotRun(str(error)) from None
            command(layout=layout, **given)

        for option in reversed((*_OPTIONS, *((_COLUMN,) if columns else ()))):
            with_layout = option(with_layout)
        return with_layout

    return with_options


def _columns(words: tuple[str, ...]) -> dict[str, str]:
    made = {}
    for word in words:
        heading, equals, name = word.partition("=")
        if not equals or not name:
            raise CannotRun(f"--column {word!r} needs a heading and a field, as in --column Gewicht=weight_kg")
        made[heading] = name
    return made
