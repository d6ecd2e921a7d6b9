"""The card as it stands: paper in space, turned and opened by hand."""

from __future__ import annotations

import contextlib
import functools
from collections.abc import Generator

import numpy as np
from PySide6.QtCore import QEasingCurve, QEvent, QPointF, QRectF, QSizeF, Qt, QVariantAnimation
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent

from lexipod.app.card.drag import nearest_travel
from lexipod.app.card.glass import LARGER, closer, paint_glass
from lexipod.app.card.ground import Ground
from lexipod.app.card.lens import NEARER, Lens
from lexipod.app.card.painter import paint_folds, polygon_of
from lexipod.app.look import Theme, font, paint_focus
from lexipod.app.state.desk import DETAIL_MM, Desk
from lexipod.app.state.session import Session
from lexipod.app.state.view_state import ViewState
from lexipod.drawing import STANDING, Camera, Drawing, Shape, draw_folds, fit_camera
from lexipod.geometry.frames import Array
from lexipod.geometry.space import apply_frame
from lexipod.motion import FoldTrack

LOOKS: dict[str, tuple[float, float]] = {
    "on the desk": STANDING,
    "from the gutter’s end": (0.0, -78.0),
    "from the left": (62.0, -24.0),
    "straight on": (0.0, 0.0),
}
"""Places to look from: turn and tilt, degrees."""
STEP_DEG = 6.0
OPEN_MS = 1400


