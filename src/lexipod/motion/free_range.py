"""How far a drive goes from home, and what stops it there."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely

from lexipod.assembly import Assembly, Drive
from lexipod.geometry.frames import Array, apply_pose, relative_pose, transform_regions
from lexipod.motion.clearance import Whereabouts, find_jointed_pairs, find_meeting_pairs, stay_apart
from lexipod.motion.system import System
from lexipod.motion.track import Track, search_range, solve_track

_SAMPLES = 65
_SUBDIVISION = 12
_STEPS = 8
_TOUCH_MM = 2e-5
_SURELY = 1.0 + 1e-9


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


def find_free_range(assembly: Assembly, drive: Drive, *, system: System | None = None) -> FreeRange:
    """The free range around the drive's home, searched a little beyond the designed travel on both sides."""
    system = system or System(assembly, drive)
    grid = np.union1d(np.linspace(*search_range(drive), _SAMPLES), [drive.home])
    track = solve_track(assembly, drive, grid, system=system)
    jointed = find_jointed_pairs(assembly)
    whereabouts = Whereabouts(assembly, track)
    step = whereabouts.largest_step_mm
    meeting = [p for p in find_meeting_pairs(assembly, drive.mechanism) if frozenset(p) not in jointed]
    pairs = [p for p in meeting if not whereabouts.stay_apart(*p, step)]
    return FreeRange(_search(assembly, system, track, pairs, side=-1), _search(assembly, system, track, pairs, side=1))


def _search(assembly: Assembly, system: System, track: Track, pairs: list[tuple[str, str]], *, side: int) -> Stop:
    drive = system.drive
    name = "rest" if (side < 0) == (drive.rest <= drive.end) else "end"
    limit = track.travel[-1] if side > 0 else track.travel[0]
    ends = [Stop(name, float(limit), "none")]
    dead = track.dead_points[1 if side > 0 else 0]
    if dead is not None and (dead - limit) * side < 0:
        ends.append(Stop(name, dead, "dead point"))
    ends += _path_ends(assembly, track, drive, side=side, name=name)
    nearest = min(ends, key=lambda stop: abs(stop.at - drive.home))
    contact = _first_contact(assembly, system, track, pairs, side=side, limit=nearest.at)
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


def _touches(assembly: Assembly, track: Track, pair: tuple[str, str]) -> Array:
    a, b = (assembly.by_id[p] for p in pair)
    if len(a.vertices) > len(b.vertices):
        a, b = b, a
    poses = relative_pose(track.poses_of(b.id, b.home), track.poses_of(a.id, a.home))
    valid = np.isfinite(poses).all(axis=1)
    touching = np.zeros(len(poses), dtype=bool)
    middle, reach = a.middle_and_reach
    with np.errstate(invalid="ignore"):
        at = apply_pose(poses, middle[None, :])[:, 0]
        near = (np.maximum(b.box[0] - at, at - b.box[1]) <= reach).all(axis=1) & valid
    if not near.any() or stay_apart(a, b, poses[near], by_mm=0.0):
        return touching
    shapely.prepare(b.region)
    touching[near] = shapely.intersects(b.region, transform_regions(a.region, poses[near]))
    return touching


def _first_contact(
    assembly: Assembly, system: System, track: Track, pairs: list[tuple[str, str]], *, side: int, limit: float
) -> tuple[float, tuple[str, str]] | None:
    """The contact nearest to home before ``limit``. A pair that touches at home already is the clearances' business."""
    home = system.drive.home
    on_side = np.sort(track.travel[(track.travel * side > home * side) & (track.travel * side < limit * side)] * side) * side
    last = on_side[-1] if len(on_side) else home
    travel = np.concatenate([[home], on_side, np.linspace(last, limit, 7)[1:]])
    fine = solve_track(assembly, system.drive, travel, system=system)
    best: tuple[float, tuple[str, str]] | None = None
    for pair in pairs:
        hits = np.flatnonzero(_touches(assembly, fine, pair))
        if not len(hits) or hits[0] == 0 or (best is not None and (travel[hits[0] - 1] - best[0]) * side >= 0):
            continue
        at = _narrow(assembly, system, pair, float(travel[hits[0] - 1]), float(travel[hits[0]]))
        if best is None or (at - best[0]) * side < 0:
            best = (at, pair)
    return best


def _narrow(assembly: Assembly, system: System, pair: tuple[str, str], near: float, far: float) -> float:
    """The first touch between ``near`` (free) and ``far`` (touching): one subdivision, then steps that cannot go too far, since a
    gap shrinks no faster than its parts move."""
    grid = np.linspace(near, far, _SUBDIVISION + 1)
    track = solve_track(assembly, system.drive, grid, system=system)
    hits = np.flatnonzero(_touches(assembly, track, pair)[1:])
    first = int(hits[0]) + 1 if len(hits) else _SUBDIVISION
    near, far = float(grid[first - 1]), float(grid[first])
    a, b = (assembly.by_id[p] for p in pair)
    poses = relative_pose(track.poses_of(b.id, b.home), track.poses_of(a.id, a.home))[first - 1 : first + 1]
    if not np.isfinite(poses).all():
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
        pose = relative_pose(here.poses_of(b.id, b.home), here.poses_of(a.id, a.home))[0]
    return at
