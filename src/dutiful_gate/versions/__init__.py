"""Two versions of a shape compared, and a service held against its consumer: whom a change breaks, with an instance.

assert not breaks(Booking, NextBooking, of="senders")
"""

from ..lazy_names import opened_when_asked

TYPE_CHECKING = False
if TYPE_CHECKING:
    from .comparison import Comparison, Told, breaks, compare
    from .descriptions import compare_descriptions

__all__ = ["Comparison", "Told", "breaks", "compare", "compare_descriptions"]

__getattr__ = opened_when_asked(
    __name__, {"comparison": "Comparison Told breaks compare", "descriptions": "compare_descriptions"}
)
