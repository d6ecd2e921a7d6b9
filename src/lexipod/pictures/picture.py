"""A picture as plain values, whatever file it came from."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import shapely

from lexipod.design.items import MOST_CORNERS, MOST_RINGS
from lexipod.geometry.frames import Array

LEAST_SPECK = 2e-4
"""A spot or hole of an outline smaller than this share of the picture's box is left out of it."""
COARSE = 0.002
"""An outline leaves what is painted by at most this share of the picture's size."""


@dataclass(frozen=True, eq=False)
class Picture:
    """Filled ``regions`` with their colours (``#rrggbb`` or ``#rrggbbaa``) in a box of ``width`` by ``height`` user units, y up; or
    ``pixels``, a PNG or JPEG that fills the box. ``told`` says what of the file cannot be shown."""

    width: float
    height: float
    regions: tuple[tuple[Any, str], ...] = ()
    pixels: bytes = b""
    silhouette: Any = None
    told: tuple[str, ...] = ()

    @property
    def proportion(self) -> float:
        """Width over height."""
        return self.width / self.height

    @cached_property
    def painted(self) -> Any:
        """What of the box is painted, as one region of user units."""
        if self.silhouette is not None:
            return self.silhouette
        box = shapely.box(0, 0, self.width, self.height)
        return box if self.pixels else shapely.intersection(shapely.union_all([shapely.make_valid(r) for r, _ in self.regions]), box)

    @cached_property
    def outline_rings(self) -> tuple[tuple[tuple[float, float], ...], ...]:
        """The outline of what is painted, as rings of shares of the box; none where all of the box is. As fine as an item can keep: what
        has very many pieces is closed over small gaps, or else outlined by all that it lies in."""
        for coarser in (1, 2, 4, 8, 16, 32):
            rings = self._rings(COARSE * coarser * max(self.width, self.height))
            if len(rings) <= MOST_RINGS and sum(len(r) for r in rings) <= MOST_CORNERS:
                return rings
        return (_shares(shapely.get_coordinates(self.painted.convex_hull.exterior)[:-1], self.width, self.height)[:MOST_CORNERS],)

    def _rings(self, grain: float) -> tuple[tuple[tuple[float, float], ...], ...]:
        """The rings with gaps closed that are narrower than a ``grain``."""
        whole = self.width * self.height
        closed = shapely.simplify(self.painted, grain / 4).buffer(grain / 2, quad_segs=4).buffer(-grain / 2, quad_segs=4)
        region = shapely.simplify(closed, grain)
        if shapely.box(0, 0, self.width, self.height).difference(region).area < 4e-3 * whole:
            return ()
        rings = []
        for piece in shapely.get_parts(region):
            if piece.geom_type == "Polygon" and piece.area > LEAST_SPECK * whole:
                rings += [piece.exterior, *(h for h in piece.interiors if shapely.Polygon(h).area > LEAST_SPECK * whole)]
        if not rings and not region.is_empty:  # nothing but specks: what they lie in
            hull = region.convex_hull
            rings = [hull.exterior] if hull.geom_type == "Polygon" else []
        return tuple(_shares(shapely.get_coordinates(ring)[:-1], self.width, self.height) for ring in rings)


def _shares(points: Array, width: float, height: float) -> tuple[tuple[float, float], ...]:
    return tuple((round(float(x / width), 4), round(float(y / height), 4)) for x, y in points)


__all__ = ["Picture"]
