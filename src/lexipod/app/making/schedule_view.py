"""The hands' time as a ruler of minutes: its divisions are the steps, and each wait is an arc from the step that begins it to the one that needs
it."""

from __future__ import annotations

from datetime import timedelta

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from lexipod.app.look import Theme, font, paint_focus
from lexipod.app.making.plan_desk import PlanDesk
from lexipod.planning.schedule import Rest, Slot
from lexipod.planning.told import minutes_text

SIDE_PX, BAND_PX, FOOT_PX = 22.0, 26.0, 24.0
LEAST_ARC_PX = 10.0
MARKS = (1, 2, 5, 10, 15, 30, 60, 120, 240, 480)
MARK_PX = 46.0
MOST_ARCS = 160


class ScheduleView(QWidget):
    """Reads the plan's schedule; a step is turned to by a click or by the arrow keys."""

    def __init__(self, plan: PlanDesk, theme: Theme) -> None:
        super().__init__()
        self.plan, self.theme = plan, theme
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(132)
        self.setAccessibleName("The hands' time, with waits")
        plan.changed.connect(self.update)
        plan.turned.connect(self.update)

    def sizeHint(self) -> QSize:
        """As wide as there is room."""
        return QSize(700, 132)

    def _x(self, minutes: float) -> float:
        total = max(self.plan.schedule.total, 1e-6)
        return SIDE_PX + minutes / total * (self.width() - 2 * SIDE_PX)

    def _slot_at(self, x: float) -> Slot | None:
        for slot in self.plan.schedule.slots:
            if self._x(slot.start) - 1 <= x <= self._x(slot.end) + 1:
                return slot
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Turns to the step that is done then."""
        slot = self._slot_at(event.position().x())
        if slot is not None:
            self.plan.turn_to(slot.task.step)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Left and right go from step to step."""
        by = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Home: -10_000, Qt.Key.Key_End: 10_000}.get(Qt.Key(event.key()))
        if by is None:
            super().keyPressEvent(event)
        else:
            self.plan.go(by)

    def event(self, event) -> bool:  # type: ignore[no-untyped-def]
        """What is done under the pointer."""
        if isinstance(event, QHelpEvent):
            slot = self._slot_at(float(event.pos().x()))
            if slot is not None:
                step = self.plan.plan.by_id[slot.task.step]
                card = f", card {slot.task.card}" if self.plan.copies > 1 and slot.task.card else ""
                QToolTip.showText(event.globalPos(), f"{self.plan.plan.number(step.id)}. {step.do}{card} ({minutes_text(slot.task.hands)})", self)
            else:
                QToolTip.hideText()
            return True
        return bool(super().event(event))

    def paintEvent(self, event: QPaintEvent) -> None:
        """Band, arcs and marks."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.theme.colour("ground"))
        schedule = self.plan.schedule
        if not schedule.slots:
            return
        top = self.height() - FOOT_PX - BAND_PX
        self._paint_arcs(painter, top)
        self._paint_band(painter, top)
        self._paint_marks(painter, top + BAND_PX)
        if self.hasFocus():
            paint_focus(painter, self.rect(), self.theme)

    def _paint_band(self, painter: QPainter, top: float) -> None:
        theme, schedule, plan = self.theme, self.plan.schedule, self.plan.plan
        here = self.plan.step
        whole = QRectF(SIDE_PX, top, self.width() - 2 * SIDE_PX, BAND_PX)
        painter.fillRect(whole, QColor(theme.colour("line")))
        pencil, ink = QPen(theme.colour("pencil"), 1.0), QPen(theme.colour("ink"), 1.0)
        painter.setFont(font(12))
        for k, slot in enumerate(schedule.slots):
            box = QRectF(self._x(slot.start), top, self._x(slot.end) - self._x(slot.start), BAND_PX)
            is_here = here is not None and slot.task.step == here.id
            painter.fillRect(box, theme.colour("accent") if is_here else theme.colour("sheet") if k % 2 else theme.colour("ground"))
            painter.setPen(ink if slot.task.id in schedule.critical else pencil)
            painter.drawLine(QPointF(box.left(), top), QPointF(box.left(), top + BAND_PX * (1.0 if slot.task.id in schedule.critical else 0.55)))
            text = str(plan.number(slot.task.step))
            if box.width() > 7.0 * len(text) + 4:
                painter.setPen(theme.colour("on_accent") if is_here else theme.colour("ink"))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
        painter.setPen(QPen(theme.colour("ink"), 1.4))
        painter.drawLine(QPointF(whole.left(), top), QPointF(whole.right(), top))
        painter.drawLine(QPointF(whole.left(), top + BAND_PX), QPointF(whole.right(), top + BAND_PX))

    def _paint_arcs(self, painter: QPainter, top: float) -> None:
        earliest: dict[str, Rest] = {}
        for rest in self.plan.schedule.rests:
            if rest.first not in earliest or rest.end < earliest[rest.first].end:
                earliest[rest.first] = rest
        rests = sorted(earliest.values(), key=lambda r: r.end - r.start)[:MOST_ARCS]
        if not rests:
            return
        widest = max(self._x(r.end) - self._x(r.start) for r in rests)
        here = self.plan.step
        painter.setFont(font(12))
        for rest in rests:
            x0, x1 = self._x(rest.start), self._x(rest.end)
            tall = min(top - 18, LEAST_ARC_PX + (top - 30) * (x1 - x0) / max(widest, 1.0))
            steps = {self.plan.schedule.by_task[i].task.step for i in (rest.first, rest.then)}
            is_here = here is not None and here.id in steps
            is_tight = rest.end - rest.start < rest.least + 1e-6
            pen = QPen(self.theme.colour("accent" if is_here else "pencil"), 2.2 if is_here else 1.2)
            pen.setStyle(Qt.PenStyle.SolidLine if is_tight else Qt.PenStyle.DashLine)
            painter.setPen(pen)
            path = QPainterPath(QPointF(x0, top))
            path.cubicTo(QPointF(x0, top - tall * 1.33), QPointF(x1, top - tall * 1.33), QPointF(x1, top))
            painter.drawPath(path)
            if is_here or (x1 - x0 > 40 and is_tight):
                painter.setPen(self.theme.colour("ink"))
                box = QRectF((x0 + x1) / 2 - 60, top - tall - 16, 120, 15)
                painter.drawText(box, Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignBottom, minutes_text(rest.least))

    def _paint_marks(self, painter: QPainter, floor: float) -> None:
        total = self.plan.schedule.total
        step = next((m for m in MARKS if self._x(m) - self._x(0) >= MARK_PX), MARKS[-1])
        painter.setPen(self.theme.colour("pencil"))
        painter.setFont(font(12))
        whole = self._clock(total, unit=True)
        room = self.width() - 12 - painter.fontMetrics().horizontalAdvance(whole)
        minute = 0.0
        while minute <= total + 1e-6:
            x = self._x(minute)
            painter.drawLine(QPointF(x, floor), QPointF(x, floor + 5))
            if x + painter.fontMetrics().horizontalAdvance(self._clock(minute)) / 2 + 8 < room or minute == 0:
                painter.drawText(QRectF(x - 30, floor + 5, 60, 16), Qt.AlignmentFlag.AlignHCenter, self._clock(minute))
            minute += step
        painter.setPen(self.theme.colour("ink"))
        painter.drawText(QRectF(self.width() - 118, floor + 5, 112, 16), Qt.AlignmentFlag.AlignRight, whole)
        if self.plan.until is not None and self.plan.begin is not None:
            x = self._x((self.plan.until - self.plan.begin).total_seconds() / 60)
            if SIDE_PX <= x <= self.width() - SIDE_PX:
                painter.setPen(QPen(self.theme.colour("alarm"), 2))
                painter.drawLine(QPointF(x, 6), QPointF(x, floor + 4))

    def _clock(self, minutes: float, *, unit: bool = False) -> str:
        if self.plan.begin is not None:
            return f"{self.plan.begin + timedelta(minutes=minutes):%H:%M}"
        return minutes_text(minutes) if unit else (f"{minutes:g}" if minutes < 60 else f"{minutes / 60:g} h" if minutes % 60 == 0 else f"{minutes:g}")
