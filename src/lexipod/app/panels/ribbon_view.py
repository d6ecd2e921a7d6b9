"""The travel ribbon: the whole travel from rest to end as one strip, a row for each gap and requirement."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QBrush, QFont, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap, QPolygonF
from PySide6.QtWidgets import QFrame, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from lexipod.app.look import Theme, font, paint_focus
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.app.state.view_state import ViewState
from lexipod.ribbon import RibbonEvent, RibbonRow
from lexipod.units import MM_PER_INCH, format_length, typeset

ROW_PX = 38
LABEL_PX = 176
HEAD_PX = 46
FOOT_PX = 40
RIGHT_PX = 30
LEAST_ROWS = 2
ROOMY_PX = 560
"""So wide a ribbon has room for a hint beside its heading."""


class RibbonView(QWidget):
    """Rows over the travel with a cursor. Scrubbing moves the card; picking a row shows its pair."""

    resized = Signal()

    def __init__(self, session: Session, desk: Desk, view: ViewState, theme: Theme) -> None:
        super().__init__()
        self.session, self.desk, self.view, self.theme = session, desk, view, theme
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Travel ribbon")
        self._picked_label = ""
        self.shows_all = False
        self._still: QPixmap | None = None
        self._still_for: object = None
        self._span = (0.0, 1.0)
        desk.judged.connect(self._judged)
        desk.rebuilt.connect(self._rebuilt)
        desk.current_changed.connect(self._current_changed)
        view.travel_changed.connect(self.update)
        view.picked_changed.connect(self._picked_elsewhere)
        view.station_changed.connect(lambda _: self._judged())
        self._judged()

    @property
    def rows(self) -> tuple[RibbonRow, ...]:
        """The rows that are shown: those that matter (in trouble, tight, told only, picked), at least two; or all."""
        every = self.every_row
        if self.shows_all:
            return every
        keep = [r for r in every if r.trouble.any() or r.is_tight or r.kind in ("share", "reading") or r.label == self._picked_label]
        short = [r for r in every if r not in keep][: max(0, LEAST_ROWS - len(keep))]
        return tuple(r for r in every if r in keep or r in short)

    @property
    def others(self) -> int:
        """How many rows are content and not shown."""
        return len(self.every_row) - len(self.rows)

    @property
    def _picked(self) -> int:
        """Which of the shown rows is picked; -1 for none."""
        return next((k for k, r in enumerate(self.rows) if r.label == self._picked_label), -1)

    def show_all(self, on: bool | None = None) -> None:
        """Opens all rows, or shows those that matter alone again; without a word the other of the two."""
        self.shows_all = not self.shows_all if on is None else on
        self._judged()
        self.resized.emit()

    @property
    def every_row(self) -> tuple[RibbonRow, ...]:
        """Rows of the mechanism that is moved, those in trouble first; where pictures are taken in hand, theirs before all others."""
        if self.desk.judgement is None or self.desk.drive is None:
            return ()
        rows = self.desk.judgement.rows.get(self.desk.drive.mechanism, ())
        order = {"share": 1e6, "stop": 1e5, "reading": 1e3}
        return tuple(
            sorted(
                rows,
                key=lambda r: (
                    self.view.here.seen.pictures and not r.rule.startswith("picture"),
                    not r.trouble.any(),
                    order.get(r.kind, 1e4 if r.kind in ("play", "push", "circle") else 2e5 if r.kind == "joint" else r.least / max(r.needed, 1e-9)),
                ),
            )
        )

    @property
    def events(self) -> tuple[RibbonEvent, ...]:
        """Events of the mechanism that is moved."""
        if self.desk.judgement is None or self.desk.drive is None:
            return ()
        return self.desk.judgement.events.get(self.desk.drive.mechanism, ())

    def _judged(self) -> None:
        self._span = self._limits()
        self.setFixedHeight(HEAD_PX + max(1, len(self.rows)) * ROW_PX + FOOT_PX)
        self.update()

    def _current_changed(self) -> None:
        self._picked_label, self._still = "", None
        self._judged()

    def _rebuilt(self) -> None:
        self._span = self._limits()
        self.update()

    def sizeHint(self) -> QSize:
        """As high as its rows."""
        return QSize(600, HEAD_PX + max(1, len(self.rows)) * ROW_PX + FOOT_PX)

    # ---- geometry -----------------------------------------------------------------------------------------------------

    def _limits(self) -> tuple[float, float]:
        drive = self.desk.drive
        if drive is None:
            return 0.0, 1.0
        low, high = sorted((drive.rest, drive.end))
        stops = [e.travel for e in self.events if e.kind.startswith("stop")]
        span = max(high - low, 1e-6)
        low = min([low, *(s for s in stops if s > low - 0.25 * span)])
        high = max([high, *(s for s in stops if s < high + 0.25 * span)])
        return low, high

    def x_of(self, travel: float) -> float:
        """Pixel column of a travel."""
        low, high = self._span
        return LABEL_PX + (travel - low) / (high - low) * (self.width() - LABEL_PX - RIGHT_PX)

    def travel_of(self, x: float) -> float:
        """Travel of a pixel column, kept within the designed travel."""
        low, high = self._span
        travel = low + (x - LABEL_PX) / (self.width() - LABEL_PX - RIGHT_PX) * (high - low)
        drive = self.desk.drive
        if drive is None:
            return 0.0
        first, last = sorted((drive.rest, drive.end))
        return min(last, max(first, travel))

    @property
    def shown_travel(self) -> float:
        """The travel that is shown."""
        drive = self.desk.drive
        return self.view.travel.get(drive.mechanism, drive.rest) if drive else 0.0

    # ---- hands --------------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Picks a row by its name, opens the others, or takes the cursor."""
        if self._others_box().contains(event.position()):
            self.show_all()
            return
        row = int((event.position().y() - HEAD_PX) // ROW_PX)
        if event.position().x() < LABEL_PX - 8:
            self.pick(row if 0 <= row < len(self.rows) else -1)
        else:
            self._scrub(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Scrubs while the button is held."""
        if event.buttons() & Qt.MouseButton.LeftButton and event.position().x() >= LABEL_PX - 8:
            self._scrub(event.position().x())

    def _scrub(self, x: float) -> None:
        if self.desk.drive is not None:
            self.view.set_travel(self.desk.drive.mechanism, self.travel_of(x))

    def pick(self, row: int) -> None:
        """Shows the pair of a row on the card; moves to where it is worst if it is in trouble."""
        self._picked_label = self.rows[row].label if 0 <= row < len(self.rows) else ""
        if row < 0 or row >= len(self.rows) or self.desk.drive is None:
            self.view.pick(())
        else:
            picked = self.rows[row]
            if picked.trouble.any():
                self.view.set_travel(self.desk.drive.mechanism, float(picked.travel[int(np.argmax(picked.trouble))]))
            self.view.pick(picked.parts)
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Left and right scrub (with Shift finely), Home and End go to the ends, up and down pick rows, Enter opens all of them."""
        drive, key = self.desk.drive, event.key()
        if drive is None:
            return
        first, last = sorted((drive.rest, drive.end))
        step = (last - first) / (180 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 36)
        moves: dict[int, float] = {
            Qt.Key.Key_Left: self.shown_travel - step,
            Qt.Key.Key_Right: self.shown_travel + step,
            Qt.Key.Key_Home: first,
            Qt.Key.Key_End: last,
        }
        if key in moves:
            self.view.set_travel(drive.mechanism, min(last, max(first, moves[key])))
        elif key == Qt.Key.Key_Down:
            self.pick(min(self._picked + 1, len(self.rows) - 1))
        elif key == Qt.Key.Key_Up:
            self.pick(max(self._picked - 1, -1))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.show_all()
        else:
            super().keyPressEvent(event)

    # ---- painting -----------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """What stands still comes from a picture kept until it changes; the cursor is drawn over it."""
        mark = (
            self.desk.judgement,
            self.desk.is_stale,
            self._span,
            self.session.style,
            self.size(),
            self.theme.name,
            self._picked_label,
            self.shows_all,
            self.devicePixelRatioF(),
        )
        if self._still is None or mark != self._still_for:
            self._still, self._still_for = self._paint_still(), mark
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._still)
        if self.desk.drive is not None:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._paint_cursor(painter)
        if self.hasFocus():
            paint_focus(painter, self.rect(), self.theme)

    def _paint_still(self) -> QPixmap:
        """Head, rows, scale and events."""
        still = QPixmap(self.size() * self.devicePixelRatioF())
        still.setDevicePixelRatio(self.devicePixelRatioF())
        still.fill(self.theme.colour("sheet"))
        painter = QPainter(still)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(self.theme.colour("ink"))
        painter.setFont(font(17, head=True))
        painter.drawText(QPointF(2, 22), "Travel")
        painter.setFont(font(13))
        painter.setPen(self.theme.colour("pencil"))
        drive = self.desk.drive
        if drive is None:
            painter.drawText(QPointF(62, 22), "nothing moves on this card yet")
        else:
            painter.drawText(QPointF(62, 22), self._head_text())
            for k, row in enumerate(self.rows):
                self._paint_row(painter, row, HEAD_PX + k * ROW_PX, picked=k == self._picked)
            self._paint_scale(painter)
            self._paint_events(painter)
            self._paint_others(painter)
        painter.end()
        return still

    def _others_text(self) -> str:
        """What is said of the rows that are not shown."""
        if self.shows_all:
            return "show what matters"
        return "" if not self.others else f"{self.others} {'is' if self.others == 1 else 'are'} content: show all"

    def _others_box(self) -> QRectF:
        """Where that is written."""
        if not self._others_text() or self.desk.drive is None:
            return QRectF()
        metrics = QFontMetricsF(font(13))
        return QRectF(62 + metrics.horizontalAdvance(self._head_text()) + 14, 6, metrics.horizontalAdvance(self._others_text()) + 6, 22)

    def _head_text(self) -> str:
        """What stands beside the heading."""
        hint = "  ·  drag, or ← →" if self.width() >= ROOMY_PX else ""
        return f"{self._way_text()}{hint}{'  ·  checking …' if self.desk.is_stale else ''}"

    def _paint_others(self, painter: QPainter) -> None:
        text = QFont(font(13))  # the shared one stays as it is
        text.setUnderline(True)
        painter.setFont(text)
        painter.setPen(self.theme.colour("accent"))
        painter.drawText(self._others_box().adjusted(2, 0, 0, 0), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, self._others_text())

    def _picked_elsewhere(self) -> None:
        """What is picked on the card or among the findings is picked here too."""
        picked = set(self.view.picked_parts)
        label = next((r.label for r in self.every_row if picked and set(r.parts) == picked), "")
        if label != self._picked_label:
            self._picked_label = label
            self._judged()
            self.resized.emit()

    def _way_text(self) -> str:
        drive, assembly = self.desk.drive, self.desk.assembly
        assert drive is not None and assembly is not None
        way = (
            "once round"
            if drive.endless
            else "shut to open, " + self._amount(abs(drive.end - drive.rest))
            if drive.kind == "open" and self.desk.pulled is None
            else f"rest to end, {self._amount(abs(drive.end - drive.rest))}"
        )
        return way if len(assembly.all_drives) == 1 else f"{self.desk.name_of(drive.mechanism)}: {way}"

    def _amount(self, value: float) -> str:
        return self.desk.amount(value)

    def _told(self, row: RibbonRow) -> tuple[str, str]:
        """What the row says under its name, and in which colour."""
        if not np.isfinite(row.greatest):
            return "far apart", "pencil"
        length = self.session.style.length
        if row.kind == "share":
            told = f"{100 * row.values[0]:.0f} % at rest, {100 * row.values[-1]:.0f} % at the end"
            if row.asked[1] == "halt":
                best = int(np.argmax(row.values))
                told = f"{100 * row.values[best]:.0f} % at {self._amount(float(row.travel[best]))}"
            return told, "caution" if row.trouble.any() else "pencil"
        if row.kind == "reading":
            return f"up to {length(float(row.values[np.argmax(np.abs(row.values))]))}", "pencil"
        if row.kind == "circle":
            return f"{length(row.values[0])} at rest, {length(row.values[-1])} at the end", "pencil"
        if row.kind == "play":
            return f"{length(row.least)} at most", "caution" if row.trouble.any() else "accent"
        if row.kind == "push":
            return f"{row.least:.0f}° askew at most", "caution" if row.trouble.any() else "accent"
        if row.kind == "joint":
            if row.trouble.any():
                return "overlaps on the way", "alarm"
            return f"{length(row.greatest)} of play", "pencil"
        if row.kind == "stop":
            return ("a stop, as meant", "accent") if not row.trouble.any() else ("overlaps on the way", "alarm")
        words = {"gap": "clear", "cover": "past its edge", "guide": "long"}
        if row.trouble.any():
            return f"{length(row.least)} of {length(row.needed)}", "alarm" if row.least < row.needed / 2 else "caution"
        return f"{length(row.least)} {words[row.kind]}", "accent"

    def _paint_row(self, painter: QPainter, row: RibbonRow, top: float, *, picked: bool) -> None:
        if picked:
            painter.fillRect(QRectF(-4, top, self.width(), ROW_PX), self.theme.colour("accent_soft"))
        painter.setFont(font(14, bold=picked))
        painter.setPen(self.theme.colour("ink"))
        label = painter.fontMetrics().elidedText(row.label, Qt.TextElideMode.ElideRight, LABEL_PX - 12)
        painter.drawText(QPointF(2, top + 15), label)
        told, colour = self._told(row)
        painter.setFont(font(13, bold=colour in ("alarm", "caution")))
        painter.setPen(self.theme.colour(colour))
        told = painter.fontMetrics().elidedText(told, Qt.TextElideMode.ElideRight, LABEL_PX - 12)
        painter.drawText(QPointF(2, top + 31), told)
        base, height = top + ROW_PX - 5, ROW_PX - 12
        ceiling = {
            "share": 1.0,
            "stop": 4.0,
            "joint": 2.0,
            "push": 90.0,
            "circle": max(row.needed, 0.1),
            "reading": float(np.abs(row.values).max()) + 0.1,
        }.get(row.kind, max(2.5 * row.needed, 1.0))
        level = np.clip((np.abs(row.values) if row.kind == "reading" else row.values) / ceiling, 0.0, 1.0)
        low, high = self._span
        xs = (LABEL_PX + (row.travel - low) / (high - low) * (self.width() - LABEL_PX - RIGHT_PX)).tolist()
        line = [QPointF(x, y) for x, y in zip(xs, (base - height * level).tolist(), strict=True)]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.theme.colour("calm"))
        painter.drawPolygon(QPolygonF([QPointF(xs[0], base), *line, QPointF(xs[-1], base)]))
        self._paint_trouble(painter, row, xs, base, height)
        if row.kind in ("gap", "cover", "guide", "play", "push") and row.needed > 0:
            y = base - height * min(1.0, row.needed / ceiling)
            painter.setPen(QPen(self.theme.colour("pencil"), 1.0, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(xs[0], y), QPointF(xs[-1], y))
        painter.setPen(QPen(self.theme.colour("ink"), 1.4))
        painter.drawPolyline(QPolygonF(line))
        if len(line) == 1:  # measured at one position only
            painter.setBrush(self.theme.colour("ink"))
            painter.drawEllipse(line[0], 2.5, 2.5)
        painter.setPen(QPen(self.theme.colour("line"), 1.0))
        painter.drawLine(QPointF(xs[0], base), QPointF(xs[-1], base))

    def _paint_trouble(self, painter: QPainter, row: RibbonRow, xs: list[float], base: float, height: float) -> None:
        trouble = row.trouble
        edges = np.flatnonzero(np.diff(np.concatenate([[0], trouble.astype(int), [0]]))).reshape(-1, 2)
        brush = QBrush(self.theme.colour("alarm"), Qt.BrushStyle.BDiagPattern)
        for first, last in edges:
            left, right = xs[first], xs[min(last, len(xs) - 1)]
            box = QRectF(left, base - height, max(3.0, right - left), height)
            painter.fillRect(box, self.theme.colour("alarm_soft"))
            painter.fillRect(box, brush)

    def _paint_scale(self, painter: QPainter) -> None:
        drive = self.desk.drive
        assert drive is not None
        y = HEAD_PX + max(1, len(self.rows)) * ROW_PX + 4
        pulled = self.desk.pulled
        in_mm = drive.unit == "mm" or pulled is not None
        low, high = sorted((drive.rest, drive.end)) if pulled is None else (0.0, float(pulled.length[-1]))
        inch = in_mm and self.session.style.unit == "in"
        unit = MM_PER_INCH if inch else 1.0
        span = (high - low) / unit
        steps = (0.0625, 0.125, 0.25, 0.5, 1, 2) if inch else (1, 2, 5, 10, 20, 50) if in_mm else (1, 2, 5, 10, 15, 30, 45, 90)
        step = next((s for s in steps if span / s <= 12), steps[-1])
        painter.setFont(font(12))
        count = int(np.floor(span / step + 1e-6))
        for k in range(count + 1):
            value = low + k * step * unit
            x = self.x_of(value if pulled is None else pulled.travel_at(value))
            painter.setPen(QPen(self.theme.colour("pencil"), 1.0))
            major = k % 2 == 0
            painter.drawLine(QPointF(x, y), QPointF(x, y + (8 if major else 5)))
            if major:
                text = self._scale_text(k * step, inch)
                width = painter.fontMetrics().horizontalAdvance(text)
                painter.drawText(QPointF(x - width / 2, y + 22), text)
        painter.setPen(QPen(self.theme.colour("pencil"), 1.0))
        painter.drawLine(QPointF(self.x_of(drive.rest), y), QPointF(self.x_of(drive.end), y))
        unit_text = "in" if inch else "mm" if in_mm else "deg"
        painter.drawText(QPointF(LABEL_PX - 26, y + 22), unit_text)

    @staticmethod
    def _scale_text(value: float, inch: bool) -> str:
        if not inch:
            return f"{value:g}"
        return typeset(format_length(value * MM_PER_INCH, unit="in", denominator=16, mark=False)).removesuffix(" in")

    def _paint_events(self, painter: QPainter) -> None:
        top, bottom = HEAD_PX - 2, HEAD_PX + max(1, len(self.rows)) * ROW_PX + 2
        painter.setFont(font(12))
        used: list[tuple[float, float]] = []
        for event in sorted(self.events, key=lambda e: (not e.kind.startswith("stop"), e.travel)):
            if event.kind in ("rest", "end"):
                continue
            x = self.x_of(event.travel)
            if not LABEL_PX - 8 <= x <= self.width() - 2:
                continue
            stop = event.kind.startswith("stop")
            painter.setPen(
                QPen(self.theme.colour("ink" if stop else "pencil"), 2.4 if stop else 1.0, Qt.PenStyle.SolidLine if stop else Qt.PenStyle.DashLine)
            )
            painter.drawLine(QPointF(x, top), QPointF(x, bottom))
            width = painter.fontMetrics().horizontalAdvance(event.label)
            spots = [min(max(s, LABEL_PX - 10), self.width() - width - 4) for s in (x - width / 2, x + 3, x - width - 3)]
            free = [s for s in spots if not any(s < b + 6 and s + width > a - 6 for a, b in used)]
            if not free:
                continue
            left = free[0]
            used.append((left, left + width))
            painter.setPen(self.theme.colour("pencil"))
            painter.drawText(QPointF(left, top - 4), event.label)

    def _paint_cursor(self, painter: QPainter) -> None:
        x = self.x_of(self.shown_travel)
        bottom = HEAD_PX + max(1, len(self.rows)) * ROW_PX + 10
        painter.setPen(QPen(self.theme.colour("accent"), 2.0))
        painter.drawLine(QPointF(x, HEAD_PX - 4), QPointF(x, bottom))
        painter.setBrush(self.theme.colour("accent"))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawRoundedRect(QRectF(x - 6, bottom - 4, 12, 12), 2, 2)
        painter.setFont(font(14, bold=True))
        painter.setPen(self.theme.colour("accent"))
        drive = self.desk.drive
        kind = drive.kind if drive and self.desk.pulled is None else ""
        word = "tilted on" if drive and drive.by == "gravity" else {"turn": "turned", "open": "opened"}.get(kind, "pulled")
        text = f"{word} {self._amount(abs(self.shown_travel - (drive.rest if drive else 0.0)))}"
        if drive is not None and not self.desk.is_reached(drive.mechanism, self.shown_travel):
            painter.setPen(self.theme.colour("alarm"))
            text = f"it does not get to {self._amount(abs(self.shown_travel - drive.rest))}; shown is how far it goes"
        painter.drawText(QRectF(0, 6, self.width() - 6, 22), Qt.AlignmentFlag.AlignRight, text)


class RibbonFrame(QFrame):
    """The ribbon on its sheet, scrolled when it has more rows than room."""

    def __init__(self, ribbon: RibbonView) -> None:
        super().__init__()
        self.setObjectName("sheet")
        area = QScrollArea()
        area.setWidget(ribbon)
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.viewport().setObjectName("inside")
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        ribbon.setObjectName("inside")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 6, 8, 6)
        layout.addWidget(area)
