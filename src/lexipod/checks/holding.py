"""What holds a sheet down, and how far its border is from that.

holding
    Where a part is glued to what lies against it, pinned, or run in a slot. The card's own pages are held everywhere.
reach
    How far a point can sag away from its holding, told as a distance.
Source: common practice, no source, for what holds; the sag of a curled strip is the sagitta of an arc (``lexipod.mechanics``). The
curl radius of half a metre for one ply, growing with the square of the plies, is our own judgement, and so is that between two places
that hold it paper sags a quarter of that (a strip clamped at both ends does not deflect at all under an even curl).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache, partial
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Part, Segment
from lexipod.checks.examination import Examination
from lexipod.geometry.frames import Array, apply_pose, invert_pose
from lexipod.mechanics import curl_sag_mm
from lexipod.motion.memory import Memory

BORDER_STEP_MM = 4.0
PAGES = ("card.front", "card.back")
CORNER_RAD = 0.2
TOUCH_MM = 0.05
ONE_SHEET_MM = 0.5
BETWEEN_MM = 0.5


@dataclass(frozen=True, eq=False)
class Holding:
    """The ``region`` where a part is held, in its own frame (empty where nothing holds it), and what lies ``between`` its places."""

    region: Any
    between: Any
    key: bytes

    @classmethod
    def by(cls, region: Any) -> Holding:
        """The holding by a region."""
        between = shapely.convex_hull(region).buffer(BETWEEN_MM)
        shapely.prepare([region, between])
        return cls(region, between, shapely.to_wkb(region))

    def reach(self, points: Array) -> Array:
        """How far points ``(n, 2)`` can sag away from it, ``(n,)``; infinite where nothing holds.

        What is held on both sides of a point keeps it four times as flat: half the distance counts.
        """
        if self.region.is_empty:
            return np.full(len(points), np.inf)
        away = np.asarray(shapely.distance(self.region, shapely.points(points)))
        return np.where(shapely.contains_xy(self.between, points[:, 0], points[:, 1]), away / 2, away)


def border_points(part: Part, *, step_mm: float = BORDER_STEP_MM) -> Array:
    """Corners of outline and holes and points every ``step_mm`` along the border between them, ``(n, 2)`` in the part's frame."""
    return along_border((part.outline, *part.holes), step_mm=step_mm)


def along_border(rings: Iterable[Array], *, step_mm: float) -> Array:
    """Corners of some rings and points every ``step_mm`` between them, ``(n, 2)``."""
    return np.concatenate([_along_ring(np.ascontiguousarray(ring).tobytes(), step_mm) for ring in rings])


@lru_cache(maxsize=512)
def _along_ring(corners: bytes, step_mm: float) -> Array:
    """Points along one ring, given as the bytes of its corners: the same outline comes again with every change of another part."""
    ring = np.frombuffer(corners).reshape(-1, 2)
    edges = np.roll(ring, -1, axis=0) - ring
    lengths = np.linalg.norm(edges, axis=1)
    before, cross = np.roll(edges, 1, axis=0), np.empty(len(ring))
    cross[:] = np.abs(before[:, 0] * edges[:, 1] - before[:, 1] * edges[:, 0])
    along = np.concatenate([[0.0], np.cumsum(lengths)])
    is_corner = np.arctan2(cross, np.sum(before * edges, axis=1)) > CORNER_RAD
    marks = np.unique(np.concatenate([[0.0], along[:-1][is_corner], [along[-1]]]))
    counts = np.maximum(1, np.ceil(np.diff(marks) / step_mm)).astype(int)
    at = np.concatenate([np.linspace(low, high, count, endpoint=False) for low, high, count in zip(marks[:-1], marks[1:], counts, strict=True)])
    closed = np.vstack([ring, ring[:1]])
    return np.column_stack([np.interp(at, along, closed[:, k]) for k in (0, 1)])


_COMMON: Memory[Any] = Memory(2000)


