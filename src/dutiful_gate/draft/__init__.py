"""Drafts of declarations from samples of data: kinds, what is required, closed sets, formats, each with its evidence.

drafted = draft(samples, Hints(name="Booking"))
print(drafted.python())
"""

from ..lazy_names import opened_when_asked

TYPE_CHECKING = False
if TYPE_CHECKING:
    from .differences import changes
    from .drafting import Draft, draft, draft_of_files
    from .hints import Hints

__all__ = ["Draft", "Hints", "changes", "draft", "draft_of_files"]

__getattr__ = opened_when_asked(
    __name__, {"differences": "changes", "drafting": "Draft draft draft_of_files", "hints": "Hints"}
)
