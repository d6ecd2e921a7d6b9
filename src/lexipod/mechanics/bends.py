"""Paper that is bent without a score."""

from __future__ import annotations

import math

LEAST_RADIUS_CALIPERS = 30.0
"""Bent more sharply than this, paper keeps a crease: its outer face is then stretched by t / 2 r = 1.7 % (our own judgement)."""


def least_bend_radius_mm(caliper_mm: float) -> float:
    """The sharpest bend that a sheet of that caliper springs back from.

    >>> round(least_bend_radius_mm(0.25), 6)
    7.5
    """
    return LEAST_RADIUS_CALIPERS * caliper_mm


def swung_leaf_radius_mm(strut_mm: float, crease_deg: float) -> float:
    """The radius to which a leaf is bent that swings out between two sheets a strut apart: s / (1 - cos b).

    It stands at the angle of its crease when the strut is upright, and has the strut's height for it. Source: chord and sagitta of
    an arc.

    >>> round(swung_leaf_radius_mm(19.05, 45.0), 3)
    65.041
    """
    return strut_mm / (1 - math.cos(math.radians(crease_deg)))
