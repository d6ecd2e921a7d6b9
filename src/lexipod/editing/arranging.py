"""Items arranged: in the middle of what carries them or of the card, and with equal gaps."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import msgspec
import numpy as np

from lexipod.assembly import Assembly
from lexipod.design import Design, Item
from lexipod.errors import LexipodError
from lexipod.geometry.frames import apply_pose, invert_pose
from lexipod.pictures import laid_outline, own_measures

Axis = Literal["x", "y"]
LEAST_SPREAD = 3


def in_the_middle(design: Design, assembly: Assembly, item: Item, *, of: Literal["part", "card"]) -> Item:
    """The item in the middle of its part, or of the card as everything lies at home. ``LexipodError`` for a part that does not lie flat."""
    if of == "part":
        return msgspec.structs.replace(own_measures(item, assembly.carriers[item.on].outline), at=(0.0, 0.0))
    part = assembly.by_id.get(item.on)
    if part is None:
        raise LexipodError("what is on a panel that folds has no place on the card that stays; put it in the middle of its part")
    card = assembly.card
    spot = apply_pose(invert_pose(np.asarray(part.home)), [(card.width_mm / 2, card.height_mm / 2)])[0]
    low, high = part.box
    x, y = spot - (low + high) / 2
    return msgspec.structs.replace(own_measures(item, assembly.carriers[item.on].outline), at=(round(float(x), 4), round(float(y), 4)))


def equal_gaps(assembly: Assembly, items: Sequence[Item], axis: Axis) -> tuple[Item, ...]:
    """Items of one part with equal gaps along an axis of it: the outermost two stay, the others move. ``LexipodError`` for fewer than three."""
    if len(items) < LEAST_SPREAD or len({(i.on, i.face) for i in items}) != 1:
        raise LexipodError("equal gaps want three items at least on the same side of one part")
    carrier = assembly.carriers[items[0].on]
    k = 0 if axis == "x" else 1
    spans = {i.id: (laid_outline(i, carrier.outline).bounds[k], laid_outline(i, carrier.outline).bounds[k + 2]) for i in items}
    order = sorted(items, key=lambda i: sum(spans[i.id]))
    first, last = spans[order[0].id][0], spans[order[-1].id][1]
    free = (last - first) - sum(b - a for a, b in spans.values())
    gap, at = free / (len(order) - 1), first
    moved: dict[str, Item] = {}
    for item in order:
        low, high = spans[item.id]
        own = own_measures(item, assembly.carriers[item.on].outline)
        place = [*own.at]
        place[k] = round(float(place[k] + at - low), 4)
        moved[item.id] = msgspec.structs.replace(own, at=(place[0], place[1]))
        at += high - low + gap
    return tuple(moved[i.id] for i in items)


__all__ = ["equal_gaps", "in_the_middle"]
