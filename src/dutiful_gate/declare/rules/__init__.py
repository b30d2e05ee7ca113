"""Rules on one value: one class in one file each."""

from .base import Face, Rule
from .bound import Between, Ceiling, Floor
from .choice import OneOf
from .contains import Contains, EndsWith, Has, StartsWith
from .distinct import Distinct
from .ecma import HasEcma
from .equal import Equal
from .from_outside import FromOutside
from .holds import Holds
from .length import Length
from .multiple import Multiple
from .pattern import Matches

__all__ = [
    "Between",
    "Ceiling",
    "Contains",
    "Distinct",
    "EndsWith",
    "Equal",
    "Face",
    "Floor",
    "FromOutside",
    "Has",
    "HasEcma",
    "Holds",
    "Length",
    "Matches",
    "Multiple",
    "OneOf",
    "Rule",
    "StartsWith",
]
