"""The way of a band round a stack. Source: length of a neutral line at half the caliper (handbook formula for bends)."""

from __future__ import annotations

import math


def band_way(width_mm: float, thick_mm: float, caliper_mm: float) -> float:
    """The way (mm) of a band of a caliper round a stack: twice its width and thickness, and half a turn of the band's own neutral
    line at each side.

    >>> round(band_way(139.7, 1.6, 0.3), 2)
    283.54
    """
    return 2 * width_mm + 2 * thick_mm + math.pi * caliper_mm
