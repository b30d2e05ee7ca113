"""The manual as one HTML page that needs nothing else: no other host, no other file."""

from __future__ import annotations

import json
from html import escape
from importlib.resources import files
from typing import TYPE_CHECKING, Any

from ...report.shown_values import on_terminal
from .chapters import contents

if TYPE_CHECKING:
    from ..api import Api


def _visible(told: Any, shown: bool = False) -> Any:
    """What is said of an API, without signs that turn a line round; names stay what they are in the data."""
    if isinstance(told, dict):
        return {word: _visible(held, word in _SHOWN) for word, held in told.items()}
    if isinstance(told, list):
        return [_visible(each, shown) for each in told]
    return on_terminal(told) if shown and isinstance(told, str) else told


_SHOWN = frozenset(["title", "text", "summary", "words", "rules", "tags"])


def manual(api: Api, *, beside: str = "") -> str:
    """The page. What it says is data inside it; its script makes chapters of that as they come into view.

    Style and script stand inside too, or, with `beside`, in files of that name: `{beside}.css`, `{beside}.js`.
    """
    # In a script element, data ends at no "</script>" and no comment begins: every "<" is written otherwise.
    data = json.dumps(_visible(contents(api)), ensure_ascii=False, separators=(",", ":"), default=str).replace(
        "<", "\\u003c"
    )
    pieces: dict[str, Any] = {
        "TITLE": escape(f"{api.title} {api.version}"),
        "STYLE": f'<link rel="stylesheet" href="{beside}.css">' if beside else f"<style>{file('page.css')}</style>",
        "SCRIPT": f'<script src="{beside}.js"></script>' if beside else f"<script>{file('page.js')}</script>",
        "DATA": data,
    }
    page = file("page.html")
    for name in ("TITLE", "STYLE", "SCRIPT", "DATA"):  # the data last: what is in it is not looked into
        page = page.replace(f"[[{name}]]", pieces[name], 1)
    return page


def file(name: str) -> str:
    """What stands in a file of the page: its style, its script."""
    return files(__package__).joinpath(name).read_text()
