"""Punches and dies: the round, square and oval sizes that the maker owns."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from lexipod.catalog.sizes import check_positive
from lexipod.units import UnitStyle, parse_length

Shape = Literal["circle", "square", "oval", "rectangle"]
NEAR_MM = 13.0
"""What is further off than this is no choice: another opening would be another card."""
SAME_MM = 0.4
"""A punch that is no further off than this cuts what is asked for."""


@dataclass(frozen=True, slots=True)
class Punch:
    """One punch or die: the opening that it cuts, ``width_mm`` by ``height_mm`` (the same for circles and squares)."""

    id: str
    name: str
    shape: Shape
    width_mm: float
    height_mm: float

    def __post_init__(self) -> None:
        check_positive(self.id, width=self.width_mm, height=self.height_mm)
        if self.shape not in ("circle", "square", "oval", "rectangle"):
            raise ValueError(f"{self.id}: shape must be circle, square, oval or rectangle, not {self.shape}")
        if self.shape in ("circle", "square") and self.width_mm != self.height_mm:
            raise ValueError(f"{self.id}: a {self.shape} is as wide as high")


def nearest_punch(punches: Mapping[str, Punch], width_mm: float, height_mm: float, *, is_round: bool) -> tuple[Punch | None, Punch | None]:
    """The punch nearest to an opening, and the next one up from it, of the same shape (for the ring round it); None where there is none
    near."""
    shape = _shape_of(width_mm, height_mm, is_round=is_round)
    same = sorted((p for p in punches.values() if p.shape == shape), key=lambda p: (p.width_mm, p.height_mm))
    near = [p for p in same if max(abs(p.width_mm - width_mm), abs(p.height_mm - height_mm)) <= NEAR_MM]
    if not near:
        return None, None
    best = min(near, key=lambda p: (abs(p.width_mm - width_mm) + abs(p.height_mm - height_mm), p.width_mm))
    larger = [p for p in same if p.width_mm > best.width_mm + 1e-9 and p.height_mm > best.height_mm + 1e-9]
    return best, larger[0] if larger else None


def parse_punches(text: str, shape: Literal["circle", "square"], style: UnitStyle) -> list[Punch]:
    """Punches of one shape from sizes with commas between (“1, 1 1/2, 2 in”); the last unit, or the maker's, counts for those without one.

    Raises ``MeasureError`` for what is no length.
    """
    words = [w.strip() for w in text.split(",") if w.strip()]
    unit = next((u for u in ("mm", "cm", "in") if words and words[-1].endswith(u)), style.unit)
    sizes = sorted({round(parse_length(f"{w} {unit}" if w[-1].isdigit() else w), 4) for w in words})
    return [Punch(f"{shape}-{k + 1}", f"{shape} {style.length(size)}", shape, size, size) for k, size in enumerate(sizes)]


def _shape_of(width_mm: float, height_mm: float, *, is_round: bool) -> Shape:
    if abs(width_mm - height_mm) < SAME_MM:
        return "circle" if is_round else "square"
    return "oval" if is_round else "rectangle"


__all__ = ["NEAR_MM", "SAME_MM", "Punch", "nearest_punch", "parse_punches"]
