"""What is marked on a blank and not cut: where to prick a pivot or a middle, where to pencil what is stuck on it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import shapely

from lexipod.assembly import Assembly, Blank, Part
from lexipod.blanks.measures import diameter_of
from lexipod.geometry.frames import Array, apply_pose, invert_pose

LEAST_MM2 = 1.0
HOLE_MM = 1.0
"""A pivot that comes this near to the middle of a hole needs no prick of its own."""


@dataclass(frozen=True, eq=False)
class Mark:
    """A point to prick (``pivot``, ``middle``), or the outline of a place to pencil (``glue``), in the blank's frame; ``face`` of the blank."""

    kind: Literal["pivot", "middle", "glue"]
    name: str
    points: Array
    face: Literal["front", "back"] = "front"


def find_marks(blank: Blank, assembly: Assembly) -> tuple[Mark, ...]:
    """Marks of a blank at the origin: pivots that are not punched, the middle of what is round, and places where something is stuck."""
    found: list[Mark] = []
    for panel in blank.panels:
        part, to_blank = assembly.by_id.get(panel), blank.laid.get(panel)
        if part is not None and to_blank is not None:
            found += [*_pivots(part, to_blank, blank, assembly), *_stuck(part, to_blank, blank, assembly)]
    if diameter_of(blank.outline) and not blank.holes:
        found.append(Mark("middle", "middle", (blank.outline.max(axis=0) + blank.outline.min(axis=0))[None] / 2))
    return tuple(m for m in found if not blank.id.endswith(("-lap1", "-lap2")) or _lies_on(m, blank))


def _lies_on(mark: Mark, blank: Blank) -> bool:
    """Whether a mark lies on this one of two that lap."""
    shape = shapely.Point(mark.points[0]) if len(mark.points) < 3 else shapely.Polygon(mark.points)
    return bool(shapely.buffer(blank.region, 1e-6).covers(shape))


def _laid(points: Any, to_blank: Array) -> Array:
    return np.asarray(points, dtype=float) @ to_blank[:, :2].T + to_blank[:, 2]


def _pivots(part: Part, to_blank: Array, blank: Blank, assembly: Assembly) -> list[Mark]:
    found = []
    for joint in (j for j in assembly.joints if j.kind == "pin"):
        for end, at, other in ((joint.a, joint.at_a, joint.b), (joint.b, joint.at_b, joint.a)):
            if end != part.id or assembly.by_id[other].role == "fastener":
                continue
            spot = _laid([at], to_blank)
            is_punched = any(np.linalg.norm((h.max(axis=0) + h.min(axis=0)) / 2 - spot[0]) < HOLE_MM for h in blank.holes)
            if not is_punched and shapely.Polygon(blank.outline).distance(shapely.Point(spot[0])) < 1e-6:
                found.append(Mark("pivot", f"pivot of the {assembly.by_id[other].name}", spot))
    return found


def _stuck(part: Part, to_blank: Array, blank: Blank, assembly: Assembly) -> list[Mark]:
    """Outlines of smaller parts that are stuck on this one."""
    found = []
    for joint in (j for j in assembly.joints if j.kind == "fixed" and part.id in (j.a, j.b)):
        other = assembly.by_id[joint.b if joint.a == part.id else joint.a]
        if other.role == "fastener" or not other.quantity or other.id in blank.panels or other.region.area >= part.region.area:
            continue
        shared = shapely.intersection(part.region_at_home, other.region_at_home)
        for piece in shapely.get_parts(shared):
            if piece.geom_type == "Polygon" and piece.area >= LEAST_MM2:
                outline = apply_pose(invert_pose(part.home), shapely.get_coordinates(piece.exterior)[:-1])
                is_front = (other.z_mm > part.z_mm) == bool(np.linalg.det(to_blank[:, :2]) > 0)
                found.append(Mark("glue", other.name, _laid(outline, to_blank), "front" if is_front else "back"))
    return found