def holding_of(examination: Examination, part: Part) -> Holding:
    """What holds a part: what it is glued to, pins, slots, and zones that its recipe calls held."""
    return examination.once(("holding", part.id), lambda: Holding.by(_held_region(examination, part)))


def _held_region(examination: Examination, part: Part) -> Any:
    assembly = examination.assembly
    if part.id in PAGES:
        return part.region
    bodies, at_home = assembly.bodies, []
    held: list[Any] = []
    glued = {j.b if j.a == part.id else j.a for j in assembly.joints if j.kind == "fixed" and part.id in (j.a, j.b)}
    if part.mechanism == "card":
        glued = set()  # the card's sheets are joined to what is under their foam, and held by the foam
    for other in assembly.parts:
        if other.id == part.id or bodies[other.id] != bodies[part.id] or (other.item and other.role == "decoration"):
            continue
        touches = other.id in glued or abs(other.z_mm - part.top_mm) < TOUCH_MM or abs(part.z_mm - other.top_mm) < TOUCH_MM
        is_beside = other.level == part.level and abs(other.z_mm - part.z_mm) < TOUCH_MM  # a piece of the same sheet
        if not (touches or is_beside):
            continue
        here, there = part.region_at_home, other.region_at_home
        a, b = here.bounds, there.bounds
        if a[0] - ONE_SHEET_MM > b[2] or b[0] - ONE_SHEET_MM > a[2] or a[1] - ONE_SHEET_MM > b[3] or b[1] - ONE_SHEET_MM > a[3]:
            continue
        shared = _COMMON.once((part.shape, part.home, other.shape, other.home), partial(shapely.intersection, here, there))
        if not shared.is_empty:
            at_home.append(shared)
        elif is_beside and shapely.distance(there, here) < ONE_SHEET_MM:
            at_home.append(there)
    if at_home:
        back = invert_pose(np.asarray(part.home))
        held = list(shapely.transform(np.array(at_home), lambda xy: apply_pose(back, xy)))
    for joint in assembly.joints:
        if joint.kind == "fixed":
            continue
        if joint.a == part.id:
            held.append(shapely.Point(joint.at_a))
        elif joint.b == part.id and joint.path_b is None:
            held.append(shapely.Point(joint.at_b))
        elif joint.b == part.id and isinstance(joint.path_b, Segment):
            held.append(shapely.LineString([joint.path_b.start, joint.path_b.end]))
        elif joint.b == part.id and joint.path_b is not None:
            held.append(shapely.LineString(joint.path_b.point_at(np.linspace(*joint.path_b.limits, 25))))
    held += [shapely.Polygon(z.polygon) for z in assembly.zones if z.part == part.id and z.kind == "held"]
    return shapely.geometrycollections(shapely.get_parts(held)) if held else shapely.Point()


def part_sag(part: Part, reach_mm: Array) -> Array:
    """How far a part sags at points ``reach_mm`` ``(n,)`` from what holds it; what is no sheet does not."""
    is_sheet = part.role in ("base", "moving", "cover", "decoration")
    return curl_sag_mm(reach_mm, plies=part.plies) if is_sheet else np.zeros_like(reach_mm)


def border_reach(examination: Examination, part: Part) -> tuple[Array, Array]:
    """The border points of a part, and how far each can sag."""

    def made() -> tuple[Array, Array]:
        points = border_points(part)
        return points, np.zeros(len(points)) if part.id in PAGES else holding_of(examination, part).reach(points)

    return examination.once(("border", part.id), made)


def most_sag(examination: Examination, part: Part) -> float:
    """The most that any border point of a part sags; infinite where nothing holds it."""
    return examination.once(("most sag", part.id), lambda: float(part_sag(part, border_reach(examination, part)[1]).max()))


__all__ = ["Holding", "along_border", "border_points", "border_reach", "holding_of", "most_sag", "part_sag"]
