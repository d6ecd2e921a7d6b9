"""The axis of a drag knife, led so that its trailing tip follows a line."""

from __future__ import annotations

import itertools
import math

import numpy as np

from lexipod.geometry.frames import Array
from lexipod.plotting.runs import Run

ARC_MM = 0.01
"""How far the chords of a swivel may lie off their arc."""
STRAIGHT_RAD = 1e-6


def lead_round(run: Run, *, trail_mm: float, overcut_mm: float = 0.0) -> Array:
    """The way of the axis ``(m, 2)`` for a run: ahead of the tip by the trail, on an arc about every corner so that the tip turns on the
    spot. A closed run goes on past its start by the overcut.

    The tip starts in the direction that it had before; it lies on the line from where the axis has gone about twice the trail.
    """
    path = _run_on(run.path, overcut_mm) if run.closed else run.path
    keep = np.concatenate([[True], np.linalg.norm(np.diff(path, axis=0), axis=1) > 1e-9])
    path = path[keep]
    if len(path) < 2 or trail_mm <= 0:
        return path
    ways = np.diff(path, axis=0)
    units = ways / np.linalg.norm(ways, axis=1)[:, None]
    out = [path[0] + trail_mm * units[0]]
    for k, corner in enumerate(path[1:]):
        out.append(corner + trail_mm * units[k])
        if k + 1 < len(units):
            out += _swivel(corner, units[k], units[k + 1], trail_mm)
    return np.array(out)


def _run_on(path: Array, overcut_mm: float) -> Array:
    """A closed path that goes on along itself."""
    extra: list[Array] = []
    left = overcut_mm
    for a, b in itertools.pairwise(path):
        length = float(np.linalg.norm(b - a))
        if left <= 1e-9:
            break
        if length >= left:
            extra.append(a + (b - a) * (left / length))
            break
        extra.append(b)
        left -= length
    return np.vstack([path, *extra]) if extra else path


def _swivel(corner: Array, before: Array, after: Array, trail_mm: float) -> list[Array]:
    turn = math.atan2(before[0] * after[1] - before[1] * after[0], float(before @ after))
    if abs(turn) < STRAIGHT_RAD:
        return []
    step = 2 * math.acos(max(0.0, 1 - ARC_MM / trail_mm)) if trail_mm > ARC_MM else math.pi
    count = max(1, math.ceil(abs(turn) / step))
    start = math.atan2(before[1], before[0])
    angles = start + turn * np.arange(1, count + 1) / count
    return [corner + trail_mm * np.array([math.cos(a), math.sin(a)]) for a in angles]
