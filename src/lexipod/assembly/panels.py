"""Panels: what stays flat of a blank that is folded."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from lexipod.geometry.frames import Array
from lexipod.geometry.shapes import region_from

Point = tuple[float, float]
Point3 = tuple[float, float, float]


@dataclass(frozen=True, eq=False)
class Panel:
    """A piece of a sheet that stays flat while the sheet is folded.

    ``outline`` is in the frame of its sheet (z = 0 is the front face, the sheet lies towards -z), so that the panels of a sheet
    together are its cut layout. ``faces`` are the papers seen from front and back. What is ``flex`` bends on its way and is drawn
    as a plane. A ``base`` panel is a page of the card itself. What ``spins`` turns freely about its thread: it takes the room of
    a ball. ``stands_out`` allows it past the edge of the closed card. ``item`` is the id of the item that it is.
    """

    id: str
    name: str
    mechanism: str
    sheet: str
    outline: Array
    stock: str
    thickness_mm: float
    holes: tuple[Array, ...] = ()
    plies: int = 1
    faces: tuple[str, str] = ("paper", "paper")
    flex: bool = False
    base: bool = False
    spins: bool = False
    stands_out: bool = False
    item: str = ""

    def __post_init__(self) -> None:
        if len(self.outline) < 3 or not np.isfinite(self.outline).all():
            raise ValueError(f"{self.id}: an outline needs three finite points")
        if not 0 < self.thickness_mm < math.inf:
            raise ValueError(f"{self.id}: thickness must be above 0")
        if self.region.area < 1e-6:
            raise ValueError(f"{self.id}: nothing is left of it")

    @cached_property
    def region(self) -> Any:
        """The Shapely polygon in the frame of the sheet."""
        return region_from(self.outline, self.holes)

    @cached_property
    def corners(self) -> Array:
        """Vertices of outline and holes with z = 0, ``(n, 3)``."""
        flat = np.vstack([self.outline, *self.holes])
        return np.column_stack([flat, np.zeros(len(flat))])

    @cached_property
    def ball(self) -> tuple[Array, float]:
        """Middle ``(3,)`` of the panel's box and the greatest distance of a point of the panel from it."""
        middle = (self.outline.min(axis=0) + self.outline.max(axis=0)) / 2
        return np.append(middle, 0.0), float(np.linalg.norm(self.outline - middle, axis=1).max())
