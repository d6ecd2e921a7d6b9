"""Whether the doors of a gate card shut over what lies on its middle.

Reason: the doors are hinged at two edges of the middle; what stands out there at rest lies in their folds, and a notch in such an edge takes
away what they hang on. What is stuck on a door comes to lie on the middle: the program does not compare the two, and says so.
Source: common practice, no source.
"""

from __future__ import annotations

from collections.abc import Iterator

import shapely

from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding
from lexipod.geometry.frames import apply_pose

HINGE_SHARE = 0.6
"""How much of its edge a door hangs on at least."""


def check_doors(examination: Examination) -> Iterator[Finding]:
    """At rest nothing lies in a hinge, most of each hinge is left, and what is stuck on a door is told."""
    assembly, length = examination.assembly, examination.style.length
    if not assembly.gates:
        return
    card, (left, right) = assembly.card, assembly.gates
    axis = 0 if card.fold == "left" else 1
    size = card.width_mm if axis == 0 else card.height_mm
    on_doors = [p for p in assembly.parts if p.item and not shapely.intersects(p.region_at_home, assembly.by_id["card.front"].region_at_home)]
    for part in (p for p in assembly.parts if p not in assembly.gates and p not in on_doors):
        along = apply_pose(examination.poses(part.id)[0], part.outline)[:, axis]
        over = max(float(-along.min()), float(along.max()) - size)
        if over > 1e-6:
            title = f"The {part.name} lies in the fold of a door"
            message = f"At rest it stands {length(over)} past an edge at which a door hangs; let it leave the card at another edge, or end inside."
            yield Finding("gate", "block", part.mechanism, (part.id, left.id), title, message, round(-over, 4), 0.0)
    middle = assembly.by_id["card.front"].region_at_home
    for door, at in ((left, 0.0 if axis == 0 else card.height_mm), (right, size if axis == 0 else 0.0)):
        hinge = shapely.LineString([(at, 0), (at, card.height_mm)] if axis == 0 else [(0, at), (card.width_mm, at)])
        share = shapely.intersection(middle.boundary.buffer(1e-6), hinge).length / hinge.length
        if share < HINGE_SHARE:
            title = f"The {door.name} hangs on too little"
            message = f"Notches leave {100 * share:.0f} % of the fold; a door wants {100 * HINGE_SHARE:.0f} %. Pull towards an edge without a door."
            yield Finding("gate", "warn", "card", (door.id,), title, message, round(share, 4), HINGE_SHARE, unit="share")
    for item in on_doors:
        message = "Shut, it comes to lie on the middle of the card; whether it meets what moves there is not compared. Try it with paper first."
        yield Finding("gate", "warn", "card", (item.id,), f"The {item.name} is stuck on a door", message, 0.0, 0.0)
