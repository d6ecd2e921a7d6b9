"""Patterns of an SVG: the tile that is drawn over and over to fill a region."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace
from typing import Any
from xml.etree.ElementTree import Element

import numpy as np
import shapely

from lexipod.geometry.frames import Array
from lexipod.pictures.svg.elements import NUMBER, number, tag_of
from lexipod.pictures.svg.outlines import matrix_of, moved, put
from lexipod.pictures.svg.styles import Reading, Style, styled

MOST_TILES = 3000
"""In one picture."""
MOST_LINKS = 8


def tile_over(reading: Reading, target: Element, local: Any, matrix: Array, opacity: float, clip: Any) -> bool:
    """A region of user units filled with a pattern; False where it cannot be drawn, or would take too many tiles."""
    said, children = _said(reading, target)
    left, bottom, right, top = local.bounds
    box = np.array([[right - left, 0, left], [0, top - bottom, bottom], [0, 0, 1.0]])
    by_box = said.get("patternUnits", "objectBoundingBox") == "objectBoundingBox"
    whole = (1.0, 1.0) if by_box else reading.box
    x, y, wide, high = (number(said.get(name), whole=whole[k % 2]) for k, name in enumerate(("x", "y", "width", "height")))
    if by_box:
        x, y, wide, high = left + x * box[0, 0], bottom + y * box[1, 1], wide * box[0, 0], high * box[1, 1]
    frame = matrix_of(said.get("patternTransform", ""))
    if wide <= 0 or high <= 0 or not children or abs(float(np.linalg.det(frame))) < 1e-12:
        return not children or wide <= 0 or high <= 0  # what says nothing fills with nothing
    at = shapely.transform(local, lambda xy: put(np.asarray(np.linalg.inv(frame), dtype=float), xy)).bounds
    columns = range(math.floor((at[0] - x) / wide + 1e-9), math.ceil((at[2] - x) / wide - 1e-9))
    rows = range(math.floor((at[1] - y) / high + 1e-9), math.ceil((at[3] - y) / high - 1e-9))
    walk, reading.walk = reading.walk, None  # a pattern within a pattern is told, not drawn
    reading.tiles += len(columns) * len(rows)
    if walk is None or reading.tiles > MOST_TILES:
        reading.walk = walk
        return False
    inside = _content(said, (x, y, wide, high), box)
    within = shapely.intersection(moved(local, matrix), clip)
    style = replace(styled(reading, target, Style()), opacity=opacity)
    for i in columns:
        for j in rows:
            step = np.array([[1.0, 0.0, i * wide], [0.0, 1.0, j * high], [0.0, 0.0, 1.0]])
            tile = moved(shapely.box(x, y, x + wide, y + high), matrix @ frame @ step)
            room = shapely.intersection(tile, within)
            if room.area > 0:
                for child in children:
                    walk(reading, child, matrix @ frame @ step @ inside, style, room, 1)
    reading.walk = walk
    return True


def _said(reading: Reading, target: Element) -> tuple[dict[str, str], list[Element]]:
    """What a pattern says, with what it takes over from another one, and what its tile holds."""
    said: dict[str, str] = {}
    children: list[Element] = []
    for at in _chain(reading, target):
        said = {k.rpartition("}")[2]: v for k, v in at.attrib.items()} | said
        children = children or [e for e in at if isinstance(e.tag, str)]
    return said, children


def _chain(reading: Reading, target: Element) -> Iterator[Element]:
    at: Element | None = target
    for _ in range(MOST_LINKS):
        if at is None or tag_of(at) != "pattern":
            return
        yield at
        link = next((v for k, v in at.attrib.items() if k.rpartition("}")[2] == "href"), "")
        at = reading.ids.get(link[1:]) if link.startswith("#") else None


def _content(said: dict[str, str], tile: tuple[float, float, float, float], box: Array) -> Array:
    """From the units in which the tile's content is drawn to those in which the tile lies."""
    view = [float(n) for n in NUMBER.findall(said.get("viewBox", ""))]
    x, y, wide, high = tile
    if len(view) == 4 and view[2] > 0 and view[3] > 0:
        scale = min(wide / view[2], high / view[3])
        dx, dy = (wide - view[2] * scale) / 2, (high - view[3] * scale) / 2
        return np.array([[scale, 0.0, x + dx - view[0] * scale], [0.0, scale, y + dy - view[1] * scale], [0.0, 0.0, 1.0]])
    by_box = said.get("patternContentUnits", "userSpaceOnUse") == "objectBoundingBox"
    across, along = (float(box[0, 0]), float(box[1, 1])) if by_box else (1.0, 1.0)
    return np.array([[across, 0.0, x], [0.0, along, y], [0.0, 0.0, 1.0]])


__all__ = ["tile_over"]
