"""Storage models of SQLAlchemy as declared types: their rules stand once, in the model.

Importing this lets a gate read mapped classes: `Gate(BookingRow)` admits what is sent to create a row, as an instance
for a session; `record_of(BookingRow, "change")` and `"show"` give the records beside it.
"""

from .check_constraints import Checks
from .records import record_of

__all__ = ["Checks", "record_of"]
