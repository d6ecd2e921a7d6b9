"""Dashes and hatching worked out as plain lines, for outputs that have neither."""

from __future__ import annotations

import math

import numpy as np
import shapely
import shapely.ops

from lexipod.geometry.frames import Array
from lexipod.geometry.shapes import region_of_rings


def dashes(points: Array, pattern: tuple[float, ...], *, closed: bool = False) -> list[Array]:
    """The visible stretches of a polyline ``(n, 2)`` drawn with a dash pattern (drawn, skipped, …); whole line when empty."""
    path = np.vstack([points, points[:1]]) if closed else points
    if not pattern:
        return [path]
    line = shapely.LineString(path)
    pieces: list[Array] = []
    at, k = 0.0, 0
    while at < line.length - 1e-9 and len(pieces) < 5000:
        step = pattern[k % len(pattern)]
        if k % 2 == 0:
            pieces.append(shapely.get_coordinates(shapely.ops.substring(line, at, min(at + step, line.length))))
        at, k = at + step, k + 1
    return [p for p in pieces if len(p) >= 2]


def hatching(rings: tuple[Array, ...], *, spacing_mm: float = 1.6, angle_deg: float = 45.0) -> list[Array]:
    """Parallel lines ``(2, 2)`` that fill a region given by rings (even-odd)."""
    region = region_of_rings(rings)
    if region.is_empty:
        return []
    turn = math.radians(angle_deg)
    along, across = np.array([math.cos(turn), math.sin(turn)]), np.array([-math.sin(turn), math.cos(turn)])
    corners = shapely.get_coordinates(region)
    low, high = (corners @ across).min(), (corners @ across).max()
    reach = float(np.abs(corners @ along).max()) + 1.0
    offsets = np.arange(math.ceil(low / spacing_mm) * spacing_mm, high, spacing_mm)
    lines = [np.array([across * d - along * reach, across * d + along * reach]) for d in offsets]
    if not lines:
        return []
    cut = shapely.intersection(shapely.multilinestrings([shapely.linestrings(np.array(lines))])[0], region)
    return [shapely.get_coordinates(p) for p in shapely.get_parts(cut) if p.geom_type == "LineString"]
