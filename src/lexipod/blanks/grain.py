"""Which way the grain of a blank runs."""

from __future__ import annotations

import math
from typing import Literal

from lexipod.assembly import Blank

SLANT = math.tan(math.radians(20.0))
Axis = Literal["x", "y", ""]


def grain_axis(blank: Blank) -> Axis:
    """The axis of the blank along which its grain should run; empty where it does not matter, or where the line that it goes by slants."""
    words = blank.grain
    if not words:
        return ""
    width, height = blank.size_mm
    if "length" in words:
        along: Axis = "x" if width >= height else "y"
    elif blank.creases:
        longest = max(blank.creases, key=lambda c: c.length_mm)
        dx, dy = (abs(e - s) for s, e in zip(longest.start, longest.end, strict=True))
        if min(dx, dy) > SLANT * max(dx, dy):
            return ""
        along = "x" if dx > dy else "y"
    else:
        return ""
    if words.startswith("across"):
        return "y" if along == "x" else "x"
    return along


def grain_side(blank: Blank) -> Literal["long", "short", ""]:
    """Whether the grain runs along the longer or the shorter side of the piece; a square's is “long”."""
    axis = grain_axis(blank)
    if not axis:
        return ""
    width, height = blank.size_mm
    return "long" if (axis == "x") == (width >= height) or abs(width - height) < 1e-6 else "short"
