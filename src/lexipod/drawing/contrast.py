"""How well letters stand out from what they are written on.

Source: relative luminance and contrast ratio of the Web Content Accessibility Guidelines 2.1 (W3C), where large letters want 3 : 1.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import shapely

from lexipod.drawing.display import Shape
from lexipod.drawing.pens import alpha_of_fill, colour_of_fill
from lexipod.pictures.winding import region_of_rings

LARGE_LETTERS = 3.0
PAPER = "#ffffff"
WHITE_INK = "#fffdf8"


def luminance(colour: str) -> float:
    """The relative luminance of ``#rrggbb``, 0 for black to 1 for white."""
    shares = [int(colour[k : k + 2], 16) / 255 for k in (1, 3, 5)]
    red, green, blue = (s / 12.92 if s <= 0.04045 else ((s + 0.055) / 1.055) ** 2.4 for s in shares)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def contrast(one: float, other: float) -> float:
    """The contrast ratio of two luminances, 1 to 21.

    >>> round(contrast(luminance("#000000"), luminance("#ffffff")), 6)
    21.0
    """
    low, high = sorted((one, other))
    return (high + 0.05) / (low + 0.05)


def ground_under(shapes: Sequence[Shape], region: Any) -> float:
    """The mean luminance of what is seen of a part in a region of its frame; bare it is white paper, and so is a photograph."""
    left, total, found = region, float(region.area), 0.0
    for shape in reversed(shapes):
        colour = colour_of_fill(shape.fill)
        if not colour or left.is_empty:
            continue
        drawn = shapely.intersection(left, region_of_rings(shape.rings, even_odd=True))
        if drawn.area > 0:
            share, alpha = float(drawn.area) / total, alpha_of_fill(shape.fill)
            found += share * (alpha * luminance(colour) + (1 - alpha) * luminance(PAPER))
            left = shapely.difference(left, drawn)
    return found + float(left.area) / total * luminance(PAPER)


def ink_on(ground: float, ink: str) -> str:
    """The ink, or white where that stands out from a ground and the ink does not; empty for the ink itself."""
    own, white = contrast(luminance(ink), ground), contrast(luminance(WHITE_INK), ground)
    return WHITE_INK if own < LARGE_LETTERS and white > own else ""


__all__ = ["contrast", "ground_under", "ink_on", "luminance"]
