"""What the reader sees of pictures, greetings and shapes over the travel, and how they are turned then.

What lies flat: exact areas at every position. What folds: exact areas where it lies flat, looked at from above; where it stands, the areas
that are left on the paper as the card lies before the reader on a desk.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from lexipod.assembly import Folding, Part
from lexipod.checks.examination import COARSE_STEPS, FEW, Examination, middle_of
from lexipod.design import Item
from lexipod.drawing.folds import PLAN, STANDING, Camera, Scene, fit_camera
from lexipod.drawing.sight import Seen, Target, look_at
from lexipod.geometry.frames import Array, transform_regions
from lexipod.motion import glued_sides, solve_folds
from lexipod.pictures import box_of, laid_outline

SEEN_KINDS = ("picture", "greeting", "shape", "decoration", "mat")
"""Kinds of items that are there to be seen."""
FLAT_DEG = 1e-6
LOOKS, FEW_LOOKS = 13, 5
"""At so many positions what folds is looked at on its way, and when it is looked at coarsely; its flat states besides."""
Regions = NDArray[np.object_]


@dataclass(frozen=True, eq=False)
class Sights:
    """What is seen of an item over the travel of one mechanism with all others at rest: ``share``, ``turned_deg`` and ``is_mirrored``
    ``(n,)`` at ``travel``."""

    item: Item
    mechanism: str
    travel: Array
    share: Array
    turned_deg: Array
    is_mirrored: Array

    def at(self, travel: float) -> Seen:
        """At the position nearest to a travel."""
        k = int(np.argmin(np.abs(self.travel - travel)))
        return Seen(float(self.share[k]), float(self.turned_deg[k]), bool(self.is_mirrored[k]))


def seen_items(examination: Examination) -> tuple[Item, ...]:
    """The items that are there to be seen and lie on something that is there."""
    assembly = examination.assembly
    return tuple(i for i in assembly.items if i.kind in SEEN_KINDS and (i.on in assembly.by_id or i.on in assembly.panels))


def target_of(examination: Examination, item: Item) -> Target:
    """What of an item is to be seen: its outline, as far as there is paper under it; a shape is looked for on the part that it is."""
    assembly = examination.assembly
    panel = assembly.panels.get(item.on)
    carrier = assembly.by_id.get(item.on) or panel
    assert carrier is not None
    box = box_of(item, carrier.outline)
    at = box.lay_mm(np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]]))
    right, up = (tuple(float(v) for v in at[k] - at[0]) for k in (1, 2))
    region = shapely.intersection(laid_outline(item, carrier.outline), carrier.region)
    face = ":back" if item.face == "back" else ""
    if item.is_ink:
        return Target(f"{item.on}{face}", region, right, up)  # type: ignore[arg-type]
    own = f"{carrier.mechanism}.item-{item.id}"
    piece = assembly.by_id.get(own) or assembly.panels.get(own)
    return Target(f"{own}{face}", region if piece is None else piece.region, right, up)  # type: ignore[arg-type]


def goes_flat(examination: Examination, mechanism: str) -> bool:
    """Whether everything that is seen while a mechanism moves lies flat: then areas are exact at every position."""
    return examination.assembly.folding_of(mechanism) is None and not any(f.kind != "inside" for f in examination.assembly.foldings)


def sights(examination: Examination, mechanism: str, *, closely: bool = True) -> dict[str, Sights]:
    """What is seen of every item while one mechanism moves, by the id of the item; at few positions where it is not looked at
    ``closely``, rest and end among them."""
    return examination.once(("sights", mechanism, closely), lambda: _sights(examination, mechanism, closely))


def sight_of(examination: Examination, item: Item, mechanism: str, *, closely: bool = True) -> Sights:
    """The same of one item."""
    if goes_flat(examination, mechanism):
        key = ("sight", item.id, mechanism, closely)
        count = len(examination.track(mechanism).travel)
        return examination.once(key, lambda: _flat_sights(examination, item, mechanism, np.arange(count) if closely else _few(count)))
    return sights(examination, mechanism, closely=closely)[item.id]


def seen_at(examination: Examination, item: Item, mechanism: str, travel: float) -> Seen:
    """What is seen of an item with one mechanism at a travel and all others at rest."""
    if goes_flat(examination, mechanism):
        known = examination.track(mechanism).travel
        k = int(np.argmin(np.abs(known - travel)))
        told = examination.once(("seen at", item.id, mechanism, k), lambda: _flat_sights(examination, item, mechanism, np.array([k])))
        return told.at(travel)
    items = seen_items(examination)
    rows = examination.once(("looked", mechanism, round(travel, 6)), lambda: look(examination, items, {mechanism: travel}))
    return rows[items.index(item)]


def _sights(examination: Examination, mechanism: str, closely: bool) -> dict[str, Sights]:
    items = seen_items(examination)
    if not items:
        return {}
    if goes_flat(examination, mechanism):
        return {i.id: sight_of(examination, i, mechanism, closely=closely) for i in items}
    return _scene_sights(examination, items, mechanism, closely)


def _flat_sights(examination: Examination, item: Item, mechanism: str, picks: NDArray[np.intp]) -> Sights:
    """Exact areas of one item at some positions of the travel of a mechanism that lies flat."""
    assembly = examination.assembly
    travel = examination.track(mechanism).travel
    target = target_of(examination, item)
    part_id, _, face = target.on.partition(":")
    part = assembly.by_id.get(part_id)
    nothing = np.zeros(len(picks))
    if part is None:  # it is on a panel that is shut away inside the card
        return Sights(item, mechanism, travel[picks], nothing, nothing, nothing.astype(bool))
    poses = _poses(examination, part.id, mechanism, picks)
    turned = np.degrees(poses[:, 2]) + math.degrees(math.atan2(-target.up[0], target.up[1]))
    turned = np.broadcast_to((turned + 180.0) % 360.0 - 180.0, (len(picks),))
    if face:
        return Sights(item, mechanism, travel[picks], nothing, turned, ~nothing.astype(bool))
    laid = transform_regions(target.region, poses)
    free = _free(examination, part, laid, mechanism, picks)
    share = np.broadcast_to(shapely.area(free) / max(float(target.region.area), 1e-9), (len(picks),))
    return Sights(item, mechanism, travel[picks], np.clip(share, 0.0, 1.0), turned, nothing.astype(bool))


def _few(count: int) -> NDArray[np.intp]:
    picks: NDArray[np.intp] = np.unique(np.linspace(0, count - 1, min(count, FEW)).round().astype(int))
    return picks


def _poses(examination: Examination, part_id: str, mechanism: str, picks: NDArray[np.intp]) -> Array:
    """Poses of a part while one mechanism moves: others stay as they are at rest."""
    poses = examination.poses(part_id)
    part = examination.assembly.by_id[part_id]
    if len(poses) == 1 or part.mechanism != mechanism:
        return poses[:1]
    return poses[picks]


def _free(examination: Examination, part: Part, laid: Regions, mechanism: str, picks: NDArray[np.intp]) -> Regions:
    """What is left of regions on a part when everything over it covers them."""
    assembly = examination.assembly
    free = np.asarray(laid)
    still = []
    for over in assembly.parts:
        if over.id == part.id or not (over.level > part.level or part.id in over.over) or examination.is_clear(over):
            continue
        if over.mechanism == mechanism and len(examination.regions(over.id)) > 1:
            free = _less(free, examination.regions(over.id)[picks])
        else:
            still.append(examination.regions(over.id)[0])
    return _less(free, np.array([shapely.union_all(still)])) if still else free


def _less(free: Regions, covers: Regions) -> Regions:
    """Regions without what covers them, where their boxes meet at all."""
    free, covers = np.broadcast_arrays(free, covers)
    boxes, others = shapely.bounds(free), shapely.bounds(covers)
    meets = (boxes[:, :2] < others[:, 2:]).all(axis=1) & (others[:, :2] < boxes[:, 2:]).all(axis=1)
    if not meets.any():
        return np.asarray(free)
    out = np.array(free)
    out[meets] = shapely.difference(free[meets], covers[meets])
    return out


def _scene_sights(examination: Examination, items: tuple[Item, ...], mechanism: str, closely: bool) -> dict[str, Sights]:
    """What is seen by the order in which everything is painted, at few positions."""
    drive = examination.assembly.drive_of(mechanism)
    assert drive is not None
    folding = examination.assembly.folding_of(mechanism)
    states = [s.at for s in folding.states] if folding is not None else []
    count = (LOOKS if examination.steps > COARSE_STEPS else FEW_LOOKS) if closely else 2
    travel = np.unique(np.concatenate([np.linspace(drive.rest, drive.end, count), [s for s in states if closely]]))
    travel = travel if drive.end >= drive.rest else travel[::-1]
    rows = [[seen_at(examination, i, mechanism, float(t)) for i in items] for t in travel]
    return {
        item.id: Sights(
            item,
            mechanism,
            travel,
            np.array([row[k].share for row in rows]),
            np.array([row[k].turned_deg for row in rows]),
            np.array([row[k].is_mirrored for row in rows]),
        )
        for k, item in enumerate(items)
    }


def look(examination: Examination, items: tuple[Item, ...], at: dict[str, float]) -> list[Seen]:
    """What is seen of each item of a card that folds, with some mechanisms at a travel and all others at rest."""
    return look_for(examination, [target_of(examination, i) for i in items], at)


def look_for(examination: Examination, targets: list[Target], at: dict[str, float]) -> list[Seen]:
    """What is seen of regions of a card that folds."""
    assembly = examination.assembly
    scene = scene_at(examination, at)
    clear = {p.id for p in assembly.parts if examination.is_clear(p)}
    clear |= {p.id for p in assembly.panels.values() if (s := examination.catalog.stocks.get(p.stock)) is not None and s.clear}
    return look_at(scene, reader_camera(examination, at), targets, clear=clear)


def scene_at(examination: Examination, at: dict[str, float]) -> Scene:
    """Where everything is with some mechanisms at a travel and all others at rest; folds that the same page opens go along."""
    assembly = examination.assembly
    frames: dict[str, Array] = {}
    travel: dict[str, float] = {}
    sides: dict[tuple[str, str], int] = {}
    opened = next((at[f.mechanism] for f in assembly.foldings if f.kind == "inside" and f.mechanism in at), None)
    for folding in reversed(assembly.foldings):
        asked = at.get(folding.mechanism, opened if folding.kind == "inside" else None)
        travel[folding.mechanism] = folding.drive.rest if asked is None else asked
        track = examination.once(("scene", folding.mechanism), lambda f=folding: _coarse(f))  # type: ignore[misc]
        frames |= track.frames_at(travel[folding.mechanism])
        sides |= glued_sides(folding)
    poses: dict[str, Array] = {}
    for drive in assembly.drives:
        track = examination.track(drive.mechanism)
        travel[drive.mechanism] = at.get(drive.mechanism, drive.rest)
        k = int(np.argmin(np.abs(track.travel - travel[drive.mechanism])))
        poses |= {p: examination.poses(p)[k] for p in assembly.moving if assembly.by_id[p].mechanism == drive.mechanism}
    return Scene(assembly, frames, poses, travel, sides)


def _coarse(folding: Folding):  # type: ignore[no-untyped-def]
    drive = folding.drive
    return solve_folds(folding, np.unique(np.concatenate([np.linspace(drive.rest, drive.end, 61), [s.at for s in folding.states]])))


def reader_camera(examination: Examination, at: dict[str, float]) -> Camera:
    """From where the reader looks: straight down on what lies flat, else at the card before her on a desk."""
    for folding in examination.assembly.foldings:
        travel = at.get(folding.mechanism)
        if travel is not None and not any(abs(s.at - travel) < FLAT_DEG for s in folding.states):
            return examination.once(("camera", folding.mechanism), lambda f=folding: fit_camera([_coarse(f)], *STANDING)[0])  # type: ignore[misc]
    return PLAN


def where_of(examination: Examination, item: Item) -> tuple[float, float] | None:
    """A point of the card that stands for an item that lies flat."""
    part_id = target_of(examination, item).on.partition(":")[0]
    part = examination.assembly.by_id.get(part_id)
    if part is None:
        return None
    return middle_of(transform_regions(target_of(examination, item).region, examination.poses(part_id)[:1])[0])


__all__ = [
    "Sights",
    "goes_flat",
    "look",
    "look_for",
    "reader_camera",
    "scene_at",
    "seen_at",
    "seen_items",
    "sight_of",
    "sights",
    "target_of",
    "where_of",
]
