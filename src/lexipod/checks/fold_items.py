"""What is stuck on panels that fold: whether it stands in the way of other panels, and whether its free edges catch on theirs.

Reason: what stands up from a panel holds another one off before the two lie on each other, and cracks the fold between them. An edge
that stands over the panel it is stuck on curls; where it passes another panel's edge nearer than that, it comes back on its wrong side.
Source: intersection of planes and polygons (elementary geometry); the sagitta of an arc for the curl, as in ``lexipod.checks.catching``;
the limits are our own judgement.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Folding, FoldJoint, Panel
from lexipod.checks.catching import ROUGH_MM
from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding, Severity
from lexipod.checks.fold_layers import LEAN_DEG
from lexipod.checks.fold_space import PIERCED_MM
from lexipod.checks.holding import Holding, along_border
from lexipod.geometry.frames import Array
from lexipod.geometry.shapes import split_region
from lexipod.geometry.space import apply_flat, apply_frame, compose_frames, invert_frame
from lexipod.mechanics import curl_sag_mm
from lexipod.motion import FoldTrack, crossing_depths, order_at, solve_folds

OVERHANG_MM = 1.0
"""What stands over an edge by no more than this is as good as flush with it."""
STANDS_UP_MM = 0.6
"""What is lower than this lies like another ply."""
FLUSH_MM = 0.05
ACROSS_MM = 0.5
"""An edge has passed another one when it lies so far on either side of it."""
POINTS_MM = 3.0
STANDS_UP = "stands up"
"""How the need of a finding begins that something stuck on a panel is in the way."""
UNDER_MM2 = 4.0
"""What lies between two glued faces by less is no more than its edge."""
LOW_MM = 5.0
"""So high over the card nothing that lies flat is caught."""
FLAT_SHARE = math.cos(math.radians(LEAN_DEG))
"""Planes that are nearer to each other than a lean that a weight takes away lie on each other."""


@dataclass(frozen=True, slots=True)
class Stuck:
    """A piece that is glued to the panel ``carrier``. It takes the heights ``low_mm`` to ``top_mm`` over
    the carrier, which has no thickness on its way, on its face ``side`` (1: the front); ``foam`` is no sheet, and does not curl."""

    piece: Panel
    carrier: Panel
    side: int
    low_mm: float
    top_mm: float
    foam: bool


@dataclass(frozen=True, slots=True)
class EdgePass:
    """An edge of something stuck on a panel that passes the edge of ``other``: ids, the travel, how far the two curl there together
    (mm), the height between them, the thickness that must be passed as well, and how far the edge is from what holds it."""

    piece: str
    other: str
    travel: float
    sag_mm: float
    gap_mm: float
    past_mm: float
    reach_mm: float

    @property
    def blocks(self) -> bool:
        """Whether it comes on the wrong side."""
        return self.sag_mm > self.gap_mm + self.past_mm


def find_stuck(examination: Examination, folding: Folding) -> list[Stuck]:
    """What is stuck on a folding's own panels, the lowest first."""
    found: dict[str, Stuck] = {}
    foams = examination.catalog.foams
    for joint in folding.joints:
        if joint.kind != "fixed" or not joint.side:
            continue
        piece, below = folding.by_id[joint.a], found.get(joint.b)
        carrier = below.carrier if below is not None else folding.by_id[joint.b]
        start = below.top_mm if below is not None else 0.0
        found[piece.id] = Stuck(piece, carrier, joint.side, start, start + piece.thickness_mm, piece.stock in foams)
    return list(found.values())


def glued_over(folding: Folding, joint: FoldJoint) -> list[tuple[FoldJoint, str, float]]:
    """What else is glued to a panel, on the same face, over a piece that is stuck on it by ``joint``: that joint, the other panel, and the area
    (mm2) of the piece that lies between the two."""
    piece, carrier = folding.by_id[joint.a], folding.by_id[joint.b]
    while carrier.item:  # it lies on something that is stuck on the panel itself
        carrier = next(folding.by_id[j.b] for j in folding.joints if j.kind == "fixed" and j.a == carrier.id)
    others = [j for j in folding.joints if j.kind == "fixed" and carrier.id in (j.a, j.b) and not folding.by_id[j.a].item]
    if not piece.item or not others or not folding.states:
        return []
    state = folding.states[0]
    rank, upright = order_at(folding, state.at), float(solve_folds(folding, np.array([state.at])).frames[carrier.id][0][2, 2])
    found = []
    for other in others:
        panel = folding.by_id[other.b if other.a == carrier.id else other.a]
        place = _at_home(folding, panel.id, piece.id)
        laid = shapely.transform(panel.region, lambda xy, place=place: apply_flat(place, xy)[:, :2])
        shared = float(shapely.intersection(piece.region, laid).area)
        is_over = (rank[panel.id] - rank[carrier.id]) * upright * joint.side > 0
        if shared > UNDER_MM2 and is_over:
            found.append((other, panel.id, shared))
    return found


