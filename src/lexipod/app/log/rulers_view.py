"""Measures as marks beside the designed one on a ruler, with the interval that is expected next time; and how often the program was right."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from lexipod.app.look import Theme, font
from lexipod.design import MeasureKind
from lexipod.records.calibration import Calibration
from lexipod.records.learning import Learned, off_text
from lexipod.records.makes import Make
from lexipod.units import UnitStyle

ROW_PX, LABEL_PX, SIDE_PX, VERDICT_PX = 34, 250, 18, 300
LEAST_SPAN_MM = 0.5
SHARES = ("foam", "paper")
NOTHING = "No measure was taken yet. At the table a quick one is asked for where it tells most: from five on it is used, if you like."
KIND_WORDS = {"cut": "edges cut", "opening": "openings cut", "hole": "holes", "place": "places", "foam": "foam", "paper": "paper"}


@dataclass(frozen=True, slots=True)
class Ruler:
    """One ruler: what it measures, where the marks lie about what was designed (mm, or per cent), the band, and what is said at its end."""

    name: str
    marks: tuple[float, ...]
    band: tuple[float, float] | None
    told: str


def rulers_of_make(make: Make, learned: Mapping[tuple[MeasureKind, str], Learned], style: UnitStyle) -> list[Ruler]:
    """A ruler for each measure of a make."""
    out = []
    for m in make.measures:
        row = learned.get((m.kind, m.way))
        factor = 100.0 if m.kind in SHARES else 1.0
        band = (row.next95[0] * factor, row.next95[1] * factor) if row is not None else None
        out.append(Ruler(m.name, (m.error * factor,), band, off_text(m.error, m.kind, style)))
    return out


def rulers_of_kinds(
    learned: Mapping[tuple[MeasureKind, str], Learned], errors: Mapping[tuple[MeasureKind, str], list[float]], style: UnitStyle
) -> list[Ruler]:
    """A ruler for each kind of work that was measured."""
    out = []
    for key, row in learned.items():
        factor = 100.0 if row.kind in SHARES else 1.0
        name = f"{KIND_WORDS.get(row.kind, row.kind)} by {row.way}, {row.count} measured"
        marks = tuple(e * factor for e in errors.get(key, ()))
        out.append(Ruler(name, marks, (row.next95[0] * factor, row.next95[1] * factor), off_text(row.bias, row.kind, style)))
    return out


class RulersView(QWidget):
    """A ruler for each measure of a make, or for each kind of work where no make is picked; below them what was foretold."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.setObjectName("ground")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Measures on their rulers")
        self.title = ""
        self.rulers: list[Ruler] = []
        self.calibration: Calibration | None = None

    def show_rulers(self, title: str, rulers: list[Ruler], calibration: Calibration) -> None:
        """What is drawn."""
        self.title, self.rulers, self.calibration = title, rulers, calibration
        self.setFixedHeight(self.sizeHint().height())
        self.update()

    def sizeHint(self) -> QSize:
        """As high as what is drawn."""
        rows = len(self.rulers)
        told = 1 + len(self.calibration.scores) if self.calibration is not None and self.calibration.told else 0
        return QSize(700, max(40, 26 + rows * ROW_PX + told * 24 + 12) if rows or told else 60)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Rulers, then verdicts."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.theme.colour("ground"))
        y = 6.0
        if self.rulers:
            painter.setFont(font(14, bold=True))
            painter.setPen(self.theme.colour("ink"))
            painter.drawText(QRectF(8, y, self.width() - 16, 18), Qt.AlignmentFlag.AlignLeft, self.title)
            y += 22
        elif self.calibration is None or not self.calibration.told:
            painter.setFont(font(14))
            painter.setPen(self.theme.colour("pencil"))
            flags = int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop) | int(Qt.TextFlag.TextWordWrap)
            painter.drawText(QRectF(8, 8, self.width() - 16, 50), flags, NOTHING)
        for ruler in self.rulers:
            self._paint_ruler(painter, y, ruler)
            y += ROW_PX
        self._paint_calibration(painter, y + 6)

    def _paint_ruler(self, painter: QPainter, y: float, ruler: Ruler) -> None:
        left, right = LABEL_PX + SIDE_PX, self.width() - SIDE_PX - 96
        band = ruler.band
        span = max([LEAST_SPAN_MM, *(abs(e) for e in ruler.marks), *(abs(b) for b in band or ())]) * 1.1

        def x(error: float) -> float:
            return (left + right) / 2 + error / span * (right - left) / 2

        middle = y + ROW_PX / 2
        painter.setFont(font(14))
        painter.setPen(self.theme.colour("ink"))
        box = QRectF(8, y, LABEL_PX, ROW_PX)
        text = painter.fontMetrics().elidedText(ruler.name, Qt.TextElideMode.ElideRight, int(LABEL_PX))
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
        for error in ruler.marks:
            painter.setPen(QPen(self.theme.colour("accent"), 2.2))
            painter.drawLine(QPointF(x(error), middle - 9), QPointF(x(error), middle + 1))
        painter.setPen(self.theme.colour("ink"))
        painter.drawText(QRectF(right + 8, y, 92, ROW_PX), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, ruler.told)

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
            foretold = "" if score.foretold is None else f", {100 * score.foretold:.0f} % reckoned"
            told_row = f"{words[score.verdict]}: {score.ran_free} of {score.count} ran free{foretold}"
            painter.drawText(QRectF(8, y, VERDICT_PX, 22), Qt.AlignmentFlag.AlignVCenter, told_row)
            for k in range(min(score.count, 60)):
                at = QPointF(VERDICT_PX + SIDE_PX + 8 + 14 * k, y + 11)
                painter.setPen(QPen(self.theme.colour("accent"), 1.8))
                painter.setBrush(self.theme.colour("accent") if k < score.ran_free else Qt.BrushStyle.NoBrush)
                painter.drawEllipse(at, 4.5, 4.5)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            y += 24
