"""Pictures that are the paper of their piece: they run over its edge and are cut off with it."""

from __future__ import annotations

import shapely

from lexipod.design import Item
from lexipod.geometry.frames import Array
from lexipod.pictures.laying import box_of, laid_outline

OVER_SHARE = 0.03
"""What runs over the edge by less is no paper but a picture laid close."""


def is_paper(item: Item, outline: Array) -> bool:
    """Whether a picture runs over the edge of its piece, as patterned paper does."""
    if item.kind != "picture":
        return False
    region = laid_outline(item, outline)
    over = float(shapely.difference(region, shapely.Polygon(outline)).area)
    return over > OVER_SHARE * max(float(region.area), 1e-9)


def on_paper(item: Item, outline: Array, points: Array) -> Array:
    """Points of a piece ``(n, 2)`` on the sheet of its paper as one looks at it, upright, in mm from the paper's lower left corner."""
    box = box_of(item, outline)
    laid: Array = box.shares(points) * [box.width, box.height]
    return laid


__all__ = ["is_paper", "on_paper"]
