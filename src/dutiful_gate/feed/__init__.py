"""Data files of many records: one verdict each, streamed where the form can be; and what is wrong with them, added up.

for item in examine_file(bookings, "manifest.csv"):
    if not item:
        print(item.number, *item.faults)
"""

TYPE_CHECKING = False
if TYPE_CHECKING:
    from .csv_layout import CsvLayout
    from .delivery import examine_file
    from .digest import Digest, Group, digest_of
    from .item import Item
    from .opened import BrokenOff, CannotStart

__all__ = ["BrokenOff", "CannotStart", "CsvLayout", "Digest", "Group", "Item", "digest_of", "examine_file"]

_ROOMS = {
    "csv_layout": "CsvLayout",
    "delivery": "examine_file",
    "digest": "Digest Group digest_of",
    "item": "Item",
    "opened": "BrokenOff CannotStart",
}


def __getattr__(name: str) -> object:
    from importlib import import_module

    for module, names in _ROOMS.items():
        if name in names.split():
            return getattr(import_module(f"{__name__}.{module}"), name)
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
