"""Gaps between parts of different mechanisms, at the worst combination of their travels.

All combinations are looked at through a grid of cells. A cell is left out when the gap in its middle, less how far both
parts can move from there within the cell, is more than the least gap found so far; the others are cut in four.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Assembly, Part
from lexipod.geometry.frames import Array, apply_pose, transform_regions
from lexipod.motion.clearance import DEEP_ENOUGH_MM, NEAR_MM, deepest_overlap, depth_of, share_a_level
from lexipod.motion.flat.track import Track

_CELLS = 12
_CLOSE_ENOUGH_MM = 0.02


@dataclass(frozen=True, slots=True)
class Crossing:
    """The least gap of two parts of different mechanisms (negative: overlap), and the travels at which it happens."""

    a: str
    b: str
    minimum_mm: float
    needed_mm: float
    at: dict[str, float]


def measure_crossings(assembly: Assembly, tracks: Mapping[str, Track], *, usual_mm: float) -> list[Crossing]:
    """The worst gap of every pair of moving parts of different mechanisms that share a level and come nearer than 8 mm."""
    moving = [p for p in assembly.parts if p.mechanism in tracks and p.id in tracks[p.mechanism].poses]
    boxes = {p.id: _swept_box(p, tracks[p.mechanism]) for p in moving}
    found = []
    for i, a in enumerate(moving):
        for b in moving[i + 1 :]:
            if a.mechanism == b.mechanism or not share_a_level(assembly, a, b) or _apart(boxes[a.id], boxes[b.id]) >= NEAR_MM:
                continue
            worst = _find_worst(a, b, tracks[a.mechanism], tracks[b.mechanism])
            if worst is not None and worst[0] < NEAR_MM:
                found.append(Crossing(a.id, b.id, worst[0], usual_mm, {a.mechanism: worst[1], b.mechanism: worst[2]}))
    return found


def _swept_box(part: Part, track: Track) -> Array:
    points = apply_pose(track.poses[part.id], part.outline).reshape(-1, 2)
    return np.concatenate([points.min(axis=0), points.max(axis=0)])


def _apart(a: Array, b: Array) -> float:
    gaps = np.maximum(0.0, np.maximum(a[:2] - b[2:], b[:2] - a[2:]))
    return float(np.linalg.norm(gaps))


def _find_worst(a: Part, b: Part, track_a: Track, track_b: Track) -> tuple[float, float, float] | None:
    valid = [np.flatnonzero(t.reached) for t in (track_a, track_b)]
    if not all(len(v) for v in valid):
        return None
    laid = [transform_regions(p.region, t.poses[p.id][v]) for p, t, v in zip((a, b), (track_a, track_b), valid, strict=True)]
    ways = [_way(p, t.poses[p.id][v]) for p, t, v in zip((a, b), (track_a, track_b), valid, strict=True)]
    cells = [(low_a, high_a, low_b, high_b) for low_a, high_a in _spans(len(valid[0])) for low_b, high_b in _spans(len(valid[1]))]
    best, at = np.inf, (0, 0)
    touching: list[tuple[int, int]] = []
    while cells:
        grid = np.array(cells)
        middle = np.stack([(grid[:, 0] + grid[:, 1]) // 2, (grid[:, 2] + grid[:, 3]) // 2], axis=1)
        gaps = np.asarray(shapely.distance(laid[0][middle[:, 0]], laid[1][middle[:, 1]]))
        k = int(np.argmin(gaps))
        if gaps[k] < best:
            best, at = float(gaps[k]), (int(middle[k, 0]), int(middle[k, 1]))
        touching += [(int(i), int(j)) for i, j in middle[gaps <= 0]]
        if len(touching) > 400 or (best >= NEAR_MM + 50 and len(grid) > 20000):
            break
        reach = sum(np.maximum(w[grid[:, 2 * n + 1]] - w[middle[:, n]], w[middle[:, n]] - w[grid[:, 2 * n]]) for n, w in enumerate(ways))
        open_cells = (gaps - reach < min(best, NEAR_MM) - _CLOSE_ENOUGH_MM) & (gaps > 0)
        cells = [c for row in grid[open_cells] for c in _quartered(row)]
    if touching:
        pairs = np.array(touching[:: max(1, len(touching) // 60)])
        most = min(depth_of(p.region) for p in (a, b))
        depth, k = deepest_overlap(laid[0][pairs[:, 0]], laid[1][pairs[:, 1]], most_mm=most)
        depth, at = _climb(laid, (int(pairs[k, 0]), int(pairs[k, 1])), depth, most)
        best = -depth
    return best, float(track_a.travel[valid[0][at[0]]]), float(track_b.travel[valid[1][at[1]]])


def _climb(laid: list[Any], at: tuple[int, int], depth: float, most_mm: float) -> tuple[float, tuple[int, int]]:
    """From one overlap to the deepest one uphill from it: ever smaller steps both ways, as long as one goes deeper and ``most_mm``, the depth
    of the smaller part, is not reached."""
    counts = len(laid[0]), len(laid[1])
    step = max(1, max(counts) // _CELLS)
    while step and depth < most_mm - DEEP_ENOUGH_MM:
        around = [(at[0] + i * step, at[1] + j * step) for i in (-1, 0, 1) for j in (-1, 0, 1) if i or j]
        around = [(i, j) for i, j in around if 0 <= i < counts[0] and 0 <= j < counts[1]]
        places = np.array(around, dtype=int).reshape(-1, 2)
        deeper, k = deepest_overlap(laid[0][places[:, 0]], laid[1][places[:, 1]]) if around else (0.0, 0)
        if deeper > depth + 1e-6:
            depth, at = deeper, around[k]
        else:
            step //= 2
    return depth, at


def _way(part: Part, poses: Array) -> Array:
    """How far the fastest vertex has come at each position, ``(n,)``."""
    path = apply_pose(poses, part.vertices)
    steps = np.linalg.norm(np.diff(path, axis=0), axis=2).max(axis=1) if len(poses) > 1 else np.zeros(0)
    return np.concatenate([[0.0], np.cumsum(steps)])


def _spans(count: int) -> list[tuple[int, int]]:
    edges = np.unique(np.linspace(0, count - 1, min(count, _CELLS) + 1).round().astype(int))
    return [(int(a), int(b)) for a, b in pairwise(edges)] or [(0, 0)]


def _quartered(cell: Array) -> list[tuple[int, int, int, int]]:
    """The cell in up to four; a cell of two neighbouring positions each way is not cut further, but its corners are looked at."""
    low_a, high_a, low_b, high_b = (int(v) for v in cell)
    halves = []
    for low, high in ((low_a, high_a), (low_b, high_b)):
        middle = (low + high) // 2
        if high - low >= 2:
            halves.append([(low, middle), (middle, high)])
        elif high > low:
            halves.append([(low, low), (high, high)])
        else:
            halves.append([(low, high)])
    return [(*x, *y) for x in halves[0] for y in halves[1]] if len(halves[0]) * len(halves[1]) > 1 else []
