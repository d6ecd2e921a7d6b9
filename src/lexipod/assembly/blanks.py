"""Blanks: what is cut from one stock as one piece, with its scores and openings, and what thickness asks of it."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal

import numpy as np

from lexipod.geometry.frames import Array
from lexipod.geometry.shapes import region_from

Point = tuple[float, float]
Fold = Literal["mountain", "valley"]
Reason = Literal["creep", "crease", "gap", "band"]


@dataclass(frozen=True, slots=True)
class Crease:
    """A scored line of a blank between two of its panels, as seen from its front. A ``crisp`` crease stays as it was
    folded; a ``free`` one runs, and is worked both ways until limp. ``order`` is the step at which it is folded."""

    name: str
    start: Point
    end: Point
    fold: Fold
    panels: tuple[str, str]
    runs: Literal["crisp", "free"] = "crisp"
    order: int = 1

    @property
    def length_mm(self) -> float:
        return math.hypot(self.end[0] - self.start[0], self.end[1] - self.start[1])


ON_LINE_MM = 1e-6


@dataclass(frozen=True, slots=True)
class Move:
    """What lies on one side of an upright line of a blank moves along x by ``by_mm``: ``from`` the line on (the line itself too),
    ``after`` it, ``until`` it (the line too), or ``before`` it."""

    side: Literal["from", "after", "until", "before"]
    at_mm: float
    by_mm: float

    def shift(self, x: Array) -> Array:
        """How far points at ``x`` move."""
        beyond = {
            "from": x >= self.at_mm - ON_LINE_MM,
            "after": x > self.at_mm + ON_LINE_MM,
            "until": x <= self.at_mm + ON_LINE_MM,
            "before": x < self.at_mm - ON_LINE_MM,
        }[self.side]
        return np.where(beyond, self.by_mm, 0.0)

    def mirrored(self) -> Move:
        """The same on a blank that is reflected at x = 0."""
        other: dict[str, Literal["from", "after", "until", "before"]] = {"from": "until", "after": "before", "until": "from", "before": "after"}
        return Move(other[self.side], -self.at_mm, -self.by_mm)


@dataclass(frozen=True, slots=True)
class Allowance:
    """What a measure of a blank was changed by, and why: creep of a panel inside others, room for the crease itself, a gap left
    open, or the way of a band round a stack.

    ``of_mm`` is the measure without it. ``moves`` say how the blank is cut with it; without any the blank's outline has it already.
    """

    where: str
    amount_mm: float
    reason: Reason
    why: str
    of_mm: float = 0.0
    moves: tuple[Move, ...] = ()


@dataclass(frozen=True, slots=True)
class Seam:
    """Where one part goes over into another of the same blank: part ``a`` hangs on part ``b``, and both are one piece of paper.

    ``line`` is the crease, in the frame of ``b``, about which ``a`` was folded flat to where it is; without one both lie side by side
    in one plane. With ``gap_mm`` the paper is scored twice, that far apart, and goes round what lies between. ``order`` is the step at
    which it is folded.
    """

    a: str
    b: str
    line: tuple[Point, Point] | None = None
    name: str = ""
    gap_mm: float = 0.0
    runs: Literal["crisp", "free"] = "crisp"
    order: int = 1


@dataclass(frozen=True, slots=True)
class Trim:
    """An edge that is cut off only after the piece is in place: it is cut longer by ``extra_mm`` first."""

    edge: Literal["left", "right", "top", "bottom"]
    extra_mm: float
    why: str


@dataclass(frozen=True, eq=False)
class Blank:
    """A piece as it is cut and scored, its front up. ``outline`` and creases share one frame with the panels that it is folded into;
    ``laid`` says where panels lie that have a frame of their own: a map ``(2, 3)`` into the blank's frame, a reflection for one that
    shows its back once it is folded.

    ``slits`` are cuts inside it, ``guides`` are places on it that are not cut: where something is glued, drawn or stamped, each with
    what it is for. ``grain`` is the way its grain should run, ``allowances`` what its measures were changed by.
    ``apart`` are pieces of it that do not hang together with the rest: a blank that has any cannot be cut.
    """

    id: str
    name: str
    stock: str
    outline: Array
    panels: tuple[str, ...]
    holes: tuple[Array, ...] = ()
    creases: tuple[Crease, ...] = ()
    allowances: tuple[Allowance, ...] = ()
    plies: int = 1
    quantity: int = 1
    grain: str = ""
    note: str = ""
    guides: tuple[tuple[Array, str], ...] = field(default=())
    mechanism: str = ""
    slits: tuple[Array, ...] = ()
    trims: tuple[Trim, ...] = ()
    laid: dict[str, Array] = field(default_factory=dict)
    apart: tuple[Array, ...] = ()
    why_off: str = ""

    @cached_property
    def region(self) -> Any:
        """The Shapely polygon that is cut."""
        return region_from(self.outline, self.holes)

    @property
    def size_mm(self) -> tuple[float, float]:
        """Width and height of the box that is cut."""
        width, height = np.ptp(self.outline, axis=0)
        return float(width), float(height)

    def moved(self, to_new: Array) -> Blank:
        """The same blank in another frame; ``to_new`` is a rigid map ``(2, 3)``; one that reflects turns it over."""

        def ring(points: Array) -> Array:
            return points @ to_new[:, :2].T + to_new[:, 2]

        own = np.eye(2, 3)
        return replace(self._redrawn(ring), laid={panel: after(to_new, self.laid.get(panel, own)) for panel in self.panels})

    def as_cut(self) -> Blank:
        """The same blank with its allowances in it: outline, openings, scores and guides are where they are cut."""
        moves = [move for allowance in self.allowances for move in allowance.moves]
        if not moves:
            return self

        def ring(points: Array) -> Array:
            shift = sum((m.shift(points[:, 0]) for m in moves), np.zeros(len(points)))
            return np.column_stack([points[:, 0] + shift, points[:, 1]])

        return self._redrawn(ring)

    def _redrawn(self, ring: Callable[[Array], Array]) -> Blank:
        """The same blank with all its points ``(n, 2)`` mapped."""

        def point(p: Point) -> Point:
            x, y = ring(np.array([p], dtype=float))[0]
            return float(x), float(y)

        return replace(
            self,
            outline=ring(self.outline),
            holes=tuple(ring(h) for h in self.holes),
            creases=tuple(replace(c, start=point(c.start), end=point(c.end)) for c in self.creases),
            guides=tuple((ring(g), what) for g, what in self.guides),
            slits=tuple(ring(slit) for slit in self.slits),
            apart=tuple(ring(piece) for piece in self.apart),
        )

    def at_origin(self) -> Blank:
        """The same blank with the lower left corner of its box at the origin."""
        corner = self.outline.min(axis=0)
        return self.moved(np.column_stack([np.eye(2), -corner]))


def after(second: Array, first: Array) -> Array:
    """One map ``(2, 3)`` of the plane after another."""
    return np.column_stack([second[:, :2] @ first[:, :2], second[:, :2] @ first[:, 2] + second[:, 2]])
