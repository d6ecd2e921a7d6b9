"""What keeps the card shut: its measures, and that it lies clear of what moves.

Reason: a strip over something that slides stops it, and magnets under a panel lift it. Source: common practice, no source.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Folding
from lexipod.checks.examination import Examination, mean_width, middle_of
from lexipod.checks.finding import Finding
from lexipod.checks.fold_flat import bound_finding
from lexipod.closing import Closing, magnet_discs
from lexipod.closing.stacked import laid_flat, posted_regions
from lexipod.geometry.space import apply_frame

EDGE_MM = 1.0
LEAST_MM = 0.3
PULLS_MM = 2.0
"""Small disc magnets hold through about this much paper (common practice, no source)."""


def check_closure(examination: Examination) -> Iterator[Finding]:
    """Band, hem or strip fit the card and let everything move that should."""
    closing = examination.closing
    if closing is None:
        return
    for bound in closing.bounds:
        found = bound_finding(examination, bound)
        if found is not None:
            yield found
    worst: dict[str, tuple[float, str, Any, float | None]] = {}
    for part, region, travel in _met(examination, closing):
        common = shapely.intersection(region, closing.footprint)
        wide = float(mean_width(common)) if common.area > 1e-6 else 0.0
        owner = _owner(examination, part)
        if wide > max(LEAST_MM, worst[owner][0] if owner in worst else 0.0):
            worst[owner] = (wide, part, common, travel)
    for owner, (wide, part, common, travel) in worst.items():
        name = examination.assembly.part_name(part)
        yield Finding(
            "closure",
            "warn" if closing.kind == "band" else "block",
            "card",
            (part,),
            f"The {closing.name} lies over the {name}",
            f"It would hold the {name}, which reaches {examination.style.length(wide)} under it.",
            round(wide, 4),
            0.0,
            at_most=True,
            travel=travel,
            where=middle_of(common),
            need=f"card.closure-{owner}",
        )
    if closing.magnets:
        yield from _check_magnets(examination, closing)


def _owner(examination: Examination, part: str) -> str:
    found = examination.assembly.carriers[part]
    return found.mechanism


def _check_magnets(examination: Examination, closing: Closing) -> Iterator[Finding]:
    """Windows lay no magnet open, and what lies between a pair is not too thick."""
    assembly, length = examination.assembly, examination.style.length
    opened = shapely.difference(shapely.box(0, 0, assembly.card.width_mm, assembly.card.height_mm), assembly.by_id["card.front"].region_at_home)
    inside = [(f, posted_regions(f)) for f in assembly.foldings if f.kind == "inside"]
    for k, (place, at) in enumerate(zip(magnet_discs(closing), closing.magnets, strict=True)):
        shown = shapely.intersection(opened, place)
        if shown.area > 1e-6:
            wide = float(mean_width(shown))
            message = f"The window in the front lays {length(wide)} of a magnet open."
            yield Finding(
                "closure",
                "block",
                "card",
                ("card.front",),
                "A magnet shows",
                message,
                round(wide, 4),
                0.0,
                at_most=True,
                where=at,
                need=f"magnet-{k}",
            )
        between = [p for f, laid in inside for p in f.panels if not p.base and p.id in laid and shapely.intersects(laid[p.id], place)]
        thick = 2 * assembly.card.caliper_mm + sum(p.thickness_mm for p in between)
        if thick > PULLS_MM:
            message = f"Between the magnets lie {length(thick)} of paper; through more than {length(PULLS_MM)} they hardly hold."
            yield Finding(
                "closure",
                "warn",
                "card",
                tuple(p.id for p in between)[:4],
                "Much lies between the magnets",
                message,
                round(thick, 4),
                PULLS_MM,
                at_most=True,
                where=at,
                need=f"magnet-gap-{k}",
            )


def _met(examination: Examination, closing: Closing) -> Iterator[tuple[str, Any, float | None]]:
    """What could be held: each part or panel with the region of it that counts, and the travel at which it is there."""
    if closing.kind == "hem":
        return  # it lies inside the pages, under all that is glued there
    assembly, card = examination.assembly, examination.assembly.card
    page = shapely.box(0, 0, card.width_mm, card.height_mm)
    for part in assembly.moving:
        if assembly.drive_of(assembly.by_id[part].mechanism) is None or assembly.by_id[part].role == "fastener":
            continue
        regions = examination.few_regions(part)
        # A band is slipped off before anything moves: only what stands out at rest tears it. A strip stays on the back.
        rest = regions[0]
        swept = shapely.difference(rest, page) if closing.kind == "band" else shapely.union_all(regions)
        reach = swept.buffer(EDGE_MM) if closing.kind == "band" else swept
        yield part, reach, None
    for folding in assembly.foldings:
        if folding.kind == "face":
            track = examination.fold_track(folding.mechanism)
            loose = [p for p in folding.panels if not p.base and folding.rigid[p.id] != folding.rigid[folding.ground]]
            for panel in loose if track.reached[0] else ():
                shown = laid_flat(panel.region, track.frames[panel.id][0])
                yield panel.id, shapely.difference(shown, page).buffer(EDGE_MM) if closing.kind == "band" else shown, folding.drive.rest
        elif closing.kind == "seal":
            yield from _between(examination, folding)


def _between(examination: Examination, folding: Folding) -> Iterator[tuple[str, Any, float | None]]:
    """What lies loose between the outer panels and reaches the free edge, as a slider leaf: the strip would hold it there."""
    card = examination.assembly.card
    laid, heights = posted_regions(folding), examination.stack_heights(folding)
    outer = {folding.rigid[find(heights, key=lambda p: heights[p])] for find in (min, max)}
    edge = shapely.box(card.width_mm - EDGE_MM, -1e3, 1e3, 1e3) if card.fold == "left" else shapely.box(-1e3, -1e3, 1e3, EDGE_MM)
    outer |= _folded_round(examination, folding, outer, edge)
    for panel in folding.panels:
        if panel.base or panel.spins or panel.id not in laid or folding.rigid[panel.id] in outer:
            continue
        reaching = shapely.intersection(laid[panel.id], edge)
        if not reaching.is_empty:
            yield panel.id, laid[panel.id], folding.drive.rest


def _folded_round(examination: Examination, folding: Folding, outer: set[str], edge: Any) -> set[str]:
    """What is folded round the free edge onto an outer panel lies still there, as that does."""
    track = examination.fold_at(folding.mechanism, np.array([folding.posted_at]))
    found: set[str] = set()
    for joint in folding.joints:
        if joint.at_b is None:
            continue
        line = shapely.LineString(apply_frame(track.frames[joint.b][0], joint.at_b)[:, :2])
        bodies = {folding.rigid[joint.a], folding.rigid[joint.b]}
        if bodies & outer and shapely.covers(edge, line):
            found |= bodies
    return found


__all__ = ["check_closure"]
