"""Words from outside in Markdown, with tables: nothing in them is markup, a link, an image or HTML."""

from __future__ import annotations

import re
from typing import Final

from .shown_values import visible

_MARKS: Final = re.compile(r"[\\`*_{}\[\]<>()#+!|~&$^=-]")
_BACKTICKS: Final = re.compile("`+")


def code_span(text: str, instead: str = "") -> str:
    """Text as code, in a table too: it is shown as it is, and leads nowhere. `instead` stands for none."""
    text = visible(text) or instead
    fence = "`" * (1 + max(map(len, _BACKTICKS.findall(text)), default=0))
    if not text.strip() or text[0] in "` " or text[-1] in "` ":
        text = f" {text} "  # of which one is taken off on each side
    return f"{fence}{text}{fence}".replace("|", "\\|")


def escaped(text: str) -> str:
    """Text as prose on one line: each sign that could mean something is said to be itself, and no address is a link."""
    made = _MARKS.sub(lambda found: "\\" + found[0], visible(text))
    made = made.replace("://", ":&#47;&#47;").replace("@", "&#64;")
    return re.sub(r"(?i)\bwww\.", lambda found: found[0][:-1] + "&#46;", made)
