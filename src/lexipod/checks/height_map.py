"""Heights of the card at any place and position: how high things are stacked, the thickest place, and room for fingers.

Reason: the closed card's thickest place decides envelope and postage, foam must be as high as what moves under it, and a finger wants
height behind a tab to get hold of it.
Source: common practice, no source; the height at a place is that of the highest thing which lies there.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Part, Reached
from lexipod.checks.examination import Examination, middle_of
from lexipod.checks.finding import Finding
from lexipod.closing.stacked import posted_regions, standing_mm
from lexipod.geometry.frames import Array, apply_pose, transform_regions

CELL_MM = 1.0
FINGER_SHARE = 0.7
"""How much of a fingertip must find an open place behind what is pulled."""


@dataclass(frozen=True, eq=False)
class HeightMap:
    """Heights over the table, ``(rows, columns)`` in mm, at the middles ``x`` ``(columns,)`` and ``y`` ``(rows,)`` of square cells; 0 where
    nothing lies. ``solid`` is what of it is filled: the sum of all thicknesses there."""

    x: Array
    y: Array
    top: Array
    solid: Array

    @property
    def thickest_mm(self) -> float:
        return float(self.top.max(initial=0.0))

    @property
    def thickest_at(self) -> tuple[float, float]:
        """The middle of the thickest place."""
        rows, columns = np.nonzero(self.top >= self.thickest_mm - 1e-6)
        middle = np.column_stack([self.x[columns], self.y[rows]])
        nearest = int(np.argmin(np.linalg.norm(middle - middle.mean(axis=0), axis=1)))
        return float(middle[nearest, 0]), float(middle[nearest, 1])

    def share_above(self, height_mm: float) -> float:
        """Which share of what lies there is higher than that."""
        there = self.top > 0
        return float((self.top[there] > height_mm).mean()) if there.any() else 0.0


def poses_at(examination: Examination, part: Part, travel: Mapping[str, float]) -> Array:
    """Pose ``(3,)`` of a part at a travel of its mechanism; at rest where none is given."""
    poses = examination.poses(part.id)
    if len(poses) == 1 or part.mechanism not in travel:
        return poses[0]
    way = examination.track(part.mechanism).travel
    return poses[int(np.argmin(np.abs(way - travel[part.mechanism])))]


def map_heights(examination: Examination, travel: Mapping[str, float] | None = None, *, cell_mm: float = CELL_MM) -> HeightMap:
    """Heights of the card at a travel of each flat mechanism (at rest where none is given), all that folds as it is posted."""
    assembly = examination.assembly
    laid = [(p, apply_pose(poses_at(examination, p, travel or {}), p.vertices)) for p in assembly.parts if p.id not in assembly.open_doors]
    folded = list(_folded(examination))
    if not laid and not folded:
        empty = np.zeros((0, 0))
        return HeightMap(np.zeros(0), np.zeros(0), empty, empty)
    boxes = np.array([[*v.min(axis=0), *v.max(axis=0)] for _, v in laid] + [region.bounds for region, *_ in folded])
    low = np.floor(boxes[:, :2].min(axis=0) / cell_mm) * cell_mm
    high = np.ceil(boxes[:, 2:].max(axis=0) / cell_mm) * cell_mm
    x = np.arange(low[0] + cell_mm / 2, high[0], cell_mm)
    y = np.arange(low[1] + cell_mm / 2, high[1], cell_mm)
    top, solid = np.zeros((len(y), len(x))), np.zeros((len(y), len(x)))
    for part, corners in laid:
        columns = slice(*np.searchsorted(x, (corners[:, 0].min(), corners[:, 0].max())))
        rows = slice(*np.searchsorted(y, (corners[:, 1].min(), corners[:, 1].max())))
        if columns.start == columns.stop or rows.start == rows.stop:
            continue
        region = transform_regions(part.region, poses_at(examination, part, travel or {}))[0]
        shapely.prepare(region)
        xx, yy = np.meshgrid(x[columns], y[rows])
        there = shapely.contains_xy(region, xx, yy)
        top[rows, columns] = np.where(there, np.maximum(top[rows, columns], part.top_mm), top[rows, columns])
        solid[rows, columns] += there * part.thickness_mm
    xx, yy = np.meshgrid(x, y)
    for region, thick, reaches in folded:
        there = shapely.contains_xy(region, xx, yy)
        solid += there * thick
        top = np.where(there, np.maximum(top, solid if reaches is None else reaches), top)
    if assembly.gates:
        inside = (x[None, :] > 0) & (x[None, :] < assembly.card.width_mm) & (y[:, None] > 0) & (y[:, None] < assembly.card.height_mm)
        high = max(float(top.max()), *(d.face_mm for d in assembly.on_doors), 0.0)
        top, solid = np.where(inside, high + assembly.shut_doors_mm, top), solid + inside * assembly.gates[0].thickness_mm
        for stuck in assembly.on_doors:
            solid += shapely.contains_xy(stuck.region, xx, yy) * (stuck.high_mm - stuck.low_mm)
    return HeightMap(x, y, top, solid)


def _folded(examination: Examination) -> Iterator[tuple[Any, float, float | None]]:
    """The panels of what folds, as they are posted: where each lies, how thick it is, and how high it reaches over the table; None for
    what lies between the pages, which it lifts just where it is."""
    assembly = examination.assembly
    front = assembly.by_id.get("card.front")
    for folding in assembly.foldings:
        heights, regions = examination.stack_heights(folding), posted_regions(folding)
        base = (front.top_mm if front is not None else 0.0) + standing_mm(assembly, folding)
        ground = heights[folding.ground][1]
        for panel in (p for p in folding.panels if p.id in regions and p.id not in assembly.by_id):
            high = heights[panel.id][1]
            reaches = None if folding.kind == "inside" else high if folding.kind == "card" else base + high - ground
            yield regions[panel.id], panel.thickness_mm, reaches


def finger_room(examination: Examination, part: Part, grip: Any, position: int) -> tuple[float, float]:
    """Height free under and over what is gripped at one position of its travel (mm), at the place where a finger finds most of it;
    infinite where nothing lies there. The card's back page is no hindrance: it is lifted off."""
    wanted, assembly = examination.ways.finger_gap, examination.assembly
    rooms, close = [np.inf, np.inf], []
    for other in assembly.parts:
        if other.id in ("card.back", "card.inner-back") or assembly.bodies[other.id] == assembly.bodies[part.id]:
            continue
        gap, side = (part.z_mm - other.top_mm, 0) if other.top_mm <= part.z_mm + 1e-6 else (other.z_mm - part.top_mm, 1)
        if -1e-6 <= gap < wanted:
            regions = examination.regions(other.id)
            close.append((gap, side, shapely.intersection(grip, regions[min(position, len(regions) - 1)])))
    blocked = shapely.union_all([region for _, _, region in close]) if close else shapely.Polygon()
    open_place = shapely.difference(grip, blocked)
    widest = max((float(2 * shapely.maximum_inscribed_circle(p, tolerance=0.2).length) for p in _polygons(open_place)), default=0.0)
    if widest >= min(FINGER_SHARE * examination.ways.fingertip, 0.9 * _widest(grip)):
        return np.inf, np.inf
    for gap, side, region in close:
        if region.area > 0.1 * grip.area:
            rooms[side] = min(rooms[side], gap)
    return rooms[0], rooms[1]


