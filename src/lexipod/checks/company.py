"""What folds beside all else on the card: other folds, flat mechanisms, what is glued on.

Two folds inside the card are opened by the same page, so they are compared at the same opening. Everything else is moved by itself:
it is compared at every combination. What spins on a thread takes the room of a ball. Reason: paper does not go through paper.
Source: intersection of planes, polygons and balls (elementary geometry).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from itertools import combinations
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from lexipod.assembly import Folding, Panel, Part, SpinsFree
from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding
from lexipod.checks.fold_layers import tangle_finding
from lexipod.checks.fold_space import PIERCED_MM
from lexipod.closing.stacked import standing_mm
from lexipod.geometry.frames import Array, apply_pose
from lexipod.geometry.space import apply_frame, invert_frame
from lexipod.motion import FoldTrack, crossing_depths, lay_together

TOGETHER = 25
"""So many positions of each of two that are moved by themselves."""
TOUCH_MM = 0.5
"""What two things share when this is taken off all round counts."""


@dataclass(frozen=True, slots=True)
class Clash:
    """Two things in each other's way: ids, by how much (mm), and the travel of each (None for what lies still)."""

    a: str
    b: str
    depth_mm: float
    at_a: float
    at_b: float | None = None


def check_company(examination: Examination) -> Iterator[Finding]:
    """What folds keeps out of the way of everything else on the card."""
    found: dict[tuple[str, str], tuple[Folding, list[Clash]]] = {}
    for folding, other, clash in find_clashes(examination):
        found.setdefault((folding.mechanism, other), (folding, []))[1].append(clash)
    for (_, other), (folding, clashes) in found.items():
        yield from _told(examination, folding, other, clashes)
    for f, g in combinations(examination.assembly.foldings, 2):
        if f.kind == g.kind == "inside":
            yield from _tangled(examination, f, g)


def find_clashes(examination: Examination) -> Iterator[tuple[Folding, str, Clash]]:
    """Every pair of two mechanisms that gets in each other's way, one of which folds: that one, the other's id, and the clash."""
    foldings = examination.assembly.foldings
    for f, g in combinations(foldings, 2):
        if f.kind == g.kind == "inside":
            yield from ((f, g.mechanism, clash) for clash in _opened_together(examination, f, g))
        elif f.kind == g.kind == "face":
            yield from ((f, g.mechanism, clash) for clash in _faces(examination, f, g))
        else:
            inner, face = (f, g) if f.kind == "inside" else (g, f)
            yield from ((inner, face.mechanism, clash) for clash in _balls_with_face(examination, inner, face))
    if "card.front" not in examination.assembly.by_id:
        return
    for folding in foldings:
        clashes = _with_parts(examination, folding) if folding.kind == "face" else _balls_with_parts(examination, folding)
        yield from ((folding, examination.assembly.by_id[clash.b].mechanism, clash) for clash in clashes)


def _told(examination: Examination, folding: Folding, other: str, clashes: list[Clash]) -> Iterator[Finding]:
    """One finding for the worst clash of two mechanisms."""
    if not clashes:
        return
    worst = max(clashes, key=lambda c: c.depth_mm)
    a, b = (examination.assembly.part_name(p) for p in (worst.a, worst.b))
    more = f", and so do {len(clashes) - 1} other pairs" if len(clashes) > 2 else ", and so does one other pair" if len(clashes) > 1 else ""
    at = f"At {examination.amount(folding.mechanism, worst.at_a)}"
    if worst.at_b is not None:
        at += f" and {examination.amount(other, worst.at_b)} ({other})"
    yield Finding(
        "crossing",
        "block",
        folding.mechanism,
        (worst.a, worst.b),
        f"The {a} and the {b} get in each other's way",
        f"{at} they go {examination.style.length(worst.depth_mm)} deep through each other{more}.",
        round(-worst.depth_mm, 4),
        0.0,
        travel=worst.at_a,
        need=f"beside {other}",
        also_at=() if worst.at_b is None else ((other, worst.at_b),),
    )


def _own(folding: Folding) -> list[Panel]:
    """What is a mechanism's own: all but the pages of the card and what is glued flat to them."""
    pages = {folding.rigid[p.id] for p in folding.panels if p.base}
    return [p for p in folding.panels if folding.rigid[p.id] not in pages]


