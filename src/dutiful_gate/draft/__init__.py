"""Drafts of declarations from samples of data: kinds, what is required, closed sets, formats, each with its evidence.

drafted = draft(samples, Hints(name="Booking"))
print(drafted.python())
"""

TYPE_CHECKING = False
if TYPE_CHECKING:
    from .differences import changes
    from .drafting import Draft, draft, draft_of_files
    from .hints import Hints

__all__ = ["Draft", "Hints", "changes", "draft", "draft_of_files"]

_ROOMS = {"differences": "changes", "drafting": "Draft draft draft_of_files", "hints": "Hints"}


def __getattr__(name: str) -> object:
    from importlib import import_module

    for module, names in _ROOMS.items():
        if name in names.split():
            return getattr(import_module(f"{__name__}.{module}"), name)
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
