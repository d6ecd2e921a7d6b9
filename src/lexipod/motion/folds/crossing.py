"""How far two flat panels go through each other in space.

Two planes meet in a line. What of it lies in both panels at once is where paper goes through paper; how deep it is there is the
least distance to the border of either panel, so that panels that touch along an edge, a crease or a corner cross by nothing.
Source: intersection of planes and polygons (elementary geometry).
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import shapely
from numpy.typing import NDArray

from lexipod.assembly.panels import Panel
from lexipod.geometry.frames import Array
from lexipod.geometry.space import apply_frame, compose_frames, cross_product, invert_frame

OFF_PLANE_MM = 0.15
"""A panel that stays nearer to the other's plane than this lies on it."""
SAMPLES = 9
"""Places at which a common stretch is measured, its middle among them."""


def crossing_depths(a: Panel, b: Panel, frames_a: Array, frames_b: Array) -> Array:
    """How deep the two panels go through each other at every position, ``(n,)`` mm; 0 where they do not.

    Frames are ``(n, 3, 4)``, or ``(1, 3, 4)`` for a panel that lies still. Panels in one plane cross nowhere: which of them lies on
    top is a question of layers.
    """
    n = max(len(frames_a), len(frames_b))
    depth = np.zeros(n)
    at = _near(a, b, frames_a, frames_b)
    if not len(at):
        return depth
    fa, fb = (f[at] if len(f) > 1 else np.repeat(f, len(at), axis=0) for f in (frames_a, frames_b))
    seen = compose_frames(invert_frame(fb), fa)
    off_b = apply_frame(seen, a.corners)[..., 2]
    off_a = apply_frame(invert_frame(seen), b.corners)[..., 2]
    through = (
        (off_b.min(axis=1) < -OFF_PLANE_MM)
        & (off_b.max(axis=1) > OFF_PLANE_MM)
        & (off_a.min(axis=1) < -OFF_PLANE_MM)
        & (off_a.max(axis=1) > OFF_PLANE_MM)
    )
    if not through.any():
        return depth
    at, fa, fb, off_a, off_b = at[through], fa[through], fb[through], off_a[through], off_b[through]
    along = cross_product(fa[..., :3, 2], fb[..., :3, 2])
    along = along / np.linalg.norm(along, axis=-1, keepdims=True)
    spans_a, spans_b = _spans(a, fa, off_b, along), _spans(b, fb, off_a, along)
    low = np.maximum(spans_a[:, :, None, 0], spans_b[:, None, :, 0])
    high = np.minimum(spans_a[:, :, None, 1], spans_b[:, None, :, 1])
    k, i, j = np.nonzero(high - low > 1e-6)
    if not len(k):
        return depth
    shares = (np.arange(SAMPLES) + 0.5) / SAMPLES
    places = low[k, i, j][:, None] + (high - low)[k, i, j][:, None] * shares
    point = _on_line(fa[k], fb[k], along[k])[:, None] + places[..., None] * along[k][:, None]
    inside = np.full(places.shape, np.inf)
    for panel, frames in ((a, fa), (b, fb)):
        local = np.einsum("mpi,mij->mpj", point - frames[k][:, None, :, 3], frames[k][..., :3])
        inside = np.minimum(inside, shapely.distance(panel.region.boundary, shapely.points(local[..., :2])))
    np.maximum.at(depth, at[k], inside.max(axis=1))
    return depth


def _near(a: Panel, b: Panel, frames_a: Array, frames_b: Array) -> NDArray[np.int_]:
    """The positions at which the balls round the two meet."""
    (middle_a, reach_a), (middle_b, reach_b) = a.ball, b.ball
    way = apply_frame(frames_a, middle_a[None])[:, 0] - apply_frame(frames_b, middle_b[None])[:, 0]
    return np.flatnonzero(np.linalg.norm(way, axis=1) < reach_a + reach_b)


def _on_line(fa: Array, fb: Array, along: Array) -> Array:
    """A point ``(m, 3)`` of the line in which two planes meet: the one nearest to the frames' common origin."""
    na, nb = fa[..., :3, 2], fb[..., :3, 2]
    square = np.stack([na, nb, along], axis=-2)
    right = np.stack([np.einsum("mi,mi->m", na, fa[..., 3]), np.einsum("mi,mi->m", nb, fb[..., 3]), np.zeros(len(fa))], axis=-1)
    return np.linalg.solve(square, right[..., None])[..., 0]


def _spans(panel: Panel, frames: Array, off: Array, along: Array) -> Array:
    """The stretches of the line that lie in the panel, ``(m, spans, 2)`` along it; those that are not there are empty.

    A corner that lies on the other plane counts as above it, so that stretches begin and end in pairs.
    """
    starts, ends = panel_edges(panel)
    z = np.where(np.abs(off) < 1e-9, 1e-9, off)
    z0, z1 = z[:, starts], z[:, ends]
    crossed = z0 * z1 < 0
    world = apply_frame(frames, panel.corners)
    s = np.einsum("mvi,mi->mv", world, along)
    share = np.where(crossed, z0 / np.where(crossed, z0 - z1, 1.0), 0.0)
    where = np.where(crossed, s[:, starts] + share * (s[:, ends] - s[:, starts]), np.inf)
    most = int(crossed.sum(axis=1).max(initial=0))
    where = np.sort(where, axis=1)[:, : most + most % 2]
    spans: Array = where.reshape(len(where), -1, 2)
    return np.where(np.isfinite(spans), spans, np.array([0.0, -1.0]))


@lru_cache(maxsize=512)
def panel_edges(panel: Panel) -> tuple[NDArray[np.int_], NDArray[np.int_]]:
    """Indices of the ends of all edges among a panel's corners."""
    starts: list[int] = []
    ends: list[int] = []
    first = 0
    for ring in (panel.outline, *panel.holes):
        count = len(ring)
        starts += range(first, first + count)
        ends += [first + (k + 1) % count for k in range(count)]
        first += count
    return np.array(starts), np.array(ends)


__all__ = ["OFF_PLANE_MM", "crossing_depths", "panel_edges"]
