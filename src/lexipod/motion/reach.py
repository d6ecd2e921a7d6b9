"""Why a position cannot be reached: which joint comes apart there, and by how much."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lexipod.geometry.frames import Array
from lexipod.motion.flat.system import System

_STIFF = 1000.0


@dataclass(frozen=True, slots=True)
class Shortfall:
    """At ``travel`` the joint's two points stay ``gap_mm`` apart, however the rest is laid."""

    joint: str
    travel: float
    gap_mm: float


def find_shortfall(system: System, travel: float) -> Shortfall | None:
    """What is missing at a travel that has no position; None when it has one.

    All joints share the gap first (least squares); the one that gives most is then let go and all others are held.
    """
    from scipy.optimize import least_squares  # it takes long to load, and is seldom needed

    def residual(q: Array, weights: Array) -> Array:
        rows, _ = system.residual_and_jacobian(q[None, :], np.array([travel]))
        return np.asarray(rows[0] * weights)

    def slope(q: Array, weights: Array) -> Array:
        _, jacobian = system.residual_and_jacobian(q[None, :], np.array([travel]))
        return np.asarray(jacobian[0] * weights[:, None])

    owners = np.array(system.row_joints)
    weights = np.ones(len(owners))
    weights[system.drive_row] = _STIFF
    start = system.scaled_home
    if system.march is not None:
        knots, _, values, _ = system.march
        start = values[int(np.argmin(np.abs(knots - travel)))]
    shared = least_squares(residual, start, jac=slope, args=(weights,), method="lm")
    gaps = np.abs(residual(shared.x, weights))
    if gaps.max() < 1e-6:
        return None
    pins = [j.id for j in (tie.joint for tie in system.ties) if j.kind == "pin"] or list(owners)
    joint = max(pins, key=lambda j: float(np.linalg.norm(gaps[owners == j])))
    weights = np.where(owners == joint, 1.0, _STIFF)
    weights[system.drive_row] = _STIFF
    alone = least_squares(residual, shared.x, jac=slope, args=(weights,), method="lm", x_scale="jac")
    gap = float(np.linalg.norm(residual(alone.x, np.ones(len(owners)))[owners == joint]))
    return Shortfall(joint, travel, gap)
