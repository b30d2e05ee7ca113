"""Two versions of a shape compared, and a service held against its consumer: whom a change breaks, with an instance.

assert not breaks(Booking, NextBooking, of="senders")
"""

from ..lazy_names import opened_when_asked

TYPE_CHECKING = False
if TYPE_CHECKING:
    from .comparison import Comparison, Told, breaks, compare

__all__ = ["Comparison", "Told", "breaks", "compare"]

__getattr__ = opened_when_asked(__name__, {"comparison": " ".join(__all__)})