def check_stands_up(examination: Examination) -> Iterator[Finding]:
    """What stands up from a panel lets all others come to lie on it, and is in nobody's way."""
    length = examination.style.length
    for folding in examination.assembly.foldings:
        tall = [s for s in find_stuck(examination, folding) if s.top_mm > STANDS_UP_MM or _overhang_mm(folding, s) > OVERHANG_MM]
        if not tall:
            continue
        worst: dict[str, tuple[float, str, float, Stuck]] = {}
        outermost = {s.piece.item: s for s in tall}
        for stuck in tall:
            for row in _held_off(examination, folding, stuck):
                if row[0] > max(LEAN_DEG, worst[stuck.piece.item][0] if stuck.piece.item in worst else 0.0):
                    worst[stuck.piece.item] = (*row, stuck)
        for angle, other, at, stuck in worst.values():
            severity: Severity = "block" if angle > 2 * LEAN_DEG else "warn"
            over, when = _overhang_mm(folding, stuck), examination.amount(folding.mechanism, at)
            if stuck.top_mm > STANDS_UP_MM:
                why, way = f"It stands {length(stuck.top_mm)} up from the {stuck.carrier.name}", "Further from the fold, or lower, it lets them."
            else:
                why, way = f"It stands {length(over)} over the edge of the {stuck.carrier.name}", "Kept inside the edge, it lets them."
            yield Finding(
                "clearance",
                severity,
                folding.mechanism,
                (outermost[stuck.piece.item].piece.id, stuck.carrier.id),
                f"The {stuck.piece.name} stands in the way of the {examination.assembly.part_name(other)}",
                f"{why}: at {when} the two meet, {angle:.0f}° before they would lie on each other. {way}",
                round(angle, 3),
                LEAN_DEG,
                "deg",
                at_most=True,
                travel=at,
                need=f"{STANDS_UP} {stuck.piece.item}",
            )


def _held_off(examination: Examination, folding: Folding, stuck: Stuck) -> Iterator[tuple[float, str, float]]:
    """The greatest angle between the panels (degrees) at which each other panel, or what stands up from it, goes through the piece's outer
    face; which, and at which travel. Of what is as thin as another ply only what stands over the edge counts."""
    pieces = [stuck.piece] if stuck.top_mm > STANDS_UP_MM else _free_parts(folding, stuck)
    for near, track, theirs in _near_by(examination, folding):
        mine, good = _lifted(track, stuck), track.reached & theirs.reached
        tall = [s for s in find_stuck(examination, near) if s.top_mm > STANDS_UP_MM]
        others = [(p, theirs.frames[p.id]) for p in near.panels] + [(s.piece, _lifted(theirs, s)) for s in tall]
        for panel, frames in others:
            if _is_spared(folding, near, stuck, panel):
                continue
            share = np.abs(np.einsum("ni,ni->n", mine[:, :, 2], np.broadcast_to(frames, mine.shape)[:, :, 2]))
            for piece in pieces:
                met = np.flatnonzero((crossing_depths(piece, panel, mine, frames) > PIERCED_MM) & (share < FLAT_SHARE) & good)
                if len(met):
                    widest = met[int(np.argmin(share[met]))]
                    yield math.degrees(math.acos(min(1.0, float(share[widest])))), panel.id, float(track.travel[widest])


def _is_spared(folding: Folding, near: Folding, stuck: Stuck, panel: Panel) -> bool:
    """Whether a panel need not be compared with the piece: it is of the same body, turns on a thread or bends out of its way (both are judged on
    their own), or is a page that the piece's own mechanism has already."""
    if near is not folding:
        return panel.spins or panel.base
    same_body = folding.rigid[panel.id] == folding.rigid[stuck.piece.id]
    return same_body or panel.spins or frozenset((panel.id, stuck.carrier.id)) in folding.bends


def _free_parts(folding: Folding, stuck: Stuck) -> list[Panel]:
    """What stands over the carrier's edge, each piece of it as a panel."""
    over = shapely.get_parts(shapely.difference(stuck.piece.region, _held_by_carrier(folding, stuck).region.buffer(FLUSH_MM)))
    rings = [split_region(p) for p in over if p.geom_type == "Polygon" and p.area > 1.0]
    return [replace(stuck.piece, outline=outline, holes=holes) for outline, holes in rings]


def _lifted(track: FoldTrack, stuck: Stuck) -> Array:
    """The frames of the piece's outer face, ``(n, 3, 4)``: as far from the carrier as it stands up."""
    frames, carrier = track.frames[stuck.piece.id], track.frames[stuck.carrier.id]
    raised = np.array(frames)
    raised[..., 3] += stuck.side * stuck.top_mm * carrier[..., 2]
    return raised


