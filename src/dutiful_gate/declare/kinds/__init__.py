"""Kinds of single values: one class each, with how it is read from every source."""

from .base import Kind, Reader
from .moment import Day, Moment
from .number import Number, Whole
from .text import Text
from .truth import Truth

__all__ = ["Day", "Kind", "Moment", "Number", "Reader", "Text", "Truth", "Whole"]
