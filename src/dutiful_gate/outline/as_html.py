"""A tree as a page that needs nothing else: it folds by itself, and is searched by the browser."""

from __future__ import annotations

from html import escape
from typing import Final

from ..report.shown_values import visible
from .branch import Branch

_OPEN_LEVELS: Final = 2
_STYLE: Final = """
.outline { font: 15px/1.5 system-ui, sans-serif }
.outline details, .outline .leaf { margin-left: 1.1rem; border-left: 1px solid #8884; padding-left: .7rem }
.outline summary { cursor: pointer; margin-left: -.9rem }
.outline .name { font-weight: 600 } .outline .rules, .outline .text { opacity: .75 }
.outline .sample { font-family: ui-monospace, monospace; color: #0a7d5a }
.outline .fault { color: #c62828; font-weight: 600 }
@media (prefers-color-scheme: dark) { .outline .sample { color: #4cc9a0 } .outline .fault { color: #ff7b72 } }
"""
_PAGE_STYLE: Final = """
:root { color-scheme: light dark }
body { margin: 2rem auto; max-width: 68rem; padding: 0 1rem; font-family: system-ui, sans-serif }
"""


def page(tree: Branch) -> str:
    """The page of a tree."""
    return (
        f'<!doctype html>\n<html lang="en"><head><meta charset="utf-8"><title>{_safe(tree.name)}</title>'
        '<meta name="viewport" content="width=device-width, initial-scale=1">'
        f"<style>{_PAGE_STYLE}</style></head>\n<body><h1>{_safe(tree.name)}</h1>\n{piece(tree)}\n</body></html>\n"
    )


def piece(tree: Branch) -> str:
    """The tree as a piece of another page, with its own style."""
    return f'<div class="outline"><style>{_STYLE}</style>\n{fragment(tree)}\n</div>'


def fragment(tree: Branch, level: int = 0) -> str:
    """The same without its style."""
    line = _line(tree)
    if not tree.children:
        return f'<div class="leaf">{line}</div>'
    inner = "\n".join(fragment(child, level + 1) for child in tree.children)
    wide = level < _OPEN_LEVELS or any(each.faults for each in tree.below())
    return f"<details{' open' if wide else ''}><summary>{line}</summary>\n{inner}\n</details>"


def _line(tree: Branch) -> str:
    parts = [f'<span class="name">{_safe(tree.name)}{"" if not tree.needed else " *"}</span>', _safe(tree.words)]
    if tree.rules:
        parts.append(f'<span class="rules">{_safe("; ".join(tree.rules))}</span>')
    if tree.sample:
        parts.append(f'<span class="sample">{_safe(tree.sample)}</span>')
    if tree.text:
        parts.append(f'<span class="text">{_safe(tree.text)}</span>')
    parts += [f'<span class="fault">{_safe(fault)}</span>' for fault in tree.faults]
    return " ".join(part for part in parts if part)


def _safe(text: str) -> str:
    return escape(visible(text))
