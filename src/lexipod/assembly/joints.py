"""Joints between parts, the paths that pins follow, and drives.

Coordinates of a path: millimetres along a segment, degrees of polar angle on an arc.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike

from lexipod.geometry.frames import Array

Point = tuple[float, float]
JointKind = Literal["pin", "slot", "slide", "fixed"]


@dataclass(frozen=True, slots=True)
class Segment:
    """A straight path from ``start`` to ``end``; the coordinate is the distance in mm from the point ``zero_mm`` along it."""

    start: Point
    end: Point
    zero_mm: float = 0.0

    def __post_init__(self) -> None:
        if not self.length_mm > 0:
            raise ValueError("a path needs two different points")

    @property
    def length_mm(self) -> float:
        return math.hypot(self.end[0] - self.start[0], self.end[1] - self.start[1])

    @property
    def direction(self) -> Point:
        length = self.length_mm
        return ((self.end[0] - self.start[0]) / length, (self.end[1] - self.start[1]) / length)

    @property
    def limits(self) -> tuple[float, float]:
        return (-self.zero_mm, self.length_mm - self.zero_mm)

    def point_at(self, coordinate: ArrayLike) -> Array:
        """Points at coordinates ``(...)`` as ``(..., 2)``."""
        s = np.asarray(coordinate, dtype=float)[..., None] + self.zero_mm
        return np.asarray(self.start) + s * np.asarray(self.direction)

    def mirrored(self, width_mm: float = 0.0) -> Segment:
        """The path reflected at x = width / 2 of its frame."""
        return Segment((width_mm - self.start[0], self.start[1]), (width_mm - self.end[0], self.end[1]), self.zero_mm)


@dataclass(frozen=True, slots=True)
class Arc:
    """An exact circular path from ``start_deg`` to ``end_deg`` about ``centre``; the coordinate is the angle in degrees."""

    centre: Point
    radius_mm: float
    start_deg: float
    end_deg: float

    def __post_init__(self) -> None:
        if not 0 < self.radius_mm < math.inf:
            raise ValueError("an arc needs a radius above 0")
        if not 0 < abs(self.end_deg - self.start_deg) <= 360:
            raise ValueError("an arc spans more than 0 and at most 360 degrees")

    @property
    def limits(self) -> tuple[float, float]:
        return (min(self.start_deg, self.end_deg), max(self.start_deg, self.end_deg))

    def point_at(self, coordinate: ArrayLike) -> Array:
        """Points at angles in degrees ``(...)`` as ``(..., 2)``."""
        a = np.radians(np.asarray(coordinate, dtype=float))
        return np.asarray(self.centre) + self.radius_mm * np.stack([np.cos(a), np.sin(a)], axis=-1)

    def mirrored(self, width_mm: float = 0.0) -> Arc:
        """The path reflected at x = width / 2 of its frame."""
        return Arc((width_mm - self.centre[0], self.centre[1]), self.radius_mm, 180 - self.start_deg, 180 - self.end_deg)


Path = Segment | Arc


@dataclass(frozen=True, slots=True)
class Joint:
    """One joint of part ``a`` to part ``b``.

    ``pin``: ``at_a`` lies on ``at_b``. ``slot``: ``at_a`` lies on ``path_b``; ``turn`` says whether ``a`` may turn, keeps its
    angle to ``b`` or follows the tangent. ``slide``: a slot with ``turn`` fixed. ``fixed``: glued as they lie at home.
    ``ends`` says of both path ends whether they are a physical ``stop`` or ``open``. ``clearance_mm`` is the gap on each side
    of what runs in it; ``guide_mm`` the length over which a slide holds its angle. A part that runs round in another one
    without a hole of its own (a ring between straps) has a ``pin`` too.
    """

    id: str
    kind: JointKind
    a: str
    b: str
    at_a: Point = (0.0, 0.0)
    at_b: Point = (0.0, 0.0)
    path_b: Path | None = None
    ends: tuple[str, str] = ("open", "open")
    turn: Literal["free", "fixed", "tangent"] = "free"
    clearance_mm: float = 0.0
    guide_mm: float = 0.0

    def __post_init__(self) -> None:
        if self.a == self.b:
            raise ValueError(f"{self.id}: a joint ties two different parts")
        if (self.kind in ("slot", "slide")) != (self.path_b is not None):
            raise ValueError(f"{self.id}: slots and slides, and only they, have a path")
        if self.kind == "slide" and self.turn != "fixed":
            raise ValueError(f"{self.id}: a slide keeps its angle")


@dataclass(frozen=True, slots=True)
class Drive:
    """What the reader moves: the coordinate of ``joint`` goes from ``rest`` to ``end`` (mm, or degrees for turns).

    ``home`` is a position away from dead points at which the assembly is laid down. ``branch`` holds, loop by loop, the
    sign of the loop's Jacobian at home, which tells which of two assemblies is meant; the recipe may leave it empty.
    An ``endless`` turn has no stops: it goes round and round. ``detents`` are travels at which the reader is meant to halt.
    """

    mechanism: str
    joint: str
    part: str
    kind: Literal["slide", "turn", "open"]
    rest: float
    end: float
    home: float
    by: Literal["hand", "gravity", "page"] = "hand"
    branch: dict[str, int] = field(default_factory=dict)
    endless: bool = False
    detents: tuple[float, ...] = ()

    @property
    def unit(self) -> str:
        return "mm" if self.kind == "slide" else "deg"

    def coordinates(self, steps: int) -> Array:
        """``steps`` equally spaced coordinates from rest to end, both included."""
        if steps < 2:
            raise ValueError(f"a travel needs at least 2 steps, not {steps}")
        return np.linspace(self.rest, self.end, steps)
