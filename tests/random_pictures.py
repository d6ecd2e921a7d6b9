"""What is seen of a picture, counted point by point: for every point of it the paper that lies highest there is looked for.

Shares with the program where an item lies and how its parts move, and in folds which panel lies over which; not how areas are found.
"""

from __future__ import annotations

import numpy as np
import shapely

from lexipod.checks import Examination
from lexipod.checks.seen import reader_camera, scene_at, sights
from lexipod.checks.surfaces import halts_of, standing_at
from lexipod.design import Card, Item
from lexipod.drawing.folds import PLAN, facets_of
from lexipod.errors import LexipodError
from lexipod.geometry.frames import apply_pose, invert_pose
from lexipod.geometry.space import apply_frame, invert_frame
from lexipod.motion import order_at, solve_folds
from lexipod.pictures import laid_outline
from lexipod.pipeline import examine
from tests.zoo import CATALOG, FLAT, FOLDED, card_with

POINTS = 90
CARDS = ("na.a2", "na.a7", "iso.a6")
WORDS = ("Low water", "Fog lifts", "H", "A day at\nthe gauge")


def draw_layout(rng):
    """A card with one mechanism and some pictures and greetings anywhere on it; None where none can be."""
    recipe = str(rng.choice([*FLAT, *FOLDED]))
    try:
        design = card_with(recipe, Card(size=str(rng.choice(CARDS))))
        assembly = examine(design, CATALOG, steps=2).assembly
    except LexipodError:
        return None
    carriers = [p.id for p in assembly.parts if p.role not in ("spacer", "fastener") and p.id != "card.back"]
    carriers += [p for p in assembly.panels if p not in assembly.by_id]
    items = []
    for k in range(int(rng.integers(1, 5))):
        on = str(rng.choice(carriers))
        carrier = assembly.by_id.get(on) or assembly.panels[on]
        size = np.ptp(carrier.outline, axis=0)
        at = tuple(float(v) for v in np.round(rng.uniform(-0.45, 0.45, 2) * size, 2))
        face = "back" if on in assembly.panels and rng.random() < 0.4 else "front"
        turn = float(rng.choice([0, 0, 15, 90, -60, 180]))
        if rng.random() < 0.3:
            items.append(Item(f"g{k}", "greeting", on, face, at, text=str(rng.choice(WORDS)), height=float(rng.uniform(3, 9)), turn=turn))
        else:
            width, height = (float(v) for v in np.round(rng.uniform(0.15, 0.9, 2) * size, 2))
            ring = ((0.0, 0.0), (1.0, 0.0), (0.7, 0.6), (0.5, 1.0))
            outline = (ring,) if rng.random() < 0.4 else ()
            items.append(Item(f"a{k}", "picture", on, face, at, max(1.0, width), max(1.0, height), source="x.svg", outline=outline, turn=turn))
    return design.__class__(card=design.card, ways=design.ways, mechanisms=design.mechanisms, items=tuple(items))


def points_of(region):
    """Points on a fine grid inside a region ``(n, 2)``."""
    left, bottom, right, top = region.bounds
    filled = max(0.02, region.area / max((right - left) * (top - bottom), 1e-9))
    n = round(POINTS / np.sqrt(filled))  # thin letters want a finer grid
    x, y = np.meshgrid(left + (np.arange(n) + 0.5) * (right - left) / n, bottom + (np.arange(n) + 0.5) * (top - bottom) / n)
    points = np.column_stack([x.ravel(), y.ravel()])
    return points[shapely.contains_xy(region, points[:, 0], points[:, 1])]


def counted_flat(examination: Examination, item: Item, mechanism: str, travel: float) -> float:
    """Share of the points of an item, where there is paper under them, over which no other part lies."""
    assembly = examination.assembly
    mine = assembly.by_id.get(item.on)
    if mine is None or item.face == "back":
        return 0.0
    points = points_of(laid_outline(item, mine.outline))
    points = points[shapely.contains_xy(mine.region, points[:, 0], points[:, 1])]
    if not len(points):
        return 0.0
    track = examination.track(mechanism)
    k = int(np.argmin(np.abs(track.travel - travel)))

    def pose(part):
        poses = track.poses.get(part.id)
        return np.asarray(part.home if poses is None else poses[k])

    on_card = apply_pose(pose(mine), points)
    seen = np.ones(len(points), dtype=bool)
    for other in assembly.parts:
        stock = CATALOG.stocks.get(other.stock)
        higher = other.z_mm > mine.z_mm + 1e-9 or (abs(other.z_mm - mine.z_mm) < 1e-9 and mine.id in other.over)
        if other.id == mine.id or not higher or (stock is not None and stock.clear):
            continue
        local = apply_pose(invert_pose(pose(other)), on_card)
        seen &= ~shapely.contains_xy(other.region, local[:, 0], local[:, 1])
    return float(seen.mean())


