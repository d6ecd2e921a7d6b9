"""Where measures stand on the view: dimension lines with their text, moved apart so that none hides another."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPen

from lexipod.app.look import Theme, font
from lexipod.assembly import Handle
from lexipod.units import UnitStyle, format_quantity

TEXT_PX = 14
LIGHT = 0.58


@dataclass(frozen=True, slots=True)
class Measure:
    """A dimension line in pixels with the box of its text; ``handle`` is None for measures that only tell."""

    text: str
    start: QPointF
    end: QPointF
    box: QRectF
    handle: Handle | None


def lay_measure(handle: Handle | None, text: str, start: QPointF, end: QPointF, offset_px: float, taken: list[QRectF], bounds: QRectF) -> Measure:
    """The measure from ``start`` to ``end``, shifted sideways, its text slid along the line to a free spot."""
    dx, dy = end.x() - start.x(), end.y() - start.y()
    length = math.hypot(dx, dy) or 1.0
    side = QPointF(dy / length * offset_px, -dx / length * offset_px)
    start, end = start + side, end + side
    metrics = QFontMetricsF(font(TEXT_PX))
    width, height = metrics.horizontalAdvance(text) + 14, metrics.height() + 4
    best, least = QRectF(), math.inf
    along = QPointF(dx / length, dy / length) if length > 1.5 else QPointF(1.0, 0.0)
    for share, away in ((s, a) for a in (0.0, 1.0, -1.0, 2.0, -2.0, 3.0, -3.0, 4.0, -4.0, 5.0, -5.0) for s in (0.5, 0.3, 0.7, 0.12, 0.88)):
        middle = start + along * (length * share) + QPointF(along.y() * width, -along.x() * height) * (0.62 * away)
        if abs(along.x()) > 0.7:
            middle = start + along * (length * share) + QPointF(0.0, -height * 1.25 * away)
        box = QRectF(middle.x() - width / 2, middle.y() - height / 2, width, height)
        box.moveLeft(min(max(box.left(), bounds.left() + 4), bounds.right() - width - 4))
        box.moveTop(min(max(box.top(), bounds.top() + 4), bounds.bottom() - height - 4))
        roomy = box.adjusted(-3, -2, 3, 2)
        hidden = sum((common := roomy.intersected(other)).width() * common.height() for other in taken)
        if hidden < least:
            best, least = box, hidden
        if not hidden:
            break
    taken.append(best)
    return Measure(text, start, end, best, handle)


def is_near(measure: Measure, point: QPointF, within_px: float) -> bool:
    """Whether a point of the view is near a measure's line or text."""
    along = measure.end - measure.start
    length = QPointF.dotProduct(along, along) or 1.0
    share = min(1.0, max(0.0, QPointF.dotProduct(point - measure.start, along) / length))
    away = point - (measure.start + along * share)
    return math.hypot(away.x(), away.y()) <= within_px or measure.box.adjusted(-within_px, -within_px, within_px, within_px).contains(point)


def paint_measure(painter: QPainter, measure: Measure, theme: Theme, *, hot: bool, light: bool = False, pinned: bool = False) -> None:
    """The dimension line with its end ticks, and the text in its box; a ``light`` one lets what is under it be seen, a ``pinned`` one has a pin."""
    painter.setOpacity(LIGHT if light else 1.0)
    colour = theme.colour("accent" if measure.handle else "pencil")
    painter.setPen(QPen(colour, 1.6 if hot else 1.1))
    painter.drawLine(measure.start, measure.end)
    dx, dy = measure.end.x() - measure.start.x(), measure.end.y() - measure.start.y()
    length = math.hypot(dx, dy) or 1.0
    tick = QPointF(-dy / length * 5, dx / length * 5)
    for point in (measure.start, measure.end):
        painter.drawLine(point - tick, point + tick)
    painter.setBrush(theme.colour("accent_soft" if hot else "sheet"))
    painter.setPen(QPen(colour, 1.4) if hot else QPen(theme.colour("line"), 1.0))
    painter.drawRoundedRect(measure.box, 3, 3)
    painter.setFont(font(TEXT_PX, bold=hot))
    painter.setPen(theme.colour("accent" if measure.handle else "ink"))
    painter.drawText(measure.box, Qt.AlignmentFlag.AlignCenter, measure.text)
    if pinned:
        _paint_pin(painter, measure.box, theme)
    painter.setOpacity(1.0)


def _paint_pin(painter: QPainter, box: QRectF, theme: Theme) -> None:
    """A pin through the corner of a measure's box: it is kept."""
    head = QPointF(box.left() + 1, box.top() - 3)
    painter.setPen(QPen(theme.colour("accent"), 1.6))
    painter.drawLine(head, head + QPointF(4.5, 8.0))
    painter.setPen(QPen(theme.colour("sheet"), 1.2))
    painter.setBrush(theme.colour("accent"))
    painter.drawEllipse(head, 4.6, 4.6)


def measure_text(handle: Handle, value: float, style: UnitStyle, *, kind: str = "length") -> str:
    """“travel 1 9/16 in”."""
    return f"{handle.label} {format_quantity(value, kind, style)}"


def whole_name(handle: Handle) -> str:
    """The parameter that a handle moves, also where it moves one half of a place."""
    return handle.parameter.removesuffix(".x").removesuffix(".y")


def measured_handles(handles: tuple[Handle, ...], width_mm: float, height_mm: float) -> list[Handle]:
    """The handles as measures on a card of this size: a place has two, along both of its directions from the card's edges; the
    place of a whole mechanism or of an item has none."""
    out = []
    for handle in handles:
        if handle.cross is None:
            out.append(handle)
        elif handle.parameter != "shift" and not handle.parameter.startswith(("item.", "cue.")):
            for axis, direction in (("x", handle.direction), ("y", handle.cross)):
                x, y = handle.at
                foot = (
                    x if abs(direction[0]) < 0.5 else 0.0 if direction[0] > 0 else width_mm,
                    y if abs(direction[1]) < 0.5 else 0.0 if direction[1] > 0 else height_mm,
                )
                out.append(replace(handle, parameter=f"{handle.parameter}.{axis}", direction=direction, cross=None, span=(foot, (x, y))))
    return out
