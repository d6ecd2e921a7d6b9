"""Where something may be glued: the face of a part less what passes over it at any position of any mechanism.

zone
    The place on one face of a part that stays free up to a height: for glue (nothing may touch it), for something flat, for foam.
sweep
    What another part covers over the whole travel, seen from the part in question.
overhang
    How far something glued on a moving part may stand out of it on each side.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import shapely

from lexipod.assembly import Part
from lexipod.checks.examination import Examination
from lexipod.geometry.frames import Array, apply_pose, invert_pose, relative_pose
from lexipod.geometry.shapes import rectangle
from lexipod.motion.sweep import swept_region

Face = Literal["front", "back"]
Use = Literal["glue", "flat", "foam"]
GLUE_MARGIN_MM = 1.0
EDGE_MARGIN_MM = 1.0
TOUCHING_MM = 0.25
FLAT_MM = 0.6
LARGEST_OVERHANG_MM = 80.0
PLAIN_MM = 0.1
SIDES: dict[str, tuple[float, float]] = {"left": (-1.0, 0.0), "right": (1.0, 0.0), "bottom": (0.0, -1.0), "top": (0.0, 1.0)}


@dataclass(frozen=True, eq=False)
class FreeZone:
    """Where on the ``face`` of a part something for ``use`` may go, ``height_mm`` high: ``free`` and what is ``taken`` from it, both
    in the part's frame; ``passing`` names the parts that pass there."""

    part: str
    face: Face
    use: Use
    height_mm: float
    free: Any
    taken: Any
    passing: tuple[str, ...]

    @property
    def area_mm2(self) -> float:
        return float(self.free.area)


def sweep_of(examination: Examination, seen_from: str, part_id: str) -> Any:
    """What a part covers over its travel, in the frame of another one."""
    region = examination.assembly.by_id[part_id].region
    return examination.once(("sweep", seen_from, part_id), lambda: sweep_region(examination, region, seen_from, part_id))


def sweep_region(examination: Examination, region: Any, seen_from: str, part_id: str) -> Any:
    """What a region that goes with a part covers over the travel, in the frame of another one. Of two that different mechanisms move, what
    the one covers on the card is swept on by all that the other one does."""
    outer, inner = examination.poses(seen_from), examination.poses(part_id)
    by_id = examination.assembly.by_id
    if len(outer) == 1 or len(inner) == 1 or by_id[seen_from].mechanism == by_id[part_id].mechanism:
        return swept_region(region, relative_pose(outer, inner))
    on_card = examination.once(("sweep on card", part_id, shapely.to_wkb(region)), lambda: shapely.simplify(swept_region(region, inner), PLAIN_MM))
    return swept_region(on_card.buffer(PLAIN_MM, join_style="mitre"), invert_pose(outer))


def room_over(examination: Examination, part: Part, face: Face) -> float:
    """Height (mm) from a face to the nearest sheet over (or under) it, where one of the card's own lies there; else 12 mm."""
    gaps = []
    for other in examination.assembly.parts:
        gap = other.z_mm - part.top_mm if face == "front" else part.z_mm - other.top_mm
        if other.role in ("cover", "base") and other.mechanism == "card" and other.id != part.id and gap > 1e-6:
            gaps.append(gap)
    return min(gaps, default=12.0)


def _in_the_way(examination: Examination, part: Part, face: Face, height_mm: float) -> list[Part]:
    """Parts that take room within ``height_mm`` of a face: the card's own sheets are paper like all others."""
    found = []
    low, high = (part.top_mm, part.top_mm + height_mm) if face == "front" else (part.z_mm - height_mm, part.z_mm)
    for other in examination.assembly.parts:
        if other.id != part.id and other.z_mm < high - 1e-6 and other.top_mm > low + 1e-6:
            found.append(other)
    return found


