"""Plots of a table's faults: the share of rows with a fault, by field; the values that came, against their bounds."""

from __future__ import annotations

from collections import Counter
from itertools import pairwise
from typing import TYPE_CHECKING, Any, Final

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ..declare.clock import Clock
from ..declare.rules import Between, Ceiling, Floor
from ..gates.base import AnyGate
from ..report.shown_values import visible
from .arrow_types import record_of
from .column_names import wire_names
from .examine import TableReader
from .frames import table_of

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from .verdicts import TableVerdict

_WRONG: Final = "#c8553d"
_SOUND: Final = "#3d6f8e"
_MOST: Final = 30
_PALETTE: Final = ("#c8553d", "#e0a458", "#3d6f8e", "#7a9e7e", "#8d6a9f", "#9c8b7a", "#5b5f97", "#b8b8aa")


def plot_shares(verdict: TableVerdict, axes: Axes | None = None) -> Axes:
    """Draw the share of rows that have a fault, a bar for each field, its parts by code: those of most faults on top.

    Gives back the axes, new ones where none are given.
    """
    faults = verdict.faults_arrow()
    seen = zip(*(faults.column(name).to_pylist() for name in ("row", "column", "code")), strict=True)
    counts = Counter((column, code) for _, column, code in dict.fromkeys(seen))
    fields: Counter[str] = Counter()
    by_code: Counter[str] = Counter()
    for (column, code), count in counts.items():
        fields[column] += count
        by_code[code] += count
    names = [name for name, _ in fields.most_common(_MOST)]
    axes = axes if axes is not None else _new_axes(0.8 + 0.42 * max(len(names), 1))
    codes = [code for code, _ in by_code.most_common()]
    rows = max(verdict.rows, 1)
    left = np.zeros(len(names))
    for number, code in enumerate(codes):
        wide = np.array([counts[name, code] / rows * 100 for name in names])
        axes.barh(range(len(names)), wide, left=left, color=_PALETTE[number % len(_PALETTE)], label=code, height=0.68)
        left += wide
    axes.set_yticks(range(len(names)), [visible(name) or "(the whole)" for name in names], parse_math=False)
    axes.invert_yaxis()
    axes.set_xlabel("rows with a fault, percent")
    axes.set_title(f"{verdict.refused:,} of {verdict.rows:,} rows refused", loc="left", fontsize=11)
    if codes:
        axes.legend(frameon=False, fontsize=9, loc="lower right")
    else:
        axes.text(0.5, 0.5, "no faults", transform=axes.transAxes, ha="center", va="center")
        axes.set_yticks([])
    _plain(axes)
    return axes


def plot_values(gate: AnyGate[Any], table: Any, column: str, axes: Axes | None = None) -> Axes:
    """Draw how the numbers, dates or date-times of a column are spread, those past the bounds of its field in red.

    `table` is what was examined, `column` the name of a column in it, or of its field. Raises KeyError where no field
    or column has that name, ValueError for a field whose values have no order, PermissionError for a secret one.
    """
    record = record_of(gate)
    held = table_of(table, TableReader(gate).nan_is_value)
    wires = wire_names(record, held.names)
    wanted = wires.get(column, column)
    field = next((each for each in record.fields if wanted in (each.wire, each.attribute, *each.also)), None)
    names = [name for name in held.names if field and wires.get(name, name) in (field.wire, *field.also)]
    if field is None or not names:
        raise KeyError(f"no column {column!r} with a field; there are {', '.join(map(repr, held.names[:20]))}")
    if field.use.secret or field.use.bare.secret:
        raise PermissionError(f"{column!r} is secret: its values are not drawn")
    values = _numbers([piece[names[0]] for _, piece in held.pieces(1 << 20)])
    floor, ceiling = _bounds(field)
    axes = axes if axes is not None else _new_axes(4.2)
    _histogram(axes, values, floor, ceiling)
    axes.set_title(visible(column), loc="left", fontsize=11, parse_math=False)
    axes.set_ylabel("rows")
    _plain(axes)
    return axes


def _numbers(arrays: list[Any]) -> Any:
    made = []
    for array in arrays:
        if not isinstance(array, pa.Array) or not (_is_number(array.type) or pa.types.is_temporal(array.type)):
            raise ValueError("its values are no numbers, dates or date-times")
        if pa.types.is_date(array.type):
            array = array.cast(pa.timestamp("s"), safe=False)
        elif pa.types.is_decimal(array.type):
            array = array.cast(pa.float64())
        made.append(pc.drop_null(array).to_numpy(zero_copy_only=False))
    values = np.concatenate(made) if made else np.empty(0)
    return values[np.isfinite(values)] if values.dtype.kind == "f" else values


def _is_number(kind: pa.DataType) -> bool:
    return bool(pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind))


def _bounds(field: Any) -> tuple[Any, Any]:
    bare = field.use.bare
    parts = (*bare.parts, *(field.use.parts if bare is not field.use else ()))
    floors = [part.floor for part in parts if isinstance(part, Floor | Between) and not isinstance(part.floor, Clock)]
    ceilings = [
        part.ceiling for part in parts if isinstance(part, Ceiling | Between) and not isinstance(part.ceiling, Clock)
    ]
    return max(floors, default=None), min(ceilings, default=None)


def _histogram(axes: Axes, values: Any, floor: Any, ceiling: Any) -> None:
    if not len(values):
        axes.text(0.5, 0.5, "no values", transform=axes.transAxes, ha="center", va="center")
        return
    counts, edges = np.histogram(values.astype(np.float64), bins=60)
    ends = [None if end is None else _as_number(end, values.dtype) for end in (floor, ceiling)]
    low, high = ends

    def scale(numbers: Any) -> Any:
        return numbers.astype(values.dtype) if values.dtype.kind == "M" else numbers

    for count, (begin, end) in zip(counts, pairwise(edges), strict=True):
        middle = (begin + end) / 2
        outside = (low is not None and middle < low) or (high is not None and middle > high)
        span = np.array([begin, end])
        axes.fill_between(scale(span), 0, count, color=_WRONG if outside else _SOUND, linewidth=0)
    for end, word in ((low, "floor"), (high, "ceiling")):
        if end is not None:
            axes.axvline(scale(np.array([end]))[0], color="#222", linewidth=1, linestyle="--")
            axes.text(scale(np.array([end]))[0], axes.get_ylim()[1], f" {word}", va="top", fontsize=9)
    inside = values.astype(np.float64)
    past = int(((inside < low) if low is not None else np.zeros(len(inside), bool)).sum()) + int(
        ((inside > high) if high is not None else np.zeros(len(inside), bool)).sum()
    )
    axes.set_xlabel(f"{len(values):,} values, {past:,} of them past the bounds")
    axes.set_ylim(bottom=0)


def _as_number(end: Any, dtype: Any) -> float:
    if dtype.kind != "M":
        return float(end)
    moment = np.datetime64(end.replace(tzinfo=None) if getattr(end, "tzinfo", None) is None else _in_utc(end))
    return float(moment.astype(dtype).astype(np.int64))


def _in_utc(moment: Any) -> Any:
    from datetime import UTC

    return moment.astimezone(UTC).replace(tzinfo=None)


def _new_axes(height: float) -> Axes:
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure

    figure = Figure(figsize=(9, height), layout="constrained")
    FigureCanvasAgg(figure)
    axes: Axes = figure.subplots()
    return axes


def _plain(axes: Axes) -> None:
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    axes.tick_params(length=0)
