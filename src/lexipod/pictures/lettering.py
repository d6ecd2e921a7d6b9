"""Text as outlines: shaped by the font's own rules, set on a line or round an arc, its size told by the height of its capitals."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Literal

import numpy as np
import shapely

from lexipod.errors import ParameterError, quoted
from lexipod.geometry.frames import Array
from lexipod.pictures.fonts import Font, find_font
from lexipod.pictures.winding import region_of_rings

CURVE_STEPS = 6


@dataclass(frozen=True, eq=False)
class Glyph:
    """One shaped letter: its ``region`` in units of the font, and how far it takes the pen on."""

    region: Any
    advance: float
    offset: tuple[float, float] = (0.0, 0.0)


@dataclass(frozen=True, eq=False)
class Lettering:
    """Text as one region in mm round the point from which it is placed: the middle of its box on a line, the middle of the arc at half the
    height of the capitals, or the middle of the circle. ``missing`` are letters that the font has not."""

    region: Any
    missing: str = ""


@lru_cache(maxsize=256)
def set_text(
    text: str,
    *,
    font: str = "",
    caps_mm: float = 6.0,
    along: Literal["line", "arc", "circle"] = "line",
    radius_mm: float = 0.0,
    align: Literal["left", "middle", "right"] = "middle",
) -> Lettering:
    """The text as outlines. ``radius_mm`` above 0 runs along the upper side of the circle, letters standing outwards; below 0 along its
    lower side, standing inwards."""
    face = find_font(font)
    scale = caps_mm / face.cap_height
    lines = [shape_line(face, line) for line in text.split("\n")]
    missing = "".join(dict.fromkeys(letter for _, lost in lines for letter in lost))
    if along == "line":
        placed = [r for k, (glyphs, _) in enumerate(lines) for r in _on_line(glyphs, scale, -k * face.line_height * scale, align)]
        region = shapely.union_all(placed) if placed else shapely.Polygon()
        if not region.is_empty:
            left, bottom, right, top = _frame_box(face, [g for g, _ in lines], scale, align)
            region = shapely.transform(region, lambda xy: xy - [(left + right) / 2, (bottom + top) / 2])
        return Lettering(region, missing)
    if len(lines) > 1:
        raise ParameterError("text", "a greeting round an arc is one line")
    region = shapely.union_all(_on_arc(lines[0][0], scale, radius_mm, caps_mm, align))
    if along == "arc":
        region = shapely.transform(region, lambda xy: xy - [0.0, radius_mm])
    return Lettering(region, missing)


def shape_line(face: Font, line: str) -> tuple[list[Glyph], str]:
    """The letters of a line as the font sets them, and those that it has not."""
    import uharfbuzz

    buffer = uharfbuzz.Buffer()
    buffer.add_str(line)
    buffer.guess_segment_properties()
    uharfbuzz.shape(face.shaper, buffer, {"kern": True, "liga": True})
    glyphs, missing = [], []
    for info, place in zip(buffer.glyph_infos, buffer.glyph_positions, strict=True):
        if info.codepoint == 0:
            missing.append(line[info.cluster])
        region = _glyph_region(face, info.codepoint)
        glyphs.append(Glyph(region, float(place.x_advance), (float(place.x_offset), float(place.y_offset))))
    return glyphs, "".join(missing)


_GLYPHS: dict[tuple[str, int], Any] = {}


def _glyph_region(face: Font, number: int) -> Any:
    key = (face.name, number)
    if key not in _GLYPHS:
        pen = _RingPen()
        face.shaper.draw_glyph_with_pen(number, pen)
        _GLYPHS[key] = region_of_rings(pen.rings, even_odd=False)
    return _GLYPHS[key]


class _RingPen:
    """Takes a letter's outlines as rings of points."""

    def __init__(self) -> None:
        self.rings: list[Array] = []
        self._points: list[tuple[float, float]] = []

    def moveTo(self, at: tuple[float, float]) -> None:
        self._points = [at]

    def lineTo(self, at: tuple[float, float]) -> None:
        self._points.append(at)

    def curveTo(self, *points: tuple[float, float]) -> None:
        a, (b, c, d) = np.array(self._points[-1]), (np.array(p) for p in points)
        for t in np.arange(1, CURVE_STEPS + 1) / CURVE_STEPS:
            at = (1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t**2 * c + t**3 * d
            self._points.append((float(at[0]), float(at[1])))

    def qCurveTo(self, *points: Any) -> None:
        *offs, end = points
        if end is None:  # a ring without a point on it
            offs, end = list(offs), tuple((np.array(offs[-1]) + np.array(offs[0])) / 2)
            self._points = [end]
        for k, off in enumerate(offs):
            to = end if k == len(offs) - 1 else tuple((np.array(off) + np.array(offs[k + 1])) / 2)
            a, b, c = np.array(self._points[-1]), np.array(off), np.array(to)
            for t in np.arange(1, CURVE_STEPS + 1) / CURVE_STEPS:
                at = (1 - t) ** 2 * a + 2 * (1 - t) * t * b + t**2 * c
                self._points.append((float(at[0]), float(at[1])))
        if not offs:
            self._points.append(end)

    def closePath(self) -> None:
        if len(self._points) >= 3:
            self.rings.append(np.array(self._points, dtype=float))
        self._points = []

    endPath = closePath


def _starts(glyphs: list[Glyph], align: str) -> tuple[list[float], float]:
    """Where the pen is before each letter, in units of the font, and the whole way."""
    ways = np.concatenate([[0.0], np.cumsum([g.advance for g in glyphs])])
    whole = float(ways[-1])
    begin = {"left": 0.0, "middle": -whole / 2, "right": -whole}[align]
    return [float(w) + begin for w in ways[:-1]], whole


def _on_line(glyphs: list[Glyph], scale: float, y: float, align: str) -> list[Any]:
    starts, _ = _starts(glyphs, align)
    out = []
    for glyph, start in zip(glyphs, starts, strict=True):
        if not glyph.region.is_empty:
            dx, dy = start + glyph.offset[0], glyph.offset[1]
            out.append(shapely.transform(glyph.region, lambda xy, dx=dx, dy=dy: (xy + np.array([dx, dy])) * scale + np.array([0.0, y])))
    return out


def _frame_box(face: Font, lines: list[list[Glyph]], scale: float, align: str) -> tuple[float, float, float, float]:
    """The box that text is placed by: as wide as its lines, from the last base line to the top of the first capitals."""
    spans = [(starts[0] if starts else 0.0, whole) for starts, whole in (_starts(g, align) for g in lines)]
    left = min(s for s, _ in spans) * scale
    right = max(s + w for s, w in spans) * scale
    return left, -(len(lines) - 1) * face.line_height * scale, right, face.cap_height * scale


def _on_arc(glyphs: list[Glyph], scale: float, radius: float, caps: float, align: str) -> list[Any]:
    """The letters round the origin, each standing on the circle on which the middles of the capitals run at ``radius``."""
    starts, whole = _starts(glyphs, align)
    size = abs(radius)
    if whole * scale > 2 * math.pi * size:
        raise ParameterError("radius", f"{quoted('the text')} is longer than the circle of its arc; a larger radius or smaller letters would do")
    way = 1.0 if radius > 0 else -1.0
    base = size - caps / 2 if radius > 0 else size + caps / 2
    out = []
    for glyph, start in zip(glyphs, starts, strict=True):
        if glyph.region.is_empty:
            continue
        middle = (start + glyph.advance / 2) * scale
        turn = -middle / size * way
        cos, sin = math.cos(turn), math.sin(turn)
        shift = np.array([glyph.offset[0] - glyph.advance / 2, glyph.offset[1]])

        def lay(xy: Array, shift: Array = shift, cos: float = cos, sin: float = sin) -> Array:
            local = (xy + shift) * scale + [0.0, base * way]
            return local @ np.array([[cos, sin], [-sin, cos]])

        out.append(shapely.transform(glyph.region, lay))
    return out


__all__ = ["Glyph", "Lettering", "set_text", "shape_line"]
