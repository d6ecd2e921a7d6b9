"""Positions of closed loops along a travel, by Newton on all asked positions at once.

The way there: a few knots on a fixed grid are marched from home outwards (so that the answer does not depend on how many
positions are asked), Hermite pieces through the knots start the asked positions, and Newton finishes them as one batch.
"""

from __future__ import annotations

import math
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from lexipod.geometry.frames import Array

RESIDUAL_MM = 1e-8
_KNOTS = 16
_HALVINGS = 10
_MOST_STEPS = 25
_MARCH_STEPS = 10
_PARTS = 8

Knot = tuple[float, Array, Array]
"""A solved position on the way from home: travel, unknowns, and their slope over the travel."""
March = tuple[Array, Array, Array, tuple[float | None, float | None]]
"""All knots: travels ``(k,)``, slopes and unknowns ``(k, u)``, and the dead points below and above home."""


class Equations(Protocol):
    """What can be marched: rows that must be zero, ``rows`` of which are independent, and where it starts."""

    rows: Array
    home_square: Array
    march: March | None

    @property
    def home_travel(self) -> float:
        """The travel at home."""

    @property
    def span(self) -> float:
        """The length of the designed travel; knots stand a sixteenth of it apart."""

    @property
    def scaled_home(self) -> Array:
        """The unknowns at home, ``(u,)``."""

    def residual_and_jacobian(self, q: Array, travel: Array) -> tuple[Array, Array]:
        """Rows ``(n, m)`` and their derivatives ``(n, m, u)`` at unknowns ``(n, u)`` and travels ``(n,)``."""

    def forcing(self, q: Array, travel: Array) -> Array:
        """Minus the derivative of the independent rows by the travel, ``(n, u)``."""

    def is_meant(self, square: Array) -> NDArray[np.bool_]:
        """Whether every loop is assembled as at home, at Jacobians ``(n, u, u)`` of the independent rows."""


def solve_positions(equations: Equations, travel: Array, *, low: float, high: float) -> tuple[Array, Array, Array, Array]:
    """Unknowns ``(n, u)``, residuals ``(n,)``, square Jacobians and whether the branch is the one that is meant, at the travels.

    The march from home to ``low`` and ``high`` is done once and kept with the equations.
    """
    if equations.march is None:
        equations.march = march_from_home(equations, low, high)
    knots, slopes, values, _ = equations.march
    q, residual, square = newton(equations, _hermite(knots, values, slopes, np.clip(travel, knots[0], knots[-1])), travel)
    return q, residual, square, np.asarray((residual < RESIDUAL_MM) & equations.is_meant(np.where(np.isfinite(square), square, 0.0)))


def newton(equations: Equations, start: Array, travel: Array, *, most: int = _MOST_STEPS) -> tuple[Array, Array, Array]:
    """Newton on rows that are independent at home; the residuals of *all* rows, ``(n,)``, and the last square Jacobians."""
    q = start.copy()
    with np.errstate(invalid="ignore", over="ignore"):
        for _ in range(most):
            residual, jacobian = equations.residual_and_jacobian(q, travel)
            worst = np.abs(residual).max(axis=1)
            square = jacobian[:, equations.rows]
            if not (worst > RESIDUAL_MM / 1000).any():
                break
            step = _solve(square, residual[:, equations.rows])
            size = np.abs(step).max(axis=1, keepdims=True)
            q = q - step * np.minimum(1.0, 20.0 / np.maximum(size, 1e-300))
        else:
            residual, jacobian = equations.residual_and_jacobian(q, travel)
            worst, square = np.abs(residual).max(axis=1), jacobian[:, equations.rows]
    return q, np.where(np.isfinite(worst), worst, np.inf), square


def _solve(matrix: Array, right: Array) -> Array:
    try:
        return np.asarray(np.linalg.solve(matrix, right[..., None])[..., 0], dtype=float)
    except np.linalg.LinAlgError:
        nudged = matrix + 1e-9 * np.eye(matrix.shape[-1])
        return np.asarray(np.linalg.solve(nudged, right[..., None])[..., 0], dtype=float)


