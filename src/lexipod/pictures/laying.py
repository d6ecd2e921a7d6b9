"""Items laid on their parts: where the box of each lies, what it covers, and the regions of its colours, all in the part's own frame.

What is on the back of a part is laid so that it reads right when the part is turned over from left to right.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import msgspec
import numpy as np
import shapely

from lexipod.design import Item
from lexipod.errors import LexipodError
from lexipod.geometry.frames import Array
from lexipod.geometry.shapes import circle
from lexipod.pictures.cutting import side_of
from lexipod.pictures.fonts import find_font
from lexipod.pictures.lettering import Lettering, set_text
from lexipod.pictures.picture import Picture
from lexipod.pictures.winding import region_of_rings

INK_COLOUR = "#2b3a4a"


@dataclass(frozen=True, eq=False)
class Box:
    """The box of an item in its part's frame: its middle, width and height in mm, and by how much it is turned anticlockwise (degrees) as
    one looks at its face; on the back it is mirrored."""

    middle: tuple[float, float]
    width: float
    height: float
    turn_deg: float
    is_back: bool = False

    def lay(self, shares: Array) -> Array:
        """Shares of the box ``(n, 2)`` as points of the part."""
        return self.lay_mm((np.asarray(shares, dtype=float) - 0.5) * [self.width, self.height])

    def lay_mm(self, points: Array) -> Array:
        """Points in mm round the middle of the box, as one looks at its face, as points of the part."""
        turn = math.radians(self.turn_deg)
        cos, sin = math.cos(turn), math.sin(turn)
        turned = np.asarray(points, dtype=float) @ np.array([[cos, sin], [-sin, cos]])
        if self.is_back:
            turned = turned * [-1.0, 1.0]
        laid: Array = turned + np.asarray(self.middle)
        return laid

    def shares(self, points: Array) -> Array:
        """Points of the part ``(n, 2)`` as shares of the box: what ``lay`` does, undone."""
        away = np.asarray(points, dtype=float) - np.asarray(self.middle)
        if self.is_back:
            away = away * [-1.0, 1.0]
        turn = math.radians(self.turn_deg)
        cos, sin = math.cos(turn), math.sin(turn)
        told: Array = away @ np.array([[cos, -sin], [sin, cos]]) / [self.width, self.height] + 0.5
        return told

    @property
    def corners(self) -> Array:
        """Lower left, lower right, upper right and upper left corner as one looks at its face, ``(4, 2)``."""
        return self.lay(np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]]))


def box_of(item: Item, outline: Array) -> Box:
    """Where an item lies on something with such an outline ``(n, 2)``."""
    low, high = outline.min(axis=0), outline.max(axis=0)
    is_back = item.face == "back"
    if item.kind == "mat":
        x, y = (low + high) / 2
        wide, tall = np.maximum(high - low - 2 * item.border, 0.0)
        return Box((float(x), float(y)), float(wide), float(tall), 0.0, False)
    if item.share is not None:
        left, bottom, right, top = item.share
        if is_back and item.is_ink:  # shares are told as one looks at the face
            left, right = 1.0 - right, 1.0 - left
        at, to = low + (high - low) * (left, bottom), low + (high - low) * (right, top)
        middle, (width, height) = (at + to) / 2, to - at
        if item.proportion:
            wide, high_ = (item.proportion, 1.0) if abs(math.cos(math.radians(item.turn))) > 0.5 else (1.0, item.proportion)
            scale = min(width / wide, height / high_)
            width, height = item.proportion * scale, scale
        return Box((float(middle[0]), float(middle[1])), float(width), float(height), item.turn, is_back and item.is_ink)
    x, y = (low + high) / 2 + np.asarray(item.at)
    return Box((float(x), float(y)), item.width, item.width if item.round else item.height, item.turn, is_back and item.is_ink)


def own_measures(item: Item, outline: Array) -> Item:
    """The item with a place and a size of its own, where it was a share of what it lies on."""
    if item.share is None:
        return item
    box = box_of(item, outline)
    x, y = np.asarray(box.middle) - (outline.min(axis=0) + outline.max(axis=0)) / 2
    width, height = (max(1.0, round(side, 3)) for side in (box.width, box.height))
    return msgspec.structs.replace(item, share=None, at=(round(float(x), 4) + 0.0, round(float(y), 4) + 0.0), width=width, height=height)


@lru_cache(maxsize=512)
def _unit_region(outline: tuple[tuple[tuple[float, float], ...], ...], cut: tuple[tuple[float, float], ...], side: str) -> Any:
    """What of its box an item covers, in shares of the box."""
    region = shapely.make_valid(region_of_rings([np.array(r) for r in outline], even_odd=True)) if outline else shapely.box(0, 0, 1, 1)
    return shapely.intersection(region, side_of(cut, left=side == "left")) if cut else region


def laid_outline(item: Item, outline: Array) -> Any:
    """What an item covers of something with such an outline, as a region of its frame: its own outline where it has one, the letters of a
    greeting, a disc, or its box."""
    if item.kind == "mat":
        return shapely.Polygon(outline).buffer(-item.border, join_style="mitre", mitre_limit=3.0)
    box = box_of(item, outline)
    if item.kind == "greeting":
        return shapely.transform(greeting_region(item), box.lay_mm)
    if item.outline or item.cut:
        region = shapely.transform(_unit_region(item.outline, item.cut, item.cut_side), box.lay)
        return region if region.is_valid else shapely.make_valid(region)
    if item.round:
        return shapely.Polygon(circle(box.middle, radius_mm=item.width / 2, chord_error_mm=0.02))
    return shapely.Polygon(_exact(box))


def _exact(box: Box) -> Array:
    """The corners of a box; upright ones without the rounding of a turn."""
    corners = box.corners
    return corners[::-1] if box.is_back else corners


def greeting_region(item: Item) -> Any:
    """The letters of a greeting in mm round the point from which it is placed."""
    return set_greeting(item).region


def set_greeting(item: Item) -> Lettering:
    """A greeting set in its letters; in the usual ones where this machine has not its font (`missing_font` says so)."""
    font = "" if missing_font(item) else item.font
    return set_text(item.text, font=font, caps_mm=item.height, along=item.along, radius_mm=item.radius, align=item.align)


@lru_cache(maxsize=64)
def _fault_of(font: str) -> str:
    try:
        find_font(font)
    except LexipodError as error:
        return str(error)
    return ""


def missing_font(item: Item) -> str:
    """Why the font of a greeting cannot be had; empty where it can."""
    return _fault_of(item.font) if item.font else ""


def ink_of(item: Item, picture: Picture | None, outline: Array) -> tuple[tuple[Any, str], ...]:
    """The coloured regions of an item in the frame of what it lies on; none for a photograph."""
    box = box_of(item, outline)
    if item.kind == "greeting":
        return ((shapely.transform(greeting_region(item), box.lay_mm), item.colour or INK_COLOUR),)
    if picture is None:
        return ()
    size = np.array([picture.width, picture.height])
    laid = tuple((shapely.transform(region, lambda xy: box.lay(xy / size)), colour) for region, colour in picture.regions)
    if not item.cut:
        return laid
    half = shapely.transform(side_of(item.cut, left=item.cut_side == "left"), box.lay)
    return tuple((shapely.intersection(shapely.make_valid(region), half), colour) for region, colour in laid)


__all__ = ["INK_COLOUR", "Box", "box_of", "greeting_region", "ink_of", "laid_outline", "missing_font", "own_measures", "set_greeting"]
