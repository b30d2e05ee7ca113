"""Plots of a table's faults: the share of rows with a fault, by field; the values that came, against their bounds."""

from __future__ import annotations

from collections import Counter
from typing import TYPE_CHECKING, Any, Final, NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ..declare.clock import Clock
from ..declare.rules import Rule
from ..gates.base import AnyGate
from ..report.shown_values import visible
from ..shape.shape import Field
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
_BINS: Final = 60
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
    axes.set_xlim(0, max(left.max(initial=0) * 1.04, 0.01))
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
    axes.set_title(visible(column), loc="left", fontsize=11, pad=18, parse_math=False)
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


class _End(NamedTuple):
    """A bound: what it is, and whether it is within."""

    value: Any
    inclusive: bool


def _bounds(field: Field) -> tuple[_End | None, _End | None]:
    """The tightest floor and ceiling of a field, as far as they are constants."""
    bare = field.use.bare
    floors, ceilings = [], []
    for part in (*bare.parts, *(field.use.parts if bare is not field.use else ())):
        ends = part.ends if isinstance(part, Rule) else None
        if ends is not None and not isinstance(ends.floor, Clock | None):
            floors.append(_End(ends.floor, ends.with_floor))
        if ends is not None and not isinstance(ends.ceiling, Clock | None):
            ceilings.append(_End(ends.ceiling, ends.with_ceiling))
    return max(floors, key=lambda end: end.value, default=None), min(ceilings, key=lambda end: end.value, default=None)


def _histogram(axes: Axes, values: Any, floor: _End | None, ceiling: _End | None) -> None:
    if not len(values):
        axes.text(0.5, 0.5, "no values", transform=axes.transAxes, ha="center", va="center")
        return
    numbers = values.astype(np.float64)
    low, high = (None if end is None else _as_number(end.value, values.dtype) for end in (floor, ceiling))
    under = np.zeros(len(numbers), bool)
    if low is not None and floor is not None:
        under |= numbers < low if floor.inclusive else numbers <= low
    if high is not None and ceiling is not None:
        under |= numbers > high if ceiling.inclusive else numbers >= high
    begin, end = _span(numbers, [each for each in (low, high) if each is not None])

    def scale(numbers: Any) -> Any:
        return numbers.astype(values.dtype) if values.dtype.kind == "M" else numbers

    shown = np.clip(numbers, begin, end)
    edges = np.linspace(begin, end, _BINS + 1)
    for kept, colour, label in ((~under, _SOUND, "within the bounds"), (under, _WRONG, "past them")):
        counts, _ = np.histogram(shown[kept], bins=edges)
        if counts.any():
            axes.stairs(counts, scale(edges), fill=True, color=colour, label=label)
    for bound, word, side in ((low, "floor ", "right"), (high, " ceiling", "left")):
        if bound is not None:
            at = scale(np.array([bound]))[0]
            axes.axvline(at, color="#222", linewidth=1, linestyle="--")
            axes.text(at, 1.0, word, transform=axes.get_xaxis_transform(), ha=side, va="bottom", fontsize=9)
    beyond = int(((numbers < begin) | (numbers > end)).sum())
    told = f"{len(values):,} values, {int(under.sum()):,} of them past the bounds"
    axes.set_xlabel(f"{told}; {beyond:,} farther out stand at the ends" if beyond else told)
    axes.set_yscale("symlog", linthresh=1)  # a few that are wrong are seen beside many that are not
    axes.set_ylim(bottom=0)
    if values.dtype.kind != "M":
        axes.xaxis.set_major_formatter(lambda number, _: f"{number:,g}" if abs(number) < 1e6 else f"{number:.3g}")
    axes.yaxis.set_major_formatter(lambda number, _: f"{number:,.0f}")
    axes.legend(frameon=False, fontsize=9, loc="upper right")


def _span(numbers: Any, ends: list[float]) -> tuple[float, float]:
    """What is drawn: the bounds and most values, with some room; what lies farther out is put at the ends."""
    if len(ends) == 2 and ends[0] < ends[1]:
        low, high = ends
        room = (high - low) * 0.4
    else:
        low, high = (float(each) for each in np.quantile(numbers, (0.005, 0.995)))
        low, high = min([low, *ends]), max([high, *ends])
        room = (high - low) * 0.08 or max(abs(high) * 0.08, 1.0)
    return max(low - room, min(float(numbers.min()), low)), min(high + room, max(float(numbers.max()), high))


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
