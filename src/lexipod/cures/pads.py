"""Pads that are planned: under sheets that sag, and glide pads under pictures that stand out far."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Part
from lexipod.checks.examination import Examination
from lexipod.checks.foam import MOST_SAG_MM, PAD_MM, SHEET_INSET_MM, SHEETS, TOUCH_MM, supports_of, worst_sag
from lexipod.checks.zones import find_zone, sweep_region
from lexipod.design import Design, Item
from lexipod.editing.items import free_item_ids, place_on
from lexipod.geometry.frames import Array

GLIDE_MM = 6.0


MOST_PADS = 12


@dataclass(frozen=True, eq=False)
class FoamBed:
    """Where more foam may go under a sheet: what it stands on, the foam that is there, and the ``room`` for the middle of a pad."""

    floor: Part
    foam: Part
    room: Any

    def nearest_to(self, place: tuple[float, float], besides: Any = None) -> Array | None:
        """The spot for a pad that is nearest to a place of the card, outside ``besides``; None where there is none."""
        room = self.room if besides is None else shapely.difference(self.room, besides)
        return None if room.is_empty else np.asarray(shapely.get_coordinates(shapely.shortest_line(shapely.Point(place), room))[1])

    def pad_at(self, item_id: str, spot: Array) -> Item:
        """A pad as high as the foam that is there."""
        return Item(item_id, "pad", self.floor.id, "front", place_on(self.floor, spot), PAD_MM, PAD_MM, layers=self.foam.plies, stock=self.foam.stock)


def find_bed(examination: Examination, sheet: Part) -> FoamBed | None:
    """The bed of panel or frame; None for a sheet that lies on no foam."""
    foam = next(iter(supports_of(examination, sheet)), None) if sheet.id in SHEETS else None
    bases = (p for p in examination.assembly.parts if p.role == "base")
    floor = next((p for p in bases if foam is not None and abs(p.top_mm - foam.z_mm) < TOUCH_MM), None)
    if foam is None or floor is None:
        return None
    zone = find_zone(examination, floor.id, "front", "foam", height_mm=foam.thickness_mm).free
    inner = sheet.region_at_home.buffer(-SHEET_INSET_MM, join_style="mitre")
    return FoamBed(floor, foam, shapely.intersection(zone, inner).buffer(-PAD_MM * 0.71))


def plan_pads(examination: Examination, design: Design, sheet: Part) -> tuple[Item, ...]:
    """Pads that bring every place of a sheet within the allowed sag, as far as its free zone lets them; the worst place first."""
    bed = find_bed(examination, sheet)
    names, placed = free_item_ids(design.items, "p"), list[Item]()
    added = shapely.Polygon()
    while bed is not None and len(placed) < MOST_PADS:
        worst, where = worst_sag(examination, sheet, added)
        spot = bed.nearest_to(where, added.buffer(PAD_MM))
        if worst <= MOST_SAG_MM or spot is None:
            break
        added = shapely.union(added, shapely.box(*(spot - PAD_MM / 2), *(spot + PAD_MM / 2)))
        if worst_sag(examination, sheet, added)[0] >= worst - 1e-3:
            break  # nothing is gained: the zone ends too far from there
        placed.append(bed.pad_at(next(names), spot))
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
    names = free_item_ids(design.items, "g")
    for corner in ((low[0], low[1]), (high[0], low[1]), (low[0], high[1]), (high[0], high[1])):
        spot = shapely.get_coordinates(shapely.shortest_line(shapely.Point(corner), room))[1]
        if any(np.linalg.norm(spot - ((low + high) / 2 + np.asarray(i.at))) < 2 * PAD_MM for i in placed):
            continue
        placed.append(Item(next(names), "glide", part.id, "back", place_on(part, spot), GLIDE_MM, GLIDE_MM, layers=layers, stock=foam_id))
    return tuple(placed)


def _never_off(examination: Examination, part: Part, under: Part) -> Any:
    """Where a part, in its own frame, is over a hole or past the edge of what is under it at some position."""
    left, bottom, right, top = under.region.bounds
    around = shapely.difference(shapely.box(left - 200, bottom - 200, right + 200, top + 200), under.region)
    return sweep_region(examination, around, part.id, under.id)
