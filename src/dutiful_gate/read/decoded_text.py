"""Text of a file: UTF-8, whose byte-order mark is passed over."""

from __future__ import annotations

import re

from ..declare.phrases import Phrase
from ..report.cause import Cause
from ..report.fault import Fault
from .lines import Lines

_BOM = "\ufeff"


def text_of(raw: bytes) -> str | Fault:
    """The text of bytes in UTF-8; a fault at its place where they are in another encoding."""
    try:
        return raw.decode().removeprefix(_BOM)
    except UnicodeDecodeError as error:
        before = raw[: error.start].decode().removeprefix(_BOM)
        byte = Phrase("the byte {byte}", byte=f"0x{raw[error.start]:02X}")
        got = "text in UTF-16" if raw[:2] in (b"\xff\xfe", b"\xfe\xff") else byte
        return Fault((), Cause("reading", "text in UTF-8", got=got), None, None, Lines(before).place(len(before)))


def quoting_nothing(words: str) -> str:
    """The words of a parser without the pieces of the text that it quotes: one of them may be a secret."""
    return _QUOTED.sub("(a piece of it)", words)


_QUOTED = re.compile(r"(?<!\S)(?:'(?=\S)(?:[^'\\]|\\.){2,}'|\"(?=\S)(?:[^\"\\]|\\.){2,}\"|\((?:'[^']*',? ?)+\))")
