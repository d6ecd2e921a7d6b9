"""Rectangles that can be bought, and foam by thickness."""

from __future__ import annotations

import math
from dataclasses import dataclass


def check_positive(subject: str, **values: float) -> None:
    """Raises ``ValueError`` unless every value is a finite number above zero (NaN fails by the comparison)."""
    for name, value in values.items():
        if not 0 < value < math.inf:
            raise ValueError(f"{subject}: {name} must be above 0, not {value}")


@dataclass(frozen=True, slots=True)
class Size:
    """One size in mm, stored upright (``width`` is the shorter side). ``envelopes`` are ids, best first."""

    id: str
    name: str
    width_mm: float
    height_mm: float
    envelopes: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        check_positive(self.id, width=self.width_mm, height=self.height_mm)
        if self.width_mm > self.height_mm:
            raise ValueError(f"{self.id}: give the shorter side as width")


@dataclass(frozen=True, slots=True)
class Foam:
    """A foam tape, pad or sheet; ``thickness_mm`` is nominal."""

    id: str
    name: str
    thickness_mm: float

    def __post_init__(self) -> None:
        check_positive(self.id, thickness=self.thickness_mm)
