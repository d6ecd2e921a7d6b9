"""The card that everything stands on: its size, its two pages, its corners."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import shapely

from lexipod.geometry.shapes import circle, region_from

GATES = ("card.gate-left", "card.gate-right")
"""The doors of a gate card; with its scores at top and bottom, the upper and the lower one."""
Box = tuple[float, float, float, float]


@dataclass(frozen=True, slots=True)
class CardFrame:
    """The closed card: its lower left corner is the origin. ``caliper_mm`` is one ply of its stock. The front may be narrower than the back
    at the free edge by ``front_less_mm``; an inner card stands back by ``inner_mm``; ``corners_mm`` are rounded or clipped; a tag has a
    hole, its middle ``hole_from_mm`` below the top edge."""

    name: str
    title: str
    orientation: str
    width_mm: float
    height_mm: float
    fold: str
    base: str
    stock: str
    caliper_mm: float
    envelope: str | None
    envelope_mm: tuple[float, float] | None
    front_less_mm: float = 0.0
    inner_mm: float | None = None
    corners_mm: float = 0.0
    corner_cut: str = "round"
    hole_mm: float = 0.0
    hole_from_mm: float = 0.0

    @property
    def front_box(self) -> Box:
        """Left, bottom, right and top of the panel that mechanisms stand on."""
        less = self.front_less_mm
        return (0.0, 0.0, self.width_mm - less, self.height_mm) if self.fold == "left" else (0.0, less, self.width_mm, self.height_mm)


def card_region(card: CardFrame, box: Box) -> Any:
    """A panel of the card (left, bottom, right, top) with the corners that may be cut rounded or clipped."""
    left, bottom, right, top = box
    region, by = shapely.box(*box), min(card.corners_mm, (right - left) / 2, (top - bottom) / 2)
    for is_right, is_top in _cut_corners(card) if by > 0 else ():
        x, y = (right if is_right else left), (top if is_top else bottom)
        inner = (x - by if is_right else x + by), (y - by if is_top else y + by)
        square = shapely.box(min(x, inner[0]), min(y, inner[1]), max(x, inner[0]), max(y, inner[1]))
        if card.corner_cut == "round":
            kept = region_from(circle(inner, radius_mm=by))
        else:
            kept = shapely.Polygon([inner, (x, inner[1]), (inner[0], y)])
        region = shapely.difference(region, shapely.difference(square, kept))
    return region


def _cut_corners(card: CardFrame) -> tuple[tuple[bool, bool], ...]:
    """The corners (right?, top?) that may be cut: those at the free edge of a folded card, those at the top of a tag, else all."""
    if card.base == "folded":
        return ((True, False), (True, True)) if card.fold == "left" else ((False, False), (True, False))
    if card.base == "tag" and card.corner_cut == "clipped":
        return (False, True), (True, True)
    return () if card.base == "gate" else ((False, False), (True, False), (False, True), (True, True))