def _opened_together(examination: Examination, f: Folding, g: Folding) -> list[Clash]:
    """Two folds inside the card, at every opening that both reach."""
    end = min(f.drive.end, g.drive.end)
    travel = np.linspace(0.0, end, examination.steps)
    one, two = (examination.fold_at(x.mechanism, travel) for x in (f, g))
    good = one.reached & two.reached
    found: list[Clash] = []
    if not good.any():
        return found
    moving = {x.mechanism: {p.id for p in _own(x)} for x in (f, g)}
    for a in f.panels:
        for b in g.panels:
            if a.base or b.base or not (a.id in moving[f.mechanism] or b.id in moving[g.mechanism]):
                continue
            depth = crossing_depths(a, b, one.frames[a.id][good], two.frames[b.id][good])
            worst = int(np.argmax(depth))
            if depth[worst] > PIERCED_MM:
                found.append(Clash(a.id, b.id, float(depth[worst]), float(travel[good][worst])))
    for spins, near, spun, others in ((f, g, one, two), (g, f, two, one)):
        found += _ball_clashes(spins, spun, near, others, np.flatnonzero(good).tolist())
    return found


def _ball_clashes(spins: Folding, spun: FoldTrack, near: Folding, others: FoldTrack, positions: list[int]) -> list[Clash]:
    """What hangs on a thread turns as soon as all that it was made for lets it: from then on the rest keeps out of its ball."""
    needs = [n for n in spins.needs if isinstance(n, SpinsFree)]
    worst: dict[str, Clash] = {}
    for panel in (spins.by_id[p] for p in dict.fromkeys(n.panel for n in needs)):
        since = max(n.since for n in needs if n.panel == panel.id)
        wanted = max(n.gap_mm for n in needs if n.panel == panel.id)
        middle, radius = panel.ball
        for k in (k for k in positions if spun.travel[k] >= since - 1e-9):
            centre = apply_frame(spun.frames[panel.id][k], middle[None])[0]
            for other in (p for p in near.panels if not p.base):
                x, y, z = apply_frame(invert_frame(others.frames[other.id][k]), centre[None])[0]
                short = wanted + radius - float(np.hypot(shapely.distance(other.region, shapely.Point(x, y)), z))
                if short > 0.02 and (other.id not in worst or short > worst[other.id].depth_mm):
                    worst[other.id] = Clash(panel.id, other.id, short, float(spun.travel[k]))
    return list(worst.values())


def _tangled(examination: Examination, f: Folding, g: Folding) -> Iterator[Finding]:
    """The layers of two folds that are shut, and opened, together: the first thing that contradicts itself."""
    states = [(s, t) for s in f.states for t in g.states if s.name == t.name and abs(s.at - t.at) < 1e-9]
    for (state, _), layers in zip(states, lay_together((f, g), states), strict=True):
        for tangle in layers.tangles:
            if all(any(p in x.by_id and not x.by_id[p].base for p in tangle.panels) for x in (f, g)):
                yield tangle_finding(examination.assembly, f, state.name, state.at, tangle, beside=g.mechanism)
                return


def _faces(examination: Examination, f: Folding, g: Folding) -> list[Clash]:
    """Two folds on the face of the card, at every combination of some positions of both."""
    one, two = (examination.fold_at(x.mechanism, np.linspace(x.drive.rest, x.drive.end, TOGETHER)) for x in (f, g))
    i, j = (index.ravel() for index in np.meshgrid(np.flatnonzero(one.reached), np.flatnonzero(two.reached), indexing="ij"))
    found: list[Clash] = []
    for a in _own(f):
        for b in _own(g):
            depth = crossing_depths(a, b, one.frames[a.id][i], two.frames[b.id][j])
            worst = int(np.argmax(depth)) if len(depth) else 0
            if len(depth) and depth[worst] > PIERCED_MM:
                found.append(Clash(a.id, b.id, float(depth[worst]), float(one.travel[i[worst]]), float(two.travel[j[worst]])))
                continue
            flat = _flat_clash(a, b, one, two)
            found += [flat] if flat is not None else []
    return found


def _flat_clash(a: Panel, b: Panel, one: FoldTrack, two: FoldTrack) -> Clash | None:
    """Two panels that lie flat in the same place, each in some state of its own."""
    laid = []
    for panel, track in ((a, one), (b, two)):
        frames = track.frames[panel.id]
        flat = np.flatnonzero(track.reached & (np.abs(frames[:, 2, 2]) > 1 - 1e-9) & (np.abs(frames[:, 2, 3]) < 1e-6))
        regions = [shapely.transform(panel.region, lambda xy, m=frames[k]: xy @ m[:2, :2].T + m[:2, 3]) for k in flat.tolist()]
        laid.append((flat, np.array(regions, dtype=object)))
    (i, ours), (j, theirs) = laid
    if not len(i) or not len(j):
        return None
    depth = _shared_width(ours[:, None], theirs[None])
    k, m = np.unravel_index(int(np.argmax(depth)), depth.shape)
    return Clash(a.id, b.id, float(depth[k, m]), float(one.travel[i[k]]), float(two.travel[j[m]])) if depth[k, m] > TOUCH_MM else None


