"""A glass over the card: what is under the pointer, larger, with a ruler's mark to judge it by."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPainterPath, QPen

from lexipod.app.look import Theme, font
from lexipod.units import MM_PER_INCH

RADIUS_PX = 96.0
LARGER = 4.0
MARKS = {"mm": ((0.5, "0.5 mm"), (1.0, "1 mm"), (2.0, "2 mm")), "in": ((MM_PER_INCH / 32, "1/32 in"), (MM_PER_INCH / 16, "1/16 in"))}
LEAST_MARK_PX = 22.0


def mark_of(unit: str, pixels_per_mm: float) -> tuple[float, str]:
    """The length of a ruler's mark in the glass (pixels) and what it is: the smallest that is long enough to be seen."""
    rows = [(length * pixels_per_mm, text) for length, text in MARKS[unit]]
    return next((row for row in rows if row[0] >= LEAST_MARK_PX), rows[-1])


def closer(origin: QPointF, at: QPointF) -> QPointF:
    """Where the origin of a drawing lies that is `LARGER` about a point of the view."""
    return at + (origin - at) * LARGER


def paint_glass(painter: QPainter, at: QPointF, theme: Theme, paint: Callable[[], None], *, mark: tuple[float, str] | None) -> None:
    """The glass with its middle at a point of the view: ``paint`` paints what is in it, already larger; ``mark`` is its ruler's mark (pixels
    and words), None where no one scale holds."""
    rim = QPainterPath()
    rim.addEllipse(at, RADIUS_PX, RADIUS_PX)
    painter.save()
    painter.setClipPath(rim)
    painter.fillPath(rim, theme.colour("ground"))
    paint()
    painter.restore()
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for width, colour in ((6.0, theme.colour("sheet")), (2.0, theme.colour("ink"))):
        painter.setPen(QPen(colour, width))
        painter.drawPath(rim)
    if mark is None:
        return
    long, text = mark
    painter.setFont(font(12, bold=True))
    wide = painter.fontMetrics().horizontalAdvance(text) + long + 22
    box = QRectF(at.x() - wide / 2, at.y() + RADIUS_PX - 34, wide, 20)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("sheet"))
    painter.drawRoundedRect(box, 3, 3)
    painter.setPen(QPen(theme.colour("ink"), 1.6))
    left, y = box.left() + 7, box.center().y()
    painter.drawLine(QPointF(left, y), QPointF(left + long, y))
    for x in (left, left + long):
        painter.drawLine(QPointF(x, y - 4), QPointF(x, y + 4))
    painter.drawText(box.adjusted(long + 12, 0, -2, 0), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)


__all__ = ["LARGER", "closer", "mark_of", "paint_glass"]
