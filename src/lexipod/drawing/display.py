"""Primitives of a drawing."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
import shapely

from lexipod.geometry.frames import Array

Anchor = Literal["left", "middle", "right"]


@dataclass(frozen=True, eq=False)
class Shape:
    """A closed region: ``rings`` are ``(n, 2)`` outlines, filled even-odd; pen or fill may be empty.

    A photograph is a region that shows its ``pixels`` (PNG or JPEG) between the corners of ``quad`` ``(4, 2)``: lower left, lower right,
    upper right, upper left. Who cannot show pixels fills it with the ``fill``.
    """

    rings: tuple[Array, ...]
    pen: str = ""
    fill: str = ""
    subject: str = ""
    pixels: bytes = b""
    quad: Array | None = None

    def mapped(self, place: Callable[[Array], Array]) -> Shape:
        """The same shape with all its points placed elsewhere."""
        quad = None if self.quad is None else place(self.quad)
        return replace(self, rings=tuple(place(ring) for ring in self.rings), quad=quad)


@dataclass(frozen=True, eq=False)
class Stroke:
    """An open polyline ``(n, 2)``."""

    points: Array
    pen: str
    subject: str = ""

    def __post_init__(self) -> None:
        if not self.pen:
            raise ValueError("a line that no pen draws")

    def mapped(self, place: Callable[[Array], Array]) -> Stroke:
        """The same line with all its points placed elsewhere."""
        return replace(self, points=place(self.points))


@dataclass(frozen=True, slots=True)
class Label:
    """One line of text with its baseline's anchor at a point; ``size_mm`` is the height of a line."""

    at: tuple[float, float]
    text: str
    size_mm: float = 3.2
    anchor: Anchor = "left"
    bold: bool = False
    subject: str = ""

    def mapped(self, place: Callable[[Array], Array]) -> Label:
        """The same words with their anchor placed elsewhere."""
        x, y = place(np.array([self.at]))[0]
        return replace(self, at=(float(x), float(y)))


Primitive = Shape | Stroke | Label


@dataclass(frozen=True, eq=False)
class Drawing:
    """Primitives in drawing order, in the box ``(left, bottom, right, top)`` in mm."""

    primitives: tuple[Primitive, ...]
    box: tuple[float, float, float, float]
    title: str = ""

    @property
    def size_mm(self) -> tuple[float, float]:
        return self.box[2] - self.box[0], self.box[3] - self.box[1]

    def shifted(self, dx: float, dy: float) -> Drawing:
        """The same drawing moved by (dx, dy)."""
        move = np.array([dx, dy])
        left, bottom, right, top = self.box
        items = tuple(p.mapped(lambda points: points + move) for p in self.primitives)
        return Drawing(items, (left + dx, bottom + dy, right + dx, top + dy), self.title)


_LIGHTER: dict[tuple[int, float], tuple[Array, Array]] = {}


def lighter_ring(ring: Array, detail_mm: float) -> Array:
    """A ring ``(n, 2)`` with fewer points that leaves it by at most ``detail_mm``; the same ring gets the same answer."""
    if detail_mm <= 0 or len(ring) < 12:
        return ring
    key = (id(ring), detail_mm)
    known = _LIGHTER.get(key)
    if known is not None and known[0] is ring:
        return known[1]
    made = shapely.get_coordinates(shapely.simplify(shapely.Polygon(ring), detail_mm).exterior)[:-1]
    made = made if len(made) >= 3 else ring
    if len(_LIGHTER) > 4000:
        _LIGHTER.clear()
    _LIGHTER[key] = (ring, made)
    return made


def lighter_shape(shape: Shape, detail_mm: float) -> Shape:
    """A shape with such rings."""
    return replace(shape, rings=tuple(lighter_ring(ring, detail_mm) for ring in shape.rings))
