"""Measures as marks beside the designed one on a ruler, with the interval that is expected next time; and how often the program was right."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from lexipod.app.look import Theme, font
from lexipod.records.calibration import Calibration
from lexipod.records.learning import Learned
from lexipod.records.makes import Make, Measure

ROW_PX, LABEL_PX, SIDE_PX = 34, 250, 18
LEAST_SPAN_MM = 0.5
KIND_WORDS = {"cut": "edges cut", "opening": "openings cut", "hole": "holes", "place": "places", "foam": "foam", "paper": "paper"}


class RulersView(QWidget):
    """A ruler for each measure of a make, or for each kind of work where no make is picked; below them what was foretold."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.setObjectName("ground")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Measures on their rulers")
        self.measures: tuple[Measure, ...] = ()
        self.learned: dict[tuple[str, str], Learned] = {}
        self.errors: dict[tuple[str, str], list[float]] = {}
        self.calibration: Calibration | None = None

    def show_make(self, make: Make | None, learned: Sequence[Learned], errors: dict[tuple[str, str], list[float]], calibration: Calibration) -> None:
        """What is drawn."""
        self.measures = make.measures if make is not None else ()
        self.learned = {(row.kind, row.way): row for row in learned}
        self.errors, self.calibration = errors, calibration
        self.setFixedHeight(self.sizeHint().height())
        self.update()

    def sizeHint(self) -> QSize:
        """As high as what is drawn."""
        rows = len(self.measures) or len(self.learned)
        told = 1 + len(self.calibration.scores) if self.calibration is not None and self.calibration.told else 0
        return QSize(700, max(40, 26 + rows * ROW_PX + told * 24 + 12) if rows or told else 60)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Rulers, then verdicts."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.theme.colour("ground"))
        y = 6.0
        painter.setFont(font(14, bold=True))
        painter.setPen(self.theme.colour("ink"))
        if not self.measures and not self.learned:
            painter.setFont(font(14))
            painter.setPen(self.theme.colour("pencil"))
            flags = int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop) | int(Qt.TextFlag.TextWordWrap)
            painter.drawText(
                QRectF(8, 8, self.width() - 16, 50),
                flags,
                "No measure was taken yet. At the table a quick one is asked for where it tells most: from five on it is used, if you like.",
            )
            return
        title = (
            "Measured, beside what was designed; the band is where the next one is expected"
            if self.measures
            else "Your own errors, by kind of work; the band is where the next one is expected"
        )
        painter.drawText(QRectF(8, y, self.width() - 16, 18), Qt.AlignmentFlag.AlignLeft, title)
        y += 22
        if self.measures:
            for m in self.measures:
                row = self.learned.get((m.kind, m.way))
                scale = m.designed if m.kind in ("foam", "paper") else 1.0
                band = tuple(v * scale for v in row.next95) if row is not None else None
                self._paint_ruler(painter, y, m.name, [m.measured - m.designed], band)
                y += ROW_PX
        else:
            for key, row in self.learned.items():
                factor = 100.0 if row.kind in ("foam", "paper") else 1.0
                name = f"{KIND_WORDS.get(row.kind, row.kind)} by {row.way}, {row.count} measured"
                self._paint_ruler(
                    painter,
                    y,
                    name,
                    [e * factor for e in self.errors.get(key, ())],
                    tuple(v * factor for v in row.next95),
                    "%" if factor > 1 else "mm",
                )
                y += ROW_PX
        self._paint_calibration(painter, y + 6)

    def _paint_ruler(self, painter: QPainter, y: float, name: str, errors: Sequence[float], band: tuple[float, ...] | None, unit: str = "mm") -> None:
        left, right = LABEL_PX + SIDE_PX, self.width() - SIDE_PX - 96
        span = max([LEAST_SPAN_MM, *(abs(e) for e in errors), *(abs(b) for b in band or ())]) * 1.1

        def x(error: float) -> float:
            return (left + right) / 2 + error / span * (right - left) / 2

        middle = y + ROW_PX / 2
        painter.setFont(font(14))
        painter.setPen(self.theme.colour("ink"))
        box = QRectF(8, y, LABEL_PX, ROW_PX)
        text = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(LABEL_PX))
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)
        if band is not None:
            painter.fillRect(QRectF(x(band[0]), middle - 8, x(band[1]) - x(band[0]), 16), self.theme.colour("accent_soft"))
        painter.setPen(QPen(self.theme.colour("pencil"), 1.2))
        painter.drawLine(QPointF(left, middle), QPointF(right, middle))
        step = next(s for s in (0.05, 0.1, 0.25, 0.5, 1.0, 2.0, 5.0, 10.0, 50.0, 1000.0) if span / s <= 12)
        k = -int(span / step)
        while k * step <= span:
            tall = 6 if k == 0 else 3
            painter.drawLine(QPointF(x(k * step), middle - tall), QPointF(x(k * step), middle + tall))
            k += 1
        painter.setPen(QPen(self.theme.colour("ink"), 2))
        painter.drawLine(QPointF(x(0), middle - 11), QPointF(x(0), middle + 11))
        for error in errors:
            painter.setPen(QPen(self.theme.colour("accent"), 2.2))
            painter.drawLine(QPointF(x(error), middle - 9), QPointF(x(error), middle + 1))
        if errors:
            mean = sum(errors) / len(errors)
            painter.setPen(self.theme.colour("ink"))
            painter.drawText(QRectF(right + 8, y, 92, ROW_PX), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, f"{mean:+.2f} {unit}")

    def _paint_calibration(self, painter: QPainter, y: float) -> None:
        told = self.calibration
        if told is None or not told.told:
            return
        painter.setFont(font(14, bold=True))
        painter.setPen(self.theme.colour("ink"))
        painter.drawText(
            QRectF(8, y, self.width() - 16, 18), Qt.AlignmentFlag.AlignLeft, f"What was said before: right of {told.right} of {told.told} makes"
        )
        y += 22
        painter.setFont(font(14))
        words = {"free": "“free to move”", "tight": "“tight”", "blocked": "“blocked”"}
        for score in told.scores:
            painter.setPen(self.theme.colour("ink"))
            painter.drawText(
                QRectF(8, y, LABEL_PX, 22), Qt.AlignmentFlag.AlignVCenter, f"{words[score.verdict]}: {score.ran_free} of {score.count} ran free"
            )
            for k in range(min(score.count, 60)):
                at = QPointF(LABEL_PX + SIDE_PX + 8 + 14 * k, y + 11)
                painter.setPen(QPen(self.theme.colour("accent"), 1.8))
                painter.setBrush(self.theme.colour("accent") if k < score.ran_free else Qt.BrushStyle.NoBrush)
                painter.drawEllipse(at, 4.5, 4.5)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            y += 24
