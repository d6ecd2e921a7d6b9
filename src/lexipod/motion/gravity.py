"""Riders that slide when the card is tilted: where a rider comes to rest.

Coulomb's friction: the rider goes on while its weight along the track is more than friction allows on the track's side and
on the card. Source: any text on statics; on an upright arc it rests where the slope's tangent is the coefficient.
"""

from __future__ import annotations

import math

import numpy as np

from lexipod.geometry.frames import Array


def gravity_in_card(turn_deg: float, lean_deg: float = 0.0) -> tuple[float, float, float]:
    """The direction of gravity in the card's frame when an upright card is turned in its plane (counter-clockwise as the reader
    sees it) and leant back from the upright."""
    turn, lean = math.radians(turn_deg), math.radians(lean_deg)
    return (-math.sin(turn) * math.cos(lean), -math.cos(turn) * math.cos(lean), -math.sin(lean))


def pull_along(way: Array, gravity: tuple[float, float, float], friction: float) -> Array:
    """What pulls a rider on along its way ``(n, 2)`` at each position, in units of its weight: above 0 towards the end, below 0
    towards the start, 0 where friction holds it; ``(n,)``."""
    tangent = np.gradient(way, axis=0)
    tangent = tangent / np.maximum(np.linalg.norm(tangent, axis=1, keepdims=True), 1e-12)
    along = tangent @ np.asarray(gravity[:2])
    side = np.abs(tangent[:, 0] * gravity[1] - tangent[:, 1] * gravity[0])
    holds = friction * (side + abs(gravity[2]))
    return np.where(np.abs(along) > holds + 1e-12, along - np.sign(along) * holds, 0.0)


def find_rest(travel: Array, way: Array, gravity: tuple[float, float, float], *, friction: float, start: float) -> float:
    """The travel at which a rider let go at ``start`` comes to rest, without swinging on past it.

    ``way`` ``(n, 2)`` are its places in the card's frame at ``travel`` ``(n,)``, equally spaced or not.
    """
    pull = pull_along(way, gravity, friction)
    k = int(np.argmin(np.abs(travel - start)))
    direction = int(np.sign(pull[k]))
    if not direction:
        return float(start)
    while 0 <= k + direction < len(travel) and np.sign(pull[k + direction]) == direction:
        k += direction
    if not 0 <= k + direction < len(travel):
        return float(travel[k])
    here, there = abs(pull[k]), abs(min(0.0, pull[k + direction] * direction))
    share = here / (here + there) if there > 0 else 1.0
    return float(travel[k] + share * (travel[k + direction] - travel[k]))


def starting_slope_deg(friction: float) -> float:
    """The slope (degrees) at which something begins to slide: the angle of friction."""
    return math.degrees(math.atan(friction))
