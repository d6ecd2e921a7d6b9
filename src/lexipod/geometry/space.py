"""Rigid frames in space, as arrays of 3 x 4 transforms (rotation and origin)."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike

from lexipod.geometry.frames import Array


def apply_frame(frame: ArrayLike, points: ArrayLike) -> Array:
    """Points of a panel seen from outside: frames ``(..., 3, 4)`` and points ``(n, 3)`` give ``(..., n, 3)``."""
    f, p = np.asarray(frame, dtype=float), np.asarray(points, dtype=float)
    moved: Array = p @ np.swapaxes(f[..., :3], -1, -2) + f[..., None, :, 3]
    return moved


def apply_flat(frame: ArrayLike, points: ArrayLike) -> Array:
    """Points of a panel's own plane ``(n, 2)`` looked at from above: ``(n, 2)``."""
    flat = np.asarray(points, dtype=float)
    moved: Array = apply_frame(frame, np.column_stack([flat, np.zeros(len(flat))]))[..., :2]
    return moved


def compose_frames(outer: ArrayLike, inner: ArrayLike) -> Array:
    """The frame of something that lies at ``inner`` within ``outer``; shapes ``(..., 3, 4)`` broadcast."""
    o, i = np.asarray(outer, dtype=float), np.asarray(inner, dtype=float)
    turned = o[..., :3] @ i
    out = np.array(turned)
    out[..., 3] += o[..., 3]
    return out


def invert_frame(frame: ArrayLike) -> Array:
    """The outer frame seen from the inner one; same shape."""
    f = np.asarray(frame, dtype=float)
    back = np.swapaxes(f[..., :3], -1, -2)
    return np.concatenate([back, -(back @ f[..., 3:])], axis=-1)


def cross_product(a: Array, b: Array) -> Array:
    """The cross products of vectors ``(..., 3)``; quicker than NumPy's own for few."""
    x = a[..., 1] * b[..., 2] - a[..., 2] * b[..., 1]
    y = a[..., 2] * b[..., 0] - a[..., 0] * b[..., 2]
    z = a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0]
    return np.stack([x, y, z], axis=-1)


def line_frame(start: ArrayLike, end: ArrayLike, *, normal: ArrayLike = (0.0, 0.0, 1.0)) -> Array:
    """The frame ``(3, 4)`` whose x runs from ``start`` to ``end`` and whose z is the normal, made square to it.

    Raises ``ValueError`` for a line without length.
    """
    a, b, z = (np.asarray(v, dtype=float) for v in (start, end, normal))
    length = float(np.linalg.norm(b - a))
    if not length > 1e-9:
        raise ValueError("a crease needs two different points")
    x = (b - a) / length
    z = z - x * (z @ x)
    z = z / np.linalg.norm(z)
    return np.column_stack([x, np.cross(z, x), z, a])


def turn_frames(angle_rad: ArrayLike) -> Array:
    """Turns about the x axis, ``(n, 3, 4)``; quarter and half turns are exact."""
    angle = np.atleast_1d(np.asarray(angle_rad, dtype=float))
    return turned_about_x(np.broadcast_to(np.eye(3, 4), (len(angle), 3, 4)), angle)


def turned_about_x(frames: ArrayLike, angle_rad: Array) -> Array:
    """Frames ``(n, 3, 4)``, each turned about its own x axis by an angle ``(n,)``; quarter and half turns are exact."""
    out = np.array(frames, dtype=float)
    quarters = angle_rad / (math.pi / 2)
    whole = np.round(quarters)
    near = np.abs(quarters - whole) < 1e-13
    cos, sin = np.cos(angle_rad), np.sin(angle_rad)
    if near.any():
        cos, sin = np.where(near, np.round(cos), cos), np.where(near, np.round(sin), sin)
    y, z = out[..., 1].copy(), out[..., 2].copy()
    cos, sin = cos[:, None], sin[:, None]
    out[..., 1] = cos * y + sin * z
    out[..., 2] = cos * z - sin * y
    return out


def planar_frame(x: float, y: float, turn_rad: float, *, z: float = 0.0) -> Array:
    """The frame of a planar pose; quarter turns are exact."""
    cos, sin = round(math.cos(turn_rad), 15), round(math.sin(turn_rad), 15)
    return np.array([[cos, -sin, 0.0, x], [sin, cos, 0.0, y], [0.0, 0.0, 1.0, z]])


def turned_over(x: float, y: float, *, axis: str = "y", z: float = 0.0) -> Array:
    """The frame of a sheet laid face down: turned half about its own x or y axis, its origin at (x, y)."""
    frame = np.diag([-1.0, 1.0, -1.0]) if axis == "y" else np.diag([1.0, -1.0, -1.0])
    return np.column_stack([frame, [x, y, z]])
