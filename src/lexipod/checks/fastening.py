"""Whether fasteners hold what they go through: a head wider than its hole, a hole that the legs go through.

Reason: brad legs too wide for the hole, and heads that slip through a worn or too large one, are among the mistakes that makers name.
Source: common practice, no source; how much wider a head must be is a judgement of our own.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely

from lexipod.assembly import Part
from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding, Severity
from lexipod.geometry.frames import Array, apply_pose, invert_pose

RIM_MM, LEAST_RIM_MM = 0.5, 0.2
"""By how much a head should lap the rim of its hole on each side, and below what it slips through."""
LEGS_AIR_MM = 0.1
"""What two legs need besides their own width."""


def check_fasteners(examination: Examination) -> Iterator[Finding]:
    """Each brad's head covers the hole under it, and each hole lets its legs through."""
    assembly, brads = examination.assembly, examination.catalog.brads
    for shank in (p for p in assembly.parts if p.pierces_mm):
        head = next((p for p in assembly.parts if p.quantity and p.role == "fastener" and p.stock in brads and f"{p.id}-shank" == shank.id), None)
        if head is None:
            continue
        brad = brads[head.stock]
        middle = apply_pose(shank.home, (shank.box[0] + shank.box[1])[None] / 2)[0]
        holes = [(part, width) for part in assembly.parts if part.level in shank.levels for width in [_opening(part, middle)] if width is not None]
        for part, width in holes:
            if width < brad.leg_width_mm + LEGS_AIR_MM - 1e-6:
                yield _tight(examination, head, part, width, brad.leg_width_mm + LEGS_AIR_MM)
        under = [row for row in holes if row[0].level < head.level and row[0].top_mm <= head.z_mm + 1e-6]
        if under:
            part, width = max(under, key=lambda row: row[0].top_mm)
            rim = (brad.head_mm - width) / 2
            if rim < RIM_MM - 0.02:
                yield _slips(examination, head, part, width, rim)


def _opening(part: Part, middle: Array) -> float | None:
    """The narrow width of the opening of a part round a point of the card at home; None where there is none."""
    if part.role == "fastener" or not part.quantity:
        return None
    at = shapely.Point(apply_pose(invert_pose(part.home), middle[None])[0])
    for hole in part.holes:
        region = shapely.Polygon(hole)
        if region.contains(at):
            sides = shapely.get_coordinates(shapely.minimum_rotated_rectangle(region))
            return float(min(np.linalg.norm(sides[1] - sides[0]), np.linalg.norm(sides[2] - sides[1])))
    return None


def _tight(examination: Examination, head: Part, part: Part, width: float, needed: float) -> Finding:
    length = examination.style.telling_apart(width, needed)
    message = f"It is {length(width)} wide; the legs of the {head.name} need {length(needed)}."
    title = f"The {head.name} does not go through the {part.name}"
    return Finding("fastener", "block", head.mechanism, (head.id, part.id), title, message, round(width, 4), round(needed, 4))


def _slips(examination: Examination, head: Part, part: Part, width: float, rim: float) -> Finding:
    length = examination.style.length
    severity: Severity = "block" if rim < LEAST_RIM_MM else "warn"
    slips = "slips through" if rim <= 0 else "hardly holds"
    message = f"The hole is {length(width)} wide, so the head laps its rim by {length(max(rim, 0.0))}; {length(RIM_MM)} on each side hold it."
    title = f"The head of the {head.name} {slips} the {part.name}"
    return Finding("fastener", severity, head.mechanism, (head.id, part.id), title, message, round(rim, 4), RIM_MM)
