"""Patterned paper on pieces: a picture of the paper over all of a piece, and the same motif in each of several pieces that are cut alike.

The paper runs over the edge of its piece and is cut off with it. A piece that is another one mirrored takes the motif at the mirrored
place; the pattern itself is never mirrored, as paper is not.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import msgspec
import numpy as np
import shapely

from lexipod.assembly import Assembly, Panel, Part
from lexipod.design import Design, Item
from lexipod.editing.items import free_item_ids
from lexipod.errors import ChoiceError, LexipodError
from lexipod.geometry.frames import Array
from lexipod.pictures import box_of, own_measures

ALIKE_MM = 0.05
"""Outlines that nowhere differ by more on average are alike."""
SPARE = 1.02
"""A paper is so much larger than its piece, so that a crooked cut shows no bare edge."""
HALF_TURN = 180.0

Carrier = Part | Panel


@dataclass(frozen=True, slots=True)
class Likeness:
    """How a piece lies on one that is alike: turned anticlockwise about the middles of both, after it was mirrored from left to right if it
    ``is_mirrored``."""

    turn_deg: float
    is_mirrored: bool


def carrier_of(assembly: Assembly, on: str) -> Carrier:
    """A part or panel by its id; ``ChoiceError`` for what is not on the card."""
    found = assembly.carriers.get(on)
    if found is None:
        raise ChoiceError("part", on, sorted((*assembly.by_id, *assembly.panels)))
    return found


def covering(item: Item, assembly: Assembly) -> Item:
    """The picture about the middle of its piece, as small as covers all of it whichever way it is turned there."""
    outline = carrier_of(assembly, item.on).outline
    middle = (outline.min(axis=0) + outline.max(axis=0)) / 2
    turn = math.radians(-item.turn if item.face == "front" else item.turn)
    cos, sin = math.cos(turn), math.sin(turn)
    seen = np.abs((outline - middle) @ np.array([[cos, sin], [-sin, cos]])).max(axis=0) * 2 * SPARE
    wide = item.proportion or item.width / item.height
    height = max(float(seen[1]), float(seen[0]) / wide)
    return msgspec.structs.replace(item, share=None, at=(0.0, 0.0), width=round(height * wide, 3), height=round(height, 3), round=False)


def likeness(piece: Carrier, other: Carrier) -> Likeness | None:
    """How a piece is laid on another one so that both are the same; None where no turn does that."""
    a, b = shapely.Polygon(piece.outline), shapely.Polygon(other.outline)
    if piece.stock != other.stock or abs(a.area - b.area) > ALIKE_MM * a.length or abs(a.length - b.length) > 0.02 * a.length:
        return None
    first, second = a, b
    centre_a, centre_b = np.array(first.centroid.coords[0]), np.array(second.centroid.coords[0])
    found: list[tuple[float, Likeness]] = []
    for is_mirrored in (False, True):
        start = _flipped(first) if is_mirrored else first
        middle = centre_a * ([-1.0, 1.0] if is_mirrored else [1.0, 1.0])
        for turn in _turns(shapely.get_coordinates(start.exterior)[:-1] - middle, shapely.get_coordinates(second.exterior)[:-1] - centre_b):
            laid = shapely.affinity.rotate(shapely.transform(start, lambda xy, m=middle: xy - m), turn, origin=(0.0, 0.0))
            if shapely.symmetric_difference(laid, shapely.transform(second, lambda xy: xy - centre_b)).area <= ALIKE_MM * a.length:
                found.append((abs(turn) + (1000.0 if is_mirrored else 0.0), Likeness(turn, is_mirrored)))
        if found:
            break
    return min(found, key=lambda row: row[0])[1] if found else None


def _flipped(region: shapely.Polygon) -> shapely.Polygon:
    return shapely.transform(region, lambda xy: xy * [-1.0, 1.0])


def _turns(a: Array, b: Array) -> list[float]:
    """Turns (degrees) that bring the farthest corner of one outline to corners of the other that are as far; none first."""
    far = a[int(np.argmax(np.hypot(*a.T)))]
    reach, own = float(np.hypot(*far)), math.degrees(math.atan2(far[1], far[0]))
    turns = [0.0]
    for x, y in b:
        if abs(math.hypot(x, y) - reach) < 4 * ALIKE_MM:
            turns.append((math.degrees(math.atan2(y, x)) - own + HALF_TURN) % (2 * HALF_TURN) - HALF_TURN)
    return turns


def same_on_alike(design: Design, assembly: Assembly, item_id: str) -> Design:
    """The same picture at the same place of every piece that is cut alike; what lay there of that kind from the same file is replaced.

    Raises ``LexipodError`` where no other piece is alike.
    """
    item = design.find_item(item_id)
    if item is None:
        raise ChoiceError("item", item_id, sorted(i.id for i in design.items))
    if item.across:
        raise LexipodError(f"{item.named} lies on two panels; lay it on the others by hand")
    piece = carrier_of(assembly, item.on)
    laid, box = [], box_of(item, piece.outline)
    own = own_measures(item, piece.outline)
    names = free_item_ids(design.items, item_id.rstrip("0123456789") or "a")
    gone: set[str] = set()
    others: list[Carrier] = [*assembly.parts, *assembly.panels.values()]
    for other in others:
        if other.id == item.on or other.id.startswith("card.") or (other.id in assembly.panels) != (item.on in assembly.panels):
            continue
        found = likeness(piece, other)
        if found is None:
            continue
        gone |= {i.id for i in design.items if (i.on, i.face, i.kind, i.source) == (other.id, item.face, item.kind, item.source)}
        laid.append(_laid_alike(own, piece, other, found, np.asarray(box.middle)))
    if not laid:
        raise LexipodError(f"no other piece is cut like the {piece.name}")
    kept = tuple(i for i in design.items if i.id not in gone)
    return msgspec.structs.replace(design, items=(*kept, *(msgspec.structs.replace(i, id=next(names)) for i in laid)))


def _laid_alike(item: Item, piece: Carrier, other: Carrier, how: Likeness, spot: Array) -> Item:
    """An item of one piece at the same place of a piece that is alike."""
    away = spot - np.array(shapely.Polygon(piece.outline).centroid.coords[0])
    if how.is_mirrored:
        away = away * [-1.0, 1.0]
    turn = math.radians(how.turn_deg)
    away = np.array([away[0] * math.cos(turn) - away[1] * math.sin(turn), away[0] * math.sin(turn) + away[1] * math.cos(turn)])
    outline = other.outline
    at = np.array(shapely.Polygon(outline).centroid.coords[0]) + away - (outline.min(axis=0) + outline.max(axis=0)) / 2
    by = how.turn_deg if item.face == "front" else -how.turn_deg
    turned = ((-item.turn if how.is_mirrored else item.turn) + by + HALF_TURN) % (2 * HALF_TURN) - HALF_TURN
    place = (round(float(at[0]), 3) + 0.0, round(float(at[1]), 3) + 0.0)
    return msgspec.structs.replace(item, on=other.id, at=place, turn=round(turned, 3) + 0.0)


__all__ = ["Likeness", "carrier_of", "covering", "likeness", "same_on_alike"]
