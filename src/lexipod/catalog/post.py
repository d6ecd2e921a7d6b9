"""Carriers with their letter classes, and what rubs on what: data that change, each with its date or its source."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from lexipod.catalog.sizes import check_positive
from lexipod.units.lengths import parse_length

Range = tuple[float, float]


@dataclass(frozen=True, slots=True)
class LetterClass:
    """What a carrier takes as one class: ranges of the envelope's longer and shorter side and thickness (mm), mass (g), and the ratio of
    the sides, outside of which it is refused, or only what ``aspect_note`` says. ``uneven`` says what becomes of hard or uneven pieces
    (empty: not told), of which the thickness may differ by ``uneven_by_mm``."""

    name: str
    long_mm: Range
    short_mm: Range
    thickness_mm: Range
    grams: float
    aspect: Range | None = None
    aspect_note: str = ""
    uneven: str = ""
    uneven_by_mm: float = 1.0


@dataclass(frozen=True, slots=True)
class Carrier:
    """A postal service and its classes from the smallest up; ``dated`` is when the table was written."""

    id: str
    name: str
    dated: str
    source: str
    classes: tuple[LetterClass, ...]


@dataclass(frozen=True, slots=True)
class Friction:
    """The coefficient of static friction of a pair of materials."""

    id: str
    name: str
    friction: float

    def __post_init__(self) -> None:
        check_positive(self.id, friction=self.friction)


def read_carrier(key: str, row: dict[str, Any]) -> Carrier:
    """A carrier from a row of the tables; ``KeyError``, ``TypeError`` or ``ValueError`` for what is wrong with it."""
    classes = tuple(_letter_class(key, dict(each)) for each in row.pop("classes"))
    if not classes:
        raise ValueError(f"{key}: a carrier needs a class")
    return Carrier(key, row.pop("name"), str(row.pop("dated")), row.pop("source"), classes)


def _letter_class(key: str, row: dict[str, Any]) -> LetterClass:
    def span(name: str) -> Range:
        low, high = (parse_length(v, default_unit=None) if isinstance(v, str) else float(v) for v in row.pop(name))
        if not 0 < low < high:
            raise ValueError(f"{key}: {name} must be from a smaller to a larger length")
        return low, high

    aspect = row.pop("aspect", None)
    uneven_by = row.pop("uneven_by", "1 mm")
    made = LetterClass(
        row.pop("name"),
        span("long"),
        span("short"),
        span("thickness"),
        float(row.pop("grams")),
        None if aspect is None else (float(aspect[0]), float(aspect[1])),
        row.pop("aspect_note", ""),
        row.pop("uneven", ""),
        parse_length(uneven_by, default_unit=None),
    )
    if row:
        raise ValueError(f"{key}: a class has no {', '.join(row)}")
    check_positive(key, grams=made.grams)
    return made


def read_friction(key: str, row: dict[str, Any]) -> Friction:
    """A pair of materials from a row of the tables."""
    return Friction(key, row.pop("name"), float(row.pop("friction")))
