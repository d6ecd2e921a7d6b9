"""How far a drive goes from home, and what stops it there."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from lexipod.assembly import Assembly, Drive, Part
from lexipod.geometry.frames import Array, apply_pose, invert_pose, relative_pose, transform_regions
from lexipod.motion.clearance import NEAR_MM, Clearance, Whereabouts, boxes_stay_apart, find_jointed_pairs, find_meeting_pairs, find_round_chord
from lexipod.motion.flat.system import System
from lexipod.motion.flat.track import Track, search_range, solve_track

_SAMPLES = 65
_SUBDIVISION = 12
_DEPTH = 2
"""How often a step in which two parts may touch is cut in twelve: 3 mm come down to 0.02 mm."""
_STEPS = 8
_TOUCH_MM = 2e-5
_SURELY = 1.0 + 1e-9
_SAFELY = 1.5
"""A path bows a little more in the middle of a step than the positions on both sides tell."""
_STRAIGHT_MM = 1e-6


@dataclass(frozen=True, slots=True)
class Stop:
    """What ends the free travel on one side. ``cause``: “slot end” (a path's physical end), “contact” of two parts,
    “path end” (an open end: nothing holds there), “dead point”, or “none” (nothing within the searched range)."""

    side: str
    at: float
    cause: str
    parts: tuple[str, ...] = ()
    joint: str = ""

    @property
    def is_physical(self) -> bool:
        return self.cause in ("slot end", "contact")


@dataclass(frozen=True, slots=True)
class FreeRange:
    """Free travel ``low`` to ``high`` of a drive, with the stop on each side."""

    low: Stop
    high: Stop


def find_free_range(assembly: Assembly, drive: Drive, *, system: System | None = None, measured: Sequence[Clearance] | None = None) -> FreeRange:
    """The free range around the drive's home, searched a little beyond the designed travel on both sides.

    ``measured`` are the gaps over the designed travel, where they are known already: then it is only looked closely where they come to
    nothing, and beyond.
    """
    system = system or System(assembly, drive)
    grid = np.union1d(np.linspace(*search_range(drive), _SAMPLES), [drive.home])
    track = solve_track(assembly, drive, grid, system=system)
    jointed = find_jointed_pairs(assembly)
    whereabouts = Whereabouts(assembly, track)
    step = whereabouts.largest_step_mm
    meeting = [p for p in find_meeting_pairs(assembly, drive.mechanism) if frozenset(p) not in jointed]
    pairs = [p for p in meeting if not whereabouts.stay_apart(*p, step)]
    gaps = None if measured is None else {(c.a, c.b): c for c in measured}
    return FreeRange(*(_search(assembly, system, track, pairs, gaps, side=side) for side in (-1, 1)))


Gaps = Mapping[tuple[str, str], Clearance]


def _search(assembly: Assembly, system: System, track: Track, pairs: list[tuple[str, str]], gaps: Gaps | None, *, side: int) -> Stop:
    drive = system.drive
    name = "rest" if (side < 0) == (drive.rest <= drive.end) else "end"
    limit = track.travel[-1] if side > 0 else track.travel[0]
    ends = [Stop(name, float(limit), "none")]
    dead = track.dead_points[1 if side > 0 else 0]
    if dead is not None and (dead - limit) * side < 0:
        ends.append(Stop(name, dead, "dead point"))
    ends += _path_ends(assembly, track, drive, side=side, name=name)
    nearest = min(ends, key=lambda stop: abs(stop.at - drive.home))
    if gaps is None:
        contact = _first_contact(assembly, system, track, pairs, side=side, limit=nearest.at)
    else:
        contact = _first_known_contact(assembly, system, track, pairs, gaps, side=side, limit=nearest.at)
    if contact is not None:
        at, parts = contact
        return Stop(name, at, "contact", parts)
    return nearest


def _path_ends(assembly: Assembly, track: Track, drive: Drive, *, side: int, name: str) -> list[Stop]:
    found = []
    for joint_id, coordinates in track.joint_coordinates.items():
        joint = assembly.find_joint(joint_id)
        if joint.path_b is None:
            continue
        for end, limit in enumerate(joint.path_b.limits):
            at = _first_crossing(track.travel, coordinates - limit, drive.home, side=side, sign=1 if end else -1)
            if at is not None:
                cause = "slot end" if joint.ends[end] == "stop" else "path end"
                found.append(Stop(name, at, cause, (joint.a, joint.b), joint_id))
    return found


def _first_crossing(travel: Array, excess: Array, home: float, *, side: int, sign: int) -> float | None:
    """Where ``sign * excess`` first rises above 0 going from home to one side; linear between the samples."""
    order = np.argsort(travel * side)
    order = order[travel[order] * side >= home * side - 1e-9]
    values, at = (excess * sign)[order], travel[order]
    over = np.flatnonzero(values > 1e-9)
    if not len(over):
        return None
    k = over[0]
    if k == 0:
        return float(home)
    share = -values[k - 1] / (values[k] - values[k - 1])
    return float(at[k - 1] + share * (at[k] - at[k - 1]))


def _seen(assembly: Assembly, track: Track, pair: tuple[str, str]) -> tuple[Part, Part, Array]:
    """The simpler part of a pair, the other one, and the poses of the first as seen from the second, ``(n, 3)``."""
    a, b = (assembly.by_id[p] for p in pair)
    if len(a.vertices) > len(b.vertices):
        a, b = b, a
    return a, b, relative_pose(track.poses_of(b.id, b.home), track.poses_of(a.id, a.home))


def _touches(a: Part, b: Part, poses: Array, reached: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """At which positions the two parts touch, ``(n,)``."""
    touching = np.zeros(len(poses), dtype=bool)
    middle, reach = a.middle_and_reach
    at = apply_pose(poses, middle[None, :])[:, 0]
    near = (np.maximum(b.box[0] - at, at - b.box[1]) <= reach).all(axis=1) & reached
    if near.any() and not boxes_stay_apart(a, b, poses[near], by_mm=0.0):
        shapely.prepare(b.region)
        touching[near] = shapely.intersects(b.region, transform_regions(a.region, poses[near]))
    return touching


def _may_touch(a: Part, b: Part, poses: Array) -> NDArray[np.bool_]:
    """During which steps between positions the two may touch, ``(n - 1,)``: the first touch of two polygons is at a vertex of one, so it
    is asked whether the way of a vertex, with its bow on both sides, meets the other part."""
    found = np.zeros(len(poses) - 1, dtype=bool)
    for part, other, seen in ((a, b, poses), (b, a, invert_pose(poses))):
        paths = apply_pose(seen, part.vertices)
        second = np.linalg.norm(np.diff(paths, n=2, axis=0), axis=2) / 8
        bows = np.maximum(np.concatenate([second[:1], second]), np.concatenate([second, second[-1:]])) * _SAFELY
        low, high = other.box
        first, last = paths[:-1], paths[1:]
        away = np.maximum(low - np.maximum(first, last), np.minimum(first, last) - high).max(axis=2)
        step, vertex = np.nonzero((away <= bows) & ~found[:, None])
        shapely.prepare(other.region)
        reach = np.linalg.norm(last - first, axis=2)[step, vertex] + bows[step, vertex]
        near = shapely.dwithin(other.region, shapely.points(first[step, vertex]), reach)
        step, vertex = step[near], vertex[near]
        if len(step):
            strings = shapely.linestrings(np.stack([first[step, vertex], last[step, vertex]], axis=1))
            meets = shapely.dwithin(other.region, strings, np.where(bows > _STRAIGHT_MM, bows, 0.0)[step, vertex])
            found[step[meets]] = True
    return found


def _only_turns(a: Part, b: Part, poses: Array) -> bool:
    """Whether one of the parts is round about the point that the two only turn about, and not as near as its corners stand out."""
    chord = find_round_chord(a, b, poses)
    return chord is not None and not shapely.dwithin(b.region, transform_regions(a.region, poses[:1])[0], chord)


def _first_contact(
    assembly: Assembly, system: System, track: Track, pairs: list[tuple[str, str]], *, side: int, limit: float
) -> tuple[float, tuple[str, str]] | None:
    """The contact nearest to home before ``limit``. A pair that touches at home already is the clearances' business."""
    fine = solve_track(assembly, system.drive, _outwards(track, system.drive.home, limit, side), system=system)
    best: tuple[float, tuple[str, str]] | None = None
    for pair in pairs:
        bracket = _find_bracket(assembly, system, pair, fine, depth=_DEPTH, limit=None if best is None else best[0])
        if bracket is None:
            continue
        at = _narrow(assembly, system, pair, *bracket)
        if best is None or (at - best[0]) * side < 0:
            best = (at, pair)
    return best


def _outwards(track: Track, start: float, limit: float, side: int) -> Array:
    """Travels from ``start`` to ``limit`` on the way out to one side: those of the track, and closer ones near the limit."""
    on_side = np.sort(track.travel[(track.travel * side > start * side) & (track.travel * side < limit * side)] * side) * side
    last = on_side[-1] if len(on_side) else start
    return np.concatenate([[start], on_side, np.linspace(last, limit, 7)[1:]])


def _first_known_contact(
    assembly: Assembly, system: System, track: Track, pairs: list[tuple[str, str]], gaps: Gaps, *, side: int, limit: float
) -> tuple[float, tuple[str, str]] | None:
    """As `_first_contact`, where the gaps over the designed travel are known. A pair that never comes to nothing there is only looked at
    beyond it, one that does from a step before; pairs that are not among the gaps stay far apart."""
    drive = system.drive
    edge = max(drive.rest * side, drive.end * side) * side
    beyond = _outwards(track, edge, limit, side) if limit * side > edge * side + 1e-9 else None
    outside = None if beyond is None else solve_track(assembly, drive, beyond, system=system)
    best: tuple[float, tuple[str, str]] | None = None
    nearest_first = sorted(pairs, key=lambda pair: _gap_at(gaps[pair], edge) if pair in gaps else NEAR_MM)
    for pair in nearest_first:  # the sooner one is met, the less of the way is looked at for the others
        known, bracket = gaps.get(pair), None
        reach = limit if best is None else best[0]
        if known is not None:
            meets = _where_it_comes_to_nothing(known, drive.home, side)
            if meets is None:  # already at home
                continue
            if len(meets) and (meets[0] - reach) * side < 0:
                within = np.append(meets[(meets - reach) * side < 0], min(edge * side, reach * side) * side)
                bracket = _find_bracket(assembly, system, pair, solve_track(assembly, drive, within, system=system), depth=_DEPTH, limit=reach)
        if bracket is None and outside is not None and (edge - reach) * side < 0:
            near = _where_near(assembly, outside, pair, NEAR_MM if known is None else _gap_at(known, edge), reach, side)
            bracket = None if near is None else _find_bracket(assembly, system, pair, near, depth=_DEPTH, limit=reach)
        if bracket is None:
            continue
        at = _narrow(assembly, system, pair, *bracket)
        if best is None or (at - best[0]) * side < 0:
            best = (at, pair)
    return best


def _gap_at(known: Clearance, travel: float) -> float:
    """The gap of a pair at the position nearest to a travel."""
    return float(known.gaps[int(np.argmin(np.abs(known.travel - travel)))])


def _where_near(assembly: Assembly, track: Track, pair: tuple[str, str], gap_mm: float, reach: float, side: int) -> Track | None:
    """The stretch of a track that leads outwards, at whose start a pair has a gap, on which that may be used up before ``reach``: a gap
    shrinks no faster than the parts move. None where it lasts."""
    a, _, poses = _seen(assembly, track, pair)
    middle, radius = a.middle_and_reach
    way = np.linalg.norm(np.diff(apply_pose(poses, middle[None, :])[:, 0], axis=0), axis=1) + radius * np.abs(np.diff(poses[:, 2]))
    gone = np.flatnonzero(np.cumsum(way) * _SAFELY >= gap_mm)
    if not len(gone):
        return None
    last = int(np.searchsorted(track.travel * side, reach * side, side="left")) + 1
    first = int(gone[0])
    return None if first >= min(last, len(track.travel)) - 1 else track.part(first, last)


def _where_it_comes_to_nothing(known: Clearance, home: float, side: int) -> Array | None:
    """Travels on the way out from home to one side, from the last before a pair's gap may come to nothing; none where it does not; None
    where it is nothing at home."""
    order = np.argsort(known.travel * side)
    travel, gaps = known.travel[order], known.gaps[order]
    steps = known.steps[np.minimum(order[:-1], order[1:])]
    inside = int(np.searchsorted(travel * side, home * side + 1e-9, side="right")) - 1
    if inside >= 0 and abs(travel[inside] - home) < 1e-9 and gaps[inside] <= 0:
        return None
    inside = max(0, inside)
    nothing = np.flatnonzero((steps[inside:] <= 0) | (gaps[inside + 1 :] <= 0) | (gaps[inside:-1] <= 0))
    if not len(nothing):
        return np.zeros(0)
    first = inside + int(nothing[0])
    start = travel[first] if (travel[first] - home) * side > 0 else home
    later = travel[first + 1 :]
    return np.concatenate([[start], later[(later - start) * side > 1e-9]])


def _find_bracket(
    assembly: Assembly, system: System, pair: tuple[str, str], track: Track, *, depth: int, limit: float | None = None
) -> tuple[float, float] | None:
    """The first step of a track, which leads away from home, in which a pair that is free at its start comes to touch: its start and its
    end. Where the pair may have touched in between only, the step is looked at ever more closely. None where nothing is met before
    ``limit``."""
    a, b, poses = _seen(assembly, track, pair)
    touching, travel = _touches(a, b, poses, track.reached), track.travel
    if touching[0] or (not touching.any() and _only_turns(a, b, poses)):
        return None
    may = touching[1:] | (_may_touch(a, b, poses) & track.reached[:-1] & track.reached[1:] if depth or not touching.any() else False)
    for k in np.flatnonzero(may).tolist():
        near, far = float(travel[k]), float(travel[k + 1])
        if limit is not None and abs(near - system.drive.home) >= abs(limit - system.drive.home):
            return None
        if not depth:
            return near, far
        finer = solve_track(assembly, system.drive, np.linspace(near, far, _SUBDIVISION + 1), system=system)
        found = _find_bracket(assembly, system, pair, finer, depth=depth - 1)
        if found is not None or touching[k + 1]:
            return found or (near, far)
    return None


def _narrow(assembly: Assembly, system: System, pair: tuple[str, str], near: float, far: float) -> float:
    """The first touch between ``near`` (free) and ``far``, in steps that cannot go too far, since a gap shrinks no faster than its
    parts move."""
    track = solve_track(assembly, system.drive, np.array([near, far]), system=system)
    a, b, poses = _seen(assembly, track, pair)
    if not track.reached.all():
        return near
    way = float(np.linalg.norm(np.diff(apply_pose(poses, a.vertices), axis=0), axis=2).max()) * _SURELY
    at, pose = near, poses[0]
    for _ in range(_STEPS):
        gap = float(shapely.distance(transform_regions(a.region, pose)[0], b.region))
        if gap <= _TOUCH_MM or way <= 0:
            break
        at += gap / way * (far - near)
        if (at - far) * (far - near) >= 0:
            return far
        here = solve_track(assembly, system.drive, np.array([at]), system=system)
        pose = _seen(assembly, here, pair)[2][0]
    return at