def _slopes(equations: Equations, square: Array, q: Array, travel: Array) -> Array:
    """dq/ds at solved positions ``(n, u)``."""
    return _solve(square, equations.forcing(q, travel))


def _home_knot(equations: Equations) -> Knot:
    home, start = equations.home_travel, equations.scaled_home
    return home, start, _slopes(equations, equations.home_square[None], start[None], np.array([home]))[0]


def _is_jump(change: Array, expected: Array) -> Array:
    """Whether steps ``(n, u)`` differ from what the slopes foretold by more than a smooth motion would."""
    jump: Array = np.abs(change - expected).max(axis=1) > 0.5 * np.abs(expected).max(axis=1) + 1.0
    return jump


def march_from_home(equations: Equations, low: float, high: float) -> March:
    """Knots from home down to ``low`` and up to ``high``."""
    grid = max(equations.span, 1e-6) / _KNOTS
    sides = [_march_side(equations, grid, direction, limit) for direction, limit in ((-1.0, low), (1.0, high))]
    (below, dead_low), (above, dead_high) = sides
    knots = [*reversed(below), _home_knot(equations), *above]
    return (np.array([k[0] for k in knots]), np.array([k[2] for k in knots]), np.array([k[1] for k in knots]), (dead_low, dead_high))


def _march_side(equations: Equations, grid: float, direction: float, limit: float) -> tuple[list[Knot], float | None]:
    """Knots from home to ``limit``, and the dead point before it, if there is one.

    All that is left is tried as one batch from the last knot; what holds together becomes knots. Where nothing does, the next
    interval is cut in eight, until it is too small to matter: there the loop comes to its end.
    """
    knot = _home_knot(equations)
    home, knots = knot[0], list[Knot]()
    ahead = home + direction * grid * np.arange(1, math.ceil(abs(limit - home) / grid - 1e-9) + 1, dtype=np.float64)
    ahead = np.minimum(ahead, limit) if direction > 0 else np.maximum(ahead, limit)
    while len(ahead):
        held = _advance(equations, knot, ahead)
        if held:
            knots += held
            knot = held[-1]
            ahead = ahead[len(held) :]
        elif abs(ahead[0] - knot[0]) < grid / 2**_HALVINGS:
            return knots, knot[0]
        else:
            ahead = np.concatenate([np.linspace(knot[0], ahead[0], _PARTS + 1)[1:-1], ahead])
    return knots, None


def _advance(equations: Equations, knot: Knot, ahead: Array) -> list[Knot]:
    """The positions ahead of a knot, as far as they follow from one another smoothly."""
    s, q, slope = knot
    found, residual, square = newton(equations, q + (ahead - s)[:, None] * slope, ahead, most=_MARCH_STEPS)
    good: NDArray[np.bool_] = np.asarray(residual < RESIDUAL_MM) & equations.is_meant(np.where(np.isfinite(square), square, 0.0))
    count = len(ahead) if good.all() else int(np.argmin(good))
    if not count:
        return []
    slopes = _slopes(equations, square[:count], found[:count], ahead[:count])
    changes = np.diff(np.vstack([q, found[:count]]), axis=0)
    widths = np.diff(np.concatenate([[s], ahead[:count]]))[:, None]
    jumps = _is_jump(changes, (np.vstack([slope, slopes[:-1]]) + slopes) / 2 * widths)
    count = count if not jumps.any() else int(np.argmax(jumps))
    return list(zip(ahead[:count].tolist(), found[:count], slopes[:count], strict=True))


def _hermite(knots: Array, values: Array, slopes: Array, at: Array) -> Array:
    if len(knots) == 1:
        return values[0] + (at - knots[0])[:, None] * slopes[0]
    k = np.clip(np.searchsorted(knots, at) - 1, 0, len(knots) - 2)
    width = (knots[k + 1] - knots[k])[:, None]
    t = (at - knots[k])[:, None] / width
    return (
        values[k] * (1 + 2 * t) * (1 - t) ** 2
        + slopes[k] * width * t * (1 - t) ** 2
        + values[k + 1] * t**2 * (3 - 2 * t)
        + slopes[k + 1] * width * t**2 * (t - 1)
    )
