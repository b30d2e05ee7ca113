"""Data files of many records: one verdict each, streamed where the form can be; and what is wrong with them, added up.

for item in examine_file(bookings, "manifest.csv"):
    if not item:
        print(item.number, *item.faults)
"""

from ..lazy_names import opened_when_asked

TYPE_CHECKING = False
if TYPE_CHECKING:
    from ..report.digest import Digest, Group, digest_of
    from .delivery import examine_file
    from .item import Item
    from .jobs import digest_of_file
    from .opened import BrokenOff, CannotStart
    from .table_layout import TableLayout

__all__ = [
    "BrokenOff",
    "CannotStart",
    "Digest",
    "Group",
    "Item",
    "TableLayout",
    "digest_of",
    "digest_of_file",
    "examine_file",
]

__getattr__ = opened_when_asked(
    __name__,
    {
        "table_layout": "TableLayout",
        "delivery": "examine_file",
        "..report.digest": "Digest Group digest_of",
        "item": "Item",
        "jobs": "digest_of_file",
        "opened": "BrokenOff CannotStart",
    },
)
