"""An arm that a pull swings: where its pin is, which way the arm points, and which pin gives a swing that was asked for.

With a slot in the arm (or at its pivot) the pin runs on a line below the pivot, and lies at h / tan of the arm's angle; a swinging pull turns
a crank, by the law of cosines.
Source: plane trigonometry.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from lexipod.errors import ParameterError
from lexipod.recipes.kit.parameters import Values
from lexipod.recipes.kit.values import below, number, place

DEAD_DEG = 8.0
"""How far from its dead points an arm is kept that is to swing as far as was asked for."""
LEAST_WAY_MM = 20.0


@dataclass(frozen=True, slots=True)
class SwingLines:
    """Where the pin is at rest and at the end, and the arm's direction there (radians, from the pivot to the tip)."""

    pin: tuple[float, float]
    pin_end: tuple[float, float]
    arm_rest: float
    arm_end: float
    arm_middle: float


def is_swinging(values: Values) -> bool:
    """Whether the pull leans."""
    return values["drive_joint"] == "swinging-pull"


def lines(values: Values) -> SwingLines:
    """The closed form at rest and end; everything between is found by the solver."""
    (x, y), rest, travel = place(values, "pivot"), number(values, "rest_at"), number(values, "travel")
    if not is_swinging(values):
        h = number(values, "offset")
        pins = [(x + s, y - h) for s in (rest, rest + travel / 2, rest + travel)]
        turns = [math.atan2(h, -s) for s in (rest, rest + travel / 2, rest + travel)]
        return SwingLines(pins[0], pins[2], turns[0], turns[2], turns[1])
    c, d = number(values, "crank"), number(values, "collar_at")
    start = math.radians(number(values, "rest_angle"))
    long = pull_reach(values, number(values, "rest_angle")) - travel
    cos = (d * d + c * c - long * long) / (2 * d * c)
    last = math.acos(min(1.0, max(-1.0, cos)))
    pins = [(x + c * math.cos(-a), y + c * math.sin(-a)) for a in (start, last)]
    middle = (start + last) / 2
    return SwingLines(pins[0], pins[1], math.pi / 2 - start + middle, math.pi / 2 - last + middle, math.pi / 2)


def pull_reach(values: Values, crank_deg: float) -> float:
    """Swinging pull: from its pin to the collar, by the law of cosines."""
    c, d = number(values, "crank"), number(values, "collar_at")
    return math.sqrt(d * d + c * c - 2 * d * c * math.cos(math.radians(crank_deg)))


def swing_deg(values: Values) -> float:
    """How far the arm swings, from rest to end."""
    span = lines(values)
    return abs(math.degrees(span.arm_end - span.arm_rest))


def pins_for_swing(values: Values, wanted_deg: float, *, least_offset_mm: float, grid_mm: float) -> Values:
    """The pin's measures with which the arm swings so far about the middle that it has: where it rests, its travel, and for a wide swing
    how far below the pivot it runs. ``ParameterError`` where a swinging pull cannot."""
    half, dead = math.radians(wanted_deg / 2), math.radians(DEAD_DEG)
    if is_swinging(values):
        start, long = math.radians(number(values, "rest_angle")), pull_reach(values, number(values, "rest_angle"))
        c, d = number(values, "crank"), number(values, "collar_at")
        last = math.acos(min(1.0, max(-1.0, (d * d + c * c - (long - number(values, "travel")) ** 2) / (2 * d * c))))
        first = min(max((start + last) / 2 + half, 2 * half + dead), math.pi - dead)
        if first - 2 * half < dead - 1e-9:
            most = 180.0 - 2 * DEAD_DEG
            raise ParameterError("swing", f"between its dead points a swinging pull turns the arm by {most:.0f}° at most, not {wanted_deg:g}°")
        way = pull_reach(values, math.degrees(first)) - pull_reach(values, math.degrees(first - 2 * half))
        return {"rest_angle": round(math.degrees(first), 4), "travel": round(way, 4)}
    span, h = lines(values), number(values, "offset")
    middle = min(max((span.arm_rest + span.arm_end) / 2, half + dead), math.pi - half - dead)
    pins = [-h / math.tan(middle + sign * half) for sign in ((1, -1) if span.arm_rest > span.arm_end else (-1, 1))]
    way, travel, found = abs(pins[1] - pins[0]), number(values, "travel"), {}
    if way > travel:  # nearer to the pull a wider swing takes no longer way
        nearer = max(min(h, least_offset_mm), below(h * max(travel, LEAST_WAY_MM) / way, grid_mm))
        found, pins = {"offset": nearer}, [s * nearer / h for s in pins]
    return {**found, "rest_at": round(pins[0], 4), "travel": round(pins[1] - pins[0], 4)}
