"""The sheets with their pieces: picked, moved, turned and locked by hand."""

from __future__ import annotations

import shapely
from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QScrollArea

from lexipod.app.look import Theme
from lexipod.app.sheets.sheet_desk import SheetDesk
from lexipod.app.sheets.sheet_sight import SheetPlace, SheetSight
from lexipod.fabricate.sheeting import CutPiece, LaidSheet
from lexipod.nesting import Spot, turned

NUDGE_MM = 1.0


class SheetTable(QScrollArea):
    """The table with its scroll bars."""

    said = Signal(str)
    picked = Signal()

    def __init__(self, sheets: SheetDesk, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("ground")
        self.setWidgetResizable(True)
        self.top = TableTop(sheets, theme, self)
        self.setWidget(self.top)
        self.top.said.connect(self.said)
        self.top.picked_changed.connect(self.picked)

    @property
    def theme(self) -> Theme:
        """Day or night."""
        return self.top.theme

    @theme.setter
    def theme(self, theme: Theme) -> None:
        self.top.theme = theme
        self.top.update()


class TableTop(SheetSight):
    """The table itself, with hands on it."""

    # ---- hands

    def _under(self, at: QPointF) -> tuple[SheetPlace, float, float] | None:
        for laid in self._laid:
            x, y = (at.x() - laid.left) / self.scale, (laid.bottom - at.y()) / self.scale
            width, height = laid.sheet.size_mm
            if -5 <= x <= width + 5 and -5 <= y <= height + 5:
                return laid, x, y
        return None

    def piece_at(self, at: QPointF) -> tuple[SheetPlace, CutPiece, Spot] | None:
        """The uppermost piece under a point of the table."""
        found = self._under(at)
        if found is None:
            return None
        laid, x, y = found
        spot = shapely.Point(x, y).buffer(2.0 / self.scale)
        for piece, where, region in laid.sheet.pieces:
            if region.intersects(spot):
                return laid, piece, where
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Picks a piece and takes hold of it."""
        found = self.piece_at(event.position())
        self.pick(found[1].name if found else "")
        if found is not None and event.button() == Qt.MouseButton.LeftButton:
            laid, piece, spot = found
            grip = QPointF((event.position().x() - laid.left) / self.scale - spot.x_mm, (laid.bottom - event.position().y()) / self.scale - spot.y_mm)
            self._held = (piece, spot, grip)
            self._at = None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """The held piece follows, over whichever sheet of its stock."""
        if self._held is None:
            found = self.piece_at(event.position())
            self.setToolTip(self._told(found[1], found[2]) if found else "")
            return
        piece, spot, grip = self._held
        under = self._under(event.position())
        if under is None or under[0].sheet.lot != piece.lot:
            return
        laid, x, y = under
        self._at = (laid.sheet, Spot(piece.name, laid.sheet.number - 1, x - grip.x(), y - grip.y(), spot.turn))
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Lets it lie there, or says why it cannot."""
        held, at = self._held, self._at
        self._held = self._at = None
        if held is not None and at is not None:
            self.desk.place(held[0].name, at[0], self._snapped(held[0], *at))
        self.update()

    def _snapped(self, piece: CutPiece, sheet: LaidSheet, spot: Spot) -> Spot:
        """Close to an edge of the room or the gap beside another piece it goes right there."""
        width, height = turned(piece.blank.region, spot.turn).bounds[2:]
        margin, gap = sheet.board.margin_mm, self.desk.sheeting.gap_mm
        xs, ys = [margin, sheet.size_mm[0] - margin - width], [margin, sheet.size_mm[1] - margin - height]
        for other, _, region in sheet.pieces:
            if other.name != piece.name:
                x0, y0, x1, y1 = region.bounds
                xs += [x1 + gap, x0 - gap - width, x0]
                ys += [y1 + gap, y0 - gap - height, y0]
        reach = max(0.6, 6.0 / self.scale)
        x = min((v for v in xs if abs(v - spot.x_mm) < reach), key=lambda v: abs(v - spot.x_mm), default=spot.x_mm)
        y = min((v for v in ys if abs(v - spot.y_mm) < reach), key=lambda v: abs(v - spot.y_mm), default=spot.y_mm)
        return Spot(spot.piece, spot.board, x, y, spot.turn)

    def _told(self, piece: CutPiece, spot: Spot) -> str:
        style = self.desk.session.style
        turn = f", turned {spot.turn}°" if spot.turn else ""
        return f"{piece.blank.name}, card {piece.copy}: {style.length(spot.x_mm)} from the left, {style.length(spot.y_mm)} up{turn}"

    def pick(self, name: str) -> None:
        """Picks a piece by its name; empty for none."""
        if name != self.picked:
            self.picked = name
            self.picked_changed.emit()
            self.update()

    @property
    def picked_piece(self) -> tuple[LaidSheet, CutPiece, Spot] | None:
        """The piece that is picked, with its sheet."""
        sheets = self.desk.sheets
        rows = ((sheet, piece, spot) for sheet in (sheets.sheets if sheets else ()) for piece, spot, _ in sheet.pieces)
        return next((row for row in rows if row[1].name == self.picked), None)

    def turn_picked(self) -> None:
        """Turns the picked piece by a quarter about its middle, where it may lie so."""
        found = self.picked_piece
        if found is None:
            return
        sheet, piece, spot = found
        assert self.desk.sheets is not None
        turns = self.desk.sheets.layouts[sheet.lot].pieces[piece.name].turns
        turn = next((t % 360 for t in range(spot.turn + 90, spot.turn + 361, 90) if t % 360 in turns), spot.turn)
        w0, h0 = turned(piece.blank.region, spot.turn).bounds[2:]
        w1, h1 = turned(piece.blank.region, turn).bounds[2:]
        width, height = sheet.size_mm
        margin = sheet.board.margin_mm
        x = min(max(margin, spot.x_mm + (w0 - w1) / 2), max(margin, width - margin - w1))
        y = min(max(margin, spot.y_mm + (h0 - h1) / 2), max(margin, height - margin - h1))
        self.desk.place(piece.name, sheet, Spot(piece.name, spot.board, x, y, turn), text="piece turned")

    def to_next_sheet(self) -> None:
        """Puts the picked piece on the next sheet of its stock, at the same place."""
        found = self.picked_piece
        assert self.desk.sheets is not None
        if found is None:
            return
        sheet, piece, spot = found
        same = [s for s in self.desk.sheets.sheets if s.lot == sheet.lot]
        following = same[(same.index(sheet) + 1) % len(same)]
        if following is sheet:
            self.said.emit("There is no other sheet of this stock.")
            return
        self.desk.place(piece.name, following, Spot(piece.name, following.number - 1, spot.x_mm, spot.y_mm, spot.turn), text="to the next sheet")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows move the picked piece, R turns, L locks, N puts it on the next sheet, Page keys pick; + and - and 0 zoom."""
        steps = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
        key, found = event.key(), self.picked_piece
        if key in (Qt.Key.Key_PageDown, Qt.Key.Key_PageUp, Qt.Key.Key_Home):
            self._pick_next(1 if key != Qt.Key.Key_PageUp else -1)
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus, Qt.Key.Key_0):
            self.use_zoom(0.0 if key == Qt.Key.Key_0 else self.scale * (1.2 if key != Qt.Key.Key_Minus else 1 / 1.2))
        elif found is not None and key in steps:
            sheet, piece, spot = found
            dx, dy = steps[Qt.Key(key)]
            by = NUDGE_MM / 4 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else NUDGE_MM
            self.desk.place(piece.name, sheet, Spot(piece.name, spot.board, spot.x_mm + dx * by, spot.y_mm + dy * by, spot.turn))
        elif found is not None and key == Qt.Key.Key_R:
            self.turn_picked()
        elif found is not None and key == Qt.Key.Key_L:
            self.desk.lock(found[1].name, on=found[1].name not in self.desk.locked)
        elif found is not None and key == Qt.Key.Key_N:
            self.to_next_sheet()
        else:
            super().keyPressEvent(event)

    def _pick_next(self, step: int) -> None:
        names = [p.name for row in self._laid for p, _, _ in row.sheet.pieces]
        if names:
            at = names.index(self.picked) + step if self.picked in names else 0
            self.pick(names[at % len(names)])
            found = self.picked_piece
            laid = next((row for row in self._laid if found is not None and row.sheet is found[0]), None)
            if laid is not None and found is not None:
                self.area.ensureVisible(int(laid.left + found[2].x_mm * self.scale), int(laid.bottom - found[2].y_mm * self.scale))

    def focusInEvent(self, event: QFocusEvent) -> None:
        """Picks the first piece where none is picked, so that the keys have something to work on."""
        super().focusInEvent(event)
        if not self.picked and event.reason() in (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason):
            self._pick_next(1)
        self.update()
