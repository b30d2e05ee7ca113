"""Where in its source a value stands."""

from __future__ import annotations

from ..declare.values import Value
from .shown_values import visible


class Place(Value):
    """Line and column in a text, both from 1; columns count characters, as editors do.

    `source` names what it is a place in, where that is not known from around it: a file, or a variable. Where no line
    is known, line and column are 0; where only the line is, the column. `row` is the number of the record in a file of
    many, from 1, and `heading` what stands above its cell; `cell` is a cell of a sheet as spreadsheets call it, whose
    row and column are then the line and the column.
    """

    __slots__ = ("column", "line")

    line: int
    column: int
    source: str = ""
    row: int = 0
    heading: str = ""
    cell: str = ""

    def __init__(
        self, line: int, column: int, source: str = "", row: int = 0, heading: str = "", cell: str = ""
    ) -> None:
        # Each fault that is told of a text has one: line and column have slots, and what is seldom known is not stored.
        _set_line(self, line)
        _set_column(self, column)
        if source or row or heading or cell:
            self.__dict__.update(source=source, row=row, heading=heading, cell=cell)

    def __str__(self) -> str:
        told = [visible(self.source)] if self.source else []
        if self.cell:
            told.append(self.cell)
        elif self.line:
            told += [str(self.line), str(self.column)] if self.column else [str(self.line)]
        elif self.row:
            told.append(f"record {self.row}")
        return ":".join(told)

    def as_dict(self) -> dict[str, object]:
        """The place as plain JSON data: source, line, column, row, heading and cell, as far as they are known."""
        return {name: held for name, held in self._items() if held}


_set_line, _set_column = vars(Place)["line"].__set__, vars(Place)["column"].__set__
