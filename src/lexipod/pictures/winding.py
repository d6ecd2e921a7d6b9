"""Rings of points filled by the two rules that drawings and fonts use."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import shapely

from lexipod.geometry.frames import Array


def region_of_rings(rings: Sequence[Array], *, even_odd: bool) -> Any:
    """What closed rings ``(n, 2)`` enclose: where a line to the outside crosses them an odd number of times, or where they go round a
    point more often one way than the other."""
    sound = [r for r in rings if len(r) >= 3 and np.isfinite(r).all()]
    if not sound:
        return shapely.Polygon()
    polygons = [shapely.Polygon(r) for r in sound]
    if len(sound) == 1 and polygons[0].is_valid:
        return polygons[0]
    if even_odd and all(p.is_valid for p in polygons):
        region = shapely.Polygon()
        for polygon in polygons:
            region = shapely.symmetric_difference(region, polygon)
        return region
    lines = shapely.union_all([shapely.LinearRing(r) for r in sound])
    faces = [f for f in shapely.get_parts(shapely.polygonize(list(shapely.get_parts(lines)))) if f.area > 0]
    if not faces:
        return shapely.Polygon()
    inside = shapely.get_coordinates(shapely.point_on_surface(faces))
    turns = sum(_turns(ring, inside) for ring in sound)
    kept = (np.asarray(turns) % 2 != 0) if even_odd else (np.asarray(turns) != 0)
    return shapely.union_all([f for f, keep in zip(faces, kept, strict=True) if keep])


def _turns(ring: Array, points: Array) -> Array:
    """How often a ring goes round each point, counter-clockwise."""
    a, b = ring, np.roll(ring, -1, axis=0)
    x, y = points[:, None, 0], points[:, None, 1]
    side = (b[:, 0] - a[:, 0]) * (y - a[:, 1]) - (x - a[:, 0]) * (b[:, 1] - a[:, 1])
    up = (a[:, 1] <= y) & (b[:, 1] > y) & (side > 0)
    down = (a[:, 1] > y) & (b[:, 1] <= y) & (side < 0)
    counted: Array = up.sum(axis=1) - down.sum(axis=1)
    return counted


__all__ = ["region_of_rings"]
