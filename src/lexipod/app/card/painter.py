"""Paints display-list primitives with Qt. Paths are prepared once; painting only sets a transform and draws."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
import shapely
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QBrush, QColor, QImage, QPainter, QPainterPath, QPen, QPolygonF, QTransform
from shiboken6 import VoidPtr

from lexipod.app.look import Theme, font
from lexipod.drawing import PENS, Drawing, Label, PartLayer, Primitive, Shape, Stroke
from lexipod.drawing.pens import alpha_of_fill, colour_of_fill
from lexipod.drawing.strokes import hatching
from lexipod.geometry.frames import Array

FEW_CORNERS = 12
SEEN_PX = 0.16
POINT_BYTES = 8
"""A coordinate of Qt's points is a double."""


@dataclass(frozen=True, eq=False)
class Prepared:
    """A path in millimetres with the pen and brush it is drawn with."""

    path: QPainterPath
    pen: QPen
    brush: QBrush
    pixels: QImage | None = None
    place: QTransform | None = None


@dataclass(frozen=True, eq=False)
class PreparedLayer:
    """One part, ready to be painted in its own frame."""

    part: str
    front: tuple[Prepared, ...]
    behind: tuple[Prepared, ...]
    over: tuple[str, ...] = ()
    words: tuple[Label, ...] = ()
    outline: QPainterPath | None = None


def polygon_of(ring: Array) -> QPolygonF:
    """A ring ``(n, 2)`` as Qt's polygon: written into its memory at once, since one object for each corner takes most of a frame."""
    polygon = QPolygonF()
    polygon.resize(len(ring))
    if len(ring):
        room: Any = VoidPtr(polygon.data(), ring.size * POINT_BYTES, True)  # type: ignore[call-arg,arg-type]
        np.frombuffer(room, dtype=np.float64).reshape(-1, 2)[...] = ring
    return polygon


def make_path(rings: tuple[Array, ...], *, closed: bool = True) -> QPainterPath:
    """A path through rings ``(n, 2)``, filled even-odd."""
    path = QPainterPath()
    path.setFillRule(Qt.FillRule.OddEvenFill)
    for ring in rings:
        path.addPolygon(polygon_of(ring))
        if closed:
            path.closeSubpath()
    return path


def make_pen(name: str, theme: Theme, *, pixels_per_mm: float) -> QPen:
    """The pen of a name at a scale; never thinner than a pixel."""
    if not name:
        return QPen(Qt.PenStyle.NoPen)
    pen = PENS[name]
    width = max(pen.width_mm, 1.05 / pixels_per_mm)
    made = QPen(theme.colour(pen.ink), width)
    made.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    made.setCapStyle(Qt.PenCapStyle.FlatCap)
    if pen.dash_mm:
        made.setDashPattern([d / width for d in pen.dash_mm])
    return made


def lightened(rings: tuple[Array, ...], pixels_per_mm: float) -> tuple[Array, ...]:
    """Rings without the corners that nobody sees at a scale: what is left out is less than a sixth of a pixel away."""
    out = []
    for ring in rings:
        if len(ring) <= FEW_CORNERS:
            out.append(ring)
            continue
        line = shapely.simplify(shapely.LineString(np.vstack([ring, ring[:1]])), SEEN_PX / pixels_per_mm, preserve_topology=False)
        points = shapely.get_coordinates(line)[:-1]
        out.append(points if len(points) >= 3 else ring)
    return tuple(out)


def prepare(item: Primitive, theme: Theme, *, pixels_per_mm: float) -> list[Prepared]:
    """The paths of a shape or stroke; labels are drawn apart."""
    nothing = QBrush(Qt.BrushStyle.NoBrush)
    if isinstance(item, Stroke):
        return [Prepared(make_path((item.points,), closed=False), make_pen(item.pen, theme, pixels_per_mm=pixels_per_mm), nothing)]
    if not isinstance(item, Shape):
        return []
    out = []
    if item.fill == "hatch":
        lines = hatching(item.rings)
        path = QPainterPath()
        for line in lines:
            path.moveTo(*line[0])
            path.lineTo(*line[-1])
        out.append(Prepared(path, make_pen("guide", theme, pixels_per_mm=pixels_per_mm), nothing))
    colour = colour_of_fill(item.fill)
    brush = nothing
    if colour:
        brush = _dimmed(item.fill, theme.paper_dim)
    pen = make_pen(item.pen, theme, pixels_per_mm=pixels_per_mm)
    if item.pen and PENS[item.pen].ink == "graphite":
        pen.setColor(QColor("#2b2a28"))  # pencil on paper stays dark at night too
    pixels, place = (photograph(item.pixels), _placed(item)) if item.pixels else (None, None)
    out.append(Prepared(make_path(lightened(item.rings, pixels_per_mm)), pen, brush, pixels, place))
    return out


@lru_cache(maxsize=32)
def photograph(data: bytes) -> QImage:
    """The pixels of a photograph."""
    return QImage.fromData(data)


def _placed(item: Shape) -> QTransform | None:
    """From the pixels of a photograph to the corners between which it lies; None where these are one line."""
    assert item.quad is not None
    size = photograph(item.pixels).size()
    there = QPolygonF([QPointF(0, size.height()), QPointF(size.width(), size.height()), QPointF(size.width(), 0), QPointF(0, 0)])
    place: Any = QTransform.quadToQuad(there, polygon_of(item.quad))
    return place if isinstance(place, QTransform) else None


def _paint_pixels(painter: QPainter, pixels: QImage, place: QTransform | None, within: QPainterPath) -> None:
    """A photograph under the painter's transform, clipped."""
    if place is None:
        return
    painter.save()
    painter.setClipPath(within, Qt.ClipOperation.IntersectClip)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.setTransform(place, True)
    painter.drawImage(0, 0, pixels)
    painter.restore()


