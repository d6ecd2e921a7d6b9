"""The laid sheets as paper on the bench: where they lie, and how they look."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import shapely
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPen, QTransform, QWheelEvent
from PySide6.QtWidgets import QScrollArea, QSizePolicy, QWidget

from lexipod.app.card.painter import make_pen, polygon_of
from lexipod.app.look import DAY, Theme, font, paint_focus
from lexipod.app.sheets.sheet_desk import SheetDesk
from lexipod.fabricate.sheet_drawing import turned_blank
from lexipod.fabricate.sheeting import CutPiece, LaidSheet
from lexipod.nesting import Spot, turned

GAP_PX, HEAD_PX, EDGE_PX = 26.0, 24.0, 20.0
MOST_AT_ONCE = 6
"""So many sheets are seen whole; more are scrolled to."""
LEAST_SCALE, MOST_SCALE = 0.25, 6.0
FILLS = {"paper": "#fbf8f1", "foam": "#efe6cf", "film": "#e3edf1"}


@dataclass(eq=False)
class SheetPlace:
    """A sheet and where its lower left corner lies, in pixels at the present scale."""

    sheet: LaidSheet
    left: float
    bottom: float


class SheetSight(QWidget):
    """Where the sheets lie, and how they look; as large as all of them. ``picked_changed`` follows the piece that is picked."""

    said = Signal(str)
    picked_changed = Signal()

    def __init__(self, desk: SheetDesk, theme: Theme, area: QScrollArea) -> None:
        super().__init__()
        self.desk, self.theme, self.area = desk, theme, area
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Sheets with their pieces")
        self.setAccessibleDescription("Drag a piece to move it; R turns it, L locks it, arrow keys move it by a millimetre, Page keys pick another.")
        self.zoom = 0.0
        self.picked = ""
        self._laid: list[SheetPlace] = []
        self._held: tuple[CutPiece, Spot, QPointF] | None = None
        self._at: tuple[LaidSheet, Spot] | None = None
        self._paths: dict[tuple[str, int], tuple[QPainterPath, tuple[Any, ...]]] = {}
        desk.changed.connect(self._renew)

    # ---- where things lie

    def _renew(self) -> None:
        self._paths.clear()
        self.updateGeometry()
        self._arrange()
        self.update()

    def sizeHint(self) -> QSize:
        """As large as all sheets are at this scale."""
        low = max((laid.bottom for laid in self._laid), default=300.0)
        right = max((laid.left + laid.sheet.size_mm[0] * self.scale for laid in self._laid), default=300.0)
        return QSize(int(right + EDGE_PX), int(low + EDGE_PX + 26))

    @property
    def scale(self) -> float:
        """Pixels for a millimetre: chosen by hand, or so that about six sheets are seen."""
        if self.zoom:
            return self.zoom
        sheets = self.desk.sheets.sheets if self.desk.sheets else ()
        if not sheets:
            return 1.0
        room = self.area.viewport().size()
        tallest, widest = max(min(s.size_mm[1], 700) for s in sheets), max(s.size_mm[0] for s in sheets)
        count, best = min(len(sheets), MOST_AT_ONCE), 0.0
        for rows in (1, 2, 3):
            across = -(-count // rows)
            high = (room.height() - 2 * EDGE_PX - 26 - rows * HEAD_PX - (rows - 1) * (HEAD_PX + GAP_PX)) / rows / tallest
            wide = (room.width() - 2 * EDGE_PX - (across - 1) * GAP_PX) / across / widest
            best = max(best, min(high, wide))
        return max(LEAST_SCALE, min(MOST_SCALE, best))

    def _arrange(self) -> None:
        self._laid = []
        sheets = self.desk.sheets
        if sheets is None:
            return
        scale, room = self.scale, self.area.viewport().width()
        x, y, tallest = EDGE_PX, EDGE_PX, 0.0
        for sheet in sheets.sheets:
            width, height = (v * scale for v in sheet.size_mm)
            if x > EDGE_PX and x + width > room - EDGE_PX:
                x, y, tallest = EDGE_PX, y + tallest + HEAD_PX + GAP_PX, 0.0
            tallest = max(tallest, height)
            self._laid.append(SheetPlace(sheet, x, y + HEAD_PX + height))
            x += max(width, 150.0) + GAP_PX
        self.setMinimumSize(self.sizeHint())

    def resizeEvent(self, event: Any) -> None:
        """Lays the sheets side by side anew."""
        super().resizeEvent(event)
        self._arrange()

    def showEvent(self, event: Any) -> None:
        """Somebody looks: the pieces are laid."""
        super().showEvent(event)
        self.desk.watch(on=True)

    def hideEvent(self, event: Any) -> None:
        """Nobody looks any more."""
        super().hideEvent(event)
        self.desk.watch(on=False)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """With Ctrl larger or smaller; else it scrolls."""
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.use_zoom(self.scale * (1.15 if event.angleDelta().y() > 0 else 1 / 1.15))
            event.accept()
        else:
            super().wheelEvent(event)

    def use_zoom(self, zoom: float) -> None:
        """So many pixels for a millimetre; 0 for what fits."""
        self.zoom = 0.0 if not zoom else max(LEAST_SCALE, min(MOST_SCALE, zoom))
        self._arrange()
        self.update()

    # ---- painting

    def paintEvent(self, event: QPaintEvent) -> None:
        """All sheets that are in sight."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(event.rect(), self.theme.colour("ground"))
        if self.desk.trouble or not self._laid:
            self._paint_nothing(painter)
        for laid in self._laid:
            width, height = (v * self.scale for v in laid.sheet.size_mm)
            if QRectF(laid.left, laid.bottom - height - HEAD_PX, width + 120, height + HEAD_PX + 4).intersects(QRectF(event.rect())):
                self._paint_sheet(painter, laid)
        self._paint_held(painter)
        if self.hasFocus():
            paint_focus(painter, self.visibleRegion().boundingRect(), self.theme)

    def _paint_nothing(self, painter: QPainter) -> None:
        painter.setFont(font(15))
        painter.setPen(self.theme.colour("alarm" if self.desk.trouble else "pencil"))
        words = self.desk.trouble or "Laying the pieces on sheets …"
        painter.drawText(QRectF(24, 24, self.width() - 48, 200), int(Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap), words)

    def _transform(self, laid: SheetPlace) -> QTransform:
        return QTransform(self.scale, 0, 0, -self.scale, laid.left, laid.bottom)

    def _paint_sheet(self, painter: QPainter, laid: SheetPlace) -> None:
        sheet, scale = laid.sheet, self.scale
        width, height = (v * scale for v in sheet.size_mm)
        painter.setFont(font(13, bold=True))
        painter.setPen(self.theme.colour("ink"))
        colour = f", {sheet.lot.colour}" if sheet.lot.colour else ""
        head = f"{sheet.stock_name}{colour} · {sheet.number}"
        room = max(width, 150.0)
        painter.drawText(QPointF(laid.left, laid.bottom - height - 8), painter.fontMetrics().elidedText(head, Qt.TextElideMode.ElideRight, int(room)))
        painter.save()
        painter.setTransform(self._transform(laid), True)
        outline = _path(sheet.board.region)
        painter.fillPath(outline.translated(3 / scale, -4 / scale), QColor(0, 0, 0, 40))
        painter.fillPath(outline, QColor("#ffffff"))
        if sheet.offcut is not None:
            painter.fillPath(_path(sheet.offcut), QColor("#eef2ee"))
        locked = self.desk.locked
        for piece, spot, _ in sheet.pieces:
            if self._held is None or self._held[0] is not piece:
                self._paint_piece(painter, piece, spot, is_locked=piece.name in locked)
        for k, cut in enumerate(sheet.cuts or (), 1):
            self._paint_cut(painter, cut, k)
        painter.restore()
        for piece, spot, region in sheet.pieces:
            self._paint_name(painter, laid, piece, spot, region, is_locked=piece.name in locked)
        if sheet.is_trimmed and sheet.cuts is None:
            painter.setPen(self.theme.colour("alarm"))
            painter.setFont(font(12))
            painter.drawText(QPointF(laid.left, laid.bottom + 14), "no order of straight cuts frees these")

    def _shapes(self, piece: CutPiece, turn: int) -> tuple[QPainterPath, tuple[Any, ...]]:
        key = (piece.blank.id, turn)
        if key not in self._paths:
            self._paths[key] = (_path(turned(piece.blank.region, turn)), tuple(turned_blank(piece.blank, turn).creases))
        return self._paths[key]

    def _paint_piece(self, painter: QPainter, piece: CutPiece, spot: Spot, *, is_locked: bool, is_held: bool = False) -> None:
        path, creases = self._shapes(piece, spot.turn)
        painter.save()
        painter.translate(spot.x_mm, spot.y_mm)
        fill = QColor(FILLS[self.desk.session.catalog.kind_of(piece.lot.stock)])
        if piece.name == self.picked:
            fill = QColor(DAY.accent_soft)
        if is_held:
            fill.setAlpha(200)
        pen = QPen(QColor(DAY.accent if piece.name == self.picked else DAY.ink), (2.2 if piece.name == self.picked else 1.0) / self.scale)
        painter.setPen(pen)
        painter.setBrush(fill)
        painter.drawPath(path)
        if is_locked:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(DAY.pencil), 1.0 / self.scale, Qt.PenStyle.DotLine))
            painter.drawRect(path.boundingRect().adjusted(1.5, 1.5, -1.5, -1.5))
        for crease in creases:
            line = make_pen(crease.fold, DAY, pixels_per_mm=1.0)
            line.setWidthF(0.8 / self.scale)
            painter.setPen(line)
            painter.drawLine(QPointF(*crease.start), QPointF(*crease.end))
        painter.restore()

    def _paint_cut(self, painter: QPainter, cut: Any, number: int) -> None:
        x0, y0, x1, y1 = cut.box
        ends = ((x0 + cut.at_mm, y0), (x0 + cut.at_mm, y1)) if cut.along == "width" else ((x0, y0 + cut.at_mm), (x1, y0 + cut.at_mm))
        painter.setPen(QPen(QColor(DAY.accent), 1.1 / self.scale, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(*ends[0]), QPointF(*ends[1]))
        if self.scale > 0.9:
            painter.save()
            painter.translate(*ends[1])
            painter.scale(1 / self.scale, -1 / self.scale)
            painter.setFont(font(10, bold=True))
            painter.drawText(QPointF(2, 10) if cut.along == "width" else QPointF(-14, -2), str(number))
            painter.restore()

    def _paint_name(self, painter: QPainter, laid: SheetPlace, piece: CutPiece, spot: Spot, region: Any, *, is_locked: bool) -> None:
        if self._held is not None and self._held[0] is piece:
            return
        x0, y0, x1, y1 = region.bounds
        place = self._transform(laid)
        a, b = place.map(QPointF(x0, y1)), place.map(QPointF(x1, y0))
        box = QRectF(a, b).adjusted(3, 1, -3, -1)
        if box.width() < 22 or box.height() < 11:
            return
        painter.setFont(font(11))
        copies = self.desk.sheeting.copies
        name = piece.blank.name if copies == 1 else f"{piece.blank.name} {piece.copy}"
        name += " (locked)" if is_locked and box.width() > 90 else ""
        told = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(box.width()))
        flags = int(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignVCenter)
        behind = QColor(DAY.accent_soft if piece.name == self.picked else FILLS[self.desk.session.catalog.kind_of(piece.lot.stock)])
        behind.setAlpha(210)
        painter.fillRect(painter.boundingRect(box, flags, told).adjusted(-2, 1, 2, -1), behind)
        painter.setPen(QColor(DAY.ink))
        painter.drawText(box, flags, told)

    def _paint_held(self, painter: QPainter) -> None:
        if self._held is None or self._at is None:
            return
        sheet, spot = self._at
        laid = next((row for row in self._laid if row.sheet is sheet), None)
        if laid is None:
            return
        painter.save()
        painter.setTransform(self._transform(laid), True)
        self._paint_piece(painter, self._held[0], spot, is_locked=False, is_held=True)
        painter.restore()


def _path(region: Any) -> QPainterPath:
    """A polygon with its holes as a path."""
    path = QPainterPath()
    path.setFillRule(Qt.FillRule.OddEvenFill)
    for part in shapely.get_parts(region):
        for ring in (part.exterior, *part.interiors):
            path.addPolygon(polygon_of(shapely.get_coordinates(ring)))
    return path
