"""A card laid along a pull: the trade measures a pulled mechanism from the far edge, whichever way it leaves the card."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import ArrayLike

from lexipod.geometry.shapes import region_from, rounded_rectangle

EXITS = ("right", "left", "up", "down")


@dataclass(frozen=True, slots=True)
class Lay:
    """The card laid along the pull: ``length`` by ``breadth``, and the way back to the card's frame."""

    exit: str
    width: float
    height: float

    @property
    def length(self) -> float:
        return self.width if self.exit in ("right", "left") else self.height

    @property
    def breadth(self) -> float:
        return self.height if self.exit in ("right", "left") else self.width

    def point(self, u: float, v: float) -> tuple[float, float]:
        return {"right": (u, v), "left": (self.width - u, v), "up": (v, u), "down": (v, self.height - u)}[self.exit]

    @property
    def along(self) -> tuple[float, float]:
        return {"right": (1.0, 0.0), "left": (-1.0, 0.0), "up": (0.0, 1.0), "down": (0.0, -1.0)}[self.exit]

    @property
    def across(self) -> tuple[float, float]:
        return (0.0, 1.0) if self.exit in ("right", "left") else (1.0, 0.0)

    def region(self, outline: ArrayLike) -> Any:
        """A region in the card's frame from an outline in (u, v)."""
        u, v = np.asarray(outline, dtype=float).T
        x, y = {"right": (u, v), "left": (self.width - u, v), "up": (v, u), "down": (v, self.height - u)}[self.exit]
        return region_from(np.column_stack([x, y]))

    def notch(self, middle: float, depth_mm: float, half_mm: float) -> Any:
        """A round finger notch in the edge of exit, in the card's frame; it reaches past the edge, so that nothing is left there."""
        if depth_mm < 0.5:
            return shapely.Polygon()
        far = self.length + depth_mm + 5.0
        outline = rounded_rectangle(self.length - depth_mm, middle - half_mm, far, middle + half_mm, radius_mm=min(depth_mm, half_mm))
        return self.region(outline)
