"""Foam: what carries a sheet, where it is too far from any foam, where foam is seen, and pads that would help.

Reason: a sheet is carried near its edges and beside the pull; what lies too far from any foam sags into what moves under it; white foam
shows behind a dark frame.
Source: common practice, no source; the sag is that of ``lexipod.checks.catching``, the limit our own judgement.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Part
from lexipod.checks.catching import CURL_MM
from lexipod.checks.examination import Examination, middle_of
from lexipod.checks.finding import Finding
from lexipod.checks.zones import find_zone, relative_poses
from lexipod.design import Design, Item
from lexipod.geometry.frames import Array
from lexipod.motion.sweep import swept_region

MOST_SAG_MM = 2.5
GRID_MM = 4.0
PAD_MM = 8.0
MOST_PADS = 12
SEEN_MM2 = 3.0
TOUCH_MM = 0.06


@dataclass(frozen=True, slots=True)
class FoamCount:
    """What foam of one kind goes into the card: pieces, layers of each, area of all layers (mm²), and whether it is put there by the
    maker."""

    foam: str
    layers: int
    pieces: int
    area_mm2: float
    by_maker: int


def count_foam(examination: Examination) -> tuple[FoamCount, ...]:
    """All foam by kind and layers."""
    rows: dict[tuple[str, int], list[Part]] = {}
    for part in examination.assembly.parts:
        if part.stock in examination.catalog.foams and part.quantity:
            rows.setdefault((part.stock, part.plies), []).append(part)
    return tuple(
        FoamCount(foam, layers, len(parts), float(sum(p.region.area for p in parts) * layers), sum(bool(p.item) for p in parts))
        for (foam, layers), parts in sorted(rows.items())
    )


def sheets_on_foam(examination: Examination) -> tuple[Part, ...]:
    """Panel and frame, where they lie on foam."""
    found = []
    for sheet in examination.assembly.parts:
        if sheet.id in ("card.panel", "card.frame") and supports_of(examination, sheet):
            found.append(sheet)
    return tuple(found)


def supports_of(examination: Examination, sheet: Part) -> list[Part]:
    """Foam that carries a sheet: what stands still and reaches up to it."""
    moving = set(examination.assembly.moving)
    return [p for p in examination.assembly.parts if p.role == "spacer" and p.id not in moving and abs(p.top_mm - sheet.z_mm) < TOUCH_MM]


def sags(sheet: Part, spots: Array, supports: Any) -> Array:
    """How far a sheet sags at some places ``(n, 2)`` of the card (mm): the sagitta of its curl over the way to the nearest foam; half of
    that way counts where foam lies on both sides."""
    away = np.asarray(shapely.distance(supports, shapely.points(spots)))
    between = shapely.contains_xy(shapely.convex_hull(supports).buffer(0.5), spots[:, 0], spots[:, 1])
    return np.asarray(np.where(between, away / 2, away) ** 2 / (2 * CURL_MM * sheet.plies**2))


def _spots(sheet: Part) -> Array:
    """A grid of places on a sheet, and its corners."""
    left, bottom, right, top = sheet.region_at_home.bounds
    xx, yy = np.meshgrid(np.arange(left + 1, right, GRID_MM), np.arange(bottom + 1, top, GRID_MM))
    spots = np.column_stack([xx.ravel(), yy.ravel()])
    inside = shapely.contains_xy(sheet.region_at_home, spots[:, 0], spots[:, 1])
    return np.concatenate([spots[inside], shapely.get_coordinates(sheet.region_at_home)])


def worst_sag(examination: Examination, sheet: Part, more: Any = None) -> tuple[float, tuple[float, float]]:
    """The greatest sag of a sheet, and where; ``more`` is foam that is not there yet."""
    regions = [p.region_at_home for p in supports_of(examination, sheet)] + ([more] if more is not None else [])
    spots = _spots(sheet)
    found = sags(sheet, spots, shapely.union_all(regions))
    k = int(np.argmax(found))
    return float(found[k]), (float(spots[k, 0]), float(spots[k, 1]))


def floor_of(examination: Examination, sheet: Part) -> Part | None:
    """What the foam of a sheet stands on."""
    foam = next(iter(supports_of(examination, sheet)), None)
    if foam is None:
        return None
    return next((p for p in examination.assembly.parts if p.role == "base" and abs(p.top_mm - foam.z_mm) < TOUCH_MM), None)


def plan_pads(examination: Examination, design: Design, sheet: Part) -> tuple[Item, ...]:
    """Pads that bring every place of a sheet within the allowed sag, as far as its free zone lets them; the worst place first."""
    floor, foam = floor_of(examination, sheet), next(iter(supports_of(examination, sheet)), None)
    if floor is None or foam is None:
        return ()
    zone = find_zone(examination, floor.id, "front", "foam", height_mm=foam.thickness_mm).free
    room = shapely.intersection(zone, sheet.region_at_home.buffer(-1.0, join_style="mitre")).buffer(-PAD_MM * 0.71)
    taken = {i.id for i in design.items}
    names = (f"p{k}" for k in range(1, 999) if f"p{k}" not in taken)
    low, high = floor.box
    placed: list[Item] = []
    added = shapely.Polygon()
    while len(placed) < MOST_PADS and not room.is_empty:
        worst, where = worst_sag(examination, sheet, added if not added.is_empty else None)
        if worst <= MOST_SAG_MM:
            break
        spot = shapely.get_coordinates(shapely.shortest_line(shapely.Point(where), room))[1]
        square = shapely.box(*(spot - PAD_MM / 2), *(spot + PAD_MM / 2))
        before = added
        added = shapely.union(added, square)
        if worst_sag(examination, sheet, added)[0] >= worst - 1e-3:
            added = before  # nothing is gained: the zone ends too far from there
            break
        at = spot - (low + high) / 2
        placed.append(
            Item(
                next(names),
                "pad",
                floor.id,
                "front",
                (round(float(at[0]), 2), round(float(at[1]), 2)),
                PAD_MM,
                PAD_MM,
                layers=foam.plies,
                stock=foam.stock,
            )
        )
        room = shapely.difference(room, square.buffer(PAD_MM))
    return tuple(placed)


def plan_glides(examination: Examination, design: Design, part: Part) -> tuple[Item, ...]:
    """Glide pads under a picture that stands out far over a sheet, so that it keeps level: up to four, near its corners, where the sheet
    is under them at every position."""
    assembly = examination.assembly
    from_below = [p for p in assembly.parts if p.role in ("base", "cover") and p.top_mm <= part.z_mm + 1e-6 and p.id not in assembly.moving]
    if not from_below or part.id not in assembly.moving:
        return ()
    under = max(from_below, key=lambda p: p.top_mm)
    gap = part.z_mm - under.top_mm
    choices = [
        (layers * foam.thickness_mm, layers, foam.id)
        for foam in examination.catalog.foams.values()
        for layers in (1, 2, 3)
        if gap - 0.6 <= layers * foam.thickness_mm <= gap + 1e-6
    ]
    if not choices:
        return ()
    tall, layers, foam_id = max(choices, key=lambda c: (c[0], -c[1]))
    zone = find_zone(examination, part.id, "back", "foam", height_mm=tall).free
    off = _never_off(examination, part, under)
    room = shapely.difference(zone, off).buffer(-PAD_MM * 0.55)
    if room.is_empty:
        return ()
    low, high = part.box
    placed: list[Item] = []
    taken = {i.id for i in design.items}
    names = (f"g{k}" for k in range(1, 999) if f"g{k}" not in taken)
    for corner in ((low[0], low[1]), (high[0], low[1]), (low[0], high[1]), (high[0], high[1])):
        spot = shapely.get_coordinates(shapely.shortest_line(shapely.Point(corner), room))[1]
        if any(np.linalg.norm(spot - ((low + high) / 2 + np.asarray(i.at))) < 2 * PAD_MM for i in placed):
            continue
        at = spot - (low + high) / 2
        placed.append(
            Item(next(names), "glide", part.id, "back", (round(float(at[0]), 2), round(float(at[1]), 2)), 6.0, 6.0, layers=layers, stock=foam_id)
        )
    return tuple(placed)


def _never_off(examination: Examination, part: Part, under: Part) -> Any:
    """Where a part, in its own frame, is over a hole or past the edge of what is under it at some position."""
    left, bottom, right, top = under.region.bounds
    around = shapely.difference(shapely.box(left - 200, bottom - 200, right + 200, top + 200), under.region)
    return swept_region(around, relative_poses(examination, part.id, under.id))


def check_support(examination: Examination) -> Iterator[Finding]:
    """No place of a sheet is too far from its foam."""
    for sheet in sheets_on_foam(examination):
        worst, where = worst_sag(examination, sheet)
        if worst <= MOST_SAG_MM + 1e-6:
            continue
        length = examination.style.length
        message = (
            f"There it sags by about {length(worst)}, so far is it from any foam; a pad within its free zone keeps it level "
            f"({length(MOST_SAG_MM)} are not noticed)."
        )
        yield Finding(
            "support",
            "note",
            "card",
            (sheet.id,),
            f"The {sheet.name} is not carried everywhere",
            message,
            round(worst, 4),
            MOST_SAG_MM,
            at_most=True,
            where=(round(where[0], 3), round(where[1], 3)),
        )


def check_foam_seen(examination: Examination) -> Iterator[Finding]:
    """Foam behind an opening is told, with its colour."""
    assembly = examination.assembly
    moving = set(assembly.moving)
    for foam in (p for p in assembly.parts if p.role == "spacer" and p.id not in moving and p.stock in examination.catalog.foams):
        box = foam.region_at_home.bounds
        covers = [
            p.id
            for p in assembly.parts
            if p.z_mm >= foam.top_mm - TOUCH_MM and p.id != foam.id and not examination.is_clear(p) and _crosses(p, box, moving)
        ]
        seen = examination.uncovered(foam, foam.region, covers)
        areas = np.asarray(shapely.area(seen))
        if areas.max() <= SEEN_MM2:
            continue
        k = int(np.argmax(areas))
        colour = examination.ways.foam_colour
        message = f"About {areas[k]:.0f} mm² of {colour} foam are not covered; behind a dark edge take black foam, or colour its edge."
        yield Finding(
            "foam-seen",
            "note",
            foam.mechanism,
            (foam.id,),
            f"The {foam.name} is seen",
            message,
            round(float(areas[k]), 2),
            SEEN_MM2,
            unit="mm²",
            at_most=True,
            where=middle_of(seen[k]),
        )


def _crosses(part: Part, box: tuple[float, float, float, float], moving: set[str]) -> bool:
    """Whether a part can lie over a box; what moves always may."""
    if part.id in moving:
        return True
    left, bottom, right, top = part.region_at_home.bounds
    return not (left > box[2] or box[0] > right or bottom > box[3] or box[1] > top)


def check_strays(examination: Examination) -> Iterator[Finding]:
    """Items whose part is gone are told, not lost."""
    for item in examination.assembly.strays:
        message = "The part that carried it is no longer there; it is kept in the design, and comes back with the part."
        yield Finding("item", "note", "card", (), f"The item {item} has lost its place", message, 0.0, 1.0, unit="place", need=item)
