"""What is stuck on panels that fold, judged by columns of points in a solid and by walking along with each point of an edge.

It takes poses, glue and outlines from the program and shares no way of judging with it. A piece is a bundle of upright columns; it is in
the way when another panel cuts some of them while the two planes are clearly at an angle. A free edge is walked point by point in fine
steps; it catches when a point that is beside another panel, low enough to dip under its level by its own curl, goes over it (or back).
"""

from __future__ import annotations

import numpy as np
import shapely

from lexipod.building import build_assembly
from lexipod.checks import Examination, run_checks
from lexipod.editing.change import change_design, new_design
from lexipod.errors import LexipodError
from lexipod.motion import solve_folds
from tests.random_folds import random_settings
from tests.solid_sheets import moved
from tests.zoo import CATALOG, FOLDED

RHO, ROUGH = 500.0, 0.1
"""A ply curls to this radius; what cut edges stand off each other anyhow (mm). Both are the program's own judgement."""
FINE = 241


def draw_stuck(rng):
    """A random fold with one thing stuck on one of its panels: its recipe and the design; None where it does not go together."""
    recipe = str(rng.choice(FOLDED))
    try:
        design = new_design(recipe, CATALOG, given=random_settings(rng, recipe) if rng.random() < 0.5 else {})
        folding = build_assembly(design, CATALOG).foldings[0]
        panels = [p for p in folding.panels if not p.base and not p.spins]
        if not panels:
            return None
        panel = panels[int(rng.integers(len(panels)))]
        half = np.ptp(panel.outline, axis=0) / 2
        w, h = rng.uniform(5, 45, 2)
        reach = 0.5 if rng.random() < 0.5 else 1.0
        x, y = (float(rng.uniform(-1, 1) * s * reach) for s in half)
        layers = int(rng.integers(0, 3))
        face = str(rng.choice(["front", "back"]))
        text = f"decoration on {panel.id} {face} {w:.2f}x{h:.2f}mm at {x:.2f}x{y:.2f}mm layers {layers}"
        design = change_design(design, CATALOG, {"item.d1": text})
        build_assembly(design, CATALOG)
    except LexipodError:
        return None
    return recipe, design


def columns(region, low, high, smaller, side):
    """Feet and heads ``(m, 3)`` of upright columns over a region made smaller."""
    shrunk = shapely.buffer(region, -smaller)
    if shrunk.is_empty:
        return np.zeros((0, 3)), np.zeros((0, 3))
    x0, y0, x1, y1 = shrunk.bounds
    xy = np.stack(np.meshgrid(np.arange(x0, x1 + 0.7, 0.7), np.arange(y0, y1 + 0.7, 0.7)), axis=-1).reshape(-1, 2)
    xy = np.vstack([xy[shapely.covers(shrunk, shapely.points(xy))], shapely.get_coordinates(shapely.segmentize(shrunk.boundary, 0.5))])
    n = len(xy)
    return np.column_stack([xy, np.full(n, side * low)]), np.column_stack([xy, np.full(n, side * high)])


def cut_angle(feet, heads, piece_frames, panel, frames, good, smaller):
    """The widest angle (degrees) between the planes at which the panel cuts a column clearly between its foot and its head."""
    shrunk, widest = shapely.buffer(panel.region, -smaller), 0.0
    if shrunk.is_empty or not len(feet):
        return 0.0
    middle, reach = (feet.min(axis=0) + heads.max(axis=0)) / 2, float(np.linalg.norm(np.ptp(np.vstack([feet, heads]), axis=0))) / 2
    for k in good:
        m, f = frames[k], piece_frames[k]
        at = (moved(middle, f) - m[:, 3]) @ m[:, :3]
        if abs(at[2]) > reach or shapely.distance(shrunk, shapely.Point(at[:2])) > reach:
            continue
        angle = np.degrees(np.arccos(min(1.0, abs(m[:, 2] @ f[:, 2]))))
        if angle <= widest:
            continue
        ends = [(moved(p, f) - m[:, 3]) @ m[:, :3] for p in (feet, heads)]
        z0, z1 = ends[0][:, 2], ends[1][:, 2]
        met = z0 * z1 < 0
        if not met.any():
            continue
        share = (z0 / np.where(met, z0 - z1, 1.0))[met, None]
        spot = ends[0][met] + share * (ends[1][met] - ends[0][met])
        if shapely.contains_xy(shrunk, spot[:, 0], spot[:, 1]).any():
            widest = angle
    return widest


def curl(reach, plies):
    return reach * reach / (2 * RHO * plies * plies)


class Edge:
    """One point of a free edge that is walked along."""

    def __init__(self):
        self.state, self.out, self.inside = None, 0.0, 0.0
        self.caught = 0.0

    def step(self, off, gap, sag):
        """``off`` is above 0 over the panel (mm from its border). What is too high forgets where it came from."""
        if sag <= gap:
            self.out = self.inside = 0.0
            return
        if off > 0:
            self.inside = max(self.inside, off)
        else:
            self.out = max(self.out, -off)
        if self.inside > 0.5 and self.out > 0.5:
            self.caught = max(self.caught, sag - gap)


