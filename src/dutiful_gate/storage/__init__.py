"""Storage models of SQLAlchemy as declared types: their rules stand once, in the model.

Importing this lets a gate read mapped classes: `Gate(BookingRow)` admits what is sent to create a row, as an instance
for a session; `record_of(BookingRow, "change")` and `"show"` give the records beside it. `agreement(gate, BookingRow)`
tells what a gate admits and the table does not hold. `Moment` is a column of moments for databases without offsets.
"""

from .agreement import Agreement, Mismatch, agreement
from .check_constraints import Checks
from .moments import Moment
from .own_server import NoServer, own_postgresql
from .records import record_of

__all__ = [
    "Agreement",
    "Checks",
    "Mismatch",
    "Moment",
    "NoServer",
    "agreement",
    "own_postgresql",
    "record_of",
]
