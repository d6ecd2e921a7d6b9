"""Outlines of the shapes that card parts are cut in."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from functools import lru_cache
from typing import Any

import numpy as np
import shapely
from numpy.typing import ArrayLike

from lexipod.geometry.frames import Array

LEAST_MM2 = 1e-9
CRUMB_MM2 = 0.5
JOINED_MM = 1e-4
"""Edges that come nearer than this are one: far below what can be cut, well above rounding."""
FINE_MM = 0.005
COARSE_MM = 0.02


def rectangle(left: float, bottom: float, right: float, top: float) -> Array:
    """The outline of an upright rectangle, counter-clockwise from its lower left corner."""
    return np.array([[left, bottom], [right, bottom], [right, top], [left, top]], dtype=float)


def arc_steps(radius_mm: float, angle_rad: float, *, chord_error_mm: float) -> int:
    """How many chords stay within ``chord_error_mm`` of an arc (sagitta of the chord)."""
    if radius_mm <= chord_error_mm:
        return 1
    largest = 2 * math.acos(1 - chord_error_mm / radius_mm)
    return max(1, math.ceil(abs(angle_rad) / largest - 1e-9))


def arc(centre: ArrayLike, *, radius_mm: float, start_rad: float, end_rad: float, chord_error_mm: float = COARSE_MM) -> Array:
    """Points along an arc from ``start_rad`` to ``end_rad``, both ends included; ``(n, 2)``."""
    steps = arc_steps(radius_mm, end_rad - start_rad, chord_error_mm=chord_error_mm)
    angles = np.linspace(start_rad, end_rad, steps + 1)
    return np.asarray(centre, dtype=float) + radius_mm * np.column_stack([np.cos(angles), np.sin(angles)])


def circle(centre: ArrayLike, *, radius_mm: float, chord_error_mm: float = FINE_MM) -> Array:
    """The outline of a disc or hole; its vertices lie on the circle."""
    return arc(centre, radius_mm=radius_mm, start_rad=0, end_rad=2 * math.pi, chord_error_mm=chord_error_mm)[:-1]


def rounded_rectangle(left: float, bottom: float, right: float, top: float, *, radius_mm: float) -> Array:
    """A rectangle with quarter-circle corners; the radius is cut down to half the shorter side."""
    r = max(0.0, min(radius_mm, (right - left) / 2, (top - bottom) / 2))
    if r < 1e-6:
        return rectangle(left, bottom, right, top)
    quarters = _quarters(arc_steps(r, math.pi / 2, chord_error_mm=COARSE_MM))
    centres = np.array([(right - r, bottom + r), (right - r, top - r), (left + r, top - r), (left + r, bottom + r)])
    points = (centres[:, None] + r * quarters).reshape(-1, 2)
    keep = np.linalg.norm(points - np.roll(points, 1, axis=0), axis=1) > 1e-9
    return points[keep]


@lru_cache(maxsize=64)
def _quarters(steps: int) -> Array:
    """Four quarters of the unit circle from -90 degrees on, ``(4, steps + 1, 2)``."""
    angles = np.linspace(-math.pi / 2, 0, steps + 1) + np.arange(4)[:, None] * (math.pi / 2)
    return np.stack([np.cos(angles), np.sin(angles)], axis=-1)


def pill(start: ArrayLike, end: ArrayLike, *, width_mm: float) -> Array:
    """A slot with round ends whose *overall* length runs from ``start`` to ``end``."""
    a, b = np.asarray(start, dtype=float), np.asarray(end, dtype=float)
    length, r = float(np.linalg.norm(b - a)), width_mm / 2
    r = min(r, length / 2)
    turn = math.atan2(b[1] - a[1], b[0] - a[0])
    local = rounded_rectangle(0, -width_mm / 2, length, width_mm / 2, radius_mm=r)
    cos, sin = math.cos(turn), math.sin(turn)
    return a + local @ np.array([[cos, sin], [-sin, cos]])


def region_from(outline: ArrayLike, holes: Iterable[ArrayLike] = ()) -> Any:
    """The Shapely polygon of an outline with holes."""
    rings = [shapely.linearrings(np.asarray(h, dtype=float)) for h in holes]
    return shapely.polygons(np.asarray(outline, dtype=float), holes=rings or None)


def region_of_rings(rings: Iterable[Array]) -> Any:
    """What rings ``(n, 2)`` enclose by the even-odd rule."""
    region = shapely.Polygon()
    for ring in rings:
        region = shapely.symmetric_difference(region, shapely.make_valid(shapely.Polygon(ring)))
    return region


def rings_of(region: Any, *, crumb_mm2: float = 0.0) -> tuple[Array, ...]:
    """Outlines and holes of all pieces of a region, open rings ``(n, 2)``; no pieces as small as a crumb."""
    return tuple(
        shapely.get_coordinates(ring)[:-1]
        for piece in shapely.get_parts(region)
        if piece.geom_type == "Polygon" and piece.area > crumb_mm2
        for ring in (piece.exterior, *piece.interiors)
    )


def split_region(region: Any) -> tuple[Array, tuple[Array, ...]]:
    """Outline (counter-clockwise) and holes of the largest piece of a region; the way back from Shapely.

    Raises ``ValueError`` when nothing is left.
    """
    if region.geom_type != "Polygon" or region.area <= LEAST_MM2:
        pieces = [p for p in shapely.get_parts(region) if p.geom_type == "Polygon" and p.area > LEAST_MM2]
        if not pieces:
            raise ValueError("an empty region has no outline")
        region = max(pieces, key=lambda p: p.area)
    oriented = shapely.orient_polygons(region)
    outline = shapely.get_coordinates(shapely.get_exterior_ring(oriented))[:-1]
    return outline, tuple(shapely.get_coordinates(ring)[:-1] for ring in oriented.interiors)


def scraps_of(region: Any) -> tuple[Array, ...]:
    """Outlines of what falls off when only the largest piece of a region is kept; crumbs are left out."""
    if region.geom_type == "Polygon":
        return ()
    pieces = sorted((p for p in shapely.get_parts(region) if p.geom_type == "Polygon" and p.area > CRUMB_MM2), key=lambda p: -p.area)
    return tuple(np.asarray(p.exterior.coords, dtype=float)[:-1] for p in pieces[1:])


def join_regions(regions: Sequence[Any]) -> Any:
    """Regions as one where their edges meet to within rounding; several pieces are left where they do not."""
    with np.errstate(divide="ignore", invalid="ignore"):  # GEOS divides by edges of no length, and goes on soundly
        grown = shapely.union_all([shapely.buffer(r, JOINED_MM, join_style="mitre") for r in regions])
        return shapely.buffer(grown, -JOINED_MM, join_style="mitre")
