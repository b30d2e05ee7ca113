"""A plot of where in a file the faults stand: a strip for each rule and place, the file from left to right. As SVG."""

from __future__ import annotations

import io
from typing import Any, Final

import matplotlib as mpl
from matplotlib.backends.backend_svg import FigureCanvasSVG
from matplotlib.collections import PatchCollection
from matplotlib.figure import Figure
from matplotlib.patches import Rectangle

from ..report.digest import Digest, Group
from ..report.shown_values import visible

_STRIPS: Final = 16
"""So many groups are drawn, those of the most faults."""
_COLOUR: Final = "#c8553d"
_FAINTEST: Final = 0.35
_LONGEST: Final = 46


def plot(digest: Digest) -> Any:
    """The plot as an SVG element for a page; markup that is safe there, whatever the names in it."""
    from markupsafe import Markup

    groups = digest.groups[:_STRIPS]
    if not groups or not digest.rows:
        return Markup("")
    figure = Figure(figsize=(11, 0.9 + 0.27 * len(groups)), layout="constrained")
    figure.patch.set_alpha(0)
    axes = figure.subplots()
    axes.patch.set_alpha(0)
    for at, group in enumerate(groups):
        axes.add_collection(_strip(group, at, digest.rows))
    axes.set_xlim(1, max(digest.rows, 2))
    axes.set_ylim(len(groups) - 0.5, -0.5)
    axes.set_yticks(range(len(groups)), [_label(group) for group in groups], parse_math=False)
    axes.xaxis.set_major_formatter(lambda number, _: f"{number:,.0f}")
    axes.set_xlabel("record")
    axes.tick_params(length=0)
    for side in axes.spines.values():
        side.set_visible(False)
    for at in range(len(groups)):
        axes.axhline(at + 0.5, color="#8885", linewidth=0.6)
    if len(groups) < len(digest.groups):
        axes.set_title(f"the {len(groups)} of {len(digest.groups)} with the most faults", fontsize=9, loc="left")
    text = io.StringIO()
    canvas: Any = FigureCanvasSVG(figure)
    with mpl.rc_context({"svg.fonttype": "none", "svg.hashsalt": "dutiful"}):
        canvas.print_svg(text, metadata={"Date": None, "Creator": None, "Format": None, "Type": None})
    made = text.getvalue()
    return Markup(made[made.index("<svg") :])


def _strip(group: Group, at: int, rows: int) -> PatchCollection:
    """The stretches of the file in which a group has faulty records, the darker the more."""
    width, counts = group.spread
    boxes, shades = [], []
    for stretch, count in counts.items():
        first = stretch * width + 1
        long = min(width, rows - first + 1)
        boxes.append(Rectangle((first - 0.5, at - 0.36), max(long, rows / 400), 0.72))
        shades.append(max(min(count / max(long, 1), 1), _FAINTEST))
    return PatchCollection(boxes, facecolors=[(*mpl.colors.to_rgb(_COLOUR), shade) for shade in shades], linewidths=0)


def _label(group: Group) -> str:
    words = f"{group.pointer or '(the whole)'}  {group.wanted}"
    return visible(words if len(words) <= _LONGEST else words[: _LONGEST - 3] + "...")
