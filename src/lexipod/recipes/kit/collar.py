"""A collar: a strip folded loosely round a pull, which it keeps flat near the card's edge."""

from __future__ import annotations

import math

import shapely

from lexipod.recipes.kit.levels import BED, LOW, MID
from lexipod.recipes.kit.stack import Stack, disc

COLLAR_SEAM_MM = 0.5
"""How far from the middle the two ends of the collar stop."""
POST_MM = 3.0
"""Half the width of the collar's strip."""


def add_collar(stack: Stack, at: tuple[float, float], half: float, tall: float) -> None:
    """A strip folded in three that runs loosely round the pull: its middle in front, both ends behind it, stuck to the floor. ``half`` is
    from the pull's middle line to its folds, ``tall`` from the floor to its middle's underside."""
    (x, y), t, floor, grid = at, stack.site.stock.caliper_mm, stack.site.heights.floor_mm, stack.site.grid_mm
    wide = stack.site.nice(2 * POST_MM) / 2
    long = max(grid, math.floor((half - COLLAR_SEAM_MM) / grid + 1e-6) * grid)
    note = "runs loosely round the pull; its ends are stuck to the panel"
    middle = stack.add(
        "collar", "collar", "base", MID, shapely.box(x - wide, y - half, x + wide, y + half), floor + tall, t, face="backing", note=note
    )
    stack.glue(middle, stack.site.heights.floor)
    for k, (name, sign) in enumerate((("lower", -1.0), ("upper", 1.0))):
        edge, inner = y + sign * half, y + sign * (half - long)
        flap = stack.add(
            f"collar-end-{name}",
            f"collar's {name} end",
            "base",
            BED,
            shapely.box(x - wide, min(edge, inner), x + wide, max(edge, inner)),
            floor,
            t,
            face="backing",
        )
        stack.fold(flap, middle, (x - wide, edge), (x + wide, edge), gap_mm=tall - t, name=f"{name} end", order=k + 1)
        wall = disc((x, edge + sign * POST_MM), POST_MM)
        post = stack.add(f"collar-{name}", f"collar, {name} fold", "base", LOW, wall, floor, tall, face="backing", quantity=0)
        stack.glue(post, stack.site.heights.floor)
