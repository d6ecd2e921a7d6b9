"""Parts, zones on them, and handles for the decisions that shape them."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Literal

import numpy as np

from lexipod.assembly.blanks import Trim
from lexipod.geometry.frames import Array, apply_pose
from lexipod.geometry.shapes import region_from

Point = tuple[float, float]
Role = Literal["base", "moving", "cover", "spacer", "fastener", "decoration"]


@dataclass(frozen=True, eq=False)
class Part:
    """A cut piece. ``outline`` is in the part's own frame, ``home`` is that frame's pose in the card at the home position.

    ``z_mm`` is the height of its underside over the card's back, ``thickness_mm`` its own (all plies). ``through`` lists the
    levels in which it takes room beyond its own; ``joins`` names the part under it and the part over it; ``over`` names
    parts of the same level that lie under this one wherever they cross. ``stands_out`` allows it past the card's edge; what
    ``glides`` is meant to rest on what is under it while it moves. ``item`` is the id of the item that it is, if the maker put it there.
    ``slits`` are lines ``(n, 2)`` along which it is cut without taking anything out, ``trims`` edges that are cut off in place; what
    ``pierces_mm`` wide goes through a hole of that diameter in every layer that it passes, also in those that it holds. ``scraps``
    are pieces that its measures cut off and that would be lost: a part that has any cannot be cut in one piece. ``why_off`` is the reason
    why its measures need not lie on marks of the ruler.
    """

    id: str
    name: str
    mechanism: str
    role: Role
    level: float
    stock: str
    thickness_mm: float
    z_mm: float
    outline: Array
    home: tuple[float, float, float]
    holes: tuple[Array, ...] = ()
    plies: int = 1
    quantity: int = 1
    through: tuple[float, ...] = ()
    joins: tuple[str, ...] = ()
    over: tuple[str, ...] = ()
    stands_out: bool = False
    face: str = "paper"
    note: str = ""
    trims: tuple[Trim, ...] = ()
    pierces_mm: float = 0.0
    slits: tuple[Array, ...] = ()
    scraps: tuple[Array, ...] = ()
    why_off: str = ""
    glides: bool = False
    bought: bool = False
    item: str = ""

    def __post_init__(self) -> None:
        if len(self.outline) < 3 or not np.isfinite(self.outline).all():
            raise ValueError(f"{self.id}: an outline needs three finite points")
        if not 0 < self.thickness_mm < math.inf:
            raise ValueError(f"{self.id}: thickness must be above 0")

    @cached_property
    def region(self) -> Any:
        """The Shapely polygon in the part's own frame."""
        return region_from(self.outline, self.holes)

    @cached_property
    def region_at_home(self) -> Any:
        """The Shapely polygon in the card's frame at the home position."""
        return region_from(apply_pose(self.home, self.outline), [apply_pose(self.home, h) for h in self.holes])

    @cached_property
    def vertices(self) -> Array:
        """All vertices of outline and holes, ``(n, 2)`` in the part's own frame."""
        return np.vstack([self.outline, *self.holes])

    @cached_property
    def shape(self) -> tuple[bytes, ...]:
        """The content of outline and holes: parts with the same one are cut alike."""
        return tuple(np.ascontiguousarray(ring).tobytes() for ring in (self.outline, *self.holes))

    @cached_property
    def box(self) -> tuple[Array, Array]:
        """Lower left and upper right corner of the box round the part, in its own frame."""
        return self.outline.min(axis=0), self.outline.max(axis=0)

    @cached_property
    def is_convex(self) -> bool:
        """Whether the part has neither holes nor inward corners."""
        return not self.holes and self.region.convex_hull.area - self.region.area < 1e-6

    @cached_property
    def middle_and_reach(self) -> tuple[Array, float]:
        """The middle of the part's box, and the greatest distance of a point of the part from it."""
        middle = (self.box[0] + self.box[1]) / 2
        return middle, float(np.linalg.norm(self.outline - middle, axis=1).max())

    @cached_property
    def round_about(self) -> Array | None:
        """The point from which the corners of each of the part's borders are equally far, in its frame; None where there is none."""
        first, second, third = self.outline[[0, len(self.outline) // 3, 2 * len(self.outline) // 3]]
        rows = 2 * np.array([second - first, third - first])
        if abs(rows[0, 0] * rows[1, 1] - rows[0, 1] * rows[1, 0]) < 1e-9:
            return None
        middle = np.linalg.solve(rows, [second @ second - first @ first, third @ third - first @ first])
        radii = [np.linalg.norm(ring - middle, axis=1) for ring in (self.outline, *self.holes)]
        return middle if all(np.ptp(r) < 1e-5 for r in radii) else None

    @property
    def top_mm(self) -> float:
        return self.z_mm + self.thickness_mm

    @cached_property
    def levels(self) -> frozenset[float]:
        """Every level in which the part takes room."""
        return frozenset((self.level, *self.through))

    def shares_room(self, other: Part) -> bool:
        """Whether both take room in one level. What the maker put on takes room in the levels of all that lies at its height, and
        shares it only with what does."""
        if not self.levels & other.levels:
            return False
        return not (self.item or other.item) or (self.z_mm < other.top_mm - 1e-6 and other.z_mm < self.top_mm - 1e-6)

    @property
    def size_mm(self) -> tuple[float, float]:
        """Width and height of the bounding box in the part's own frame."""
        width, height = np.ptp(self.outline, axis=0)
        return float(width), float(height)


@dataclass(frozen=True, eq=False)
class Zone:
    """A polygon on one face of a part, in that part's frame. ``at`` gives the travel of each mechanism for which it holds."""

    part: str
    face: Literal["front", "back"]
    kind: Literal["glue", "foam", "keep-clear", "art", "reach", "grip", "held"]
    polygon: Array
    to: str = ""
    name: str = ""
    at: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Handle:
    """A decision that can be taken hold of: dragging by one mm along ``direction`` changes ``parameter`` by ``gain``.

    A point is dragged both ways: along ``direction`` for its x, along ``cross`` for its y. An angle is dragged round
    ``about``; ``gain`` is then its change for a degree counter-clockwise.

    ``span`` is the dimension line of the measure, in the card's frame; ``offset_mm`` shifts it sideways from what it
    measures, to where a ruler would lie. ``at`` is where the handle sits. ``stations`` are those that show it.
    """

    mechanism: str
    parameter: str
    label: str
    at: Point
    direction: Point
    gain: float
    span: tuple[Point, Point]
    offset_mm: float = 0.0
    stations: tuple[str, ...] = ("mechanism",)
    cross: Point | None = None
    about: Point | None = None


@dataclass(frozen=True, slots=True)
class Cue:
    """What tells the reader how to move it: an ``arrow`` or a ``word`` on the front of ``part``, in the part's frame, or ``none``
    on purpose. An arrow points along ``direction`` (part frame); one that turns is bent round ``about``."""

    mechanism: str
    part: str
    kind: Literal["arrow", "word", "none"]
    at: Point = (0.0, 0.0)
    direction: Point = (1.0, 0.0)
    about: Point | None = None
    word: str = ""
    size_mm: float = 8.0
