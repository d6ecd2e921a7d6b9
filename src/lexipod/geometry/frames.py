"""Rigid frames in the plane, as arrays of poses."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]


def _joined(*columns: Array) -> Array:
    """Arrays of one shape as the columns of a last axis (what ``np.stack`` does, without its care for shapes)."""
    out = np.empty((*columns[0].shape, len(columns)))
    for k, column in enumerate(columns):
        out[..., k] = column
    return out


def apply_pose(pose: ArrayLike, points: ArrayLike) -> Array:
    """Points of a part seen from outside: poses ``(..., 3)`` and points ``(n, 2)`` give ``(..., n, 2)``.

    Reckoned with complex numbers, which takes one product and one sum of arrays.
    """
    p, flat = np.asarray(pose, dtype=float), np.ascontiguousarray(points, dtype=float)
    moved = np.exp(1j * p[..., 2])[..., None] * flat.view(complex)[..., 0]
    moved += (p[..., 0] + 1j * p[..., 1])[..., None]
    return moved.view(float).reshape(*moved.shape, 2)


def invert_pose(pose: ArrayLike) -> Array:
    """The pose of the outer frame seen from the inner one; same shape ``(..., 3)``."""
    p = np.asarray(pose, dtype=float)
    cos, sin = np.cos(p[..., 2]), np.sin(p[..., 2])
    return _joined(-cos * p[..., 0] - sin * p[..., 1], sin * p[..., 0] - cos * p[..., 1], -p[..., 2])


def relative_pose(outer: ArrayLike, inner: ArrayLike) -> Array:
    """Pose of ``inner`` in the frame of ``outer``, both given in a third frame; shapes ``(..., 3)``."""
    o, i = np.asarray(outer, dtype=float), np.asarray(inner, dtype=float)
    cos, sin = np.cos(o[..., 2]), np.sin(o[..., 2])
    dx, dy = i[..., 0] - o[..., 0], i[..., 1] - o[..., 1]
    return _joined(cos * dx + sin * dy, -sin * dx + cos * dy, i[..., 2] - o[..., 2])


def compose_pose(outer: ArrayLike, inner: ArrayLike) -> Array:
    """Pose in the outermost frame of something that lies at ``inner`` within ``outer``."""
    o, i = np.asarray(outer, dtype=float), np.asarray(inner, dtype=float)
    cos, sin = np.cos(o[..., 2]), np.sin(o[..., 2])
    return _joined(cos * i[..., 0] - sin * i[..., 1] + o[..., 0], sin * i[..., 0] + cos * i[..., 1] + o[..., 1], o[..., 2] + i[..., 2])


def pose_matrix(pose: ArrayLike, *, z_mm: float = 0.0) -> Array:
    """The 3 x 4 proper rigid transform of a planar pose lifted by ``z_mm``; ``(..., 3)`` gives ``(..., 3, 4)``."""
    p = np.asarray(pose, dtype=float)
    out = np.zeros((*p.shape[:-1], 3, 4))
    out[..., 0, 0] = out[..., 1, 1] = np.cos(p[..., 2])
    out[..., 1, 0] = np.sin(p[..., 2])
    out[..., 0, 1] = -out[..., 1, 0]
    out[..., 2, 2] = 1.0
    out[..., 0, 3], out[..., 1, 3], out[..., 2, 3] = p[..., 0], p[..., 1], z_mm
    return out


def transform_regions(region: Any, poses: ArrayLike) -> NDArray[np.object_]:
    """The region laid at each of ``(n, 3)`` poses, as an array of ``n`` prepared-free geometries."""
    p = np.atleast_2d(np.asarray(poses, dtype=float))
    coordinates = shapely.get_coordinates(region)
    count = len(coordinates)
    copies = np.repeat(np.asarray(region, dtype=object), len(p))
    moved: NDArray[np.object_] = shapely.set_coordinates(copies.copy(), apply_pose(p, coordinates).reshape(len(p) * count, 2))
    return moved
