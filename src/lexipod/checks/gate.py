"""Whether the doors of a gate card shut over what lies on its middle.

Reason: the doors are hinged at two edges of the middle; what stands out there at rest lies in their folds, and a notch in such an edge takes
away what they hang on. What is stuck on a door comes to lie on the middle, and not on what is stuck on the other door. How far apart their
scores are follows from all that lies between, so it need not be asked whether there is room for it.
Source: common practice, no source.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations

import shapely

from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding
from lexipod.geometry.frames import apply_pose

HINGE_SHARE = 0.6
"""How much of its edge a door hangs on at least."""
MET_MM2 = 1.0
SHORT_MM = 0.1
"""So much a fold gives."""


def check_doors(examination: Examination) -> Iterator[Finding]:
    """At rest nothing lies in a hinge, most of each hinge is left, and what is stuck on one door is not met by what is on the other."""
    assembly, length = examination.assembly, examination.style.length
    if not assembly.gates:
        return
    card, (left, right) = assembly.card, assembly.gates
    axis = 0 if card.fold == "left" else 1
    size = card.width_mm if axis == 0 else card.height_mm
    for part in (p for p in assembly.parts if p.id not in assembly.open_doors):
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
    yield from _shut(examination)
    yield from _at_rest(examination)


def _shut(examination: Examination) -> Iterator[Finding]:
    """What is stuck on one door does not meet what is stuck on the other."""
    assembly = examination.assembly
    for a, b in combinations([d for d in assembly.on_doors if d.inside], 2):
        shared = shapely.intersection(a.region, b.region)
        if a.door is b.door or shared.area <= MET_MM2:
            continue
        title = f"The {a.part.name} and the {b.part.name} come to lie in one place"
        message = f"Shut, the doors bring {examination.style.area(shared.area)} of both together; move one of them away from the edge of its door."
        yield Finding("gate", "block", "card", (a.part.id, b.part.id), title, message, round(float(shared.area), 3), 0.0, "mm2", at_most=True)


def _at_rest(examination: Examination) -> Iterator[Finding]:
    """What is stuck on a door has room over what lies there while all is at rest; the scores go by where the parts are laid down, which may
    be elsewhere on their way."""
    assembly, length = examination.assembly, examination.style.length
    front = assembly.by_id["card.front"]
    room = front.top_mm + float(shapely.distance(assembly.gates[0].region_at_home, front.region_at_home))
    below = [p for p in assembly.parts if p.id not in assembly.open_doors]
    outermost = {d.part.item: d for d in sorted(assembly.on_doors, key=lambda d: d.high_mm) if d.inside}
    for stuck in outermost.values():
        tops = [(p.top_mm, p) for p in below if shapely.intersection(examination.at_rest(p.id), stuck.region).area > MET_MM2]
        under, part = max(tops, key=lambda row: row[0], default=(0.0, None))
        short = under + stuck.high_mm - room
        if part is None or short <= SHORT_MM:
            continue
        title = f"The {stuck.part.name} holds its door open"
        message = f"Shut, it lies on the {part.name}, and {length(short)} of room is missing between the door's scores; move it, or make it lower."
        parts = (stuck.part.id, part.id)
        yield Finding("gate", "block", "card", parts, title, message, round(short, 4), 0.0, at_most=True)
