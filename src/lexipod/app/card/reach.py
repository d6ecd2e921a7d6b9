"""How far a handle can go, drawn while it is dragged: where it blocks as it is, and where it does with the rest fitted."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from lexipod.app.look import Theme, font
from lexipod.assembly import Handle
from lexipod.units import UnitStyle, format_quantity

if TYPE_CHECKING:
    from lexipod.fitting.reaching import Reach

BAR_PX = 13.0


@dataclass(frozen=True, slots=True)
class ReachFrom:
    """A handle as it was when the drag began, the value it had, and of what kind that is."""

    handle: Handle
    value: float
    kind: str

    def place_of(self, value: float) -> tuple[float, float]:
        """Where on the card (mm) the handle is when its measure has a value."""
        (x, y), change = self.handle.at, (value - self.value) / self.handle.gain
        if self.handle.about is not None:
            turn, (cx, cy) = math.radians(change), self.handle.about
            dx, dy = x - cx, y - cy
            return cx + dx * math.cos(turn) - dy * math.sin(turn), cy + dx * math.sin(turn) + dy * math.cos(turn)
        return x + self.handle.direction[0] * change, y + self.handle.direction[1] * change

    def way_at(self, value: float) -> tuple[float, float]:
        """The direction in which it goes there."""
        if self.handle.about is None:
            return self.handle.direction
        (x, y), (cx, cy) = self.place_of(value), self.handle.about
        away = math.hypot(x - cx, y - cy) or 1.0
        return -(y - cy) / away, (x - cx) / away


def limits_of(start: ReachFrom, reach: Reach) -> list[tuple[float, bool]]:
    """The values at which there is a limit, and whether it is that of the card as it is."""
    found = [(value, True) for value in reach.as_is or ()]
    known = [value for value, _ in found]
    return found + [(value, False) for value in reach.fitted or () if all(abs(value - k) > 1e-6 for k in known)]


def paint_reach(
    painter: QPainter,
    start: ReachFrom,
    reach: Reach,
    theme: Theme,
    style: UnitStyle,
    *,
    to_view: Callable[[float, float], QPointF],
    within: QRectF,
) -> None:
    """A bar across the way at each limit with its value: a full one as it is, a broken one with the rest fitted."""
    painter.setFont(font(12, bold=True))
    metrics = painter.fontMetrics()
    taken: list[QRectF] = []
    for value, is_as_is in limits_of(start, reach):
        at, (dx, dy) = to_view(*start.place_of(value)), start.way_at(value)
        if not within.adjusted(-40, -40, 40, 40).contains(at):
            continue
        across = QPointF(dy, dx) * BAR_PX
        for width, colour in ((6.0, theme.colour("sheet")), (3.0, theme.colour("accent"))):
            pen = QPen(colour, width, Qt.PenStyle.SolidLine if is_as_is or width > 4 else Qt.PenStyle.DotLine)
            painter.setPen(pen)
            painter.drawLine(at - across, at + across)
        text = f"{format_quantity(round(value) if start.kind == 'count' else value, start.kind, style)}{'' if is_as_is else ', the rest fitted'}"
        box = QRectF(0, 0, metrics.horizontalAdvance(text) + 10, metrics.height() + 2)
        box.moveCenter(at + QPointF(dy, dx) * (BAR_PX + 14.0) * (1.0 if is_as_is else -1.0))
        box.moveLeft(min(max(box.left(), within.left() + 4), within.right() - box.width() - 4))
        while any(box.intersects(other) for other in taken):
            box.translate(0, box.height() + 2)
        taken.append(box)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("sheet"))
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(theme.colour("accent"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


__all__ = ["ReachFrom", "limits_of", "paint_reach"]
