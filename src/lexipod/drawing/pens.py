"""Pens and fills by name. Line codes follow the drawing standards (ISO 128, from memory): cut solid, hidden edges dashed,
valley folds dashed, mountain folds dash-dot, centre lines long-dash-dot."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Pen:
    """Line width in mm, dash pattern in mm (empty for solid) and the name of its ink."""

    width_mm: float
    ink: str
    dash_mm: tuple[float, ...] = ()


PENS: dict[str, Pen] = {
    "cut": Pen(0.25, "graphite"),
    "outline": Pen(0.22, "graphite"),
    "moving": Pen(0.3, "graphite"),
    "hidden": Pen(0.18, "pencil", (2.0, 1.2)),
    "valley": Pen(0.25, "graphite", (3.0, 1.5)),
    "mountain": Pen(0.25, "graphite", (5.0, 1.2, 0.6, 1.2)),
    "centre": Pen(0.15, "pencil", (9.0, 1.5, 1.5, 1.5)),
    "perforated": Pen(0.25, "graphite", (1.2, 1.2)),
    "ghost": Pen(0.18, "accent", (1.4, 1.4)),
    "zone": Pen(0.18, "pencil", (1.0, 1.0)),
    "measure": Pen(0.18, "graphite"),
    "guide": Pen(0.12, "pencil"),
    "registration": Pen(0.15, "graphite"),
    "glue": Pen(0.18, "accent", (1.0, 1.0)),
    "art": Pen(0.18, "pencil", (0.4, 0.8)),
    "edge": Pen(0.1, "pencil"),
    "step": Pen(0.22, "accent"),
    "faint": Pen(0.15, "pencil"),
    "strong": Pen(0.5, "graphite"),
    "never": Pen(0.22, "alarm", (0.8, 1.0)),
    "cross": Pen(0.25, "alarm"),
    "trouble": Pen(0.4, "alarm"),
    "section": Pen(0.2, "accent", (6.0, 1.2, 1.2, 1.2)),
}

LAYERS: dict[str, str] = {
    "cut": "cut",
    "valley": "score-valley",
    "mountain": "score-mountain",
    "perforated": "perforate",
    "registration": "pencil",
    "zone": "pencil",
    "glue": "glue",
    "art": "art",
}
"""What a line is for whoever works along it, by its pen; every other pen is a “note”."""
NOTE = "note"


def layer_of(pen: str) -> str:
    """The layer that a line of this pen lies in.

    >>> layer_of("mountain"), layer_of("guide")
    ('score-mountain', 'note')
    """
    return LAYERS.get(pen, NOTE)


INKS: dict[str, str] = {
    "graphite": "#2b2a28",
    "pencil": "#77726a",
    "accent": "#274872",
    "alarm": "#a8321d",
    "caution": "#b9770e",
}
"""Inks on white paper, for everything that is exported."""

FILLS: dict[str, str] = {
    "card": "#fbf8f1",
    "mat": "#dfe7ea",
    "frame": "#f4f1e8",
    "backing": "#c9d6db",
    "strip": "#b7c7cf",
    "foam": "#efe6cf",
    "picture": "#fffdf8",
    "brass": "#d9c48a",
    "ring": "#d5dfe0",
    "blade": "#a9bcc4",
    "wheel": "#e4e9e6",
    "arm": "#c3ccd6",
    "paper": "#ffffff",
    "faded": "#f7f5f0",
    "hatch": "hatch",
}
"""Fills by the face of a part; ``art:#rrggbb`` is taken as it stands, ``hatch`` is drawn as lines."""


def colour_of_fill(fill: str) -> str:
    """The colour of a fill as ``#rrggbb``; empty for no fill and for hatching."""
    if fill.startswith("art:"):
        return fill[4:11]
    colour = FILLS.get(fill, "")
    return "" if colour == "hatch" else colour


def alpha_of_fill(fill: str) -> float:
    """How opaque a fill is, 0 to 1: that of a colour with two more digits, else 1.

    >>> alpha_of_fill("art:#2040ff80"), alpha_of_fill("card")
    (0.5019607843137255, 1.0)
    """
    return int(fill[11:13], 16) / 255 if fill.startswith("art:") and len(fill) == 13 else 1.0
