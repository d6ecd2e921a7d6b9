"""Fills, strokes and clips of shapes as flat regions in their colours."""

from __future__ import annotations

import re
from typing import Any
from xml.etree.ElementTree import Element

import numpy as np
import shapely
from shapely.ops import substring

from lexipod.errors import FileError
from lexipod.geometry.frames import Array
from lexipod.pictures.svg.elements import number, tag_of
from lexipod.pictures.svg.gradients import bands, colour_of
from lexipod.pictures.svg.outlines import SHAPES, matrix_of, moved, rings_of
from lexipod.pictures.svg.patterns import tile_over
from lexipod.pictures.svg.styles import Reading, Style, properties
from lexipod.pictures.winding import region_of_rings

MOST_CORNERS = 1_000_000
MOST_DASHES = 2000
"""To one line."""


def paint(reading: Reading, rings: list[tuple[Array, bool]], matrix: Array, style: Style, clip: Any) -> None:
    """Fill and stroke of a shape."""
    reading.corners += sum(len(r) for r, _ in rings)
    if reading.corners > MOST_CORNERS:
        raise FileError(reading.source, f"is too intricate for a card (more than {MOST_CORNERS} corners)")
    rings = [(r, closed) for r, closed in rings if np.isfinite(r).all()]
    if style.fill != "none":
        local = region_of_rings([r for r, _ in rings], even_odd=style.rule == "evenodd")
        fill(reading, local, matrix, style.fill, style.opacity * style.fill_opacity, style, clip)
    if style.stroke not in ("none", "") and style.stroke_width > 0:
        caps = {"butt": "flat", "round": "round", "square": "square"}.get(style.cap, "flat")
        joins: Any = {"miter": "mitre", "round": "round", "bevel": "bevel"}.get(style.join, "mitre")
        lines = [shapely.LinearRing(r) if closed and len(r) >= 3 else shapely.LineString(r) for r, closed in rings if len(r) >= 2]
        if style.dashes:
            lines = [dash for line in lines for dash in _dashed(reading, line, style)]
        wide = [
            line.buffer(style.stroke_width / 2, cap_style=caps, join_style=joins, mitre_limit=max(1.0, style.miter), quad_segs=12) for line in lines
        ]
        local = shapely.union_all(wide) if wide else shapely.Polygon()
        fill(reading, local, matrix, style.stroke, style.opacity * style.stroke_opacity, style, clip)


def _dashed(reading: Reading, line: Any, style: Style) -> list[Any]:
    """The dashes of a line; the line itself where they would be too many to tell apart."""
    period = sum(style.dashes)
    if line.length / period * len(style.dashes) > MOST_DASHES:
        reading.tell("a line of very many dashes is drawn whole")
        return [line]
    line = shapely.LineString(line.coords)
    out, at, k = [], -(style.dash_from % period), 0
    while at < line.length:
        end = at + style.dashes[k]
        if k % 2 == 0 and end > max(at, 0.0):
            out.append(substring(line, max(at, 0.0), min(end, line.length)))
        at, k = end, (k + 1) % len(style.dashes)
    return [dash for dash in out if dash.length > 0]


def fill(reading: Reading, local: Any, matrix: Array, paint: str, opacity: float, style: Style, clip: Any) -> None:
    """A region of user units in its colour, or in the bands of a gradient."""
    if local.is_empty or opacity <= 0:
        return
    link = re.match(r"url\(\s*['\"]?#([^)'\"]+)['\"]?\s*\)\s*(.*)", paint)
    if link is None:
        _add(reading, moved(local, matrix), colour_of(paint, style, opacity), clip)
        return
    target = reading.ids.get(link[1])
    if target is not None and tag_of(target) == "pattern" and tile_over(reading, target, local, matrix, opacity, clip):
        return
    if target is None or tag_of(target) not in ("linearGradient", "radialGradient"):
        reading.tell(f"a {'pattern' if target is not None else 'missing paint'} is left out")
        if link[2] and link[2] != "none":
            _add(reading, moved(local, matrix), colour_of(link[2], style, opacity), clip)
        return
    for band, colour in bands(reading, target, local, style, opacity):
        _add(reading, moved(band, matrix), colour, clip)


def _add(reading: Reading, region: Any, colour: str, clip: Any) -> None:
    if not region.is_valid:
        region = shapely.make_valid(region)
    kept = region if clip.contains(region) else shapely.intersection(region, clip)
    if colour and not kept.is_empty and kept.area > 0:
        reading.regions.append((kept, colour))


def clipped(reading: Reading, element: Element, matrix: Array, clip: Any) -> Any:
    """What is left of the clip inside an element that has one of its own."""
    said = properties(reading, element).get("clip-path", "none")
    link = re.match(r"url\(\s*['\"]?#([^)'\"]+)['\"]?\s*\)", said)
    target = reading.ids.get(link[1]) if link else None
    if target is None or tag_of(target) != "clipPath":
        return clip
    inner = matrix @ matrix_of(target.get("transform", ""))
    if target.get("clipPathUnits", "userSpaceOnUse") != "userSpaceOnUse":
        box = _box_of(reading, element, matrix)
        if box is None:
            reading.tell("a clip in shares of a box is left out")
            return clip
        inner = inner @ box
    kept = []
    for child in target:
        tag = tag_of(child)
        own = inner
        if tag == "use":
            link_to = next((v for k, v in child.attrib.items() if k.rpartition("}")[2] == "href"), "")
            move = np.array([[1.0, 0.0, number(child.get("x"))], [0.0, 1.0, number(child.get("y"))], [0.0, 0.0, 1.0]])
            own = inner @ matrix_of(child.get("transform", "")) @ move
            child = reading.ids.get(link_to[1:], child)
            tag = tag_of(child)
        if tag not in SHAPES:
            reading.tell(f"<{tag}> in a clip is left out")
            continue
        own = own @ matrix_of(child.get("transform", ""))
        rule = properties(reading, child).get("clip-rule", "nonzero")
        kept.append(moved(region_of_rings([r for r, _ in rings_of(child, tag, own, reading)], even_odd=rule == "evenodd"), own))
    return shapely.intersection(clip, shapely.make_valid(shapely.union_all(kept))) if kept else shapely.Polygon()


def _box_of(reading: Reading, element: Element, matrix: Array) -> Array | None:
    """The matrix from shares of the box of a shape to its user units; None for what is no shape."""
    if tag_of(element) not in SHAPES:
        return None
    rings = rings_of(element, tag_of(element), matrix, reading)
    if not rings:
        return None
    points = np.vstack([r for r, _ in rings])
    (left, bottom), (wide, high) = points.min(axis=0), np.ptp(points, axis=0)
    return np.array([[wide, 0.0, left], [0.0, high, bottom], [0.0, 0.0, 1.0]])
