"""What is seen where: every surface that the reader sees with the mechanisms held at a position, and what is ever seen of each part.

Areas are exact where everything lies flat; positions at which something stands are not looked at.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Assembly
from lexipod.checks.examination import FEW, Examination
from lexipod.checks.seen import reader_camera, scene_at
from lexipod.drawing.folds import PLAN, face_key, facets_of, layers_of
from lexipod.drawing.painters_order import order_facets
from lexipod.errors import LexipodError
from lexipod.geometry.frames import Array, transform_regions
from lexipod.geometry.space import apply_flat, apply_frame, invert_frame, planar_frame

LEAST_MM2 = 1.0


@dataclass(frozen=True, eq=False)
class Surface:
    """What is seen somewhere: the part or panel and its face, what of it is seen on the card (mm, from the card's corner), and the frame
    ``(3, 4)`` that takes the item's own points there."""

    on: str
    face: str
    seen: Any
    frame: Array


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
        stock = assembly.carriers[facet.id].stock
        if examination.catalog.stocks.get(stock) is not None and examination.catalog.stocks[stock].clear:
            continue
        flat = shapely.Polygon(facet.rings[0], facet.rings[1:])
        region = shapely.make_valid(shapely.transform(flat, lambda xy, f=facet: apply_flat(f.frame, xy)))
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


def halts_of(assembly: Assembly, mechanism: str) -> tuple[float, ...]:
    """Travels at which the reader halts: the places that a wheel or a pull has for it, the flat states of what folds, else rest and end."""
    drive = assembly.drive_of(mechanism)
    if drive is None:
        return ()
    folding = assembly.folding_of(mechanism)
    if drive.detents:
        ends = () if drive.endless else (drive.rest, drive.end)
        return tuple(sorted({*drive.detents, *ends}, reverse=drive.end < drive.rest))
    if folding is not None:
        return tuple(s.at for s in folding.states)
    return (drive.rest, drive.end)


@dataclass(frozen=True, eq=False)
class Glimpse:
    """What of a face is seen with one mechanism held at a halt, in the frame of its part."""

    on: str
    face: str
    mechanism: str
    travel: float
    region: Any


@dataclass(frozen=True, eq=False)
class EverSeen:
    """What of a face is seen at some position of some mechanism, in the frame of its part, and its share of the whole."""

    on: str
    face: str
    region: Any
    share: float


def glimpses(examination: Examination) -> tuple[Glimpse, ...]:
    """What is seen of every face at every halt of every mechanism, the others at rest."""
    return examination.once("glimpses", lambda: tuple(_glimpses(examination)))


def _glimpses(examination: Examination) -> list[Glimpse]:
    found = []
    for drive in examination.assembly.all_drives or ():
        for halt in halts_of(examination.assembly, drive.mechanism):
            found += _glimpses_at(examination, drive.mechanism, halt)
    if not examination.assembly.all_drives:
        found += _glimpses_at(examination, "", 0.0)
    return found


def _glimpses_at(examination: Examination, mechanism: str, travel: float) -> list[Glimpse]:
    try:
        surfaces = surfaces_at(examination, {mechanism: travel} if mechanism else {})
    except LexipodError:
        return []
    return [Glimpse(s.on, s.face, mechanism, travel, _on_part(s)) for s in surfaces if s.seen.area > LEAST_MM2]


def _on_part(surface: Surface) -> Any:
    """What is seen of a surface, in the frame of its part."""
    back, z = invert_frame(surface.frame), float(surface.frame[2, 3])
    region = shapely.transform(surface.seen, lambda xy: apply_frame(back, np.column_stack([xy, np.full(len(xy), z)]))[:, :2])
    return region if region.is_valid else shapely.make_valid(region)


def ever_seen(examination: Examination) -> tuple[EverSeen, ...]:
    """What is ever seen of each face: at all halts, and at positions on the way of what lies flat all the way."""
    return examination.once("ever seen", lambda: tuple(_ever_seen(examination)))


def _ever_seen(examination: Examination) -> list[EverSeen]:
    assembly = examination.assembly
    seen: dict[tuple[str, str], list[Any]] = {}
    rows = list(glimpses(examination))
    for drive in assembly.drives:
        for travel in np.linspace(drive.rest, drive.end, FEW)[1:-1]:
            rows += _glimpses_at(examination, drive.mechanism, float(travel))
    for row in rows:
        seen.setdefault((row.on, row.face), []).append(row.region)
    out = []
    for (on, face), regions in seen.items():
        carrier = assembly.carriers[on]
        region = shapely.intersection(shapely.union_all(regions), carrier.region.buffer(1e-6))
        out.append(EverSeen(on, face, region, min(1.0, float(region.area / carrier.region.area))))
    return out


def room_to_write(examination: Examination) -> tuple[tuple[str, float], ...]:
    """The area (mm2) that is left to write on: the inside of the card, clear of what folds there, and its back."""
    assembly = examination.assembly
    card = assembly.card
    page = card.width_mm * card.height_mm
    if card.base != "folded":
        return (("the back", page),)
    inside = [f for f in assembly.foldings if f.kind == "inside"]
    if not inside:
        return (("the inside, both pages", 2 * page), ("the back", page))
    free = 0.0
    drive = inside[0].drive
    for row in _glimpses_at(examination, inside[0].mechanism, drive.end):
        if row.on in ("card.front", "card.back") or row.on.endswith(("inner-front", "inner-back")):
            free += float(row.region.area)
    return (("the inside, as it lies open", free), ("the back", page))


__all__ = ["EverSeen", "Glimpse", "Surface", "ever_seen", "glimpses", "halts_of", "room_to_write", "surfaces_at"]
