"""The reader's cue: an arrow, a word, or nothing on purpose, placed by the recipe where it is seen at rest."""

from __future__ import annotations

from typing import Literal

from lexipod.assembly import Cue
from lexipod.recipes.kit.parameters import Parameter, Values

Point = tuple[float, float]

CUE = Parameter(
    "cue",
    "reader's cue",
    "choice",
    "What tells the reader how to move it: an arrow, a word, or nothing on purpose.",
    "Reader",
    choices=("arrow", "word", "none"),
)


def straight_cue(mechanism: str, values: Values, part: str, at: Point, direction: Point, *, word: str, size_mm: float = 8.0) -> Cue:
    """A cue for something that is pulled along ``direction``; all in the part's frame."""
    return Cue(mechanism, part, _kind(values), at, direction, None, word, size_mm)


def round_cue(mechanism: str, values: Values, part: str, at: Point, about: Point, *, clockwise: bool, word: str, size_mm: float = 8.0) -> Cue:
    """A cue for something that is turned about a point; all in the part's frame."""
    x, y = at[0] - about[0], at[1] - about[1]
    length = max((x * x + y * y) ** 0.5, 1e-9)
    direction = (y / length, -x / length) if clockwise else (-y / length, x / length)
    return Cue(mechanism, part, _kind(values), at, direction, about, word, size_mm)


def _kind(values: Values) -> Literal["arrow", "word", "none"]:
    kind = values["cue"]
    return "arrow" if kind == "arrow" else "word" if kind == "word" else "none"