def counted_folded(examination: Examination, item: Item, mechanism: str, travel: float) -> float | None:
    """The same in a flat state of what folds; None where the card has more than this mechanism's panels."""
    assembly = examination.assembly
    folding = assembly.folding_of(mechanism)
    panels = folding.by_id
    if item.on not in panels or any(p.id not in panels and p.id != "card.back" for p in assembly.parts):
        return None
    track = solve_folds(folding, np.array([travel]))
    mine = panels[item.on]
    if mine.base:
        return None  # its pictures are told in the frame of its part
    frame = track.frames[mine.id][0]
    points = points_of(shapely.intersection(laid_outline(item, mine.outline), mine.region))
    if not len(points):
        return 0.0
    if (frame[2, 2] > 0) != (item.face == "front"):
        return 0.0
    rank = order_at(folding, travel)
    on_card = apply_frame(frame, np.column_stack([points, np.zeros(len(points))]))
    seen = np.ones(len(points), dtype=bool)
    for other in folding.panels:
        stock = CATALOG.stocks.get(other.stock)
        if other.id == mine.id or rank[other.id] < rank[mine.id] or (stock is not None and stock.clear):
            continue
        local = apply_frame(invert_frame(track.frames[other.id][0]), on_card)
        hole = assembly.by_id[other.id].holes if other.base and other.id in assembly.by_id else ()
        if hole:
            return None
        seen &= ~shapely.contains_xy(other.region, local[:, 0], local[:, 1])
    return float(seen.mean())


def compare_layout(design):
    """(item, travel, told share, counted share) for every item at every halt that can be counted."""
    examination = examine(design, CATALOG, steps=25)
    rows = []
    for drive in examination.assembly.all_drives:
        folding = examination.assembly.folding_of(drive.mechanism)
        for halt in halts_of(examination.assembly, drive.mechanism):
            for item_id, told in sights(examination, drive.mechanism).items():
                item = told.item
                k = int(np.argmin(np.abs(told.travel - halt)))
                travel = float(told.travel[k])
                count = counted_flat if folding is None else counted_folded
                found = count(examination, item, drive.mechanism, travel)
                if found is not None:
                    rows.append((item_id, travel, float(told.share[k]), found))
    return rows


ROOM_MM = 0.6
"""What passes an edge nearer than this is not held against anybody."""


def cast_rays(examination: Examination, mechanism: str, travel: float, rng, count: int = 40):
    """Of random points on the faces of what folds, held where it stands: (panel, face, point, whether the straight way from it to the reader's
    eye is free). Shares with the program where the panels and the eye are; knows nothing of paper to look at, or of an order of painting.
    Points whose way passes an edge, or a sheet that they lie on, by less than ``ROOM_MM`` are left out."""
    scene = scene_at(examination, {mechanism: travel})
    facets, _ = facets_of(scene)
    eye = reader_camera(examination, {mechanism: travel}).eye
    clear = {f.id for f in facets if (s := CATALOG.stocks.get(examination.assembly.carriers[f.id].stock)) is not None and s.clear}
    regions = {f.id: shapely.Polygon(f.rings[0], f.rings[1:]) for f in facets}
    panels = [f for f in facets if f.id in examination.assembly.panels and f.id not in examination.assembly.by_id and f.id not in clear]
    found = []
    for facet in panels:
        low, high = facet.rings[0].min(axis=0), facet.rings[0].max(axis=0)
        points = rng.uniform(low, high, (count, 2))
        region = regions[facet.id]
        points = points[shapely.contains_xy(region.buffer(-ROOM_MM), points[:, 0], points[:, 1])]
        starts = apply_frame(facet.frame, np.column_stack([points, np.zeros(len(points))]))
        for point, start in zip(points, starts, strict=True):
            answer = _is_free(start, eye, [(o.frame, regions[o.id]) for o in facets if o.id != facet.id and o.id not in clear])
            if answer is not None:
                found.append((facet.id, "front" if facet.normal @ (eye - start) > 0 else "back", point, answer))
    return found


def _is_free(start, eye, sheets):
    """Whether nothing stands between a point and the eye; None where it is too near to be told."""
    way = eye - start
    for frame, region in sheets:
        lie, ahead = (start - frame[:, 3]) @ frame[:, 2], way @ frame[:, 2]
        flat = apply_frame(invert_frame(frame), start[None])[0, :2]
        if abs(lie) < ROOM_MM:
            if region.buffer(ROOM_MM).contains(shapely.Point(flat)):
                return None  # on that sheet, or about to be: which lies over which is another question
            continue
        if abs(ahead) < 1e-9 or not 0.0 < -lie / ahead < 1.0:
            continue
        hit = apply_frame(invert_frame(frame), (start - way * (lie / ahead))[None])[0, :2]
        spot = shapely.Point(hit)
        slant = max(1.0, float(np.linalg.norm(way) / abs(ahead)))
        if region.boundary.distance(spot) < ROOM_MM * min(slant, 4.0):
            return None
        if region.contains(spot):
            return False
    return True


def compare_standing(design, rng, most: int = 4):
    """(panel, face, travel, told as seen, seen along the ray) for random points on the panels at some positions where something stands."""
    examination = examine(design, CATALOG, steps=25)
    rows = []
    for folding in examination.assembly.foldings:
        name, drive = folding.mechanism, folding.drive
        for travel in rng.uniform(min(drive.rest, drive.end), max(drive.rest, drive.end), most):
            at = {name: float(travel)}
            if reader_camera(examination, at) is PLAN:
                continue
            told = {}
            for on, face, region in standing_at(examination, at):
                told[on, face] = shapely.union(told.get((on, face), shapely.Polygon()), region)
            for on, face, point, free in cast_rays(examination, name, float(travel), rng):
                region = told.get((on, face), shapely.Polygon())
                if not region.is_empty and region.boundary.distance(shapely.Point(point)) < ROOM_MM:
                    continue
                rows.append((on, face, float(travel), bool(shapely.contains_xy(region, *point)), free))
    return rows
