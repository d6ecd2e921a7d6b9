"""Pictures laid where they are read: through an opening or between the covers, with the mechanism held at a position.

The item goes to the part that is seen there, on the face that is seen, at the place and turn which that part has then.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

import msgspec
import numpy as np
import shapely

from lexipod.assembly import Assembly
from lexipod.checks import Examination
from lexipod.checks.seen import FLAT_DEG
from lexipod.checks.surfaces import Surface, halts_of, surfaces_at
from lexipod.design import Design, Item
from lexipod.editing.items import free_item_ids
from lexipod.errors import ChoiceError, LexipodError
from lexipod.geometry.frames import Array, transform_regions
from lexipod.geometry.space import apply_flat, apply_frame, invert_frame
from lexipod.pictures import box_of, laid_outline, own_measures

SPOT_MM = 1.0
LEAST_MM2 = 2.0
SAME_MM = 0.05
ROUNDING_MM = 0.004


def opening_of(assembly: Assembly, name: str) -> Any:
    """An opening by the part that has it: its largest hole, or by size ``PART/2`` the second largest, on the card as it lies at home."""
    part_id, _, number = name.partition("/")
    part = assembly.by_id.get(part_id)
    holes = sorted((shapely.Polygon(h) for h in part.holes), key=lambda h: -h.area) if part is not None else []
    if not holes:
        raise ChoiceError("opening", name, sorted(p.id for p in assembly.parts if p.holes))
    which = int(number) if number.isdigit() else 1
    if not 1 <= which <= len(holes):
        raise ChoiceError("opening", name, [f"{part_id}/{k + 1}" for k in range(len(holes))])
    assert part is not None
    return transform_regions(holes[which - 1], np.asarray(part.home))[0]


def find_surface(examination: Examination, at: Mapping[str, float], where: Any) -> Surface:
    """What is seen most of in a region of the card; ``LexipodError`` where nothing is."""
    best, most = None, LEAST_MM2
    for surface in surfaces_at(examination, at):
        area = float(shapely.intersection(surface.seen, where).area)
        if area > most:
            best, most = surface, area
    if best is None:
        raise LexipodError("nothing is seen there at this position; hold the mechanism where the picture is to be read")
    return best


def laid_through(examination: Examination, item: Item, at: Mapping[str, float], where: Any, *, fits: bool = True) -> Item:
    """The item on what is seen in a region of the card (or at a point of it), upright for the reader. It is made smaller where it ``fits`` no
    region otherwise: about the middle of the region, or about the middle of the largest circle in it where it can be larger there."""
    if where.geom_type == "Point":
        surface = find_surface(examination, at, where.buffer(SPOT_MM))
        return _laid_at(examination, item, surface, np.array(where.coords[0]))
    surface = find_surface(examination, at, where)
    within = shapely.intersection(surface.seen, where)
    laid = [_laid_at(examination, item, surface, spot) for spot in _middles(within)]
    if not fits:
        return laid[0]
    carrier = examination.assembly.carriers[surface.on]
    return max((_smaller(made, carrier.outline, surface, within) for made in laid), key=lambda made: round(made.height, 3))


def _laid_at(examination: Examination, item: Item, surface: Surface, spot: Array) -> Item:
    """The item on a surface with its middle at a point of the card, upright for the reader."""
    assembly = examination.assembly
    carrier = assembly.carriers[surface.on]
    z = float(surface.frame[2, 3])
    local = apply_frame(invert_frame(surface.frame), np.array([[spot[0], spot[1], z], [spot[0], spot[1] + 1.0, z]]))[:, :2]
    up = local[1] - local[0]
    turn = math.degrees(math.atan2(up[0] if surface.face == "back" else -up[0], up[1]))
    low, high = carrier.outline.min(axis=0), carrier.outline.max(axis=0)
    place = local[0] - (low + high) / 2
    face: Any = surface.face
    before = assembly.carriers.get(item.on)
    if before is not None:
        item = own_measures(item, before.outline)
    at = (round(float(place[0]), 3), round(float(place[1]), 3))
    return msgspec.structs.replace(item, on=surface.on, face=face, at=at, turn=round(turn, 3) + 0.0, share=None)


def _middles(region: Any) -> list[Array]:
    """The middle of the box of a region's largest piece, if it lies in it, and the middle of the largest circle in that piece."""
    piece = max(shapely.get_parts(region), key=lambda p: p.area)
    left, bottom, right, top = piece.bounds
    box, circle = shapely.Point((left + right) / 2, (bottom + top) / 2), shapely.maximum_inscribed_circle(piece, tolerance=0.5)
    spots = [box.coords[0]] if piece.contains(box) else []
    return [np.array(spot) for spot in (*spots, circle.coords[0])]


