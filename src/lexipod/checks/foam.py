"""Foam: what carries a sheet and how high it must be, where a sheet is too far from any foam, where foam is seen, and pads that would help.

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

from lexipod.assembly import Panel, Part
from lexipod.catalog import FILM
from lexipod.checks.examination import Examination, middle_of
from lexipod.checks.finding import Finding
from lexipod.checks.fold_items import find_stuck
from lexipod.checks.holding import Holding, part_sag
from lexipod.checks.stack import PLAY_MM, stacked_pairs
from lexipod.geometry.frames import Array

SHEETS = ("card.panel", "card.frame")
MOST_SAG_MM = 2.5
GRID_MM = 4.0
PAD_MM = 8.0
LEAST_ON, LEAST_PAD_ON = 0.5, 0.95
SHEET_INSET_MM = 1.0
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
        if sheet.id in SHEETS and supports_of(examination, sheet):
            found.append(sheet)
    return tuple(found)


def supports_of(examination: Examination, sheet: Part) -> list[Part]:
    """Foam that carries a sheet: what stands still and reaches up to it."""
    moving = set(examination.assembly.moving)
    return [p for p in examination.assembly.parts if p.role == "spacer" and p.id not in moving and abs(p.top_mm - sheet.z_mm) < TOUCH_MM]


def sags(sheet: Part, spots: Array, supports: Any) -> Array:
    """How far a sheet sags at some places ``(n, 2)`` of the card (mm), by how far they are from the nearest foam."""
    return part_sag(sheet, Holding.by(supports).reach(spots))


def _spots(sheet: Part) -> Array:
    """A grid of places on a sheet, and its corners."""
    left, bottom, right, top = sheet.region_at_home.bounds
    xx, yy = np.meshgrid(np.arange(left + 1, right, GRID_MM), np.arange(bottom + 1, top, GRID_MM))
    spots = np.column_stack([xx.ravel(), yy.ravel()])
    inside = shapely.contains_xy(sheet.region_at_home, spots[:, 0], spots[:, 1])
    return np.concatenate([spots[inside], shapely.get_coordinates(sheet.region_at_home)])


def worst_sag(examination: Examination, sheet: Part, more: Any = None) -> tuple[float, tuple[float, float]]:
    """The greatest sag of a sheet, and where; ``more`` is foam that is not there yet."""
    regions = [p.region_at_home for p in supports_of(examination, sheet)] + [more or shapely.Polygon()]
    spots = _spots(sheet)
    found = sags(sheet, spots, shapely.union_all(regions))
    k = int(np.argmax(found))
    return float(found[k]), (float(spots[k, 0]), float(spots[k, 1]))


@dataclass(frozen=True, slots=True)
class FoamNeed:
    """What one sheet on foam needs: its foam (height and layers), the most that anything under it needs with air, and which part that is."""

    sheet: str
    foam_mm: float
    layers: int
    needed_mm: float
    part: str

    @property
    def layers_needed(self) -> int:
        return max(1, int(np.ceil(self.needed_mm / max(self.foam_mm / self.layers, 1e-9) - 1e-9)))


def find_foam_needs(examination: Examination, play_mm: float = PLAY_MM) -> tuple[FoamNeed, ...]:
    """For every sheet on foam, how high its foam must be at most."""
    found = []
    for sheet, foam in _sheets_and_foam(examination):
        needs = _needs_under(examination, sheet, foam.z_mm, play_mm)
        if needs:
            most, part = max(needs, key=lambda need: need[0])
            found.append(FoamNeed(sheet.id, foam.thickness_mm, foam.plies, most, part.id))
    return tuple(found)


def share_of_less(examination: Examination, sheet_id: str, play_mm: float = PLAY_MM) -> float:
    """On which share of a sheet (0 to 1) one layer of its foam less would be enough; 0 where it has one layer or none."""
    for sheet, foam in _sheets_and_foam(examination):
        if sheet.id == sheet_id and foam.plies > 1:
            less = foam.thickness_mm - foam.thickness_mm / foam.plies
            tall = [part for need, part in _needs_under(examination, sheet, foam.z_mm, play_mm) if need > less + 1e-6]
            if not tall:
                return 1.0
            swept = shapely.union_all(np.concatenate([examination.few_regions(part.id) for part in tall]))
            return 1.0 - float(shapely.intersection(swept, sheet.region_at_home).area) / float(sheet.region_at_home.area)
    return 0.0


def _sheets_and_foam(examination: Examination) -> Iterator[tuple[Part, Part]]:
    """The sheets that lie on foam of their own, each with a piece of it."""
    parts = examination.assembly.parts
    for sheet in (p for p in parts if p.id in SHEETS):
        foam = next((p for p in parts if p.id.startswith(f"{sheet.id}-foam")), None)
        if foam is not None:
            yield sheet, foam


def _needs_under(examination: Examination, sheet: Part, floor_mm: float, play_mm: float) -> list[tuple[float, Part]]:
    """Parts that come under a sheet at some position, each with the height over the floor that it needs."""
    moving, found = set(examination.assembly.moving), []
    shapely.prepare(sheet.region_at_home)
    for part in examination.assembly.parts:
        if part.role == "spacer" or part.z_mm < floor_mm - 1e-6 or part.top_mm > sheet.z_mm + 1e-6 or part.id == sheet.id:
            continue
        if shapely.intersects(sheet.region_at_home, examination.few_regions(part.id)).any():
            found.append((part.top_mm - floor_mm + (play_mm if part.id in moving else 0.0), part))
    return found


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
    """Foam behind an opening is told, with its colour; while one mechanism moves the others are at rest."""
    assembly = examination.assembly
    moving = set(assembly.moving)
    for foam in (p for p in assembly.parts if p.role == "spacer" and p.id not in moving and p.stock in examination.catalog.foams):
        box = foam.region_at_home.bounds
        over = [p for p in assembly.parts if p.z_mm >= foam.top_mm - TOUCH_MM and p.id != foam.id and not examination.is_clear(p)]
        if not over:
            continue
        boxes = {p.id: examination.swept_box(p.id) for p in over}
        over = [p for p in over if (boxes[p.id][:2] <= box[2:]).all() and (boxes[p.id][2:] >= box[:2]).all()]
        over.sort(key=lambda p: -p.region.area)
        worst = shapely.Polygon()
        for mechanism in dict.fromkeys([p.mechanism for p in over if p.id in moving] or ["card"]):
            mine = [p.id for p in over if p.mechanism == mechanism and p.id in moving]
            still = foam.region_at_home
            for cover in (p for p in over if p.id not in mine):
                still = shapely.difference(still, examination.at_rest(cover.id))
                if still.area <= SEEN_MM2:
                    break
            if still.area <= SEEN_MM2:
                continue
            seen = np.asarray(shapely.difference(still, examination.union(mine)))
            worst = max([worst, *seen], key=lambda region: region.area)
        if worst.area <= SEEN_MM2:
            continue
        colour = examination.ways.foam_colour
        message = f"About {worst.area:.0f} mm² of {colour} foam are not covered; behind a dark edge take black foam, or colour its edge."
        yield Finding(
            "foam-seen",
            "note",
            foam.mechanism,
            (foam.id,),
            f"The {foam.name} is seen",
            message,
            round(float(worst.area), 2),
            SEEN_MM2,
            unit="mm²",
            at_most=True,
            where=middle_of(worst),
        )


def check_strays(examination: Examination) -> Iterator[Finding]:
    """Items whose part is gone are told, not lost; so are those of which too little lies on the part that carries them."""
    yield from _check_off_their_part(examination)
    for item in examination.assembly.strays:
        message = "The part that carried it is no longer there; it is kept in the design, and comes back with the part."
        yield Finding("item", "note", "card", (), f"The item {item} has lost its place", message, 0.0, 1.0, unit="place", need=item)


def _check_off_their_part(examination: Examination) -> Iterator[Finding]:
    """Glue holds what lies on paper: all of a pad or film, and half of a decoration, which may stand out."""
    assembly = examination.assembly
    for joint in assembly.joints:
        part, carrier = assembly.by_id[joint.a], assembly.by_id[joint.b]
        if part.item and joint.kind == "fixed" and carrier.item != part.item:
            is_pad = part.role != "decoration" or part.face == "film"
            yield from _beside(part, carrier, part.region_at_home, carrier.region_at_home, LEAST_PAD_ON if is_pad else LEAST_ON)
    for folding in assembly.foldings:
        for stuck in find_stuck(examination, folding):
            if stuck.low_mm == 0.0:  # what lies on the panel itself; both are in its sheet's frame
                is_pad = stuck.foam or stuck.piece.stock == FILM
                yield from _beside(stuck.piece, stuck.carrier, stuck.piece.region, stuck.carrier.region, LEAST_PAD_ON if is_pad else LEAST_ON)


def _beside(piece: Part | Panel, carrier: Part | Panel, region: Any, under: Any, least: float) -> Iterator[Finding]:
    """A piece too little of which lies on what carries it; both regions are in one frame."""
    share = shapely.intersection(region, under).area / region.area
    if share >= least:
        return
    message = f"Only {100 * share:.0f} % of it lie on the {carrier.name}; glue wants {100 * least:.0f} %. Move it, or make it smaller."
    yield Finding(
        "item",
        "warn",
        piece.mechanism,
        (piece.id, carrier.id),
        f"The {piece.name} lies beside its place",
        message,
        round(float(share), 4),
        least,
        unit="share",
        where=middle_of(region) if isinstance(piece, Part) else None,
        need=piece.item,
    )


def check_spare_foam(examination: Examination) -> Iterator[Finding]:
    """Fewer layers of foam would do as well: under what a mechanism itself lays on foam, and under panel and frame."""
    assembly = examination.assembly
    spacers = {p.mechanism: p for p in assembly.parts if p.role == "spacer" and p.plies > 1 and p.mechanism != "card" and not p.item}
    for mechanism, spacer in spacers.items():
        layer = spacer.thickness_mm / spacer.plies
        gaps = [
            gap
            for part, other, gap, _ in stacked_pairs(examination)
            if part.mechanism == mechanism and other.level > part.level and other.role in ("cover", "base")
        ]
        if gaps and min(gaps) >= layer + PLAY_MM - 1e-6:
            yield _spare(examination, mechanism, spacer, min(gaps), layer)
    for need in find_foam_needs(examination):
        owner = assembly.by_id[need.part].mechanism
        if need.layers_needed < need.layers and owner not in spacers:
            foam = next(p for p in assembly.parts if p.id.startswith(f"{need.sheet}-foam"))
            yield _spare(examination, owner, foam, need.foam_mm - need.needed_mm + PLAY_MM, need.foam_mm / need.layers)


def _spare(examination: Examination, mechanism: str, spacer: Part, gap: float, layer: float) -> Finding:
    length = examination.style.length
    message = (
        f"{spacer.plies} layers leave {length(gap)} of air over what moves; one layer of {length(layer)} less still leaves {length(gap - layer)}."
    )
    return Finding(
        "spare-foam",
        "note",
        mechanism,
        (spacer.id,),
        "One layer of foam less would do",
        message,
        float(spacer.plies),
        float(spacer.plies - 1),
        unit="layers",
        at_most=True,
    )
