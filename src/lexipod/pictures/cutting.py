"""Pictures cut in two along a drawn line: each part of it on a part of its own."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import shapely
import shapely.ops

from lexipod.geometry.frames import Array

FAR = 50.0
"""How far beyond its box a line is drawn on, in sizes of the box."""
CURVE_STEPS = 12


def smoothed(points: Sequence[tuple[float, float]]) -> Array:
    """A curve through points ``(n, 2)`` (Catmull and Rom, 1974), as chords; two points stay a straight."""
    p = np.asarray(points, dtype=float)
    if len(p) < 3:
        return p
    ends = np.vstack([2 * p[0] - p[1], p, 2 * p[-1] - p[-2]])
    t = np.linspace(0.0, 1.0, CURVE_STEPS + 1)[:-1, None]
    rows = []
    for a, b, c, d in zip(ends, ends[1:], ends[2:], ends[3:], strict=False):
        rows.append(0.5 * (2 * b + (c - a) * t + (2 * a - 5 * b + 4 * c - d) * t**2 + (3 * b - a - 3 * c + d) * t**3))
    curve: Array = np.vstack([*rows, p[-1:]])
    return curve


def side_of(line: Sequence[tuple[float, float]], *, left: bool) -> Any:
    """Everything on one side of a line (shares of a box) that is drawn on straight at both ends; ``ValueError`` for a line that crosses
    itself."""
    points = np.asarray(line, dtype=float)
    points = points[np.concatenate([[True], np.linalg.norm(np.diff(points, axis=0), axis=1) > 1e-9])]
    if len(points) < 2:
        raise ValueError("a line along which a picture is cut has two points apart from each other")
    first, last = points[0] - points[1], points[-1] - points[-2]
    ends = [points[0] + first / np.linalg.norm(first) * FAR, points[-1] + last / np.linalg.norm(last) * FAR]
    whole = shapely.LineString(np.vstack([ends[0], points, ends[1]]))
    if not whole.is_simple:
        raise ValueError("a line along which a picture is cut may not cross itself")
    field = shapely.box(-FAR / 2, -FAR / 2, FAR / 2, FAR / 2)
    pieces = [p for p in shapely.get_parts(shapely.ops.split(field, whole)) if p.area > 0]
    way = points[1] - points[0]
    beside = (points[0] + points[1]) / 2 + np.array([-way[1], way[0]]) * (1e-6 if left else -1e-6) / np.linalg.norm(way)
    return min(pieces, key=lambda p: p.distance(shapely.Point(beside)))


__all__ = ["side_of", "smoothed"]