def _smaller(item: Item, outline: Array, surface: Surface, within: Any) -> Item:
    """The item as large as it is, or as large as lies within what is seen."""

    room = shapely.buffer(within, ROUNDING_MM)
    shapely.prepare(room)

    def lies_within(scale: float) -> bool:
        laid = shapely.transform(laid_outline(_scaled(item, scale), outline), lambda xy: apply_flat(surface.frame, xy))
        return bool(room.contains(laid))

    if lies_within(1.0):
        return item
    low, high = 0.02, 1.0
    for _ in range(12):
        middle = (low + high) / 2
        low, high = (middle, high) if lies_within(middle) else (low, middle)
    return _scaled(item, low)


def _scaled(item: Item, scale: float) -> Item:
    """The item larger or smaller all round; an arc of letters bends with it."""
    least = 0.5 if item.kind == "greeting" else 1.0
    sides = {n: max(least, round(getattr(item, n) * scale, 2)) for n in ("width", "height")}
    bow = {"radius": math.copysign(max(2.0, abs(item.radius) * scale), item.radius)} if item.along != "line" else {}
    return msgspec.structs.replace(item, **sides, **bow)


def also_elsewhere(design: Design, examination: Examination, item_id: str, mechanism: str, at: float) -> Design:
    """One more of the item at every other halt of a mechanism, on what is seen then in the place where the item is seen at one of them.

    Where the same part is seen in the same place there is no second one.
    """
    item = design.find_item(item_id)
    if item is None:
        raise ChoiceError("item", item_id, sorted(i.id for i in design.items))
    carrier = examination.assembly.carriers.get(item.on)
    if carrier is None:
        raise LexipodError(f"{item_id} is meant for {item.on}, which is not on this card")
    surfaces = surfaces_at(examination, {mechanism: at})
    here = next((s for s in surfaces if (s.on, s.face) == (item.on, item.face)), None)
    if here is None:
        raise LexipodError("it is not seen at this position; hold the mechanism where it is read, then lay it at the other positions too")
    spot = apply_flat(here.frame, [box_of(item, carrier.outline).middle])[0]
    turned = item.turn - _laid_at(examination, item, here, spot).turn
    placed = [item]
    names = free_item_ids(design.items, item_id.rstrip("0123456789") or "a")
    for halt in halts_of(examination.assembly, mechanism):
        if abs(halt - at) < FLAT_DEG:
            continue
        try:
            made = laid_through(examination, item, {mechanism: halt}, shapely.Point(spot))
        except LexipodError:
            continue
        made = msgspec.structs.replace(made, turn=round(made.turn + turned, 3) + 0.0)
        if not any(_is_same_place(made, other) for other in placed):
            placed.append(msgspec.structs.replace(made, id=next(names)))
    return msgspec.structs.replace(design, items=(*design.items, *placed[1:]))


def _is_same_place(one: Item, other: Item) -> bool:
    return (one.on, one.face) == (other.on, other.face) and math.dist(one.at, other.at) < SAME_MM


__all__ = ["Surface", "also_elsewhere", "find_surface", "halts_of", "laid_through", "opening_of", "surfaces_at"]
