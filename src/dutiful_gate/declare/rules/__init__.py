"""Rules on one value: one class in one file each."""

from .base import Face, Rule
from .bound import Between, Ceiling, Floor
from .choice import OneOf
from .equal import Equal
from .length import Length
from .pattern import Matches

__all__ = ["Between", "Ceiling", "Equal", "Face", "Floor", "Length", "Matches", "OneOf", "Rule"]
