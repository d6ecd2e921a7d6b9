"""Rectangles that can be bought, and foam by thickness."""

from __future__ import annotations

import math
from dataclasses import dataclass

LARGEST_MM = 20_000.0


def check_positive(subject: str, **values: float) -> None:
    """Raises ``ValueError`` unless every value is a finite number above zero (NaN fails by the comparison)."""
    for name, value in values.items():
        if not 0 < value < math.inf:
            raise ValueError(f"{subject}: {name} must be above 0, not {value}")


@dataclass(frozen=True, slots=True)
class Size:
    """One size in mm, stored upright (``width`` is the shorter side). ``envelopes`` are ids, best first; ``of`` is what a sheet is made of
    (“paper”, “foam”, “film”; empty for any), and a ``roll`` is cut off as long as it is needed."""

    id: str
    name: str
    width_mm: float
    height_mm: float
    envelopes: tuple[str, ...] = ()
    of: str = ""
    roll: bool = False

    def __post_init__(self) -> None:
        if self.of not in ("", "paper", "foam", "film"):
            raise ValueError(f"{self.id}: of must be paper, foam or film, not {self.of}")
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


@dataclass(frozen=True, slots=True)
class Offcut:
    """A piece of a stock that was left over: its outline as points in mm, and how many there are."""

    id: str
    name: str
    stock: str
    outline: tuple[tuple[float, float], ...]
    count: int = 1
    colour: str = ""

    def __post_init__(self) -> None:
        if len(self.outline) < 3 or not all(math.isfinite(v) and abs(v) <= LARGEST_MM for point in self.outline for v in point):
            raise ValueError(f"{self.id}: an outline is three points or more, within {LARGEST_MM:g} mm")
        if not 0 <= self.count <= 10_000:
            raise ValueError(f"{self.id}: there are 0 to 10000 of it")


@dataclass(frozen=True, slots=True)
class Price:
    """What one costs: ``each``, and for what is bought in sheets or by length ``of`` which sheet (another size costs by its area)."""

    id: str
    name: str
    each: float
    of: str = ""

    def __post_init__(self) -> None:
        if not 0 <= self.each < 1e6:
            raise ValueError(f"{self.id}: a price is 0 or more, not {self.each}")
