"""Reading and filling in the values of a mechanism's parameters."""

from __future__ import annotations

import math

from lexipod.design import number_of
from lexipod.recipes.kit.parameters import Values

Point = tuple[float, float]


def number(values: Values, name: str) -> float:
    """A length, angle or count; ``pivot.x`` and ``pivot.y`` give one half of a place."""
    return number_of(values, name)


def count(values: Values, name: str) -> int:
    """A count."""
    return round(number_of(values, name))


def sized_count(values: Values, name: str, sized: int) -> int:
    """The decided count, or else the sized one."""
    values.setdefault(name, sized)
    return count(values, name)


def place(values: Values, name: str) -> Point:
    """A place on the card."""
    value = values[name]
    assert isinstance(value, tuple)
    return value


def keep(values: Values, name: str, sized: float, *, grid_mm: float = 1e-4) -> float:
    """The decided value, or else the sized one on the grid of the maker's ruler."""
    values.setdefault(name, round(round(sized / grid_mm) * grid_mm, 4))
    return number(values, name)


def keep_place(values: Values, name: str, x: float, y: float, *, grid_mm: float = 1e-4) -> Point:
    """The decided place, or else the sized one on the grid of the maker's ruler."""
    values.setdefault(name, (round(round(x / grid_mm) * grid_mm, 4), round(round(y / grid_mm) * grid_mm, 4)))
    return place(values, name)


def below(value: float, grid_mm: float) -> float:
    """The greatest mark of the ruler that is not above the value."""
    return math.floor(value / grid_mm + 1e-9) * grid_mm
