"""When border points of one part cross the border of another, and what is looked at for it: scenes, moments, crossings."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from lexipod.assembly import Part
from lexipod.checks.examination import Examination
from lexipod.checks.holding import part_sag
from lexipod.geometry.frames import Array, apply_pose

LARGEST_STEP_MM = 1.0


HALVINGS = 5
HOLDS_MM = 0.5
"""Less of an overlap holds nothing: it is looked at that much before two parts meet, or after they part (our own judgement)."""


HELD_AT = 5


FAR_MM = 1e6


@dataclass(frozen=True, slots=True)
class Scene:
    """One mechanism that moves; another one may be ``held`` at a position of its travel, all others are at rest."""

    examination: Examination
    moving: str
    held: tuple[str, int] = ("", 0)

    def poses(self, part: Part) -> Array:
        """Poses of a part ``(n, 3)`` while the mechanism moves; ``(1, 3)`` for what does not."""
        poses = self.examination.poses(part.id)
        if len(poses) == 1 or part.mechanism == self.moving:
            return poses
        still = self._position(part, 0)
        return poses[still : still + 1]

    def region(self, part: Part, step: int) -> Any:
        """The region of a part on the card at a position of the mechanism's travel."""
        regions = self.examination.regions(part.id)
        return regions[min(self._position(part, step), len(regions) - 1)]

    def _position(self, part: Part, step: int) -> int:
        """Where on its own travel a part is while the mechanism is at ``step``."""
        return step if part.mechanism == self.moving else self.held[1] if part.mechanism == self.held[0] else 0

    def travel(self, step: int) -> float:
        """The travel at a position."""
        travel = self.examination.track(self.moving).travel
        return float(travel[min(step, len(travel) - 1)])

    @property
    def also_at(self) -> tuple[tuple[str, float], ...]:
        """Where the other mechanism is held."""
        name, position = self.held
        return ((name, float(self.examination.track(name).travel[position])),) if name else ()


def find_scenes(examination: Examination, lower: Part, upper: Part) -> Iterator[Scene]:
    """How two parts are looked at: of two that different mechanisms move, each while the other one is held at some of its positions."""
    moving = [p for p in (lower, upper) if len(examination.poses(p.id)) > 1]
    if len({p.mechanism for p in moving}) < 2:
        mover = moving[0] if moving else lower
        if examination.assembly.drive_of(mover.mechanism) is not None:
            yield Scene(examination, mover.mechanism)
        return
    for one, other in (moving, moving[::-1]):
        poses, box = examination.poses(other.id), examination.swept_box(one.id)
        for position in np.unique(np.linspace(0, len(poses) - 1, HELD_AT).round().astype(int)).tolist():
            corners = apply_pose(poses[position], other.outline)
            if (corners.min(axis=0) <= box[2:]).all() and (corners.max(axis=0) >= box[:2]).all():
                yield Scene(examination, one.mechanism, (other.mechanism, position))


@dataclass(frozen=True, eq=False)
class Crossings:
    """Moments at which border points of ``part`` cross the border of ``other``: which ``points`` (part frame), ``where`` they are just outside
    it (frame of the other), in which ``step``; the poses a little ``before`` they meet (or after they part), and how far both are from what
    holds them."""

    part: Part
    other: Part
    gap: float
    poses: Array
    target: Any
    points: Array
    where: Array
    step: NDArray[np.int64]
    before: Array
    reach_part: Array
    reach_other: Array

    def sags(self, shared: Array) -> Array:
        """How far both sag together where what they share is ``shared`` away, ``(n,)``."""
        return part_sag(self.part, np.minimum(self.reach_part, shared)) + part_sag(self.other, np.minimum(self.reach_other, shared))

    def only(self, picked: NDArray[np.bool_]) -> Crossings:
        """Some of them."""
        rows = {n: getattr(self, n)[picked] for n in ("points", "where", "step", "before", "reach_part", "reach_other")}
        return replace(self, **rows)


@dataclass(frozen=True, eq=False)
class Moments:
    """Between which positions (``step`` and the next of ``count``) border points (``which``) of one part pass the border of the other, and
    whether they leave it or come in."""

    step: NDArray[np.int64]
    which: NDArray[np.int64]
    leaves: NDArray[np.bool_]
    count: int

    def only(self, picked: NDArray[np.bool_]) -> Moments:
        """Some of them."""
        return Moments(self.step[picked], self.which[picked], self.leaves[picked], self.count)

    def at(self, out: int) -> NDArray[np.int64]:
        """Positions just outside (``out`` 0), one farther out (1), just inside (-1), one deeper in (-2)."""
        return np.clip(np.where(self.leaves, self.step + 1 + out, self.step - out), 0, self.count - 1)


def find_moments(inside: NDArray[np.bool_]) -> Moments:
    """All of them, from whether points are inside at each position, ``(positions, points)``."""
    step, which = np.nonzero(inside[1:] != inside[:-1])
    return Moments(step, which, inside[step, which], len(inside))


def narrow_down(other: Part, points: Array, outer: Array, inner: Array) -> tuple[Array, Array]:
    """Poses ``(n, 3)`` just before and just after each point crosses the border, by halving the step in which it does."""
    for _ in range(HALVINGS):
        middle = (outer + inner) / 2
        inside = contains(other.region, lay_each(middle, points))[:, None]
        outer, inner = np.where(inside, outer, middle), np.where(inside, middle, inner)
    return outer, inner


def lay_each(poses: Array, points: Array) -> Array:
    """Each point ``(n, 2)`` seen from outside at its own pose ``(n, 3)``."""
    return apply_pose(poses, points[:, None])[:, 0]


def a_little_back(poses: Array, farther: Array, reach_mm: float) -> Array:
    """Poses ``(n, 3)`` moved towards others by what an overlap must have to hold, or all the way where that is nearer."""
    change = farther - poses
    way = np.linalg.norm(change[:, :2], axis=1) + reach_mm * np.abs(change[:, 2])
    return np.asarray(poses + np.minimum(1.0, HOLDS_MM / np.maximum(way, 1e-9))[:, None] * change)


def contains(target: Any, points: Array) -> NDArray[np.bool_]:
    """Which points ``(..., 2)`` lie in a region: only those in its box are asked one by one."""
    shapely.prepare(target)
    left, bottom, right, top = target.bounds
    x, y = points[..., 0], points[..., 1]
    inside = np.asarray((x >= left) & (x <= right) & (y >= bottom) & (y <= top))
    inside[inside] = shapely.contains_xy(target, x[inside], y[inside])
    return inside


def close_enough(poses: Array, reach_mm: float) -> NDArray[np.int64]:
    """Positions, the first and the last among them, between which nothing goes further than a millimetre where that can be had."""
    way = np.linalg.norm(np.diff(poses[:, :2], axis=0), axis=1) + reach_mm * np.abs(np.diff(poses[:, 2]))
    stride = max(1, int(LARGEST_STEP_MM / max(float(way.max()), 1e-9)))
    return np.unique(np.r_[0 : len(poses) : stride, len(poses) - 1])


def way_to_next_inside(points: Array, inside: NDArray[np.bool_], which: NDArray[np.int64]) -> Array:
    """For some border points ``which`` of one part, each with the row of ``inside`` of its position: how far the next border point is that
    lies over the other part then, ``(n,)``; a great length where there is none."""
    away = np.linalg.norm(points[:, None] - points[None], axis=2)
    return np.asarray(np.where(inside, away[which], FAR_MM).min(axis=1))
