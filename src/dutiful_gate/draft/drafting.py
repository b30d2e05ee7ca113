"""A draft: what samples look like, as a JSON Schema document and as Python that a developer goes on with."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from datetime import date, datetime, time
from decimal import Decimal
from itertools import islice
from math import isfinite
from typing import Any, Final

from ..declare.facts import Stop
from ..declare.json_pointer import below, steps_of
from ..declare.limits import Limits
from ..document.declaring.module import declarations_of
from ..files.cells import is_shortened, usual_form
from ..files.delivery import examine_file
from ..files.opened import CannotStart, Form, form_of, opened
from ..files.table_layout import TableLayout
from ..gates.document import DocumentGate
from ..gates.typed import Gate
from ..read.json_fast import plain_json
from ..report.shown_values import counted
from .guessing import Guesser
from .hints import Hints
from .texts import cells_of

MOST_READ: Final = 20_000
"""So many records of each file are looked at."""


class Draft:
    """What was guessed from samples.

    `document`  a JSON Schema document (2020-12) that admits them; the evidence of each guess is its `$comment`
    `seen`      how many samples were looked at
    `unread`    what could not be read of them, as sentences
    `first`     the first of them
    `idle`      hints that nothing in the samples heeds, as sentences, by the place that they speak of
    """

    __slots__ = ("cells", "document", "first", "hints", "idle", "seen", "unread")

    def __init__(
        self,
        document: dict[str, Any],
        hints: Hints,
        seen: int,
        unread: Sequence[str] = (),
        *,
        cells: bool = False,
        first: Any = None,
        idle: Mapping[str, Sequence[str]] | None = None,
    ) -> None:
        self.idle = dict(idle or {})
        self.first = first
        self.document = document
        self.hints = hints
        self.seen = seen
        self.unread = tuple(unread)
        self.cells = cells

    def python(self) -> str:
        """Python source of the declarations, a comment with the evidence above each field."""
        text = declarations_of(self.document, name=self.hints.name)
        return text.replace(_HEADING, f'"""Drafted from {counted(self.seen, "sample")}."""', 1)

    def gate(self) -> DocumentGate:
        """A gate that judges as the draft does, formats asserted."""
        return Gate.from_schema(self.document, formats="assert")

    def __repr__(self) -> str:
        return f"<Draft of {self.seen:,} samples>"


def draft(samples: Iterable[Any], hints: Hints | None = None, *, cells: bool = False) -> Draft:
    """A draft of decoded JSON values, one or many. It admits every one of them, but for what `unread` tells.

    With `cells`, the values of records are text, as those of a CSV file, and may stand for numbers or truth values;
    an empty one is nothing. Dates and times that are typed already, as in TOML, count as text of their format.
    """
    hints = hints or Hints()
    values: list[Any] = []
    unread: list[str] = []
    for number, sample in enumerate(samples, 1):
        try:
            values.append(_plain(sample, 0, cells=cells))
        except _NoSample as error:
            unread.append(f"sample {number}: {error}")
    guesser = Guesser(hints, cells=cells)
    document = guesser.document(values)
    first = values[0] if values else None
    return Draft(document, hints, len(values), unread, cells=cells, first=first, idle=guesser.idle())


def draft_of_files(
    paths: Iterable[str | os.PathLike[str]],
    hints: Hints | None = None,
    *,
    form: Form | None = None,
    select: str = "",
    layout: TableLayout | None = None,
    most: int = MOST_READ,
) -> Draft:
    """A draft of the records of files: JSON, NDJSON, CSV, TSV, YAML or TOML, gzipped or not; `-` is standard input.

    A list is a list of samples. Of each file the first `most` records are looked at; `unread` tells where there are
    more, and which could not be read. What a layout says of decimal commas and of dates is said to checks of the files
    again. The other words are those of `examine_file`. Raises CannotStart, also where cells
    of CSV and typed values come together.
    """
    values: list[Any] = []
    unread: list[str] = []
    forms = set()
    tables = False
    for path in paths:
        name = os.fspath(path)
        told = form or form_of(name)
        forms.add(told in ("csv", "tsv"))
        tables = tables or told in ("csv", "tsv", "xlsx")
        if told == "json" and (quick := _decoded(path, select)) is not None:
            values += quick[:most]
            if len(quick) > most:
                unread.append(_sampled(name, most))
            continue
        items = examine_file(
            _CELLS if told in ("csv", "tsv") else _ANYTHING, path, form=form, select=select, layout=layout
        )
        for item in islice(items, most):
            if item:
                values.append(item.value)
            else:
                unread.append(f"{name}: {item.faults[0].place or ''} {item.faults[0].message}")
        if next(items, None) is not None:
            unread.append(_sampled(name, most))
        items.close()
    if layout is not None and True in forms:
        _in_usual_form(values, layout)
    if tables and not (layout is not None and layout.shortened):
        values = _as_they_were(values, unread)
    if len(forms) > 1:
        raise CannotStart("cells of CSV are text and other values are typed: draft one form at a time")
    if not values:
        raise CannotStart(f"there is no record that can be read{''.join(f'; {each}' for each in unread[:1])}")
    made = draft(values, hints, cells=True in forms)
    unread += made.unread
    if not made.seen:
        raise CannotStart(f"there is no record that can be drafted; {unread[0]}")
    return Draft(made.document, made.hints, made.seen, unread, cells=made.cells, first=made.first, idle=made.idle)


def _in_usual_form(rows: list[Any], layout: TableLayout) -> None:
    """Put cells into the form in which numbers and dates are usual, in columns where all of them are in another."""
    for name in _keys(rows):
        texts = [text for row in rows if isinstance(text := row.get(name), str) and text]
        made = usual_form(texts, decimal_comma=layout.decimal_comma, dates=layout.dates)
        if made is not None:
            for row in rows:
                row[name] = made[row[name]] if row.get(name) else row.get(name)


def _as_they_were(rows: list[Any], unread: list[str]) -> list[Any]:
    """The rows without those in which a text has been shortened by a spreadsheet, which no check would admit."""
    columns = {name: [text for row in rows if isinstance(text := row.get(name), str) and text] for name in _keys(rows)}
    spoilt = {name for name, texts in columns.items() if any(map(is_shortened, texts)) and cells_of(texts) == "string"}
    sound = []
    left = Counter[str]()
    for row in rows:
        at = next((name for name in spoilt if isinstance(row.get(name), str) and is_shortened(row[name])), None)
        if at is None:
            sound.append(row)
        else:
            left[at] += 1
    for name, count in left.items():
        unread.append(
            f"{name}: {counted(count, 'row')} with text that a spreadsheet has shortened; --shortened takes it"
        )
    return sound


def _keys(rows: Iterable[Mapping[Any, Any]]) -> Iterable[str]:
    return dict.fromkeys(key for row in rows for key in row if key is not None)


def _sampled(name: str, most: int) -> str:
    return f"{name}: more than {most:,} records; the first {most:,} were looked at"


def _decoded(path: str | os.PathLike[str], select: str) -> list[Any] | None:
    """The samples of sound JSON, decoded at once; None for what has to be told of."""
    if os.fspath(path) == "-":
        return None
    with opened(path) as stream:
        held = plain_json(stream.read(_LIMITS.bytes + 1), _LIMITS, False)
    for step in steps_of(select) if held.__class__ is not Stop else ():
        found = below(held, step)
        if found is None:
            return None
        held = found[1]
    if held.__class__ is Stop:
        return None
    return held if isinstance(held, list) else None if select else [held]


_HEADING: Final = '"""Declarations made from a JSON Schema document."""'
_LIMITS: Final = Limits(items=10**9, bytes=10**9)
_CELLS: Final[Gate[Any]] = Gate(Any, limits=_LIMITS)
_ANYTHING: Final = Gate.from_schema({}, limits=_LIMITS)


class _NoSample(ValueError):
    """A sample that is no JSON value."""


def _plain(value: Any, deep: int, *, cells: bool) -> Any:
    """A value as JSON has it; a cell that is empty is null. Raises _NoJson."""
    if value is None or isinstance(value, bool | int):
        return value
    if isinstance(value, str):
        return None if cells and value == "" else value
    if isinstance(value, dict | list | tuple) and deep >= _LIMITS.depth:
        raise _NoSample(f"it nests deeper than {_LIMITS.depth} levels")
    if isinstance(value, dict):
        return {str(key): _plain(held, deep + 1, cells=cells) for key, held in value.items() if key is not None}
    if isinstance(value, list | tuple):
        return [_plain(held, deep + 1, cells=cells) for held in value]
    if isinstance(value, datetime | date | time):
        return value.isoformat()
    if isinstance(value, float | Decimal) and isfinite(value):
        return value
    raise _NoSample("it holds what JSON has no form for")
