"""The step that is looked at: what is done in large type, its drawing, and below it the hands' time."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from lexipod.app.card.painter import paint_drawing
from lexipod.app.look import DAY, Theme, font, paint_focus
from lexipod.app.making.plan_desk import PlanDesk
from lexipod.app.making.schedule_view import ScheduleView
from lexipod.drawing import Drawing


def paint_step(painter: QPainter, box: QRectF, drawn: Drawing, theme: Theme) -> None:
    """A drawing as large as it fits, on a sheet of paper."""
    margin = 18.0
    width, height = (max(v, 1e-6) for v in drawn.size_mm)
    scale = min((box.width() - 2 * margin) / width, (box.height() - 2 * margin) / height, 9.0)
    shade = QColor(theme.shadow)
    shade.setAlpha(40)
    painter.fillRect(box.translated(2, 3), shade)
    painter.fillRect(box, QColor("#ffffff"))
    left = box.center().x() - width * scale / 2
    bottom = box.center().y() + height * scale / 2
    painter.save()
    painter.setClipRect(box)
    paint_drawing(painter, drawn, DAY, left=left, bottom=bottom, pixels_per_mm=scale)
    painter.restore()


class StepView(QWidget):
    """One step: its number and sentence above its drawing."""

    def __init__(self, plan: PlanDesk, theme: Theme) -> None:
        super().__init__()
        self.plan, self.theme = plan, theme
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("The step")
        plan.changed.connect(self.update)
        plan.turned.connect(self.update)

    def sizeHint(self) -> QSize:
        """As large as there is room."""
        return QSize(800, 500)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Left and right, page up and page down turn to other steps."""
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_PageUp: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_PageDown: 1, Qt.Key.Key_Space: 1}
        if event.key() in steps:
            self.plan.go(steps[Qt.Key(event.key())])
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        """The next step; a press in the left third goes back."""
        self.setFocus()
        self.plan.go(1 if event.position().x() > self.width() / 3 else -1)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Number, sentence and drawing."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.theme.colour("ground"))
        step = self.plan.step
        if step is None:
            return
        number = str(self.plan.number)
        painter.setPen(self.theme.colour("ink"))
        painter.setFont(font(34, head=True))
        painter.drawText(QRectF(14, 4, 62, 46), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, number)
        painter.setFont(font(18, bold=True))
        words = QRectF(74, 8, self.width() - 90, 72)
        flags = int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop) | int(Qt.TextFlag.TextWordWrap)
        used = painter.boundingRect(words, flags, step.do)
        painter.drawText(words, flags, step.do)
        top = max(52.0, used.bottom() + 2)
        if step.why:
            painter.setFont(font(14))
            painter.setPen(self.theme.colour("pencil"))
            told = f"{step.why[:1].upper()}{step.why[1:]}" + (f" · {step.told}" if step.told else "")
            line = QRectF(74, used.bottom() + 1, self.width() - 90, 38)
            top = painter.boundingRect(line, flags, told).bottom() + 2
            painter.drawText(line, flags, told)
        box = QRectF(14, top + 8, self.width() - 28, self.height() - top - 18)
        if box.height() > 40:
            paint_step(painter, box, self.plan.drawing(step), self.theme)
        if self.hasFocus():
            paint_focus(painter, self.rect(), self.theme)


class PlanView(QWidget):
    """The step above the hands' time."""

    def __init__(self, plan: PlanDesk, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("ground")
        self.plan = plan
        self.step = StepView(plan, theme)
        self.time = ScheduleView(plan, theme)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.step, 1)
        column.addWidget(self.time)

    def set_theme(self, theme: Theme) -> None:
        """Day or night."""
        for view in (self.step, self.time):
            view.theme = theme
            view.update()
