"""The edge view: the cut through the card along the section line, heights magnified."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from lexipod.app.card.painter import paint_items, prepare
from lexipod.app.look import Theme, font, paint_focus
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.app.state.view_state import ViewState
from lexipod.closing.stacked import spread_of
from lexipod.drawing import EdgeBar, draw_edge, find_edge_bars, find_fold_bars


class EdgeView(QWidget):
    """Plies, foam and gaps along the cut. Arrow keys move the cut, “T” turns it."""

    def __init__(self, session: Session, desk: Desk, view: ViewState, theme: Theme) -> None:
        super().__init__()
        self.session, self.desk, self.view, self.theme = session, desk, view, theme
        self._still: tuple[EdgeBar, ...] = ()
        self._still_for: object = None
        self.setObjectName("inside")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(176)
        self.setAccessibleName("Edge view, the cut through the card")
        self.setToolTip("The cut along line A. ← → move it, T turns it.")
        desk.rebuilt.connect(self.update)
        for signal in (view.section_changed, view.travel_changed, view.picked_changed):
            signal.connect(self.update)

    def sizeHint(self) -> QSize:
        """A low, wide strip."""
        return QSize(360, 176)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Moves or turns the cut."""
        axis, share = self.view.section_axis, self.view.section_share
        steps = {Qt.Key.Key_Left: -0.01, Qt.Key.Key_Down: -0.01, Qt.Key.Key_Right: 0.01, Qt.Key.Key_Up: 0.01}
        if event.key() in steps:
            self.view.set_section(axis, share + steps[event.key()])  # type: ignore[index]
        elif event.key() == Qt.Key.Key_T:
            self.turn()
        else:
            super().keyPressEvent(event)

    def turn(self) -> None:
        """Cuts the other way."""
        self.view.turn_section()

    def paintEvent(self, event: QPaintEvent) -> None:
        """The bars with what they are."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect().adjusted(0, 0, 1, 1), self.theme.colour("sheet"))
        assembly = self.desk.assembly
        if assembly is None:
            return
        card, axis = assembly.card, self.view.section_axis
        at = self.view.section_share * (card.width_mm if axis == "y" else card.height_mm)
        bars = self._bars(at)
        length = card.height_mm if axis == "y" else card.width_mm
        top_mm = max((b.high for b in bars), default=1.0)
        left = min([0.0, *(b.start for b in bars)])
        right = max([length, *(b.end for b in bars)])
        scale = (self.width() - 24) / (right - left)
        magnify = max(1.0, min(16.0, round((self.height() - 74) / (top_mm * scale))))
        drawing = draw_edge(assembly, bars, axis=axis, magnify=magnify)
        self._head(painter, axis, magnify)
        base = self.height() - 30.0
        painter.save()
        painter.translate(12 - left * scale, base)
        painter.scale(scale, -scale)
        for item in drawing.primitives:
            prepared = prepare(item, self.theme, pixels_per_mm=scale)
            paint_items(painter, prepared)
            if getattr(item, "subject", "") in self.view.picked_parts:
                for row in prepared:
                    painter.setPen(QPen(QColor(self.theme.alarm), 2.4 / scale))
                    painter.drawPath(row.path)
        painter.restore()
        self._notes(painter, bars, base, left, scale, magnify)
        painter.setFont(font(13))
        painter.setPen(self.theme.colour("pencil"))
        ends = ("bottom", "top") if axis == "y" else ("left", "right")
        painter.drawText(QPointF(12, self.height() - 8), ends[0])
        width = painter.fontMetrics().horizontalAdvance(ends[1])
        painter.drawText(QPointF(self.width() - 12 - width, self.height() - 8), ends[1])
        told = self.session.style.thickness(top_mm)
        thick = f"thickest here {told}"
        painter.drawText(QRectF(0, self.height() - 24, self.width(), 20), Qt.AlignmentFlag.AlignHCenter, thick)
        if self.hasFocus():
            paint_focus(painter, self.rect(), self.theme)

    def _bars(self, at: float) -> tuple[EdgeBar, ...]:
        """The cut's bars; those of parts that stand still are kept while the cut stays."""
        assembly, axis = self.desk.assembly, self.view.section_axis
        assert assembly is not None
        poses = self.desk.poses_at(self.view.travel)
        mark = (assembly, axis, at)
        if mark != self._still_for:
            self._still_for = mark
            self._still = find_edge_bars(assembly, {}, axis=axis, at_mm=at, only=[p.id for p in assembly.parts if p.id not in poses])
        bars = self._still + find_edge_bars(assembly, poses, axis=axis, at_mm=at, only=list(poses))
        if not assembly.foldings:
            return bars
        lift = spread_of(assembly, self.desk.heights)
        raised = tuple(bar if bar.part == "card.back" else replace(bar, low=bar.low + lift, high=bar.high + lift) for bar in bars)
        return raised + self._folded(at, lift)

    def _folded(self, at: float, lift: float) -> tuple[EdgeBar, ...]:
        """Panels as they lie in the envelope; flat parts of the card are among the still ones."""
        assembly = self.desk.assembly
        assert assembly is not None
        bars: dict[str, tuple[EdgeBar, ...]] = {}
        for track in self.desk.fold_tracks.values():
            frames = track.frames_at(track.folding.posted_at)
            front = assembly.by_id.get("card.front")
            up = lift + (front.z_mm if front is not None else 0.0) if track.folding.kind == "face" else 0.0
            heights = self.desk.heights[track.folding.mechanism]
            for bar in find_fold_bars(track.folding, frames, heights, axis=self.view.section_axis, at_mm=at):
                if bar.part not in assembly.by_id:
                    bars[bar.part] = (*bars.get(bar.part, ()), replace(bar, low=bar.low + up, high=bar.high + up))
        return tuple(bar for found in bars.values() for bar in found)

    def _head(self, painter: QPainter, axis: str, magnify: float) -> None:
        painter.setFont(font(17, head=True))
        painter.setPen(self.theme.colour("ink"))
        painter.drawText(QPointF(12, 22), "Edge at A")
        painter.setFont(font(13))
        painter.setPen(self.theme.colour("pencil"))
        way = "cut from bottom to top" if axis == "y" else "cut from left to right"
        folds = self.desk.assembly is not None and self.desk.assembly.foldings
        posted = "as posted, " if folds else ""
        painter.drawText(QPointF(96, 22), f"{posted}{way}, heights × {magnify:g}")

    def _notes(self, painter: QPainter, bars: tuple[EdgeBar, ...], base: float, left: float, scale: float, magnify: float) -> None:
        """Names the foam with its layers, right of the last of it."""
        assembly = self.desk.assembly
        assert assembly is not None
        spacers = [bar for bar in bars if bar.part in assembly.by_id and assembly.by_id[bar.part].role == "spacer"]
        if not spacers:
            return
        bar = max(spacers, key=lambda b: b.end)
        part = assembly.by_id[bar.part]
        stock = self.session.catalog.foams.get(part.stock)
        text = f"{stock.name if stock else part.stock}, " + ("1 layer" if part.plies == 1 else f"{part.plies} layers")
        painter.setFont(font(12))
        painter.setPen(self.theme.colour("pencil"))
        x = 12 + (bar.end - left) * scale + 6
        width = painter.fontMetrics().horizontalAdvance(text)
        y = base - (bar.low + bar.high) / 2 * scale * magnify + 4
        if x + width > self.width() - 8:
            x = max(12.0, 12 + (bar.start - left) * scale - width - 8)
        painter.fillRect(QRectF(x - 3, y - 13, width + 6, 17), self.theme.colour("sheet"))
        painter.drawText(QPointF(x, y), text)
