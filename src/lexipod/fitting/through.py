"""Pictures laid where they are read: through an opening or between the covers, with the mechanism held at a position.

The item goes to the part that is seen there, on the face that is seen, at the place and turn which that part has then.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import msgspec
import numpy as np
import shapely

from lexipod.assembly import Assembly
from lexipod.checks import Examination
from lexipod.checks.seen import FLAT_DEG, reader_camera, scene_at
from lexipod.design import Design, Item
from lexipod.drawing.folds import PLAN, face_key, facets_of, layers_of
from lexipod.drawing.painters_order import order_facets
from lexipod.editing.items import free_item_ids
from lexipod.errors import ChoiceError, LexipodError
from lexipod.geometry.frames import Array, transform_regions
from lexipod.geometry.space import apply_frame, invert_frame, planar_frame
from lexipod.pictures import box_of, laid_outline

SPOT_MM = 1.0
LEAST_MM2 = 2.0
SAME_MM = 0.05


@dataclass(frozen=True, eq=False)
class Surface:
    """What is seen somewhere: the part or panel and its face, what of it is seen on the card (mm, from the card's corner), and the frame
    ``(3, 4)`` that takes the item's own points there."""

    on: str
    face: str
    seen: Any
    frame: Array


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


def surfaces_at(examination: Examination, at: Mapping[str, float]) -> list[Surface]:
    """Everything that is seen with the mechanisms held at a position, what lies highest first. ``LexipodError`` where something stands then:
    only what lies flat can be laid on."""
    assembly = examination.assembly
    if reader_camera(examination, dict(at)) is not PLAN:
        raise LexipodError("something stands up at this position; hold it where everything lies flat, and lay the picture then")
    if assembly.foldings:
        return _surfaces_of_scene(examination, dict(at))
    found: list[Surface] = []
    over: Any = shapely.Polygon()
    for part in sorted(assembly.parts, key=lambda p: p.level, reverse=True):
        if part.id == "card.back" or examination.is_clear(part):
            continue
        pose = _pose_at(examination, part.id, at)
        region = transform_regions(part.region, pose)[0]
        rings = [transform_regions(q.region, _pose_at(examination, q.id, at))[0] for q in assembly.parts if part.id in q.over]
        free = shapely.difference(region, shapely.union_all([over, *rings]))
        over = shapely.union(over, region)
        if not free.is_empty and part.role != "spacer" and not part.bought:
            found.append(Surface(part.id, "front", free, planar_frame(*(float(v) for v in pose), z=0.0)))
    return found


def _pose_at(examination: Examination, part_id: str, at: Mapping[str, float]) -> Array:
    """The pose of a part with its mechanism held at a travel."""
    poses = examination.poses(part_id)
    mechanism = examination.assembly.by_id[part_id].mechanism
    if len(poses) == 1:
        return np.asarray(poses[0])
    travel = examination.track(mechanism).travel
    wanted = at.get(mechanism, float(travel[0]))
    order = np.argsort(travel)
    turns = np.unwrap(poses[order, 2])
    return np.array(
        [
            np.interp(wanted, travel[order], poses[order, 0]),
            np.interp(wanted, travel[order], poses[order, 1]),
            np.interp(wanted, travel[order], turns),
        ]
    )


def _surfaces_of_scene(examination: Examination, at: dict[str, float]) -> list[Surface]:
    scene = scene_at(examination, at)
    facets, _ = facets_of(scene)
    above, by_layers = layers_of(scene, PLAN.eye, dict(scene.sides))
    ordered = order_facets(facets, PLAN.eye, PLAN.project, above, by_layers)
    assembly = examination.assembly
    over: Any = shapely.Polygon()
    found = []
    for facet in reversed(ordered):
        stock = (assembly.by_id.get(facet.id) or assembly.panels[facet.id]).stock
        if examination.catalog.stocks.get(stock) is not None and examination.catalog.stocks[stock].clear:
            continue
        flat = shapely.Polygon(facet.rings[0], facet.rings[1:])
        region = shapely.make_valid(shapely.transform(flat, lambda xy, f=facet: _down(xy, f.frame)))
        free = shapely.difference(region, over)
        over = shapely.union(over, region)
        is_front = float(facet.normal[2]) >= 0
        key, moved = face_key(scene, facet.id, is_front=is_front)
        on, _, face = key.partition(":")
        frame = facet.frame if moved is None else _composed(facet.frame, moved)
        if not free.is_empty and stock not in examination.catalog.foams:
            found.append(Surface(on, face or "front", free, frame))
    return found


def _composed(frame: Array, moved: Array) -> Array:
    """From the frame of a page's part to the card: by way of the panel that it is."""
    turn, shift = frame[:, :3] @ moved[:, :3], frame[:, :3] @ moved[:, 3] + frame[:, 3]
    return np.column_stack([turn, shift])


def _down(points: Array, frame: Array) -> Array:
    flat: Array = apply_frame(frame, np.column_stack([points, np.zeros(len(points))]))[:, :2]
    return flat


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
    region otherwise."""
    is_spot = where.geom_type == "Point"
    surface = find_surface(examination, at, where.buffer(SPOT_MM) if is_spot else where)
    spot = np.array(where.coords[0]) if is_spot else _middle(shapely.intersection(surface.seen, where))
    assembly = examination.assembly
    carrier = assembly.by_id.get(surface.on) or assembly.panels[surface.on]
    local = apply_frame(
        invert_frame(surface.frame), np.array([[spot[0], spot[1], float(surface.frame[2, 3])], [spot[0], spot[1] + 1.0, float(surface.frame[2, 3])]])
    )[:, :2]
    up = local[1] - local[0]
    is_back = surface.face == "back"
    turn = math.degrees(math.atan2(up[0] if is_back else -up[0], up[1]))
    low, high = carrier.outline.min(axis=0), carrier.outline.max(axis=0)
    place = local[0] - (low + high) / 2
    face: Any = surface.face
    made = msgspec.structs.replace(
        item, on=surface.on, face=face, at=(round(float(place[0]), 3), round(float(place[1]), 3)), turn=round(turn, 3) + 0.0, share=None
    )
    if item.share is not None:
        box = (
            box_of(item, (assembly.by_id.get(item.on) or assembly.panels[item.on]).outline)
            if item.on in assembly.by_id or item.on in assembly.panels
            else None
        )
        made = made if box is None else msgspec.structs.replace(made, width=max(1.0, round(box.width, 2)), height=max(1.0, round(box.height, 2)))
    if fits and not is_spot:
        made = _smaller(made, carrier.outline, surface, shapely.intersection(surface.seen, where))
    return made


def _middle(region: Any) -> Array:
    """The middle of the box of a region's largest piece, if it lies in it, else a point inside."""
    piece = max(shapely.get_parts(region), key=lambda p: p.area)
    left, bottom, right, top = piece.bounds
    middle = shapely.Point((left + right) / 2, (bottom + top) / 2)
    return np.array((middle if piece.contains(middle) else piece.representative_point()).coords[0])


def _smaller(item: Item, outline: Array, surface: Surface, within: Any) -> Item:
    """The item as large as it is, or as large as lies within what is seen."""

    def lies_within(scale: float) -> bool:
        laid = shapely.transform(laid_outline(_scaled(item, scale), outline), lambda xy: _down(xy, surface.frame))
        return bool(shapely.difference(laid, within).area < 1e-3 * max(float(laid.area), 1.0))

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


def halts_of(assembly: Assembly, mechanism: str) -> tuple[float, ...]:
    """Travels at which the reader halts: the places that a wheel or a pull has for it, the flat states of what folds, else rest and end."""
    drive = assembly.drive_of(mechanism)
    if drive is None:
        return ()
    folding = assembly.folding_of(mechanism)
    if drive.detents:
        return drive.detents
    if folding is not None:
        return tuple(s.at for s in folding.states)
    return (drive.rest, drive.end)


def also_elsewhere(design: Design, examination: Examination, item_id: str, mechanism: str, at: float) -> Design:
    """One more of the item at every other halt of a mechanism, on what is seen then in the place where the item is seen at one of them.

    Where the same part is seen in the same place there is no second one.
    """
    item = design.find_item(item_id)
    if item is None:
        raise ChoiceError("item", item_id, sorted(i.id for i in design.items))
    carrier = examination.assembly.by_id.get(item.on) or examination.assembly.panels.get(item.on)
    if carrier is None:
        raise LexipodError(f"{item_id} is meant for {item.on}, which is not on this card")
    here = (
        next(s for s in surfaces_at(examination, {mechanism: at}) if s.on == item.on and s.face == item.face)
        if _is_seen(examination, item, {mechanism: at})
        else None
    )
    if here is None:
        raise LexipodError("it is not seen at this position; hold the mechanism where it is read, then lay it at the other positions too")
    spot = _down(np.array([box_of(item, carrier.outline).middle]), here.frame)[0]
    turned = item.turn - msgspec.structs.replace(laid_through(examination, item, {mechanism: at}, shapely.Point(spot))).turn
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


def _is_seen(examination: Examination, item: Item, at: Mapping[str, float]) -> bool:
    return any(s.on == item.on and s.face == item.face for s in surfaces_at(examination, at))


def _is_same_place(one: Item, other: Item) -> bool:
    return (one.on, one.face) == (other.on, other.face) and math.dist(one.at, other.at) < SAME_MM


__all__ = ["Surface", "also_elsewhere", "find_surface", "halts_of", "laid_through", "opening_of", "surfaces_at"]
