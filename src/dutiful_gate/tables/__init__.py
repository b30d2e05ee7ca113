"""Whole tables: DataFrames of pandas and Polars, Arrow tables, Parquet files, examined by column; and on many machines.

verdict = examine_table(lines, frame)
if not verdict:
    print(verdict.faults)
store(verdict.admitted)
"""

from ..lazy_names import opened_when_asked

TYPE_CHECKING = False
if TYPE_CHECKING:
    from ..read.unreadable import BrokenOff, CannotStart
    from .arrow_types import DoesNotFit, arrow_schema
    from .column_types import empty_table, pandas_dtypes, sql_columns
    from .examine import examine_table
    from .fault_plots import plot_shares, plot_values
    from .parquet import examine_parquet
    from .parts import PartsVerdict, examine_parts
    from .verdicts import TableVerdict

__all__ = [
    "BrokenOff",
    "CannotStart",
    "DoesNotFit",
    "PartsVerdict",
    "TableVerdict",
    "arrow_schema",
    "empty_table",
    "examine_parquet",
    "examine_parts",
    "examine_table",
    "pandas_dtypes",
    "plot_shares",
    "plot_values",
    "sql_columns",
]

__getattr__ = opened_when_asked(
    __name__,
    {
        "arrow_types": "DoesNotFit arrow_schema",
        "..read.unreadable": "BrokenOff CannotStart",
        "column_types": "empty_table pandas_dtypes sql_columns",
        "examine": "examine_table",
        "fault_plots": "plot_shares plot_values",
        "parquet": "examine_parquet",
        "parts": "PartsVerdict examine_parts",
        "verdicts": "TableVerdict",
    },
)