def check_edges(examination: Examination) -> Iterator[Finding]:
    """Free edges of what is stuck on a panel keep clear of the edges of all other panels that move past it."""
    length = examination.style.length
    for folding in examination.assembly.foldings:
        for found in find_edge_passes(examination, folding):
            piece, other = (examination.assembly.part_name(p) for p in (found.piece, found.other))
            severity: Severity = "block" if found.blocks else "warn"
            yield Finding(
                "catch",
                severity,
                folding.mechanism,
                (found.piece,),
                f"The edge of the {piece} {'catches' if found.blocks else 'may rub'} on the {other}",
                f"It stands {length(found.reach_mm)} over what it is stuck on. At {examination.amount(folding.mechanism, found.travel)} it "
                f"passes the other's edge: paper curls by about {length(found.sag_mm)} over that, and between them are {length(found.gap_mm)}.",
                round(found.sag_mm, 4),
                round(found.gap_mm, 4),
                at_most=True,
                travel=found.travel,
                need=f"edge {found.piece}",
            )
        yield from _not_compared(examination, folding)


def find_edge_passes(examination: Examination, folding: Folding) -> Iterator[EdgePass]:
    """Of every piece that stands over its panel's edge the worst place at which it passes another panel's edge, or that its edge."""
    for stuck in find_stuck(examination, folding):
        held = _held_by_carrier(folding, stuck)
        if stuck.foam or _overhang_mm(folding, stuck) <= OVERHANG_MM:
            continue
        passes = [p for other, track, theirs in _near_by(examination, folding) for p in _passes(stuck, held, folding, track, other, theirs)]
        if passes:
            yield max(passes, key=lambda p: (p.blocks, p.sag_mm - p.gap_mm))


def _near_by(examination: Examination, folding: Folding) -> Iterator[tuple[Folding, FoldTrack, FoldTrack]]:
    """The mechanism itself, and all that the same page opens: its folding, the track of the first and that of the other."""
    own = examination.fold_track(folding.mechanism)
    yield folding, own, own
    for other in examination.assembly.foldings:
        if other is not folding and other.kind == folding.kind == "inside":
            travel = np.linspace(0.0, min(folding.drive.end, other.drive.end), examination.steps)
            yield other, examination.fold_at(folding.mechanism, travel), examination.fold_at(other.mechanism, travel)


def _held_by_carrier(folding: Folding, stuck: Stuck) -> Holding:
    """Where the piece is held: where it lies on its carrier."""
    place = _at_home(folding, stuck.carrier.id, stuck.piece.id)
    under = shapely.transform(stuck.carrier.region, lambda xy: apply_frame(place, np.column_stack([xy, np.zeros(len(xy))]))[:, :2])
    return Holding.by(shapely.intersection(stuck.piece.region, under))


def _overhang_mm(folding: Folding, stuck: Stuck) -> float:
    """How far the piece stands over its carrier's edge (mm)."""
    held = _held_by_carrier(folding, stuck).region
    corners = shapely.points(stuck.piece.outline)
    return 0.0 if held.is_empty else float(shapely.distance(held, corners).max())


def _at_home(folding: Folding, panel: str, seen_from: str) -> Array:
    """The frame of a panel seen from another one of the same body."""
    track = solve_folds(folding, np.array([folding.drive.rest]))
    return np.asarray(compose_frames(invert_frame(track.frames[seen_from][0]), track.frames[panel][0]))


def _passes(stuck: Stuck, held: Holding, folding: Folding, mine: FoldTrack, near: Folding, theirs: FoldTrack) -> Iterator[EdgePass]:
    """Where the piece passes the panels of a folding that lie in other bodies."""
    good = mine.reached & theirs.reached
    if good.sum() < 2:
        return
    for other in near.panels:
        if _is_spared(folding, near, stuck, other):
            continue
        seen = compose_frames(invert_frame(theirs.frames[other.id][good]), mine.frames[stuck.piece.id][good])
        found = _worst_pass(stuck, held, other, seen, mine.travel[good])
        if found is not None:
            yield found


