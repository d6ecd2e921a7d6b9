"""How narrow a blank gets: between its openings, between them and its rim, and where it hangs together by a bridge."""

from __future__ import annotations

import itertools
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Blank

STEPS = 7
LEAST_BULK_MM2 = 1.0
"""What an erosion leaves of a rounded corner or a burr is no piece."""


def narrowest_mm(blank: Blank, *, below_mm: float) -> tuple[float, tuple[float, float]] | None:
    """The least width of a blank and where that is, in its frame; None where it is nowhere below ``below_mm``.

    The least of the distances between the edges of its openings and its rim, and of the width of the bridges between its larger parts
    (the widest brush that does not go through: found by halving, to within 1/128 of ``below_mm``).
    """
    found = [*_lands(blank, below_mm), *_bridges(blank.region, below_mm)]
    return min(found, default=None, key=lambda row: row[0])


def _lands(blank: Blank, below_mm: float) -> list[tuple[float, tuple[float, float]]]:
    rings = [shapely.LinearRing(r) for r in (blank.outline, *blank.holes)]
    found = []
    for a, b in itertools.combinations(rings, 2):
        width = float(shapely.distance(a, b))
        if width < below_mm:
            x, y = shapely.get_coordinates(shapely.shortest_line(a, b)).mean(axis=0)
            found.append((width, (float(x), float(y))))
    return found


def _bridges(region: Any, below_mm: float) -> list[tuple[float, tuple[float, float]]]:
    if not _breaks(region, below_mm):
        return []
    low, high = 0.0, below_mm
    for _ in range(STEPS):
        middle = (low + high) / 2
        low, high = (low, middle) if _breaks(region, middle) else (middle, high)
    lost = shapely.difference(region, shapely.buffer(shapely.buffer(region, -high / 2), high / 2 + 1e-6))
    parts = _pieces(region, high)
    near = [p for p in shapely.get_parts(lost) if sum(p.distance(q) < high for q in parts) > 1]
    spot = shapely.get_coordinates((max(near, key=lambda p: p.area) if near else region).representative_point())[0]
    return [(high, (float(np.round(spot[0], 6)), float(np.round(spot[1], 6))))]


def _pieces(region: Any, width_mm: float) -> list[Any]:
    return [p for p in shapely.get_parts(shapely.buffer(region, -width_mm / 2)) if p.area > LEAST_BULK_MM2]


def _breaks(region: Any, width_mm: float) -> bool:
    """Whether it falls into several pieces, or nothing is left, when everything that is narrower is taken away."""
    return len(_pieces(region, width_mm)) != 1
