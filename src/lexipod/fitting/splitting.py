"""A picture over two parts, cut along a drawn line: at rest it is one picture, with no gap and no step."""

from __future__ import annotations

import math
from collections.abc import Sequence

import msgspec
import numpy as np
import shapely

from lexipod.assembly import Part
from lexipod.checks import Examination
from lexipod.checks.surfaces import surfaces_at
from lexipod.design import Design
from lexipod.editing.items import free_item_ids
from lexipod.errors import ChoiceError, LexipodError
from lexipod.geometry.frames import apply_pose, invert_pose
from lexipod.pictures import box_of, own_measures
from lexipod.pictures.cutting import side_of, smoothed

LEAST_LINE_MM = 2.0
BESIDE_MM, LEAST_BESIDE_MM2 = 6.0, 4.0
"""How far beside a line another part is looked for."""


def split_picture(
    design: Design, examination: Examination, item_id: str, line: Sequence[tuple[float, float]], onto: str, *, curved: bool = False
) -> Design:
    """The design with a picture cut along a line of the card (mm, with everything at rest): what lies to the left of the line stays on its
    part, what lies to the right goes onto another one, at the place where it is seen at rest.

    ``curved`` draws a curve through the points. ``LexipodError`` for what cannot be cut.
    """
    item = design.find_item(item_id)
    if item is None or item.kind != "picture":
        raise ChoiceError("picture", item_id, sorted(i.id for i in design.items if i.kind == "picture"))
    here, there = (_flat_part(examination, part) for part in (item.on, onto))
    if here.id == there.id:
        raise LexipodError("both halves would be on the same part; choose another one for what lies to the right of the line")
    points = smoothed(line) if curved else np.asarray(line, dtype=float)
    if len(points) < 2 or np.linalg.norm(points[-1] - points[0]) < LEAST_LINE_MM:
        raise LexipodError("a line along which a picture is cut has two points at least, apart from each other")
    box = box_of(item, here.outline)
    at_rest = examination.poses(here.id)[0]
    shares = box.shares(apply_pose(invert_pose(at_rest), points))
    cut = tuple((round(float(x), 5), round(float(y), 5)) for x, y in shares)
    try:
        side_of(cut, left=True)
    except ValueError as error:
        raise LexipodError(str(error)) from error
    own = own_measures(item, here.outline)
    other_pose = examination.poses(there.id)[0]
    middle = apply_pose(invert_pose(other_pose), apply_pose(at_rest, [box.middle]))[0]
    turn = item.turn + math.degrees(float(at_rest[2] - other_pose[2]))
    left = msgspec.structs.replace(own, cut=cut, cut_side="left")
    twin = next(free_item_ids(design.items, item_id.rstrip("0123456789") or "a"))
    turn = round((turn + 180.0) % 360.0 - 180.0, 6) + 0.0
    place = _at((float(middle[0]), float(middle[1])), there)
    right = msgspec.structs.replace(own, id=twin, on=onto, at=place, turn=turn, cut=cut, cut_side="right")
    return msgspec.structs.replace(design, items=tuple(x for i in design.items for x in ((left, right) if i.id == item_id else (i,))))


def _flat_part(examination: Examination, part_id: str) -> Part:
    part = examination.assembly.by_id.get(part_id)
    if part is None:
        raise ChoiceError("part", part_id, [p.id for p in examination.assembly.parts if p.role not in ("spacer", "fastener")])
    return part


def _at(middle: tuple[float, float], part: Part) -> tuple[float, float]:
    low, high = part.box
    x, y = np.asarray(middle) - (low + high) / 2
    return round(float(x), 4), round(float(y), 4)


def right_of(examination: Examination, on: str, line: Sequence[tuple[float, float]]) -> str:
    """The part, other than the one on which a picture lies, that is seen most just to the right of a line on the card with everything at rest;
    ``LexipodError`` where there is none."""
    if len(line) < 2:
        raise LexipodError("a line along which a picture is cut has two points at least, apart from each other")
    band = shapely.LineString(line).buffer(-BESIDE_MM, single_sided=True)
    best, most = "", LEAST_BESIDE_MM2
    for surface in surfaces_at(examination, {}):
        area = float(shapely.intersection(surface.seen, band).area)
        if surface.on != on and surface.on in examination.assembly.by_id and area > most:
            best, most = surface.on, area
    if not best:
        raise LexipodError("to the right of the line there is no other part; draw it along the edge at which two parts meet")
    return best


__all__ = ["right_of", "split_picture"]
