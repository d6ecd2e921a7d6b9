"""A gate card shut: what is stuck on its doors, turned over onto the middle.

Source: a sheet that is folded over is its mirror image in the score (elementary geometry).
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import shapely

from lexipod.assembly.card_frame import CardFrame
from lexipod.assembly.folding import Folding
from lexipod.assembly.joints import Joint
from lexipod.assembly.parts import Part
from lexipod.geometry.frames import Array

TOUCH_MM2 = 0.01


@dataclass(frozen=True, slots=True)
class OnDoor:
    """A part on a door of a gate card that is shut: its region there, from which height over the door's face to which it lies
    (``inside``: between door and middle, else on the outside), and the highest place of what lies on the middle under it."""

    part: Part
    door: Part
    region: Any
    low_mm: float
    high_mm: float
    inside: bool
    under_mm: float

    @property
    def face_mm(self) -> float:
        """How high over the middle's back the door's face must lie for it (mm)."""
        return self.under_mm + self.high_mm if self.inside else 0.0


def folded_top_mm(parts: Iterable[Part], foldings: Iterable[Folding]) -> float:
    """How high over the card's back what folds on its face can reach when it lies flat (mm); 0 where nothing does."""
    heights = [f.most_stacked_mm for f in foldings if f.kind == "face"]
    front = next((p for p in parts if p.id == "card.front"), None)
    return max(heights) + (front.top_mm if front is not None else 0.0) if heights else 0.0


def shut_doors(
    card: CardFrame, parts: Sequence[Part], doors: Sequence[Part], joints: Iterable[Joint], foldings: Iterable[Folding] = ()
) -> tuple[OnDoor, ...]:
    """Everything that is glued to the ``doors`` of a gate card (at the sides where it folds left, above and below where it folds at the
    top), shut over the other ``parts`` at home and over what folds there."""
    if not doors:
        return ()
    carrier = {door.id: door for door in doors}
    by_id = {p.id: p for p in parts}
    found: list[OnDoor] = []
    for joint in _outwards(joints, carrier):
        part, door = by_id.get(joint.a), carrier.get(joint.b)
        if part is None or door is None:
            continue
        carrier[part.id] = door
        inside = part.z_mm >= door.top_mm - 1e-6
        low, high = (part.z_mm - door.top_mm, part.top_mm - door.top_mm) if inside else (door.z_mm - part.top_mm, door.z_mm - part.z_mm)
        region = _turned_over(card, part.region_at_home, door)
        found.append(OnDoor(part, door, region, low, high, inside, 0.0))
    below = [p for p in parts if p.id not in carrier]
    folded = folded_top_mm(parts, foldings)
    return tuple(replace(f, under_mm=max(_top_under(f.region, below), folded)) for f in found)


def _outwards(joints: Iterable[Joint], doors: dict[str, Part]) -> list[Joint]:
    """The glued joints that lead from the doors outwards, what they carry before what that carries."""
    glued, reached, ordered = [j for j in joints if j.kind == "fixed"], set(doors), list[Joint]()
    while True:
        more = [j for j in glued if j.b in reached and j.a not in reached]
        if not more:
            return ordered
        ordered += more
        reached |= {j.a for j in more}


def _turned_over(card: CardFrame, region: Any, door: Part) -> Any:
    """A region on an open door, turned over about the door's own score and laid with it on the score of the middle."""
    axis, size = (0, card.width_mm) if card.fold == "left" else (1, card.height_mm)
    low, high = door.region_at_home.bounds[axis], door.region_at_home.bounds[axis + 2]
    before = high <= 1e-6  # it hangs at the edge at 0: its score is its far edge
    score, middle = (high, 0.0) if before else (low, size)

    def turn(xy: Array) -> Array:
        out = np.array(xy)
        out[:, axis] = middle + score - out[:, axis]
        return out

    return shapely.transform(region, turn)


def _top_under(region: Any, parts: Iterable[Part]) -> float:
    tops = [p.top_mm for p in parts if shapely.area(shapely.intersection(p.region_at_home, region)) > TOUCH_MM2]
    return max(tops, default=0.0)
