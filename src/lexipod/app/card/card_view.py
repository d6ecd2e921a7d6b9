"""The hands on the card: it is moved by its pull, shaped by its handles, and measured by typing."""

from __future__ import annotations

import contextlib
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QMenu

from lexipod.app.card.card_paint import CardPaint
from lexipod.app.card.card_sight import FEW_MEASURES
from lexipod.app.card.drag import Drag, Pointer, drag_handle, drag_part, nudged, parameter_of, ruler_step, set_parameter, value_at
from lexipod.app.card.glass import LARGER, closer, mark_of, paint_glass
from lexipod.app.card.measure_editor import MeasureEditor
from lexipod.app.card.measures import whole_name
from lexipod.app.card.painter import paint_folds
from lexipod.app.card.reach import ReachFrom
from lexipod.app.jobs.job import Job
from lexipod.app.look import Theme, font
from lexipod.app.state.desk import DETAIL_MM, Desk
from lexipod.app.state.session import Session
from lexipod.app.state.view_state import ViewState
from lexipod.assembly import Handle
from lexipod.drawing import PLAN, draw_folds
from lexipod.editing.change import change_design
from lexipod.errors import LexipodError
from lexipod.units.quantities import exact_text

if TYPE_CHECKING:
    from lexipod.fitting.reaching import Reach

MOVED_PX = 48.0
_ARROWS: dict[int, tuple[int, int]] = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}