def opinion(design):
    """(angle sure, angle doubtful, catch sure, catch doubtful) of the one thing stuck on the design's first
    fold; None for what lies beside its panel."""
    folding = build_assembly(design, CATALOG).foldings[0]
    glued = [j for j in folding.joints if j.kind == "fixed" and j.side]
    carrier = folding.by_id[glued[0].b]
    sheet = folding.by_id[glued[-1].a]
    side = glued[0].side
    foot = 0.0
    head = foot + sum(folding.by_id[j.a].thickness_mm for j in glued)
    travel = np.linspace(folding.drive.rest, folding.drive.end, FINE)
    track = solve_folds(folding, travel)
    good = [k for k in range(FINE) if track.reached[k]]
    rest = solve_folds(folding, np.array([folding.drive.rest])).frames

    def laid(of, seen_from):
        m, f = rest[of][0], rest[seen_from][0]
        return shapely.transform(folding.by_id[of].region, lambda xy: ((moved(np.column_stack([xy, 0 * xy[:, 0]]), m) - f[:, 3]) @ f[:, :3])[:, :2])

    others = [p for p in folding.panels if folding.rigid[p.id] != folding.rigid[sheet.id] and not p.spins]
    others = [p for p in others if frozenset((p.id, carrier.id)) not in folding.bends]
    if (sheet.region & laid(carrier.id, sheet.id)).area < 1.0:
        return None  # it lies beside its panel; that is told by a rule of its own
    overhang = max(shapely.distance(carrier.region, shapely.points(sheet.outline)))
    frames = track.frames[carrier.id]
    angles = {}
    for smaller in (0.15, 0.65):
        free = sheet.region if head > 0.6 else shapely.difference(sheet.region, shapely.buffer(laid(carrier.id, sheet.id), 0.05))
        feet, heads = columns(free, foot, head, smaller, side)
        angles[smaller] = max((cut_angle(feet, heads, frames, p, track.frames[p.id], good, smaller) for p in others), default=0.0)
    asked = head > 0.6 or overhang > 1.0
    caught = dict.fromkeys((-1, 1), 0.0)
    if overhang > 1.0:
        for p in others:
            for margin in caught:
                caught[margin] = max(caught[margin], walk(folding, sheet, carrier, p, track, good, laid, side * (foot + head) / 2, margin))
    return (angles[0.65], angles[0.15]) if asked else (0.0, 0.0), (caught[-1], caught[1])


def walk(folding, sheet, carrier, panel, track, good, laid, middle, margin):
    """How much more than the height between (mm) a free edge of the sheet, or an edge of the panel that it stands over, dips while it passes;
    ``margin`` -1 asks for a little more, 1 for a little less."""
    glued = sheet.region & laid(carrier.id, sheet.id)
    worst = 0.0
    thick = (sheet.thickness_mm + panel.thickness_mm) / 2

    def far(xy):
        d = shapely.distance(glued, shapely.points(xy))
        return np.where(shapely.distance(shapely.convex_hull(glued), shapely.points(xy)) < 0.5, d / 2, d)

    for moving, target, z_moving, z_target in ((sheet, panel, middle, -panel.thickness_mm / 2), (panel, sheet, -panel.thickness_mm / 2, middle)):
        ring = np.vstack([shapely.get_coordinates(shapely.segmentize(g, 1.0)) for g in shapely.get_parts(moving.region.boundary)])
        own = far(ring)
        if moving is sheet:
            ring, own = ring[own > 1.0], own[own > 1.0]
        edges = [Edge() for _ in ring]
        border = target.region.boundary
        for k in good:
            m, f = track.frames[moving.id][k], track.frames[target.id][k]
            at = (moved(np.column_stack([ring, np.full(len(ring), z_moving)]), m) - f[:, 3]) @ f[:, :3]
            if np.abs(at[:, 2] - z_target).min() > 8.0:
                for e in edges:
                    e.step(0.0, 1.0, 0.0)
                continue
            spots = shapely.points(at[:, :2])
            off = np.where(shapely.covers(target.region, spots), 1, -1) * shapely.distance(border, spots)
            gap = np.maximum(np.abs(at[:, 2] - z_target) - thick, ROUGH)
            reach = own if moving is sheet else far(at[:, :2])
            sag = curl(reach, sheet.plies) * abs(m[:, 2] @ f[:, 2])
            for n, e in enumerate(edges):
                if target is sheet and reach[n] <= 1.0 and off[n] <= 0:
                    e.step(off[n], 1.0, 0.0)  # it passes where the sheet is glued, not its free edge
                else:
                    e.step(off[n], gap[n] * (1 - 0.15 * margin), sag[n] * (1 + 0.15 * margin))
        worst = max([worst, *(e.caught for e in edges)])
    return worst


def compare_stuck(design):
    """For standing up and for edges: ``sound``, ``broken``, ``missed``, ``false`` or ``edge``, and what was seen."""
    built = build_assembly(design, CATALOG)
    found = run_checks(Examination(built, CATALOG, design.ways, steps=FINE), rules=("clearance", "catch"))
    told_angle = max((f.measured for f in found if f.need.startswith("stands up")), default=0.0)
    through = any(f.rule == "clearance" and f.severity == "block" and any(".item-d1" in p for p in f.parts) for f in found)
    told_edge = any(f.need.startswith("edge ") for f in found)
    seen = opinion(design)
    if seen is None:
        return "edge", "edge", ("beside",)
    (sure, maybe), (caught, nearly) = seen
    if sure > 8.0 + 1.5:
        first = "broken" if told_angle or through else "missed"
    elif told_angle and maybe < 8.0 - 0.5:
        first = "false"
    else:
        first = "sound" if not told_angle and maybe < 8.0 else "edge"
    if caught:
        second = "broken" if told_edge else "missed"
    elif told_edge and not nearly:
        second = "false"
    else:
        second = "edge" if told_edge or nearly else "sound"
    return first, second, (round(told_angle, 1), round(sure, 1), round(maybe, 1), told_edge, round(caught, 3), round(nearly, 3))
