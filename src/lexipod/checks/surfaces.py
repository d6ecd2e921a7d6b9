"""What is seen where: every surface that the reader sees with the mechanisms held at a position, and what is ever seen of each part.

Areas are exact where everything lies flat. Where something stands it is what is left on the paper as the reader sees it, by the order in
which it is painted, and laid back on the panels.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Assembly
from lexipod.checks.examination import FEW, Examination
from lexipod.checks.seen import LOOKS, reader_camera, scene_at
from lexipod.drawing.folds import PLAN, Camera, face_key, facets_of, layers_of
from lexipod.drawing.painters_order import order_facets
from lexipod.errors import LexipodError
from lexipod.geometry.frames import Array, transform_regions
from lexipod.geometry.shapes import region_of_rings
from lexipod.geometry.space import apply_frame, invert_frame, planar_frame

LEAST_MM2 = 1.0
EDGE_ON = 1e-3
"""What is seen so much from its edge shows nothing of its face: the share that its area has on the paper."""


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
    seen = [p for p in assembly.parts if p.id != "card.back" and not examination.is_clear(p)]
    laid = {p.id: (pose := _pose_at(examination, p.id, at), transform_regions(p.region, pose)[0]) for p in seen}
    for _, row in itertools.groupby(sorted(seen, key=lambda p: p.level, reverse=True), key=lambda p: p.level):
        level = list(row)  # of parts on one level those cover each other that are told to lie over another
        for part in level:
            pose, region = laid[part.id]
            free = shapely.difference(region, shapely.union_all([over, *(laid[q.id][1] for q in seen if part.id in q.over)]))
            if not free.is_empty and part.role != "spacer" and not part.bought:
                found.append(Surface(part.id, "front", free, planar_frame(*(float(v) for v in pose), z=0.0)))
        over = shapely.union_all([over, *(laid[p.id][1] for p in level)])
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
    foams = examination.catalog.foams
    rows = _left_on_paper(examination, at, PLAN)
    return [Surface(on, face, free, frame) for on, face, stock, free, frame in rows if stock not in foams]


def _left_on_paper(examination: Examination, at: dict[str, float], camera: Camera) -> Iterator[tuple[str, str, str, Any, Array]]:
    """What is seen of each piece of a card that folds, nearest first: part or panel, face, stock, the region on the paper of the camera, and
    the frame that takes the points of that part to the card's."""
    scene = scene_at(examination, at)
    facets, _ = facets_of(scene)
    above, by_layers = layers_of(scene, camera.eye, dict(scene.sides))
    over: Any = shapely.Polygon()
    for facet in reversed(order_facets(facets, camera.eye, camera.project, above, by_layers)):
        stock = examination.assembly.carriers[facet.id].stock
        known = examination.catalog.stocks.get(stock)
        if known is not None and known.clear:
            continue
        region = region_of_rings([camera.project(_in_space(facet.frame, ring)) for ring in facet.rings])
        free = shapely.difference(region, over)
        over = shapely.union(over, region)
        if free.is_empty:
            continue
        is_front = bool(facet.normal @ (camera.eye - facet.frame[:, 3]) >= 0)
        key, moved = face_key(scene, facet.id, is_front=is_front)
        on, _, face = key.partition(":")
        yield on, face or "front", stock, free, facet.frame if moved is None else _composed(facet.frame, moved)


def _in_space(frame: Array, ring: Array) -> Array:
    return apply_frame(frame, np.column_stack([ring, np.zeros(len(ring))]))


def standing_at(examination: Examination, at: dict[str, float]) -> Iterator[tuple[str, str, Any]]:
    """What is seen of each face while something stands, in the frame of its part: along the rays from the eye back onto the paper."""
    camera = reader_camera(examination, at)
    turn, centre = camera.rotation, np.asarray(camera.centre)
    for on, face, stock, free, frame in _left_on_paper(examination, at, camera):
        across = np.column_stack([turn @ frame[:, 0], turn @ frame[:, 1], turn @ (frame[:, 3] - centre)])
        depth = np.array([0.0, 0.0, 1.0]) - across[2] / camera.distance_mm
        to_paper = np.stack([across[0], across[1], depth])
        if stock in examination.catalog.foams or abs(np.linalg.det(to_paper)) < EDGE_ON:
            continue
        back = np.linalg.inv(to_paper)

        def laid(xy: Array, back: Array = back) -> Array:
            onto: Array = np.column_stack([xy, np.ones(len(xy))]) @ back.T
            return onto[:, :2] / onto[:, 2:]

        yield on, face, shapely.buffer(shapely.make_valid(shapely.transform(free, laid)), 0.0)  # faces only, no lines


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
    """What of a face is seen at some position of some mechanism, in the frame of its part, and its share of the whole; what stands is seen
    from where the reader sits."""

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
    """What is ever seen of each face: at all halts, and at positions on the way."""
    return examination.once("ever seen", lambda: tuple(_ever_seen(examination)))


def _ever_seen(examination: Examination) -> list[EverSeen]:
    assembly = examination.assembly
    seen: dict[tuple[str, str], list[Any]] = {}
    rows = list(glimpses(examination))
    for drive in assembly.all_drives:
        for travel in np.linspace(drive.rest, drive.end, FEW if assembly.folding_of(drive.mechanism) is None else LOOKS)[1:-1]:
            rows += _glimpses_at(examination, drive.mechanism, float(travel))
            if reader_camera(examination, {drive.mechanism: float(travel)}) is not PLAN:
                for on, face, region in standing_at(examination, {drive.mechanism: float(travel)}):
                    seen.setdefault((on, face), []).append(region)
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


__all__ = ["EverSeen", "Glimpse", "Surface", "ever_seen", "glimpses", "halts_of", "room_to_write", "standing_at", "surfaces_at"]