class CardView(CardPaint):
    """Shows the card and takes the hands on it. ``said`` carries a sentence for the message strip, ``laid`` the place of
    the card at which the item in hand is to be laid, ``dropped`` a file and where it fell,
    ``cut`` that the line is drawn along which a picture is cut."""

    said = Signal(str)
    laid = Signal(float, float)
    dropped = Signal(str, float, float)
    cut = Signal()

    def __init__(self, session: Session, desk: Desk, view: ViewState, theme: Theme) -> None:
        super().__init__(session, desk, view, theme)
        self.setAcceptDrops(True)
        self._drags_section = False
        self._editor: MeasureEditor | None = None
        self.magnifies = False
        self._reach_from: ReachFrom | None = None
        self._reaching = Job(self, session, done=self._reach_known, failed=lambda _: None)

    def _current_changed(self) -> None:
        self._close_editor()
        super()._current_changed()

    def _station_changed(self, station: str) -> None:
        self._close_editor()
        super()._station_changed(station)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Fits the card anew; a measure that is being typed goes with it."""
        super().resizeEvent(event)
        self._place_editor()

    def set_magnifier(self, on: bool) -> None:
        """A glass under the pointer, for where parts are small."""
        self.magnifies = on
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """The card, and the glass over it."""
        super().paintEvent(event)
        if self.magnifies and self.underMouse() and self._drag is None and self.desk.assembly is not None:
            painter = QPainter(self)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            mark = mark_of(self.session.style.unit, self.picture.scale * LARGER)
            paint_glass(painter, self._pointer, self.theme, lambda: self._paint_closer(painter), mark=mark)

    def _paint_closer(self, painter: QPainter) -> None:
        """What is under the pointer, larger."""
        at, picture = self._pointer, self.picture
        if self.shows_folds:
            scene = self.desk.scene(self.view.travel, detail_mm=DETAIL_MM / LARGER)
            drawing = draw_folds(scene, PLAN, art=self.desk.art, picked=frozenset(self.view.picked_parts))
            paint_folds(painter, drawing, self.theme, origin=closer(picture.origin, at), pixels_per_mm=picture.scale * LARGER)
        else:
            hidden = self.view.shows_hidden and self.view.here.seen.hidden
            picture.paint_closer(painter, at, LARGER, self.desk.poses_at(self.view.travel), hidden=hidden)

    # ---- files that are dropped on it ----------------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """A picture may be dropped where pictures are taken in hand."""
        if self.view.here.seen.pictures and any(u.isLocalFile() for u in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Puts it where it falls."""
        path = next((u.toLocalFile() for u in event.mimeData().urls() if u.isLocalFile()), "")
        if path:
            x, y = self.to_card(event.position())
            self.dropped.emit(path, x, y)
            event.acceptProposedAction()

    # ---- hands --------------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Takes hold of a measure, a handle, the cut's knob or a moving part."""
        point = event.position()
        self._pointer = point
        if event.button() == Qt.MouseButton.MiddleButton and self._drag is None:
            self.lens.is_free = True
            self._begin(self._drag_ground(point))
            return
        if event.button() != Qt.MouseButton.LeftButton:
            return
        x, y = self.to_card(point)
        fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        measure = self._measure_at(point)
        handle = self._handle_at(point)
        if self.view.here.seen.pictures and self._take_picture(point, Pointer(x, y, fine)):
            self.update()
            return
        if handle is not None:
            self._focused = self.handles.index(handle)
            self._ask_reach(handle)
            self._begin(drag_handle(self.session, self._turned(handle), Pointer(x, y, fine), refused=self.said.emit))
        elif measure is not None and measure.handle is not None:
            self.edit_measure(measure.handle)
        elif (found := self._mark_at(point)) is not None:
            self.view.show_finding(found)
        elif self._section_knob().contains(point):
            self._drags_section = True
        elif (part := self._part_at(x, y)) is not None:
            self._use_part(part)
            track = self._track_of(part)
            if track is not None:
                travel = self.view.travel.get(track.mechanism, track.drive.rest)
                self._begin(drag_part(track, part, travel, Pointer(x, y), lambda s: self.view.set_travel(track.mechanism, s)))
        else:
            self.view.pick(())
            self._begin(self._drag_ground(point))
        self.update()

    def _take_picture(self, point: QPointF, press: Pointer) -> bool:
        """Lays the item in hand, takes hold of one, or lets it go; whether the press was for that."""
        if self.view.lays and self.view.picked_item:
            self.laid.emit(press.x, press.y)
            return True
        if self.view.cut_line is not None:
            self.view.set_cutting([*self.view.cut_line, (round(press.x, 2), round(press.y, 2))])
            return True
        hand = self.pictures.hand_at(point, self.to_view)
        if hand is None:
            found = self.pictures.item_at(press.x, press.y)
            if found is None:
                self.view.pick_item("")
                return False
            self.view.pick_item(found.item.id)
            if not found.is_flat or found.item.kind == "mat":
                return True
            hand = "move"
        self._begin(self.pictures.drag(hand, press, refused=self.said.emit))
        return True

    def _key_for_picture(self, event: QKeyEvent) -> bool:
        """What keys do with the item in hand; whether this one did something."""
        key, hands, fine = event.key(), self.pictures, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        ids = list(dict.fromkeys(row.item.id for row in hands.lying))
        if key in (Qt.Key.Key_N, Qt.Key.Key_B) and ids and not event.modifiers():
            step = 1 if key == Qt.Key.Key_N else -1
            now = ids.index(self.view.picked_item) if self.view.picked_item in ids else -1 if step > 0 else 0
            self.view.pick_item(ids[(now + step) % len(ids)])
            return True
        if hands.picked is None:
            return False
        item = hands.picked.item
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.view.cut_line is not None:
            self.cut.emit()
        elif key in _ARROWS and not event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier):
            hands.nudge(*_ARROWS[key], fine=fine, refused=self.said.emit)
        elif key in (Qt.Key.Key_Comma, Qt.Key.Key_Period):
            turn = item.turn + (1.0 if fine else 15.0) * (1 if key == Qt.Key.Key_Comma else -1)
            hands.change({"turn": (turn + 180.0) % 360.0 - 180.0}, text=f"turn of {item.id}", refused=self.said.emit)
        elif key == Qt.Key.Key_L and not event.modifiers():
            self.view.set_laying(not self.view.lays)
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            hands.take_off(refused=self.said.emit)
        else:
            return False
        return True

    def _drag_ground(self, press: QPointF) -> Drag:
        """Moves the card over the view, where it is looked at more closely than whole."""
        before, last = QPointF(self.picture.origin), press
        was_free = self.lens.is_free
        while (yield) is not None:
            if self.lens.is_free:
                self.move_card(self._pointer - last)
                last = self._pointer
        if was_free:
            self.move_card(before - self.picture.origin)

    def _use_part(self, part: str) -> None:
        """The mechanism of a part that is taken hold of becomes the one that is worked on."""
        assembly = self.desk.assembly
        if assembly is not None and assembly.by_id[part].mechanism != "card":
            self.desk.use(assembly.by_id[part].mechanism)

    def _track_of(self, part: str):  # type: ignore[no-untyped-def]
        return next((t for t in self.desk.tracks.values() if part in t.poses and t.reached.any()), None)

    def _begin(self, drag: Drag) -> None:
        next(drag)
        self._drag = drag

    def _ask_reach(self, handle: Handle) -> None:
        """How far the measure can go is worked out aside, and drawn while the drag lasts."""
        from lexipod.fitting.reaching import FINE

        parameter = parameter_of(self.session.design, handle.mechanism, handle.parameter)
        value = value_at(self.session.design, handle)
        if parameter is None or parameter.kind not in FINE or isinstance(value, tuple) or "." in handle.parameter:
            return
        mechanism = self.session.design.find_mechanism(handle.mechanism)
        pinned = mechanism.pinned if mechanism is not None else ()
        self._reaching.start("reach", self.session.design, handle.mechanism, handle.parameter, pinned)
        self._reach_from = ReachFrom(handle, float(value), parameter.kind)

    def _reach_known(self, reach: Reach) -> None:
        if self._drag is not None and self._reach_from is not None:
            self.reach = (self._reach_from, reach)
            self.update()

    def _end(self, *, cancel: bool) -> None:
        self._reaching.stop()
        self._reach_from = self.reach = None
        if self._drag is not None:
            drag, self._drag = self._drag, None
            if cancel:
                with contextlib.suppress(StopIteration):
                    drag.send(None)
            drag.close()
            self._fit()
            self._prepare()
        self._drags_section = False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Goes on with a drag, or shows what could be taken hold of."""
        point = event.position()
        self._pointer = point
        if self._drag is not None:
            x, y = self.to_card(point)
            self._drag.send(Pointer(x, y, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)))
            return
        if self._drags_section:
            self._move_section(point)
            return
        if self.magnifies or len(self._measures) > FEW_MEASURES:
            self.update()  # what the pointer comes near gets its weight
        if self.view.here.seen.pictures and self._show_picture_cursor(point):
            return
        handle, measure = self._handle_at(point), self._measure_at(point)
        hot = handle.parameter if handle else measure.handle.parameter if measure and measure.handle else None
        if hot != self._hot:
            self._hot = hot
            self.update()
        x, y = self.to_card(point)
        if hot or self._section_knob().contains(point) or self._mark_at(point) is not None:
            self.setCursor(Qt.CursorShape.PointingHandCursor)
        else:
            self.setCursor(Qt.CursorShape.OpenHandCursor if self._part_at(x, y) else Qt.CursorShape.ArrowCursor)

    def _show_picture_cursor(self, point: QPointF) -> bool:
        """The pointer over pictures."""
        if self.view.lays or self.view.cut_line is not None:
            self.setCursor(Qt.CursorShape.CrossCursor)
            return True
        if self.pictures.hand_at(point, self.to_view) is not None:
            self.setCursor(Qt.CursorShape.PointingHandCursor)
            return True
        if self.pictures.item_at(*self.to_card(point)) is not None:
            self.setCursor(Qt.CursorShape.OpenHandCursor)
            return True
        return False

    def leaveEvent(self, event: QEvent) -> None:
        """Nothing is near any more."""
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Lets go."""
        self._end(cancel=False)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows move the pull, or the handle that is picked; Enter edits its measure; Escape cancels a drag."""
        key, fine = event.key(), bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if key == Qt.Key.Key_Escape and self.view.here.seen.plain and self._drag is None:
            super().keyPressEvent(event)
        elif key == Qt.Key.Key_Escape:
            self._end(cancel=True)
            self.view.pick(())
            self.view.set_laying(False)
            self.view.set_cutting(None)
        elif self.view.here.seen.pictures and self._key_for_picture(event):
            return
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.handles:
            self.edit_measure(self.handles[self._focused % len(self.handles)])
        elif key == Qt.Key.Key_K and self.handles and not event.modifiers():
            self.keep(self.handles[self._focused % len(self.handles)])
        elif key in _ARROWS and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.move_card(QPointF(-_ARROWS[key][0], _ARROWS[key][1]) * MOVED_PX)
        elif key in _ARROWS and self.handles and not event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self._nudge(self.handles[self._focused % len(self.handles)], _ARROWS[key], fine=fine)
        elif key in _ARROWS:
            self._step_travel(1 if key in (Qt.Key.Key_Right, Qt.Key.Key_Up) else -1)
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """What can be done with the measure or handle under the pointer."""
        point = QPointF(event.pos())
        measure, handle = self._measure_at(point), self._handle_at(point)
        wanted = handle or (measure.handle if measure is not None else None)
        if event.reason() == QContextMenuEvent.Reason.Keyboard and self.handles:
            wanted = self.handles[self._focused % len(self.handles)]
        if wanted is None:
            return
        self.menu_for(wanted).popup(event.globalPos())

    def menu_for(self, handle: Handle) -> QMenu:
        """To keep a measure, or to type it."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction(f"type {handle.label} …", lambda: self.edit_measure(handle))
        if self._may_be_kept(handle):
            keep = menu.addAction(f"keep {handle.label}", lambda: self.keep(handle))
            keep.setCheckable(True)
            keep.setChecked(self._is_pinned(handle))
        return menu

    def _may_be_kept(self, handle: Handle) -> bool:
        return parameter_of(self.session.design, handle.mechanism, handle.parameter) is not None

    def keep(self, handle: Handle) -> None:
        """Pins what a handle moves, or lets it go."""
        if self._may_be_kept(handle):
            on = not self._is_pinned(handle)
            self.session.pin(handle.mechanism, whole_name(handle), on=on)
            self.said.emit(
                f"{handle.label[:1].upper()}{handle.label[1:]} {'is kept: fitting and the first cures leave it' if on else 'may change again'}."
            )

    def _nudge(self, handle: Handle, direction: tuple[int, int], *, fine: bool) -> None:
        if handle.cross is not None:
            step = ruler_step(self.session.design, fine=fine)
            here = value_at(self.session.design, handle)
            assert isinstance(here, tuple)
            x, y = here
            moves = [step * (direction[0] * d[0] + direction[1] * d[1]) for d in (handle.direction, handle.cross)]
            set_parameter(self.session, handle, (round(x + moves[0], 6), round(y + moves[1], 6)), refused=self.said.emit)
            return
        along = direction[0] * handle.direction[0] + direction[1] * handle.direction[1]
        if handle.about is not None:
            along = float(direction[0] + direction[1])
            set_parameter(
                self.session, handle, nudged(self.session, handle, along * handle.gain * (0.1 if fine else 1.0), fine=fine), refused=self.said.emit
            )
        elif abs(along) > 0.5:
            step = ruler_step(self.session.design, fine=fine) * (1 if along > 0 else -1)
            set_parameter(self.session, handle, nudged(self.session, handle, step, fine=fine), refused=self.said.emit)

    def _step_travel(self, steps: int) -> None:
        drive = self.desk.drive
        if drive is not None:
            now = self.view.travel.get(drive.mechanism, drive.rest) + steps * (drive.end - drive.rest) / 40
            low, high = sorted((drive.rest, drive.end))
            self.view.set_travel(drive.mechanism, min(high, max(low, now)))

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Tab goes from handle to handle before it leaves the card."""
        step = 1 if forward else -1
        if self._editor is None and self.handles and 0 <= self._focused + step < len(self.handles):
            self._focused += step
            self.update()
            return True
        self._focused = 0 if forward else max(0, len(self.handles) - 1)
        return super().focusNextPrevChild(forward)

    def edit_measure(self, handle: Handle) -> None:
        """Opens the measure of a handle for typing."""
        self._close_editor()
        if handle.cross is not None:
            handle = next((m.handle for m in self._measures if m.handle and m.handle.parameter == f"{handle.parameter}.x"), handle)
        measure = next((m for m in self._measures if m.handle is handle or (m.handle and m.handle.parameter == handle.parameter)), None)
        if measure is None:
            return
        editor = MeasureEditor(exact_text(self._value(handle), self._kind(handle), self.session.style), self)
        editor.setFont(font(14))
        editor.setAccessibleName(handle.label)
        editor.parameter = handle.parameter
        editor.taken.connect(lambda: self._take_edit(handle))
        editor.left.connect(self._close_editor)
        self._editor = editor
        self._place_editor()
        editor.show()
        editor.selectAll()
        editor.setFocus()

    def _place_editor(self) -> None:
        editor = self._editor
        if editor is not None:
            box = next((m.box for m in self._measures if m.handle and m.handle.parameter == editor.parameter), QRectF(20, 20, 130, 24))
            width = max(130, round(box.width()))
            editor.setGeometry(round(min(box.left(), self.width() - width - 6)), round(box.top()) - 3, width, 28)

    def _take_edit(self, handle: Handle) -> None:
        editor = self._editor
        if editor is None:
            return
        text = editor.text()
        kind = self._kind(handle)
        if text == exact_text(self._value(handle), kind, self.session.style):
            self._close_editor()
            return
        has_unit = kind != "length" or not text.strip()[-1:].isdigit()
        try:
            text = text if has_unit else f"{text} {self.session.style.unit}"
            design = change_design(self.session.design, self.session.catalog, {handle.parameter: text}, mechanism=handle.mechanism, by_hand=True)
        except LexipodError as error:
            editor.setProperty("wrong", True)
            editor.style().polish(editor)
            editor.selectAll()
            self.said.emit(str(error))
            return
        self._close_editor()
        self.session.edit(design, text=handle.label)

    def _close_editor(self) -> None:
        if self._editor is not None:
            editor, self._editor = self._editor, None
            self.setFocus()
            editor.hide()
            editor.deleteLater()

    def _move_section(self, point: QPointF) -> None:
        assert self.desk.assembly is not None
        x, y = self.to_card(point)
        card = self.desk.assembly.card
        self.view.set_section(self.view.section_axis, x / card.width_mm if self.view.section_axis == "y" else y / card.height_mm)
