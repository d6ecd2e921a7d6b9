"""Strips in guides."""

from __future__ import annotations


def least_guide_mm(friction: float, offset_mm: float) -> float:
    """Guide length below which a strip pulled ``offset_mm`` beside its middle line jams.

    Source: statics of a drawer. The moment ``F e`` is taken up by two contacts ``N L``; the strip slides while
    ``2 mu N < F``, so ``L > 2 mu e``.

    >>> round(least_guide_mm(0.35, 30), 6)
    21.0
    """
    return 2 * friction * offset_mm