def _shared_width(a: Any, b: Any) -> Array:
    """The mean width of what two regions share (mm)."""
    shared = shapely.intersection(a, b)
    return np.asarray(2 * shapely.area(shared) / np.maximum(shapely.length(shared), 1e-9))


def _with_parts(examination: Examination, folding: Folding) -> list[Clash]:
    """A fold on the face of the card and every flat part that stands higher than what the fold is glued to, over both travels."""
    assembly = examination.assembly
    base = standing_mm(assembly, folding)
    thick = max(top for _, top in examination.stack_heights(folding).values()) - assembly.card.caliper_mm
    track = examination.fold_at(folding.mechanism, np.linspace(folding.drive.rest, folding.drive.end, max(TOGETHER, min(examination.steps, 91))))
    front = assembly.by_id[assembly.ground].top_mm
    boxes = {p.id: _boxes(p, track) for p in _own(folding)}
    found: list[Clash] = []
    for part in (p for p in assembly.parts if p.mechanism != folding.mechanism and _stands_up(assembly.by_id, p, base)):
        slab = _slab(examination, part, front + base, thick)
        best: Clash | None = None
        for panel in _own(folding):
            at = np.flatnonzero(track.reached & slab.may_meet(*boxes[panel.id]))
            for k in [*at[:: max(1, len(at) // FIRST)].tolist(), -1, *at.tolist()]:
                if k < 0:  # a few positions told already
                    if best is not None:
                        break
                    continue
                width = _through_slab(panel, track.frames[panel.id][k], slab)
                if width > TOUCH_MM and (best is None or width > best.depth_mm):
                    best = Clash(panel.id, part.id, width, float(track.travel[k]))
        found += [best] if best is not None else []
    return found


FINE_MM = 0.1
"""Outlines of what sweeps are simplified to this before they are united."""
TURNS_MM = 0.01
FIRST = 6
"""So many positions are looked at first: mostly they tell already."""


@dataclass(frozen=True, eq=False)
class _Slab:
    """The room that a flat part takes over its whole travel: from one height to another, within a ``box`` (left, bottom, right, top)."""

    examination: Examination
    part: str
    box: Array
    low: float
    high: float

    @cached_property
    def way(self) -> Any:
        """Everywhere on the card that the part comes to."""

        def made() -> Any:
            part, poses = self.examination.assembly.by_id[self.part], self.examination.poses(self.part)
            if part.round_about is not None and np.ptp(apply_pose(poses, [part.round_about])[:, 0], axis=0).max() < TURNS_MM:
                return shapely.Polygon(apply_pose(poses[0], part.outline))  # it only turns about its middle
            laid = shapely.simplify(self.examination.regions(self.part), FINE_MM)
            return shapely.simplify(shapely.union_all(laid), FINE_MM)

        return self.examination.once(("way", self.part), made)

    @cached_property
    def inner(self) -> Any:
        """The same less a rim that counts as touching."""
        return shapely.buffer(self.way, -TOUCH_MM, join_style="mitre")

    def may_meet(self, low: Array, high: Array) -> NDArray[np.bool_]:
        """Which boxes ``(n, 3)`` with these corners come into its own."""
        beside = (low[:, :2] > self.box[2:]).any(axis=1) | (high[:, :2] < self.box[:2]).any(axis=1)
        return np.asarray(~beside & (low[:, 2] <= self.high) & (high[:, 2] >= self.low))


def _slab(examination: Examination, part: Part, base: float, thick: float) -> _Slab:
    """Over the height on which the fold stands; what lies no higher than the folded fold is thick has no room under it."""
    low, high = part.z_mm - base, part.top_mm - base
    return _Slab(examination, part.id, examination.swept_box(part.id), min(low, 0.0) if low < thick else low, high)


def _boxes(panel: Panel, track: FoldTrack) -> tuple[Array, Array]:
    """Lowest and highest corners ``(n, 3)`` of the boxes round a panel."""
    corners = apply_frame(track.frames[panel.id], panel.corners)
    return corners.min(axis=1), corners.max(axis=1)


def _stands_up(by_id: dict[str, Part], part: Part, base: float) -> bool:
    """Whether a flat part is in the way of what stands ``base`` over the card's face."""
    return part.id not in ("card.back", "card.front", "card.inner") and part.top_mm - by_id["card.front"].top_mm > base + 1e-6


def _through_slab(panel: Panel, frame: Array, slab: _Slab) -> float:
    """The mean width of what a panel has in common with a part (0 where nothing)."""
    low, high = slab.low, slab.high
    z = apply_frame(frame, panel.corners)[:, 2]
    region = panel.region
    if z.min() < low or z.max() > high:
        region = _clip(region, np.asarray(frame)[2, :2], float(frame[2, 3]), low, high)
    seen = shapely.transform(region, lambda xy: xy @ frame[:2, :2].T + frame[:2, 3])
    if abs(frame[2, 2]) < EDGE_ON:  # seen from above it is a line
        common = shapely.intersection(shapely.MultiPoint(shapely.get_coordinates(seen)).convex_hull, slab.inner)
        return 0.0 if common.is_empty else 2 * TOUCH_MM + float(shapely.distance(common.representative_point(), slab.inner.boundary))
    return float(_shared_width(shapely.buffer(seen, 0), slab.way))


EDGE_ON = 0.02
"""The cosine from which on a panel is as good as upright."""


def _clip(region: Any, slope: Array, offset: float, low: float, high: float) -> Any:
    """The part of a region over which the plane with that slope is between two heights."""
    steep = float(np.hypot(*slope))
    along = slope / steep
    across = np.array([-along[1], along[0]])
    near, far = (low - offset) / steep, (high - offset) / steep
    big = 1e4
    band = shapely.Polygon([near * along - big * across, far * along - big * across, far * along + big * across, near * along + big * across])
    return shapely.intersection(region, band)


def _in_front(examination: Examination, folding: Folding) -> Iterator[tuple[SpinsFree, Panel, float, float, float]]:
    """What spins in a window of the front: its need, its panel, the middle of its ball on the closed card, and the ball's radius."""
    shut = examination.fold_at(folding.mechanism, np.array([folding.posted_at]))
    for need in (n for n in folding.needs if isinstance(n, SpinsFree) and "card.front" in n.within):
        panel = folding.by_id[need.panel]
        middle, radius = panel.ball
        x, y, _ = apply_frame(shut.frames[panel.id][0], middle[None])[0]
        yield need, panel, float(x), float(y), radius


def _balls_with_face(examination: Examination, folding: Folding, face: Folding) -> list[Clash]:
    """What spins in a window of the front, and what folds on that front, at any position of it."""
    track = examination.fold_at(face.mechanism, np.linspace(face.drive.rest, face.drive.end, TOGETHER))
    up = standing_mm(examination.assembly, face)
    found: list[Clash] = []
    for need, panel, x, y, radius in _in_front(examination, folding):
        for other in _own(face):
            seen = apply_frame(invert_frame(track.frames[other.id]), np.array([[x, y, -up]]))[:, 0]
            gaps = np.hypot(shapely.distance(other.region, shapely.points(seen[:, :2])), seen[:, 2]) - radius
            gaps = np.where(track.reached, gaps, np.inf)
            worst = int(np.argmin(gaps))
            if gaps[worst] < need.gap_mm - 0.02:
                found.append(Clash(panel.id, other.id, need.gap_mm - float(gaps[worst]), folding.drive.end, float(track.travel[worst])))
    return found


def _balls_with_parts(examination: Examination, folding: Folding) -> list[Clash]:
    """What spins in a window of the front, and the flat parts on that front: it stands out of it by half its width."""
    assembly = examination.assembly
    found: list[Clash] = []
    for need, panel, x, y, radius in _in_front(examination, folding):
        for part in assembly.parts:
            if not _stands_up(assembly.by_id, part, 0.0):
                continue
            way = _slab(examination, part, 0.0, 0.0).way
            up = max(0.0, part.z_mm - assembly.by_id["card.front"].top_mm)
            gap = float(np.hypot(shapely.distance(way, shapely.Point(x, y)), up)) - radius
            if gap < need.gap_mm - 0.02:
                found.append(Clash(panel.id, part.id, need.gap_mm - gap, folding.drive.end))
    return found


__all__ = ["check_company", "find_clashes"]
