"""How a blank is measured: by its smallest box, or by its diameters where it is round."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Blank
from lexipod.geometry.frames import Array

ROUND_MM = 0.03
"""Corners of a drawn circle lie within this of it."""
SMALLER = 0.999
"""A box that is not at least a thousandth smaller is no reason to turn a piece."""
LEAST_CORNERS = 12


@dataclass(frozen=True, slots=True)
class Measure:
    """Width and height of the box that is cut, mm. A round piece has a ``diameter_mm``, a ring also an ``inner_mm``."""

    width_mm: float
    height_mm: float
    diameter_mm: float | None = None
    inner_mm: float | None = None


def diameter_of(outline: Array) -> float | None:
    """The diameter where the outline is a circle, drawn with at least twelve corners.

    >>> diameter_of(np.array([[0.0, 0.0], [4.0, 0.0], [4.0, 4.0], [0.0, 4.0]])) is None
    True
    """
    if len(outline) < LEAST_CORNERS:
        return None
    middle = (outline.max(axis=0) + outline.min(axis=0)) / 2
    radii = np.linalg.norm(outline - middle, axis=1)
    steps = np.linalg.norm(np.roll(outline, -1, axis=0) - outline, axis=1)
    if np.ptp(radii) > ROUND_MM or steps.max() > 0.6 * radii.max():
        return None
    return 2 * float(radii.max())


def smallest_box(outline: Array) -> tuple[float, float, float]:
    """Width, height, and the angle (degrees, above -45 and up to 45) at which the smallest box round an outline lies. It is 0 unless a
    turned box is smaller than the upright one.

    >>> smallest_box(np.array([[0.0, 0.0], [3.0, 0.0], [3.0, 1.0], [0.0, 1.0]]))
    (3.0, 1.0, 0.0)
    """
    width, height = (float(v) for v in np.ptp(outline, axis=0))
    box = shapely.get_coordinates(shapely.oriented_envelope(shapely.Polygon(outline)))
    if len(box) < 4:
        return width, height, 0.0
    side, other = box[1] - box[0], box[2] - box[1]
    area = float(np.linalg.norm(side) * np.linalg.norm(other))
    if area >= SMALLER * width * height:
        return width, height, 0.0
    angle = math.degrees(math.atan2(side[1], side[0]))
    quarter = round(angle / 90.0)
    long, wide = float(np.linalg.norm(side)), float(np.linalg.norm(other))
    return (long, wide, angle - 90 * quarter) if quarter % 2 == 0 else (wide, long, angle - 90 * quarter)


def lying_square(blank: Blank) -> Blank:
    """The blank turned so that its smallest box lies upright, its lower left corner at the origin; one that was turned lies with its
    longer side along x. A blank whose grain goes by its scores stays as it is, and so does a sheet whose panels fold in space."""
    if (blank.grain and "length" not in blank.grain) or (blank.creases and not blank.laid) or diameter_of(blank.outline):
        return blank.at_origin()
    width, height, angle = smallest_box(blank.outline)
    if abs(angle) < 1e-9:
        return blank.at_origin()
    turn = math.radians(-angle + (90.0 if height > width else 0.0))
    cos, sin = math.cos(turn), math.sin(turn)
    return blank.moved(np.array([[cos, -sin, 0.0], [sin, cos, 0.0]])).at_origin()


def measure_blank(blank: Blank) -> Measure:
    """How the blank is measured; it lies square."""
    width, height = blank.size_mm
    diameter = diameter_of(blank.outline)
    inner = diameter_of(blank.holes[0]) if diameter and len(blank.holes) == 1 and _is_ring(blank) else None
    return Measure(width, height, diameter, inner)


def _is_ring(blank: Blank) -> bool:
    hole, rim = (r.max(axis=0) + r.min(axis=0) for r in (blank.holes[0], blank.outline))
    return bool(np.linalg.norm(hole - rim) < 2 * ROUND_MM) and float(np.ptp(blank.holes[0], axis=0)[0]) > 0.25 * float(blank.size_mm[0])


def is_boxy(region: Any) -> bool:
    """Whether at least half of the box's edge is edge of the region, so that it is measured as a rectangle with notches."""
    edge = shapely.box(*region.bounds).exterior
    return bool(shapely.intersection(edge, region.buffer(1e-4)).length >= 0.5 * edge.length)