class FoldView(Ground):
    """Shows what rises. Dragging the ground turns it, dragging paper that moves opens it; keys do both."""

    def __init__(self, session: Session, desk: Desk, view: ViewState, theme: Theme) -> None:
        super().__init__(session, desk, view, theme, name="The card as it stands")
        self.setAccessibleDescription("Arrow keys turn it, Page Up and Page Down open and shut it, Space runs it, Home looks from the front again.")
        self.turn, self.tilt = STANDING
        self.scale, self.origin = 3.0, QPointF(0, 0)
        self.lens, self._box = Lens(self), QRectF()
        self.camera = Camera()
        self.drawing: Drawing | None = None
        self._drag: Generator[None, QPointF | None, None] | None = None
        self._hot = ""
        self.magnifies = False
        self._pointer: QPointF | None = None
        self._run = QVariantAnimation(self)
        self._run.setDuration(OPEN_MS)
        self._run.setEasingCurve(QEasingCurve.Type.InOutSine)
        self._run.valueChanged.connect(self._moved)
        desk.rebuilt.connect(self._fit)
        desk.current_changed.connect(self.update)
        for signal in (view.travel_changed, view.picked_changed):
            signal.connect(self.update)

    # ---- the look -----------------------------------------------------------------------------------------------------

    def look_from(self, turn: float, tilt: float) -> None:
        """Looks at the card from another side; ``turn`` about its upright, ``tilt`` back (degrees)."""
        self.turn, self.tilt = (turn + 180.0) % 360.0 - 180.0, min(89.0, max(-89.0, tilt))
        self._fit()

    def _fit(self) -> None:
        """The whole way of the card as large as it goes."""
        assembly = self.desk.assembly
        if assembly is None or not assembly.foldings or not self.isVisible():
            return
        self.camera, low, high = fit_camera(self.desk.fold_tracks.values(), self.turn, self.tilt)
        size = np.maximum(high - low, 1.0)
        scale = min((self.width() - 72) / float(size[0]), (self.height() - 84) / float(size[1]))
        middle = (low + high) / 2
        origin = QPointF(self.width() / 2 - float(middle[0]) * scale, self.height() / 2 + 6 + float(middle[1]) * scale)
        self._box = QRectF(float(low[0]), float(-high[1]), float(size[0]), float(size[1]))
        self.lens.fit(scale, origin, QSizeF(self.size()))
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Fits the card anew."""
        self._fit()

    def showEvent(self, event: QEvent) -> None:
        """Fits what may have changed meanwhile."""
        self._fit()

    # ---- what is under the pointer ------------------------------------------------------------------------------------

    def piece_at(self, point: QPointF) -> str:
        """The id of the panel or part that is seen at a point of the view; empty on the ground."""
        for item in reversed(self.drawing.primitives if self.drawing else ()):
            if not isinstance(item, Shape) or not item.fill or not item.subject:
                continue
            outer, *holes = (polygon_of(ring * (self.scale, -self.scale) + (self.origin.x(), self.origin.y())) for ring in item.rings)
            if outer.containsPoint(point, Qt.FillRule.OddEvenFill) and not any(h.containsPoint(point, Qt.FillRule.OddEvenFill) for h in holes):
                return item.subject
        return ""

    def _track_of(self, piece: str) -> FoldTrack | None:
        """The travel that moves a piece: that of the current mechanism where several do."""
        tracks = [t for t in self.desk.fold_tracks.values() if piece in t.frames and t.reached.any()]
        moving = [t for t in tracks if np.ptp(t.frames[piece][t.reached], axis=0).max() > 1e-6]
        return next((t for t in moving if t.folding.mechanism == self.desk.current), moving[0] if moving else None)

    # ---- hands --------------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Takes hold of paper that moves, or of the ground."""
        if event.button() == Qt.MouseButton.MiddleButton and self._drag is None:
            self._drag = self._drag_over(event.position())
            next(self._drag)
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self._run.stop()
        point = event.position()
        piece = self.piece_at(point)
        track = self._track_of(piece) if piece else None
        owner = self.desk.assembly.panels.get(piece) if self.desk.assembly else None
        if owner is not None and owner.mechanism != "card":
            self.desk.use(owner.mechanism)
        self.view.pick((piece,) if piece else ())
        self._drag = self._drag_paper(track, piece, point) if track is not None else self._drag_look(point)
        next(self._drag)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Goes on with a drag, or names what is under the pointer."""
        self._pointer = event.position()
        if self._drag is not None:
            self._drag.send(event.position())
            return
        piece = self.piece_at(event.position())
        self.setCursor(Qt.CursorShape.OpenHandCursor if piece and self._track_of(piece) else Qt.CursorShape.SizeAllCursor)
        if piece != self._hot:
            self._hot = piece
            self.update()
        elif self.magnifies:
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Lets go."""
        self._end(cancel=False)

    def leaveEvent(self, event: QEvent) -> None:
        """Nothing is under the pointer."""
        self._hot, self._pointer = "", None
        self.update()

    @property
    def is_dragging(self) -> bool:
        """Whether a hand is on it."""
        return self._drag is not None

    @property
    def seen_rect(self) -> QRectF:
        """Where the whole way of the card is seen."""
        seen = QRectF(self.origin.x() + self._box.x() * self.scale, self.origin.y() + self._box.y() * self.scale, 0, 0)
        seen.setSize(self._box.size() * self.scale)
        return seen

    def _end(self, *, cancel: bool) -> None:
        if self._drag is not None:
            drag, self._drag = self._drag, None
            if cancel:
                with contextlib.suppress(StopIteration):
                    drag.send(None)
            drag.close()

    def _drag_over(self, press: QPointF) -> Generator[None, QPointF | None, None]:
        """Moves the card over the view."""
        before, last = QPointF(self.origin), press
        while (point := (yield)) is not None:
            self.move_card(point - last)
            last = point
        self.move_card(before - self.origin)

    def _drag_look(self, press: QPointF) -> Generator[None, QPointF | None, None]:
        """Turns the card as if it lay in a bowl."""
        turn, tilt = self.turn, self.tilt
        while (point := (yield)) is not None:
            self.look_from(turn + (point.x() - press.x()) * 0.4, tilt + (point.y() - press.y()) * 0.4)
        self.look_from(turn, tilt)

    def _drag_paper(self, track: FoldTrack, piece: str, press: QPointF) -> Generator[None, QPointF | None, None]:
        """Opens or shuts it by a point of a panel: the travel at which that point is seen nearest to the pointer."""
        mechanism, start = track.folding.mechanism, self.view.travel.get(track.folding.mechanism, track.folding.drive.rest)
        held = self._point_on(track.frames_at(start)[piece], press)
        way = self.camera.project(apply_frame(track.frames[piece][track.reached], np.array([[*held, 0.0]])))[:, 0]
        known = track.travel[track.reached]
        while (point := (yield)) is not None:
            seen = np.array([(point.x() - self.origin.x()) / self.scale, (self.origin.y() - point.y()) / self.scale])
            self.view.set_travel(mechanism, nearest_travel(known, way, seen, near=self.view.travel.get(mechanism, start)))
        self.view.set_travel(mechanism, start)

    def _point_on(self, frame: Array, point: QPointF) -> Array:
        """Where the line of sight through a point of the view meets a panel, in its frame ``(2,)``."""
        seen = np.array([(point.x() - self.origin.x()) / self.scale, (self.origin.y() - point.y()) / self.scale, 0.0])
        through = np.asarray(self.camera.centre) + self.camera.rotation.T @ seen
        ray = through - self.camera.eye
        normal = frame[:, 2]
        share = float(normal @ (frame[:, 3] - self.camera.eye)) / (float(normal @ ray) or 1e-9)
        hit = self.camera.eye + share * ray
        local: Array = frame[:, :3].T @ (hit - frame[:, 3])
        return local[:2]

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows turn, Page Up and Page Down open, Space runs, Home looks as at first, + and − come nearer."""
        key, fine = event.key(), bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        step = 1.0 if fine else STEP_DEG
        turns: dict[int, tuple[float, float]] = {
            Qt.Key.Key_Left: (-step, 0),
            Qt.Key.Key_Right: (step, 0),
            Qt.Key.Key_Up: (0, -step),
            Qt.Key.Key_Down: (0, step),
        }
        if key in turns:
            self.look_from(self.turn + turns[key][0], self.tilt + turns[key][1])
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            self._step((1 if key == Qt.Key.Key_PageUp else -1) / (180 if fine else 36))
        elif key == Qt.Key.Key_Home:
            self.lens.show_whole()
            self.look_from(*STANDING)
        elif key == Qt.Key.Key_Space:
            self.run()
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Minus):
            self.come_nearer(NEARER if key == Qt.Key.Key_Plus else 1 / NEARER)
        elif key == Qt.Key.Key_Escape and self.view.here.seen.plain and self._drag is None:
            super().keyPressEvent(event)
        elif key == Qt.Key.Key_Escape:
            self._run.stop()
            self._end(cancel=True)
            self.view.pick(())
        else:
            super().keyPressEvent(event)

    def _step(self, share: float) -> None:
        drive = self.desk.drive
        if drive is not None:
            low, high = sorted((drive.rest, drive.end))
            at = self.view.travel.get(drive.mechanism, drive.rest) + share * (drive.end - drive.rest)
            self.view.set_travel(drive.mechanism, min(high, max(low, at)))

    def run(self) -> None:
        """Opens it all the way, or shuts it if it is more than half open."""
        drive = self.desk.drive
        if drive is None:
            return
        self._run.stop()
        now = self.view.travel.get(drive.mechanism, drive.rest)
        is_open = abs(now - drive.rest) > abs(drive.end - drive.rest) / 2
        self._run.setStartValue(float(now))
        self._run.setEndValue(float(drive.rest if is_open else drive.end))
        self._run.start()

    def _moved(self, travel: float) -> None:
        drive = self.desk.drive
        if drive is not None and self._run.state() == QVariantAnimation.State.Running:
            self.view.set_travel(drive.mechanism, travel)

    def hideEvent(self, event: QEvent) -> None:
        """Stands still."""
        self._run.stop()

    # ---- painting -----------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """The paper, what is picked, and the name of what is under the pointer."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.theme.colour("ground"))
        assembly = self.desk.assembly
        if assembly is None or not assembly.foldings:
            return
        picked = frozenset() if self.view.here.seen.plain else frozenset(self.view.picked_parts)
        self.drawing = draw_folds(self.desk.scene(self.view.travel), self.camera, art=self.desk.fold_art, picked=picked)
        paint_folds(painter, self.drawing, self.theme, origin=self.origin, pixels_per_mm=self.scale)
        if not self.view.here.seen.plain:
            self._paint_words(painter)
        if self.magnifies and self._pointer is not None and self._drag is None:
            paint_glass(painter, self._pointer, self.theme, functools.partial(self._paint_closer, painter, self._pointer), mark=None)

    def _paint_closer(self, painter: QPainter, at: QPointF) -> None:
        """What is under the pointer, larger."""
        scene = self.desk.scene(self.view.travel, detail_mm=DETAIL_MM / LARGER)
        drawing = draw_folds(scene, self.camera, art=self.desk.art, picked=frozenset(self.view.picked_parts))
        paint_folds(painter, drawing, self.theme, origin=closer(self.origin, at), pixels_per_mm=self.scale * LARGER)

    def set_magnifier(self, on: bool) -> None:
        """A glass under the pointer, for where parts are small."""
        self.magnifies = on
        self.update()

    def _paint_words(self, painter: QPainter) -> None:
        assert self.desk.assembly is not None
        painter.setFont(font(13))
        named = self._hot or (self.view.picked_parts[0] if self.view.picked_parts else "")
        if named:
            text = self.desk.assembly.part_name(named)
            width = painter.fontMetrics().horizontalAdvance(text) + 16
            box = QRectF(14, self.height() - 34, width, 24)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self.theme.colour("sheet"))
            painter.drawRoundedRect(box, 4, 4)
            painter.setPen(self.theme.colour("ink"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
        hint = "Drag paper to open it, the ground to turn it; space runs it."
        painter.setPen(self.theme.colour("pencil"))
        painter.drawText(QRectF(0, self.height() - 32, self.width() - 14, 22), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, hint)
        if self.hasFocus():
            paint_focus(painter, self.rect(), self.theme)


__all__ = ["LOOKS", "FoldView"]
