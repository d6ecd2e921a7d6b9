"""Gaps between parts over the travel, with nothing missed between positions.

The least distance of two polygons is at a vertex of one of them. So over each step of the travel the paths of the vertices
of A, as seen from B, are held against B, and the paths of B's vertices, as seen from A, against A. What is left is the bow
of a path between two positions (an eighth of the second difference), which is taken off the gap.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from lexipod.assembly import Assembly, Part
from lexipod.geometry.frames import Array, apply_pose, invert_pose, relative_pose, transform_regions
from lexipod.geometry.shapes import rectangle
from lexipod.motion.flat.track import Track
from lexipod.motion.memory import Memory, key_of

NEAR_MM = 8.0
SURE_MM = 0.25
DEEP_ENOUGH_MM = 0.02
_GUIDE_POSITIONS = 13
_STRIDE = 6
FEW_OVERLAPS = 13
"""So many overlaps of one pair are all measured."""


@dataclass(frozen=True, eq=False)
class Clearance:
    """Gap of a pair. ``gaps`` ``(n,)`` at the positions, ``steps`` ``(n - 1,)`` the least over each step between them.

    ``kind``: “gap” wants ``needed_mm`` between the parts, “joint” guides one part in the other, “stop” may touch.
    """

    a: str
    b: str
    mechanism: str
    kind: str
    needed_mm: float
    travel: Array
    gaps: Array
    steps: Array
    bow_mm: float = 0.0

    @property
    def minimum_mm(self) -> float:
        return float(min(self.gaps.min(), self.steps.min(initial=np.inf)))

    @property
    def at(self) -> float:
        """The first travel at which the gap is least."""
        profile = self.profile
        return float(self.travel[int(np.argmin(profile > profile.min() + 1e-9))])

    @property
    def profile(self) -> Array:
        """Gaps at the positions, each with the least of the steps beside it, ``(n,)``."""
        if len(self.steps) == 0:
            return self.gaps
        padded = np.concatenate([[np.inf], self.steps, [np.inf]])
        return np.minimum(self.gaps, np.minimum(padded[:-1], padded[1:]))


def find_meeting_pairs(assembly: Assembly, mechanism: str) -> list[tuple[str, str]]:
    """Pairs of parts that share a level, belong to different bodies, and of which one is moved by ``mechanism``.

    Parts of other mechanisms that move are left out: such pairs depend on two travels. ``joins`` [lower, upper] keeps a
    fastener from meeting what lies under its lower or over its upper part.
    """
    bodies, moving = assembly.bodies, set(assembly.moving)
    pairs = []
    for i, a in enumerate(assembly.parts):
        for b in assembly.parts[i + 1 :]:
            mine = [p for p in (a, b) if p.mechanism == mechanism and p.id in moving]
            foreign = [p for p in (a, b) if p.id in moving and p.mechanism != mechanism]
            if not mine or foreign or bodies[a.id] == bodies[b.id]:
                continue
            if share_a_level(assembly, a, b):
                pairs.append((a.id, b.id))
    return pairs


def share_a_level(assembly: Assembly, a: Part, b: Part) -> bool:
    """Whether two parts of different bodies take room on one level, so that they can touch there."""
    if not a.shares_room(b) or assembly.bodies[a.id] == assembly.bodies[b.id]:
        return False
    return not (b.id in a.over or a.id in b.over) and not _is_beyond(assembly, a, b)


def find_jointed_pairs(assembly: Assembly) -> set[frozenset[str]]:
    """Pairs of which one guides the other: the two parts that a joint names."""
    return {frozenset((joint.a, joint.b)) for joint in assembly.joints if joint.kind != "fixed"}


def _is_beyond(assembly: Assembly, a: Part, b: Part) -> bool:
    for fastener, other in ((a, b), (b, a)):
        if len(fastener.joins) == 2:
            lower, upper = (assembly.by_id[p] for p in fastener.joins)
            if other.level < lower.level or other.level > upper.level:
                return True
    return False


class Whereabouts:
    """Where parts are over a track, roughly: circles round what moves, boxes round what stands still. Tells cheaply which pairs
    can come near each other at all."""

    def __init__(self, assembly: Assembly, track: Track) -> None:
        self._middles: dict[str, Array] = {}
        self._reaches: dict[str, float] = {}
        self._boxes: dict[str, Array] = {}
        for part in assembly.parts:
            middle, reach = part.middle_and_reach
            poses = track.poses.get(part.id)
            if poses is None:
                self._boxes[part.id] = np.asarray(part.region_at_home.bounds)
            else:
                reached = poses[track.reached]
                self._middles[part.id] = apply_pose(reached, middle[None, :])[:, 0]
                self._reaches[part.id] = reach

    @cached_property
    def largest_step_mm(self) -> float:
        """How much nearer two parts can come between two neighbouring positions, at most: both middles move."""
        steps = [np.linalg.norm(np.diff(m, axis=0), axis=1).max() for m in self._middles.values() if len(m) > 1]
        return 2.0 * float(max(steps, default=0.0))

    def stay_apart(self, a: str, b: str, by_mm: float) -> bool:
        """Whether two parts surely stay more than ``by_mm`` apart."""
        if a in self._boxes and b in self._boxes:
            return False
        if a in self._boxes:
            a, b = b, a
        middle, reach = self._middles[a], self._reaches[a]
        if not len(middle):
            return False
        if b in self._boxes:
            box = self._boxes[b]
            outside = np.maximum(0.0, np.maximum(box[:2] - middle, middle - box[2:]))
            return bool(np.einsum("ni,ni->n", outside, outside).min() > (reach + by_mm) ** 2)
        away = middle - self._middles[b]
        return bool(np.einsum("ni,ni->n", away, away).min() > (reach + self._reaches[b] + by_mm) ** 2)


def measure_clearances(assembly: Assembly, track: Track, *, needed_mm: Callable[[str, str], float]) -> list[Clearance]:
    """The gaps of every pair that meets and comes nearer than 8 mm, in the order of the parts. ``needed_mm`` tells what a pair needs."""
    jointed = find_jointed_pairs(assembly)
    out = []
    whereabouts = Whereabouts(assembly, track)
    for a, b in find_meeting_pairs(assembly, track.mechanism):
        if whereabouts.stay_apart(a, b, NEAR_MM):
            continue
        part_a, part_b = assembly.by_id[a], assembly.by_id[b]
        key = frozenset((a, b))
        found = measure_pair(part_a, part_b, track, needed_mm=needed_mm(a, b), guides=key in jointed)
        if found is None:
            continue
        gaps, steps, bow = found
        if min(gaps.min(), steps.min(initial=np.inf)) >= NEAR_MM:
            continue
        kind = "joint" if key in jointed else "gap"
        out.append(Clearance(a, b, track.mechanism, kind, needed_mm(a, b), track.travel, gaps, steps, bow))
    return out


def as_stop(clearance: Clearance) -> Clearance:
    """The same pair, known to be a stop: it may touch."""
    return replace(clearance, kind="stop", needed_mm=0.0)


def measure_pair(a: Part, b: Part, track: Track, *, needed_mm: float, guides: bool = False) -> tuple[Array, Array, float] | None:
    """Gaps at positions, least gaps over the steps, and the largest bow, of two parts; None when they stay far apart.

    A gap cannot shrink faster than the parts move, so only steps that could come under ``needed_mm`` (and a little) are
    swept; for the others the smaller gap of the two positions stands. Of a pair that ``guides`` one part in the other only a few
    positions are looked at, since its gap is what the joint makes it (unless they overlap); a disc that
    only turns about its middle is looked at once.
    """
    poses_a, poses_b = track.poses_of(a.id, a.home), track.poses_of(b.id, b.home)
    b_from_a = relative_pose(poses_b, poses_a)
    valid = track.reached
    if not valid.any():
        return None
    b_from_a = b_from_a[valid]
    key = (a.shape, b.shape, key_of(b_from_a), needed_mm, guides)
    measured = _MEASURED.once(key, lambda: _measure(a, b, b_from_a, needed_mm, guides))
    return None if measured is None else _spread(valid, *measured)


_MEASURED: Memory[tuple[Array, Array, float] | None] = Memory(3000)


def _measure(a: Part, b: Part, b_from_a: Array, needed_mm: float, guides: bool) -> tuple[Array, Array, float] | None:
    """Gaps, least gaps over the steps and bow at poses that are all reached."""
    if boxes_stay_apart(a, b, b_from_a, by_mm=NEAR_MM):
        return None
    if guides and len(b_from_a) > _GUIDE_POSITIONS:
        few = np.unique(np.linspace(0, len(b_from_a) - 1, _GUIDE_POSITIONS).round().astype(int))
        gaps = _gaps(a, b, b_from_a[few])
        if gaps.min() < 0:
            gaps = _gaps(a, b, b_from_a)
            return gaps, np.minimum(gaps[:-1], gaps[1:]), 0.0
        spread = np.interp(np.arange(len(b_from_a)), few, gaps)
        return spread, np.minimum(spread[:-1], spread[1:]), 0.0
    chord = find_round_chord(a, b, b_from_a)
    if chord is not None:
        gap = _gaps(a, b, b_from_a[:1])[0] - chord
        return np.full(len(b_from_a), gap), np.full(len(b_from_a) - 1, gap), chord
    moved, fixed = (a, b) if len(a.vertices) <= len(b.vertices) else (b, a)
    fixed_from_moved = b_from_a if moved is a else invert_pose(b_from_a)
    if np.ptp(fixed_from_moved, axis=0).max() < 1e-12:
        fixed_from_moved = fixed_from_moved[:1]
    measured = _gaps_where_near(moved, fixed, fixed_from_moved, needed_mm + SURE_MM)
    if measured is None:
        return None
    gaps, way = measured
    steps, bow = _least_over_steps(moved, fixed, fixed_from_moved, gaps, way, needed_mm + SURE_MM)
    if len(steps):
        steps = np.where(steps <= 0, np.minimum(0.0, np.minimum(gaps[:-1], gaps[1:])), steps)
    return gaps, steps, bow


def _gaps_where_near(moved: Part, fixed: Part, poses: Array, risky_mm: float) -> tuple[Array, Array] | None:
    """Gaps at the positions, and how far the moved part goes in each step at most; None when they stay 8 mm apart.

    A part cannot come nearer than its middle less its reach, nor shrink a gap faster than it moves. So the gap is measured at
    every sixth position, then wherever it could be less than the least one found or than what is risky; between those it is
    drawn straight.
    """
    middle, reach = moved.middle_and_reach
    way_of_middle = apply_pose(poses, middle[None, :])[:, 0]
    low, high = fixed.box
    apart = np.linalg.norm(np.maximum(0.0, np.maximum(low - way_of_middle, way_of_middle - high)), axis=1) - reach
    if apart.min() >= NEAR_MM:
        return None
    way = np.linalg.norm(np.diff(way_of_middle, axis=0), axis=1) + reach * np.abs(np.diff(poses[:, 2]))
    count = len(poses)
    if count <= 2 * _STRIDE:
        return _gaps(moved, fixed, poses), way
    picked = np.zeros(count, dtype=bool)
    picked[::_STRIDE] = picked[-1] = True
    gaps = np.full(count, np.inf)
    gaps[picked] = _gaps(moved, fixed, poses[picked])
    along = np.concatenate([[0.0], np.cumsum(way)])
    known = np.flatnonzero(picked)
    after = np.clip(np.searchsorted(known, np.arange(count)), 1, len(known) - 1)
    bound = np.maximum(gaps[known[after - 1]] - np.abs(along - along[known[after - 1]]), gaps[known[after]] - np.abs(along - along[known[after]]))
    bound = np.maximum(bound, apart)
    more = (bound < max(float(gaps.min()), risky_mm)) & ~picked
    if more.any():
        gaps[more] = _gaps(moved, fixed, poses[more])
    known = np.flatnonzero(picked | more)
    return np.interp(np.arange(count), known, gaps[known]), way


def _spread(valid: NDArray[np.bool_], gaps: Array, steps: Array, bow: float) -> tuple[Array, Array, float]:
    """Gaps and steps of the positions that were reached, among all that were asked for; one gap may stand for all."""
    full_gaps, full_steps = np.full(len(valid), np.inf), np.full(max(0, len(valid) - 1), np.inf)
    full_gaps[valid] = gaps if len(gaps) == int(valid.sum()) else gaps[0]
    between = valid[:-1] & valid[1:]
    if len(steps):
        positions = np.cumsum(valid) - 1
        full_steps[between] = steps[positions[:-1][between]]
    else:
        full_steps[between] = full_gaps[:-1][between]
    return full_gaps, full_steps, bow


def _gaps(moved: Part, fixed: Part, fixed_from_moved: Array) -> Array:
    """Distances at the positions, or minus how deep the two overlap, ``(n,)``."""
    shapely.prepare(fixed.region)
    laid = transform_regions(moved.region, fixed_from_moved)
    gaps = np.asarray(shapely.distance(laid, fixed.region))
    touching = np.asarray(gaps <= 0)
    if touching.any():
        gaps[touching] = -overlap_depth(laid[touching], fixed.region)
    return gaps


def find_round_chord(a: Part, b: Part, b_from_a: Array) -> float | None:
    """When one part is round about the point that the two only turn about: how far its drawn corners stand out of its chords
    (which is what the gap may change while it turns); else None."""
    if a.round_about is None and b.round_about is None:
        return None
    turns = b_from_a[:, 2] - b_from_a[0, 2]
    k = int(np.argmax(np.abs(np.sin(turns / 2))))
    half = float(np.sin(turns[k] / 2))
    if abs(half) < 1e-6:
        return None
    start = b_from_a[0, :2]
    turn = turns[k]
    rotation = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    centre = np.linalg.solve(np.eye(2) - rotation, b_from_a[k, :2] - rotation @ start)
    in_a = apply_pose(invert_pose(b_from_a[0]), [centre])[0]
    if np.abs(apply_pose(b_from_a, [in_a])[:, 0] - centre).max() > 1e-6:
        return None
    for part, about in ((a, in_a), (b, centre)):
        if part.round_about is None:
            continue
        rings = [part.outline, *part.holes]
        radii = [np.linalg.norm(ring - about, axis=1) for ring in rings]
        if all(np.ptp(r) < 1e-6 for r in radii):
            edges = [np.linalg.norm(np.roll(ring, -1, axis=0) - ring, axis=1).max() for ring in rings]
            return float(max(r[0] - np.sqrt(max(r[0] ** 2 - (e / 2) ** 2, 0.0)) for r, e in zip(radii, edges, strict=True)))
    return None


def boxes_stay_apart(a: Part, b: Part, b_from_a: Array, *, by_mm: float) -> bool:
    """Whether the boxes round the two parts stay more than ``by_mm`` apart over all positions together."""
    (low, high), (b_low, b_high) = a.box, b.box
    corners = apply_pose(b_from_a, rectangle(low[0], low[1], high[0], high[1])).reshape(-1, 2)
    return bool((corners.min(axis=0) > b_high + by_mm).any() or (corners.max(axis=0) < b_low - by_mm).any())


def deepest_overlap(laid: Any, fixed: Any, *, most_mm: float = np.inf) -> tuple[float, int]:
    """The deepest of the overlaps of laid regions ``(n,)`` with fixed ones (one, or as many), and which it is; as deep as ``most_mm`` is deep
    enough. A circle in a region has no more than its area, and is no wider than its box; so only those are measured that could be deeper
    than the deepest so far, and of those with one area and one border only the first."""
    common = shapely.intersection(laid, fixed)
    boxes = np.nan_to_num(shapely.bounds(common))
    most = np.minimum(np.minimum(boxes[:, 2] - boxes[:, 0], boxes[:, 3] - boxes[:, 1]), np.sqrt(4 * shapely.area(common) / np.pi))
    best, at = 0.0, 0
    alike = set[tuple[float, float]]()
    for k in np.argsort(-most, kind="stable").tolist():
        if most[k] <= best or best >= most_mm - DEEP_ENOUGH_MM:
            break
        shape = (round(float(common[k].area), 4), round(float(common[k].length), 4))
        if shape in alike:
            continue
        alike.add(shape)
        depth = depth_of(common[k])
        if depth > best:
            best, at = depth, k
    return best, at


def depth_of(region: Any) -> float:
    """The diameter of the largest circle in a region (mm)."""
    if region.area <= 1e-9:
        return 0.0
    pieces = [p for p in shapely.get_parts(region) if p.geom_type == "Polygon"]
    return float(max(2 * shapely.maximum_inscribed_circle(p, tolerance=0.01).length for p in pieces))


def overlap_depth(laid: Any, fixed: Any) -> Array:
    """The diameter of the largest circle in what each laid region ``(n,)`` shares with the fixed one; 0 where they only touch.

    Of many only some are measured: a few all along, and then whatever could be deeper than the deepest found (a circle has no more than the
    region's area, and is no wider than its box). The others are drawn in between, in proportion to that bound; so the deepest is exact.
    """
    common = np.atleast_1d(shapely.intersection(laid, fixed))
    if len(common) <= FEW_OVERLAPS:
        return np.array([depth_of(region) for region in common])
    boxes = np.nan_to_num(shapely.bounds(common))
    most = np.minimum(np.minimum(boxes[:, 2] - boxes[:, 0], boxes[:, 3] - boxes[:, 1]), np.sqrt(4 * shapely.area(common) / np.pi))
    depths = np.full(len(common), np.nan)
    alike: dict[tuple[float, float], float] = {}

    def measure(k: int) -> float:
        shape = (round(float(common[k].area), 4), round(float(common[k].length), 4))
        if shape not in alike:
            alike[shape] = depth_of(common[k])
        depths[k] = alike[shape]
        return alike[shape]

    best = max(measure(k) for k in np.unique(np.linspace(0, len(common) - 1, FEW_OVERLAPS).round().astype(int)).tolist())
    for k in np.argsort(-most, kind="stable").tolist():
        if most[k] <= best + DEEP_ENOUGH_MM:
            break
        if np.isnan(depths[k]):
            best = max(best, measure(k))
    known = np.flatnonzero(~np.isnan(depths))
    share = depths[known] / np.maximum(most[known], 1e-9)
    between = np.interp(np.arange(len(common)), known, share) * most
    return np.where(np.isnan(depths), np.minimum(between, best), depths)


def _least_over_steps(moved: Part, fixed: Part, poses: Array, gaps: Array, way: Array, risky_mm: float) -> tuple[Array, float]:
    if len(poses) < 2:
        return np.zeros(0), 0.0
    steps = np.minimum(gaps[:-1], gaps[1:])
    risky = (gaps[:-1] + gaps[1:] - way) / 2 < risky_mm
    if moved.is_convex and fixed.is_convex and _is_straight_slide(poses):
        # The distance of two convex parts is a convex function of a straight slide: it can only dip beside its least value, and
        # not at all where three positions share that.
        least = np.abs(gaps - gaps.min()) < 1e-9
        risky &= (least[:-1] | least[1:]) & (least.sum() < 3)
    bow = 0.0
    for first, last in _runs(risky):
        lo, hi = max(0, first - 1), min(len(poses), last + 3)
        swept, bow_here = _swept(moved, fixed, poses[lo:hi], risky_mm)
        steps[first : last + 1] = np.minimum(steps[first : last + 1], swept[first - lo : last + 1 - lo])
        bow = max(bow, bow_here)
    return steps, bow


def _is_straight_slide(poses: Array) -> bool:
    """Whether poses differ only by a shift along one line, always the same way."""
    moves = np.diff(poses[:, :2], axis=0)
    whole = poses[-1, :2] - poses[0, :2]
    across = np.abs(moves[:, 0] * whole[1] - moves[:, 1] * whole[0])
    return bool(np.ptp(poses[:, 2]) < 1e-12 and (across < 1e-9 * max(1.0, float(np.abs(whole).max()))).all() and (moves @ whole >= 0).all())


def _runs(flags: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """First and last index of each run of True."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], flags.astype(int), [0]])))
    return [(int(a), int(b) - 1) for a, b in edges.reshape(-1, 2)]


def _swept(moved: Part, fixed: Part, poses: Array, within_mm: float) -> tuple[Array, float]:
    """Least distance over each step from the vertex paths of both parts, and the largest bow that was taken off. Paths that stay
    further than ``within_mm`` from the box round the other part are left out; their steps are infinite."""
    steps = np.full(len(poses) - 1, np.inf)
    if len(poses) < 2:
        return np.zeros(0), 0.0
    largest_bow = 0.0
    for part, other, seen in ((moved, fixed, poses), (fixed, moved, invert_pose(poses))):
        paths = apply_pose(seen, part.vertices)
        low, high = other.box
        near = ((np.maximum(paths[:-1], paths[1:]) >= low - within_mm) & (np.minimum(paths[:-1], paths[1:]) <= high + within_mm)).all(axis=2)
        step, vertex = np.nonzero(near)
        if not len(step):
            continue
        bow = np.zeros(len(step))
        if len(poses) > 2:
            second = np.linalg.norm(np.diff(paths, n=2, axis=0), axis=2) / 8
            bow = np.maximum(second[np.maximum(step - 1, 0), vertex], second[np.minimum(step, len(second) - 1), vertex])
            largest_bow = max(largest_bow, float(bow.max()))
        strings = shapely.linestrings(np.stack([paths[step, vertex], paths[step + 1, vertex]], axis=1))
        distance = np.asarray(shapely.distance(other.region, strings))
        np.minimum.at(steps, step, np.maximum(distance - np.where(bow > 1e-6, bow, 0.0), 0.0))
    return steps, largest_bow
