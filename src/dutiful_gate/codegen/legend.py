"""Generated source as people read it: a comment for each field, and what its constants are.

Nothing from outside is in it but names of fields that are plain words: no value, and nothing beside a secret.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Final

Note = tuple[str, int]
"""The name of a field, and which of its record's fields it is, counted from 1."""

_MARK = re.compile(r"  #:([0-9]+)$", re.MULTILINE)
_PLAIN = re.compile(r"[A-Za-z0-9_]{1,40}")
_PLACE = re.compile(r"[A-Za-z0-9_.]{1,120}")
_NAME = re.compile(r"\b[A-Za-z_][A-Za-z0-9_]*\b")
_LEGEND: Final[Mapping[str, str]] = {
    "ABSENT": "the cause of a fault: a value is absent; or what stands for an absent value",
    "AFFIX": "how a text begins or ends",
    "AGREEMENT": "the cause of a fault: fields do not agree",
    "ALSO": "other names under which a field may come",
    "REWRITTEN": "writes the functions anew, once a class is no longer what it was",
    "BARRED": "what is not wanted",
    "BLANKS": "the characters that are blanks",
    "BOUND": "a bound of a number",
    "BRANCH": "the cause of a fault: none of several types fits",
    "CEILING": "a bound from above, or the cause of a fault: it is passed",
    "CHECK": "a check of the developer's own, or the cause of a fault: it failed",
    "CHOICE": "the cause of a fault: the value is none of a few",
    "CHOICES": "the few values that are admitted",
    "CHOOSE": "finds the value that stands for what came",
    "CODE": "an encoding of content",
    "COMPUTED": "asks a record for a property that goes out",
    "CONSTANT": "what a value is compared with",
    "COUNT": "the cause of a fault: too few or too many",
    "DEFAULT": "what stands in for a field that is absent",
    "DEPTH": "the cause of a fault: data nests too deep",
    "DIGITS": "to how many digits is rounded",
    "DYNAMIC": "a reference whose target depends on the way that led to it",
    "EVALUATED": "a schema that asks what others looked at",
    "EXACTLY": "a length",
    "FACTORY": "makes what stands in for a field that is absent",
    "REFUSED": "what stands for a value that could not be read",
    "FALLBACK": "what stands in for a value that is refused",
    "FITS": "a document that judges what came",
    "FLOOR": "a bound from below, or the cause of a fault: it is not reached",
    "FORMAT": "the cause of a fault: text is not of its format",
    "HANDOVER": "what was made of a large list, for the function that collects faults",
    "HAS": "looks for a pattern in a text",
    "HELD": "what must be held, or the key beside a tag",
    "HERE": "the schema resource at hand",
    "HIDDEN_KEY": "what stands in a path for a key that is secret",
    "HOLDS": "a check of the developer's own on one value",
    "INSTEAD": "what goes out for a value that stands in",
    "KEPT": "how a class was made when this was written",
    "KEY": "a name in the data",
    "KEY_OF": "finds what items are compared by",
    "KIND": "the cause of a fault: a value is of another kind; or a class",
    "KINDS": "the classes that a value may be of",
    "KNOWN": "the names in the data that are known",
    "LEAST": "a bound from below",
    "LEAVES": "the classes of values that hold no others",
    "LENGTH": "the cause of a fault: text is too short or too long",
    "LISTS": "the classes of lists",
    "MAKE": "the constructor of a record",
    "MATCHES": "matches a pattern",
    "MEDIA": "a media type of content",
    "MEMBERS": "the members of an Enum by what stands for them",
    "MOST": "a bound from above",
    "MORE": "one more fault, past the limit on their number",
    "MULTIPLE_OF": "tells the multiples of a step",
    "NAMES": "attributes and their names in the data",
    "NONE": "no keys",
    "ONE_ALONE": "tells whether one option alone admits a value",
    "OTHERS": "the classes of values that are surely none of this",
    "PATTERN": "the cause of a fault: text does not match",
    "PLAIN": "makes plain data of a value",
    "READING": "the cause of a fault: a value cannot be read",
    "REPEAT": "the cause of a fault: something comes again",
    "SEPARATOR": "what text is split on",
    "SITE": "where a large list stands in the declaration",
    "SIZE": "the cause of a fault: too large",
    "SORT": "sorts the keys that nobody declared",
    "SORTER": "sorts the keys that nobody declared",
    "STEP": "what a number is a multiple of, or the cause of a fault: it is none",
    "STOPPED": "the causes of faults for values that cannot be read",
    "STORED": "the attributes that a record stores",
    "TAG": "the key whose value tells the type",
    "TAG_OF": "the value that tells a type",
    "BACK": "a function that makes of a value what it came as",
    "THEN": "a function of the developer's own that makes another value",
    "TRIMMED": "the characters that are blanks",
    "UNKNOWN": "the cause of a fault: a key is not known",
    "USUAL": "matches most texts of a format",
    "UTC": "the time zone UTC",
    "VALUE": "a value of the declaration",
    "WHICH": "finds the type that a value belongs to",
    "WIRE": "names in the data by attribute",
    "WIRES": "the names in the data, as declared",
    "WIRE_OF": "what stands in the data for a value",
    "WORDS": "the words for true and false",
}
"""What a constant is, by its name without a number."""


def noted(source: str, notes: Sequence[Note]) -> str:
    """The source with the name of each field at the end of the line where it is read."""
    return _MARK.sub(lambda mark: f"  # {_label(*notes[int(mark[1])])}", source)


def _label(name: str, number: int) -> str:
    """The name where it is a plain word; whatever else it holds stays out."""
    return name if _PLAIN.fullmatch(name) else f"field {number}"


def legend(source: str, constants: Mapping[str, Any]) -> list[str]:
    """What the constants are that a source leans on: comments, a line for each sort of them."""
    used = {name for name in _NAME.findall(re.sub("#.*", "", source)) if name in constants}
    told = {}
    for name in sorted(used):
        sort = re.sub("(_[0-9]+)+$", "", name)
        if words := _LEGEND.get(sort) or _of_package(constants[name]):
            told[sort] = f"# {sort}: {words}"
    return list(told.values())


def whole(pieces: Mapping[str, str], lines: Iterable[str]) -> str:
    """Pieces of source under headings, and what their constants are."""
    told = [f"# {heading}\n\n{source}" if heading else source for heading, source in pieces.items()]
    known = "\n".join(sorted(set(lines)))
    opening = "# What the constants are: a number at the end of a name tells those of one sort apart\n#"
    return "\n\n".join([*told, f"{opening}\n{known}\n"])


def _of_package(constant: Any) -> str:
    """Where a function of this package stands, or a class; "" for anything else."""
    module, name = getattr(constant, "__module__", ""), getattr(constant, "__qualname__", "")
    if not isinstance(module, str) or not isinstance(name, str):
        return ""
    ours = module.startswith(__name__.partition(".")[0]) or isinstance(constant, type)
    told = f"{module}.{name}"
    return told if ours and _PLACE.fullmatch(told) else ""
