"""Riders moved by tilting the card: at which slope they start, and where they come to rest when the card is held upright.

Source: friction on an inclined plane, any text on statics: it slides when the tangent of the slope is above the coefficient.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lexipod.assembly import Drive
from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding
from lexipod.checks.rubbing import friction_of
from lexipod.motion import find_rest, gravity_in_card, pull_along, starting_slope_deg


def rider_friction(examination: Examination, drive: Drive) -> float:
    """Friction of a rider on what it rides on, powder or wax counted: of its weight where it has one, else of its figure."""
    assembly = examination.assembly
    body = [p for p in assembly.parts if assembly.bodies[p.id] == assembly.bodies[drive.part]]
    rides = next((p for p in body if p.bought), assembly.by_id[drive.part])
    return friction_of(assembly, examination.catalog, examination.ways, rides)


def rests_upright(examination: Examination, drive: Drive, *, turn_deg: float = 0.0) -> tuple[float, float]:
    """Where the rider comes to rest on the card held upright and turned in its plane: let go at rest, and at the end."""
    travel = examination.track(drive.mechanism).travel
    way, friction = examination.point_on(drive.joint), rider_friction(examination, drive)
    low, high = (find_rest(travel, way, gravity_in_card(turn_deg), friction=friction, start=s) for s in (drive.rest, drive.end))
    return low, high


def check_tilting(examination: Examination) -> Iterator[Finding]:
    """It slides all the way when the card is turned, and the maker is told at which slope."""
    for drive in (d for d in examination.drives if d.by == "gravity"):
        way, travel = examination.point_on(drive.joint), examination.track(drive.mechanism).travel
        friction = rider_friction(examination, drive)
        slope = starting_slope_deg(friction)
        turns = np.arange(0.0, 360.0, 15.0)
        reached = [find_rest(travel, way, gravity_in_card(t), friction=friction, start=s) for t in turns for s in (drive.rest, drive.end)]
        part = examination.assembly.by_id[drive.part]
        span = abs(drive.end - drive.rest)
        missing = span - (max(reached) - min(reached))
        if missing > 0.02 * span:
            message = (
                f"However the card is turned, friction leaves the last {100 * missing / span:.0f} % of the track unreached; powder on "
                "the pillar halves the friction."
            )
            yield Finding(
                "slope",
                "warn",
                drive.mechanism,
                (part.id,),
                f"The {part.name} does not reach both ends by tilting",
                message,
                round(1 - missing / span, 4),
                1.0,
                unit="share",
                where=_place(way, 0),
            )
            continue
        low, high = rests_upright(examination, drive)
        where = f"rests between {low:.1f} and {high:.1f} {drive.unit}" if abs(high - low) > 0.01 * span else f"rests at {low:.1f} {drive.unit}"
        held = bool((pull_along(way, gravity_in_card(0.0), friction) == 0).all())
        told = "held upright it stays where it is" if held else f"on the card held upright it {where}"
        message = f"It starts to slide at a slope of {slope:.0f}°; {told}. Powder or wax on the pillar halves the friction."
        yield Finding(
            "slope",
            "note",
            drive.mechanism,
            (part.id,),
            f"The {part.name} slides from a slope of {slope:.0f}°",
            message,
            round(slope, 2),
            90.0,
            unit="deg",
            at_most=True,
            where=_place(way, len(way) // 2),
        )


def _place(way: np.ndarray, k: int) -> tuple[float, float]:
    x, y = way[k]
    return (float(x), float(y))
