"""Kinds of single values: one class each, with how it is read from every source."""

from .anything import Anything, PlainData
from .base import Kind, Reader
from .decimal import Exact, ExactAsText
from .epoch import Epoch
from .flags import Flags
from .formed import Formed
from .moment import Day, LocalMoment, MomentKind, UtcMoment
from .never import Nobody
from .number import AnyNumber, Number, Whole, WholeAsWritten
from .text import Text
from .text_form import TextForm
from .texts import written_kinds
from .truth import Truth
from .upload import Upload

__all__ = [
    "AnyNumber",
    "Anything",
    "Day",
    "Epoch",
    "Exact",
    "ExactAsText",
    "Flags",
    "Formed",
    "Kind",
    "LocalMoment",
    "MomentKind",
    "Nobody",
    "Number",
    "PlainData",
    "Reader",
    "Text",
    "TextForm",
    "Truth",
    "Upload",
    "UtcMoment",
    "Whole",
    "WholeAsWritten",
    "written_kinds",
]
