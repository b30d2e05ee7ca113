"""Two versions of a shape compared, and a service held against its consumer: whom a change breaks, with an instance.

assert not breaks(Booking, NextBooking, of="senders")
"""

TYPE_CHECKING = False
if TYPE_CHECKING:
    from .comparison import Comparison, Told, breaks, compare

__all__ = ["Comparison", "Told", "breaks", "compare"]


def __getattr__(name: str) -> object:
    from importlib import import_module

    if name in __all__:
        return getattr(import_module(f"{__name__}.comparison"), name)
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