def _polygons(region: Any) -> list[Any]:
    return [p for p in shapely.get_parts(region) if p.geom_type == "Polygon" and p.area > 0.5]


def _widest(region: Any) -> float:
    return max((float(2 * shapely.maximum_inscribed_circle(p, tolerance=0.2).length) for p in _polygons(region)), default=0.0)


def check_fingers(examination: Examination) -> Iterator[Finding]:
    """Behind what is pulled there is room for a finger, or nothing at all (past the card's edge, or in a notch)."""
    wanted, length = examination.ways.finger_gap, examination.style.length
    for need in examination.assembly.needs:
        drive = examination.assembly.drive_of(need.mechanism)
        if not isinstance(need, Reached) or drive is None or drive.kind != "slide":
            continue  # what is turned is pushed with a fingertip, not got hold of
        part = examination.assembly.by_id[need.part]
        grips = examination.place(part, need.grip)
        free = shapely.difference(grips[0], examination.union_at(need.covers, 0))
        if free.is_empty:
            continue
        under, over = finger_room(examination, part, free, 0)
        measured = min(under, over)
        if measured >= wanted - 1e-6:
            continue
        side = "behind" if under <= over else "in front of"
        message = (
            f"There is {length(measured)} of room {side} the end that is pulled; a finger wants {length(wanted)} to get hold of it, or a notch "
            f"through everything {'under' if under <= over else 'over'} it."
        )
        yield Finding(
            "finger-room",
            "warn",
            need.mechanism,
            (part.id,),
            f"Fingers do not get {side} the {part.name}",
            message,
            round(float(measured), 4),
            wanted,
            travel=float(examination.track(need.mechanism).travel[0]),
            where=middle_of(free),
            need=need.id,
        )


__all__ = ["HeightMap", "check_fingers", "finger_room", "map_heights"]
