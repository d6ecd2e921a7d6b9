"""The closed card: how what folds lies in it, and how thick it is."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Assembly, Folding
from lexipod.geometry.frames import Array
from lexipod.motion import order_at, solve_folds

LAID_ON_MM2 = 1.0
LAID_MM = 0.5
"""So much may stand over the edge of what carries it."""
Heights = dict[str, tuple[float, float]]


def laid_flat(region: Any, frame: Array) -> Any:
    """A region of a panel as it is seen from the front: its frame ``(3, 4)`` looked at along z."""
    return shapely.transform(region, lambda xy: xy @ frame[:2, :2].T + frame[:2, 3])


def posted_regions(folding: Folding) -> dict[str, Any]:
    """Every panel as it lies in the state in which the card is posted, seen from the front; those that get there."""
    track = solve_folds(folding, np.array([folding.posted_at]))
    return {p.id: laid_flat(p.region, track.frames[p.id][0]) for p in folding.panels if track.reached[0]}


def stack_heights(folding: Folding) -> Heights:
    """From which height to which every panel lies in the state that is posted (mm), laid on what is under it.

    Panels that lie over one another by more than a square millimetre are stacked in the state's order.
    """
    laid, rank = posted_regions(folding), order_at(folding, folding.posted_at)
    heights: Heights = {}
    for panel in sorted(folding.panels, key=lambda p: rank[p.id]):
        low = 0.0
        if panel.id in laid:
            over = [other for other in heights if other in laid]
            shared = shapely.area(shapely.intersection(laid[panel.id], [laid[other] for other in over]))
            low = max([heights[other][1] for other, area in zip(over, shared, strict=True) if area > LAID_ON_MM2], default=0.0)
        heights[panel.id] = (low, low + panel.thickness_mm)
    return heights


def standing_mm(assembly: Assembly, folding: Folding) -> float:
    """How high over the card's front what a fold on the face is glued to lies (mm): the top of the highest sheet that lies still under
    all of it, or 0."""
    front = assembly.by_id.get("card.front")
    if folding.kind != "face" or front is None:
        return 0.0
    laid = [shapely.buffer(region, -LAID_MM) for panel, region in posted_regions(folding).items() if not folding.by_id[panel].base]
    footprint = shapely.union_all(laid)
    moving = set(assembly.moving)
    under = [p for p in assembly.parts if p.id not in moving and p.top_mm > front.top_mm + 1e-6 and shapely.covers(p.region_at_home, footprint)]
    return max((p.top_mm - front.top_mm for p in under), default=0.0)


def spread_of(assembly: Assembly, heights: Mapping[str, Heights]) -> float:
    """By how much what lies between the pages lifts the front page, and all that stands on it (mm)."""
    front = assembly.by_id.get("card.front")
    z = front.z_mm if front is not None else 0.0
    return sum(max(0.0, heights[f.mechanism]["card.front"][0] - z) for f in assembly.foldings if f.kind == "inside")


def closed_thickness(assembly: Assembly, heights: Mapping[str, Heights]) -> float:
    """The thickest place of the closed card without what closes it (mm)."""
    lift = spread_of(assembly, heights)
    front = assembly.by_id.get("card.front")
    tops = [p.top_mm + (lift if p.id != "card.back" else 0.0) for p in assembly.parts if p.id not in assembly.open_doors]
    for folding in assembly.foldings:
        base = (front.z_mm if front is not None else 0.0) + lift + standing_mm(assembly, folding) if folding.kind == "face" else 0.0
        tops += [base + high for _, high in heights[folding.mechanism].values()]
    tops += [d.face_mm for d in assembly.on_doors]
    return max(tops, default=0.0) + assembly.shut_doors_mm


__all__ = ["Heights", "closed_thickness", "laid_flat", "posted_regions", "spread_of", "stack_heights", "standing_mm"]
