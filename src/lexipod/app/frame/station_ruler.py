"""The ruler on which the stations of the work stand, each with how it stands."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from lexipod.app.frame.stations import STATIONS, station_of
from lexipod.app.look import Theme, font, paint_focus
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.app.state.station import Station
from lexipod.app.state.view_state import ViewState
from lexipod.assembly import Assembly
from lexipod.blanks import count_pieces


class StationRuler(QWidget):
    """The stations as marks on a ruler, each with how it stands."""

    def __init__(self, session: Session, desk: Desk, view: ViewState, theme: Theme) -> None:
        super().__init__()
        self.session, self.desk, self.view, self.theme = session, desk, view, theme
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._counted: tuple[Assembly, int] | None = None
        self.setFixedHeight(58)
        self.setMinimumWidth(470)
        self.setAccessibleName("Stations of the work")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        for signal in (desk.judged, desk.rebuilt, view.station_changed):
            signal.connect(self._changed)

    def _changed(self, *_: object) -> None:
        self.update()

    def sizeHint(self) -> QSize:
        """As wide as there is room."""
        return QSize(600, 58)

    def _x(self, index: int) -> float:
        return 48 + index * (self.width() - 96) / (len(STATIONS) - 1)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Turns to the station that was clicked."""
        nearest = min(range(len(STATIONS)), key=lambda k: abs(self._x(k) - event.position().x()))
        self.view.go_to(STATIONS[nearest].id)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Left and right go along the ruler."""
        here = [s.id for s in STATIONS].index(self.view.station)
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
        elif 0 <= here + step < len(STATIONS):
            self.view.go_to(STATIONS[here + step].id)

    def _pieces(self) -> int:
        """How many pieces are cut, counted once for each card that is built."""
        assembly = self.desk.assembly
        if assembly is None:
            return 0
        if self._counted is None or self._counted[0] is not assembly:
            self._counted = (assembly, count_pieces(assembly))
        return self._counted[1]

    def state_of(self, station: Station) -> tuple[str, str]:
        """How a station stands, in words, and the colour's name."""
        if not self.session.design.mechanisms and station is not STATIONS[0]:
            return "nothing yet", "pencil"
        if station.counts_pieces:
            return f"{self._pieces()} pieces", "pencil"
        if station.seen.center:
            return "", "pencil"
        judgement = self.desk.judgement
        if judgement is None or self.desk.is_stale:
            return "checking …", "pencil"
        mine = [f for f in judgement.findings if station_of(f) == station.id]
        blocks = sum(f.severity == "block" for f in mine)
        warns = sum(f.severity == "warn" for f in mine)
        if blocks:
            return f"■ {blocks} to cure", "alarm"
        if warns:
            return f"▲ {warns} to watch", "caution"
        return "✓ settled", "accent"

    def paintEvent(self, event: QPaintEvent) -> None:
        """Ticks, names, and how each stands."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        y = 33.0
        painter.setPen(QPen(self.theme.colour("pencil"), 1.2))
        left, right = self._x(0) - 28, self._x(len(STATIONS) - 1) + 28
        painter.drawLine(QPointF(left, y), QPointF(right, y))
        ticks = 8 * (len(STATIONS) - 1)
        for k in range(ticks + 1):
            x = self._x(0) + k * (self._x(len(STATIONS) - 1) - self._x(0)) / ticks
            painter.drawLine(QPointF(x, y), QPointF(x, y - (6 if k % 4 == 0 else 3.5)))
        for k, station in enumerate(STATIONS):
            x, is_here = self._x(k), station.id == self.view.station
            painter.setPen(QPen(self.theme.colour("accent" if is_here else "ink"), 3.0 if is_here else 1.6))
            painter.drawLine(QPointF(x, y + (3 if is_here else 0)), QPointF(x, y - 11))
            painter.setFont(font(15, bold=is_here))
            painter.setPen(self.theme.colour("accent" if is_here else "ink"))
            painter.drawText(QRectF(x - 60, 0, 120, 20), Qt.AlignmentFlag.AlignCenter, station.title)
            state, colour = self.state_of(station)
            painter.setFont(font(13, bold=colour in ("alarm", "caution")))
            painter.setPen(self.theme.colour(colour))
            painter.drawText(QRectF(x - 60, y + 4, 120, 20), Qt.AlignmentFlag.AlignCenter, state)
        if self.hasFocus():
            paint_focus(painter, self.rect(), self.theme)