def find_zone(examination: Examination, part_id: str, face: Face, use: Use, *, height_mm: float | None = None) -> FreeZone:
    """Where glue, something flat, or foam may go on a part's face.

    Of what is glued to the part already only its own place is taken; what moves takes all that it sweeps, grown by the clearance of
    the maker's way of cutting.
    """
    part = examination.assembly.by_id[part_id]
    if height_mm is None:
        height_mm = {"glue": TOUCHING_MM, "flat": FLAT_MM}.get(use) or room_over(examination, part, face)
    bodies = examination.assembly.bodies
    gap = examination.ways.needed_gap_mm()
    margin = GLUE_MARGIN_MM if use == "glue" else gap
    taken, passing = [], []
    for other in _in_the_way(examination, part, face, height_mm):
        if bodies[other.id] == bodies[part_id]:
            taken.append(_seen(examination, part, other))
            continue
        swept = sweep_of(examination, part_id, other.id)
        if shapely.intersects(swept, part.region):
            taken.append(swept.buffer(margin, join_style="mitre"))
            passing.append(other.id)
    inset = EDGE_MARGIN_MM if use == "foam" else 0.0
    inner = part.region.buffer(-inset, join_style="mitre") if inset else part.region
    away = shapely.union_all(taken) if taken else shapely.Polygon()
    return FreeZone(part_id, face, use, height_mm, shapely.difference(inner, away), shapely.intersection(away, part.region), tuple(passing))


def _seen(examination: Examination, part: Part, other: Part) -> Any:
    """A part of the same body in the frame of another one."""
    pose = relative_pose(np.asarray(part.home), np.asarray(other.home))
    return shapely.transform(other.region, lambda xy: apply_pose(pose, xy))


def find_overhangs(examination: Examination, part_id: str, face: Face = "front", *, thickness_mm: float = 0.4) -> dict[str, float]:
    """How far (mm) something flat on a moving part may stand out of it to the left, right, bottom and top as it lies at rest.

    It must meet nothing on its way, at any position, and stay inside the closed card at rest. Each side is taken over the whole
    breadth of the part; 80 mm stands for “as far as you like”.
    """
    assembly = examination.assembly
    part = assembly.by_id[part_id]
    gap = examination.ways.needed_gap_mm()
    rest = examination.poses(part_id)[0]
    card = shapely.Polygon(rectangle(0, 0, assembly.card.width_mm, assembly.card.height_mm))
    allowed = shapely.transform(card, lambda xy: apply_pose(invert_pose(rest), xy))
    bodies = assembly.bodies
    away = []
    for other in _in_the_way(examination, part, face, thickness_mm):
        if bodies[other.id] != bodies[part_id]:
            away.append(sweep_of(examination, part_id, other.id).buffer(gap, join_style="mitre"))
    blocked = shapely.union_all(away) if away else shapely.Polygon()
    found = {}
    low, high = part.box
    for side, (x, y) in SIDES.items():
        cos, sin = np.cos(-rest[2]), np.sin(-rest[2])
        way = np.array([cos * x - sin * y, sin * x + cos * y])
        found[side] = _room_beside(low, high, way, allowed, blocked)
    return found


def _room_beside(low: Array, high: Array, way: Array, allowed: Any, blocked: Any) -> float:
    """How far the side of a box that faces ``way`` can go outwards (to the nearest of its four sides)."""
    axis = int(np.argmax(np.abs(way)))
    sign = 1.0 if way[axis] > 0 else -1.0
    face = high[axis] if sign > 0 else low[axis]
    corners = [low.copy(), high.copy()]
    corners[0][axis], corners[1][axis] = sorted((face, face + sign * LARGEST_OVERHANG_MM))
    strip = shapely.Polygon(rectangle(*corners[0], *corners[1]))
    room = LARGEST_OVERHANG_MM
    for bad in (shapely.difference(strip, allowed), shapely.intersection(strip, blocked)):
        if bad.area > 1e-6:
            along = shapely.get_coordinates(bad)[:, axis]
            room = min(room, max(0.0, float((along.min() - face) if sign > 0 else (face - along.max()))))
    return round(room, 4)


__all__ = ["SIDES", "Face", "FreeZone", "Use", "find_overhangs", "find_zone", "room_over", "sweep_of", "sweep_region"]