def _worst_pass(stuck: Stuck, held: Holding, other: Panel, seen: Array, travel: Array) -> EdgePass | None:
    """The worst of the places at which border points of the piece cross the other's border, or the other's the piece's free border. Only
    the piece's own curl counts: what the panels' own edges pass is the mechanism's matter."""
    piece, middle, under = stuck.piece, stuck.side * (stuck.low_mm + stuck.top_mm) / 2, -other.thickness_mm / 2
    upright, thick = np.abs(seen[:, 2, 2]), (piece.thickness_mm + other.thickness_mm) / 2
    own = along_border((piece.outline, *piece.holes), step_mm=POINTS_MM)
    own = own[held.reach(own) > OVERHANG_MM]
    theirs = along_border((other.outline, *other.holes), step_mm=POINTS_MM)
    ways = [
        (_laid(seen, own, middle), other.region, under),
        (_laid(invert_frame(seen), theirs, under), piece.region, middle),
    ]
    worst: EdgePass | None = None
    for laid, region, plane in ways:
        inside = shapely.contains_xy(region, laid[..., 0], laid[..., 1])
        k, m = np.nonzero(inside[1:] != inside[:-1])
        spots = own[m] if region is other.region else (laid[k, m, :2] + laid[k + 1, m, :2]) / 2
        reach = held.reach(spots)
        gaps = np.maximum(np.abs(laid[..., 2] - plane) - thick, ROUGH_MM)
        sag = np.where(reach > OVERHANG_MM, curl_sag_mm(reach, plies=piece.plies) * upright[k], 0.0)
        gap = np.minimum(gaps[k, m], gaps[k + 1, m])
        for row in np.argsort(gap - sag).tolist():
            if sag[row] <= gap[row] or (worst is not None and sag[row] - gap[row] <= worst.sag_mm - worst.gap_mm):
                break
            if _goes_across(laid[:, m[row], :2], gaps[:, m[row]] < sag[row], int(k[row]), region):
                past = min(piece.thickness_mm, other.thickness_mm)
                worst = EdgePass(piece.id, other.id, float(travel[k[row]]), float(sag[row]), float(gap[row]), past, float(reach[row]))
                break
    return worst


def _laid(frames: Array, points: Array, z_mm: float) -> Array:
    """Points of a panel's plane at a height over it, seen through frames: ``(n, m, 3)``."""
    return apply_frame(frames, np.column_stack([points, np.full(len(points), z_mm)]))


def _goes_across(way: Array, low: Any, step: int, region: Any) -> bool:
    """Whether a point lies clearly on either side of a region's border while it is ``low`` enough about a step."""
    first, last = step, step + 1
    while first > 0 and low[first - 1]:
        first -= 1
    while last + 1 < len(way) and low[last + 1]:
        last += 1
    points = shapely.points(way[first : last + 1])
    off = shapely.distance(points, region.boundary) * np.where(shapely.covers(region, points), 1.0, -1.0)
    return bool(off.max() > ACROSS_MM and off.min() < -ACROSS_MM)


def _not_compared(examination: Examination, folding: Folding) -> Iterator[Finding]:
    """What stands up or over an edge is not compared with what else lies on the card's face, flat or folded: where it comes there, that is
    told."""
    assembly = examination.assembly
    if folding.kind != "face":
        return
    track = examination.fold_track(folding.mechanism)
    others = list(_others_on_the_face(examination, folding))
    told: set[str] = set()
    for stuck in find_stuck(examination, folding):
        over = _overhang_mm(folding, stuck)
        if stuck.piece.item in told or (stuck.top_mm <= STANDS_UP_MM and over <= OVERHANG_MM):
            continue
        way = apply_frame(track.frames[stuck.piece.id][track.reached], stuck.piece.corners).reshape(-1, 3)
        room = shapely.multipoints(way[way[:, 2] < LOW_MM + stuck.top_mm][:, :2]).convex_hull
        met = next((name for name, region in others if shapely.intersects(region, room)), None)
        if met is None:
            continue
        told.add(stuck.piece.item)
        yield Finding(
            "catch",
            "note",
            folding.mechanism,
            (stuck.piece.id, met),
            f"The {stuck.piece.name} comes over the {assembly.part_name(met)}",
            f"Whether what is stuck on the {stuck.carrier.name} meets or catches what else lies on the card is not worked out: try it before it is "
            "glued, or keep it flat and inside the edge.",
            0.0,
            0.0,
            "",
            need=f"beside {stuck.piece.item}",
        )


def _others_on_the_face(examination: Examination, folding: Folding) -> Iterator[tuple[str, Any]]:
    """What else lies on the card's face: ids and where it may be, as it lies at rest or comes to on its way."""
    assembly = examination.assembly
    front = assembly.by_id.get("card.front")
    for part in assembly.parts:
        if front is not None and part.mechanism != folding.mechanism and part.z_mm >= front.top_mm - 1e-6 and part not in assembly.gates:
            yield part.id, shapely.box(*examination.swept_box(part.id))
    for other in (f for f in assembly.foldings if f is not folding and f.kind == "face"):
        track = examination.fold_track(other.mechanism)
        for panel in (p for p in other.panels if not p.base):
            way = apply_frame(track.frames[panel.id][track.reached], panel.corners).reshape(-1, 3)[:, :2]
            yield panel.id, shapely.multipoints(way).convex_hull