def prepare_layer(layer: PartLayer, theme: Theme, *, pixels_per_mm: float) -> PreparedLayer:
    """One part layer, ready to be painted."""

    def ready(items: tuple[Primitive, ...]) -> tuple[Prepared, ...]:
        return tuple(p for item in items for p in prepare(item, theme, pixels_per_mm=pixels_per_mm))

    behind = ready(layer.behind)
    for item in behind:
        if item.pen.style() != Qt.PenStyle.NoPen:
            item.pen.setColor(QColor("#5d5950"))
    words = tuple(item for item in layer.front if isinstance(item, Label))
    first = next((item for item in layer.front if isinstance(item, Shape)), None)
    return PreparedLayer(layer.part, ready(layer.front), behind, layer.over, words, make_path(first.rings) if first else None)


def paint_words(painter: QPainter, words: tuple[Label, ...], *, turn_rad: float) -> None:
    """Words on a part under the painter's transform (mm, y up), upright as long as the part has not turned."""
    for word in words:
        painter.save()
        painter.translate(word.at[0], word.at[1])
        painter.rotate(-math.degrees(turn_rad))
        scale = word.size_mm / 40.0
        painter.scale(scale, -scale)
        painter.setFont(font(40))
        painter.setPen(QColor("#2b2a28"))
        width = painter.fontMetrics().horizontalAdvance(word.text)
        painter.drawText(QPointF(-{"left": 0.0, "middle": width / 2, "right": float(width)}[word.anchor], 14.0), word.text)
        painter.restore()


def paint_items(painter: QPainter, items: tuple[Prepared, ...] | list[Prepared]) -> None:
    """Draws prepared paths under the painter's transform."""
    for item in items:
        if item.pixels is not None:
            _paint_pixels(painter, item.pixels, item.place, item.path)
            continue
        painter.setPen(item.pen)
        painter.setBrush(item.brush)
        painter.drawPath(item.path)


def pose_transform(pose: Array) -> QTransform:
    """Qt's transform of a planar pose."""
    cos, sin = float(np.cos(pose[2])), float(np.sin(pose[2]))
    return QTransform(cos, sin, -sin, cos, float(pose[0]), float(pose[1]))


def paint_drawing(painter: QPainter, drawing: Drawing, theme: Theme, *, left: float, bottom: float, pixels_per_mm: float) -> None:
    """A whole drawing with its labels; (left, bottom) is where its box's lower left corner lies in pixels."""
    painter.save()
    painter.translate(left, bottom)
    painter.scale(pixels_per_mm, -pixels_per_mm)
    painter.translate(-drawing.box[0], -drawing.box[1])
    for item in drawing.primitives:
        paint_items(painter, prepare(item, theme, pixels_per_mm=pixels_per_mm))
    painter.restore()
    for item in drawing.primitives:
        if isinstance(item, Label):
            size = item.size_mm * pixels_per_mm
            if size < 3:
                continue
            painter.setFont(font(max(size, 4), bold=item.bold))
            painter.setPen(QColor("#2b2a28"))
            x, y = left + (item.at[0] - drawing.box[0]) * pixels_per_mm, bottom - (item.at[1] - drawing.box[1]) * pixels_per_mm
            width = painter.fontMetrics().horizontalAdvance(item.text)
            x -= {"left": 0.0, "middle": width / 2, "right": float(width)}[item.anchor]
            painter.drawText(QPointF(x, y), item.text)


def paint_folds(painter: QPainter, drawing: Drawing, theme: Theme, *, origin: QPointF, pixels_per_mm: float) -> None:
    """A drawing of what folds, straight to pixels: nothing is kept, since everything moves. ``origin`` is the pixel of (0, 0)."""
    pens = {name: _pixel_pen(name, theme) for name in ("outline", "trouble")}
    shift, factor = np.array([origin.x(), origin.y()]), np.array([pixels_per_mm, -pixels_per_mm])
    fills: dict[str, QBrush] = {}
    for item in drawing.primitives:
        if isinstance(item, Label):
            continue
        rings = item.rings if isinstance(item, Shape) else (item.points,)
        polygons = [polygon_of(ring * factor + shift) for ring in rings]
        painter.setPen(pens.get(item.pen) or QPen(Qt.PenStyle.NoPen))
        if isinstance(item, Stroke):
            painter.drawPolyline(polygons[0])
            continue
        if item.pixels:
            laid = item.mapped(lambda ring: ring * factor + shift)
            _paint_pixels(painter, photograph(item.pixels), _placed(laid), make_path(laid.rings))
            continue
        if item.fill not in fills:
            fills[item.fill] = _dimmed(item.fill, theme.paper_dim)
        painter.setBrush(fills[item.fill])
        if len(polygons) == 1:
            painter.drawPolygon(polygons[0])
        else:
            path = QPainterPath()
            for polygon in polygons:
                path.addPolygon(polygon)
                path.closeSubpath()
            painter.drawPath(path)


def _pixel_pen(name: str, theme: Theme) -> QPen:
    pen = QPen(QColor("#2b2a28") if name == "outline" else QColor(theme.alarm), 1.1 if name == "outline" else 2.4)
    pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    return pen


@lru_cache(maxsize=4096)
def _dimmed(fill: str, paper_dim: float) -> QBrush:
    colour = colour_of_fill(fill)
    if not colour:
        return QBrush(Qt.BrushStyle.NoBrush)
    paper = QColor(colour)
    return QBrush(QColor.fromHsvF(max(paper.hsvHueF(), 0.0), paper.hsvSaturationF(), paper.valueF() * paper_dim, alpha_of_fill(fill)))
