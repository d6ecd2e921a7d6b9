"""At the table: one step at a time in large type, for hands that are busy. Space or → goes on (a foot switch sends either), ← back."""

from __future__ import annotations

import time
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from PySide6.QtCore import QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QApplication, QCheckBox, QHBoxLayout, QLabel, QLineEdit, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from lexipod.app.jobs.job import Job
from lexipod.app.look import Theme, font
from lexipod.app.making.plan_desk import PlanDesk
from lexipod.app.making.plan_view import paint_step
from lexipod.app.state.logbook import Logbook
from lexipod.builds import BuildYield
from lexipod.errors import LexipodError
from lexipod.planning.model import Asked, Step
from lexipod.planning.told import minutes_text
from lexipod.records.makes import Measure
from lexipod.records.making import now_text, said_last
from lexipod.records.table import TableState
from lexipod.units import parse_length

PICTURE_SUFFIXES = (".jpg", ".jpeg", ".png", ".webp")
RAN_KEYS = {Qt.Key.Key_F: ("free", "runs free"), Qt.Key.Key_T: ("tight", "runs tight"), Qt.Key.Key_S: ("stuck", "stuck here")}
LONGEST_STEP_MIN = 30.0
TICK_MS = 1000
BUILDS = 400


class _Field(QLineEdit):
    """A field that keeps its keys to itself: Enter in it ends the line, and is no step."""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape leaves the field, all else stays in it."""
        super().keyPressEvent(event)
        if event.key() != Qt.Key.Key_Escape:
            event.accept()


class _Sheet(QWidget):
    """The drawing of the step."""

    def __init__(self, view: TableView) -> None:
        super().__init__()
        self.view = view
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Drawing of the step")

    def sizeHint(self) -> QSize:
        """As large as there is room."""
        return QSize(600, 420)

    def mousePressEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        """A press anywhere gives the keys back to the table."""
        self.view.setFocus()

    def paintEvent(self, event: QPaintEvent) -> None:
        """The drawing on its sheet."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.view.theme.colour("ground"))
        step = self.view.plan.step
        if step is not None:
            paint_step(painter, QRectF(4, 4, self.width() - 10, self.height() - 12), self.view.plan.drawing(step), self.view.theme)


class TableView(QWidget):
    """Everything one needs at the table, and nothing else."""

    left = Signal()
    said = Signal(str)
    foretells = True
    """Whether builds are reckoned in the background for a make that begins."""

    def __init__(self, plan: PlanDesk, book: Logbook, theme: Theme, *, clock: Callable[[], datetime] = lambda: datetime.now(UTC)) -> None:
        super().__init__()
        self.setObjectName("ground")
        self.plan, self.book, self.theme, self.clock = plan, book, theme, clock
        self.state = TableState()
        self._since = time.monotonic()
        self._over: set[str] = set()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAcceptDrops(True)
        self._compose()
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)
        self._timer.timeout.connect(self.tick)
        self._job = Job(self, plan.session, done=self._foretold, failed=lambda _: None)
        self._asked_for = ""
        plan.turned.connect(self.show_step)
        plan.changed.connect(self._changed)

    def _compose(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(26, 14, 26, 12)
        column.setSpacing(8)
        self.counted, self.do, self.why, self.tips = QLabel(), QLabel(), QLabel(), QLabel()
        for label, size, bold in ((self.counted, 17, False), (self.do, 30, True), (self.why, 18, False), (self.tips, 18, False)):
            label.setWordWrap(True)
            label.setFont(font(size, bold=bold))
            label.setStyleSheet(f"font-size: {size}px; font-weight: {600 if bold else 400};")
            column.addWidget(label)
        self.sheet = _Sheet(self)
        column.addWidget(self.sheet, 1)
        self.waits = QLabel()
        self.waits.setWordWrap(True)
        self.waits.setStyleSheet("font-size: 20px; font-weight: 600;")
        column.addWidget(self.waits)
        self.asking = QHBoxLayout()
        self.asking.setSpacing(10)
        column.addLayout(self.asking)
        column.addLayout(self._bottom())

    def _bottom(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(8)
        self.back, self.next = QPushButton("← back"), QPushButton("done, next  ␣")
        self.next.setObjectName("main")
        self.back.clicked.connect(lambda: self.go(-1))
        self.next.clicked.connect(lambda: self.go(1))
        row.addWidget(self.back)
        row.addWidget(self.next)
        self.ran: dict[str, QPushButton] = {}
        for key, (ran, words) in RAN_KEYS.items():
            button = QPushButton(f"{words}  {chr(key).upper()}")
            button.clicked.connect(lambda _=False, ran=ran: self.tell_ran(ran))
            self.ran[ran] = button
            row.addWidget(button)
        self.line = _Field()
        self.line.setPlaceholderText("a line to remember, then Enter  (N)")
        self.line.setAccessibleName("A line for the log")
        self.line.returnPressed.connect(self.keep_line)
        row.addWidget(self.line, 1)
        self.sound = QCheckBox("sound")
        self.sound.setToolTip("A sound when a wait is over.")
        self.out = QPushButton("leave the table  Esc")
        self.out.setObjectName("quiet")
        self.out.clicked.connect(self.left.emit)
        row.addWidget(self.sound)
        row.addWidget(self.out)
        for widget in (self.back, self.next, *self.ran.values(), self.out, self.sound):
            widget.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        return row

    # ---- coming and going

    def sit_down(self) -> None:
        """Takes up the open make of this card where it was left, or begins one; says what was to be changed this time."""
        make = self.book.open_make()
        is_new = make is None
        if make is None:
            told = self.book.trying(lambda: said_last(self.book.store, self.plan.session.design.title), None)
            make = self.book.begin(self.plan.copies)
            if make is not None and self.foretells and self.plan.session.design.mechanisms:
                self._asked_for = make.id
                self._job.start("yield", self.plan.session.design, BUILDS, 1)
            if told is not None:
                self.said.emit(f"Last time ({told[0].began[:10]}) you said: {told[1]}")
        if make is not None:
            self.book.make_id = make.id
            self.state, odd = self.book.table(make.id).set_right(self.clock())
            if odd:
                self.said.emit("The clock was set back meanwhile: waits count anew from now.")
        else:
            self.state = TableState()
        steps = self.plan.plan.steps
        if self.state.step in self.plan.plan.by_id:
            self.plan.turn_to(self.state.step)
        elif steps and make is not None and is_new:
            self.plan.turn_to(steps[0].id)
        self._over = {w.step for w in self.state.waits if w.left_s(self.clock()) <= 0}
        self._since = time.monotonic()
        self._timer.start()
        self.show_step()
        self.setFocus()

    def _foretold(self, told: BuildYield) -> None:
        """How many builds were reckoned to run free, of the card as the make was begun."""
        if not self._job.is_old:
            self.book.foretell(self._asked_for, told.free)

    @property
    def is_sat_at(self) -> bool:
        """Whether somebody sits there: the waits are watched."""
        return self._timer.isActive()

    def stand_up(self) -> None:
        """Keeps where one is; the waits go on."""
        self._timer.stop()
        self._keep()

    def _keep(self) -> None:
        make = self.book.make_id
        step = self.plan.step
        if make and step is not None:
            self.state = self.state.at(step.id)
            self.book.keep_table(make, self.state)

    def _changed(self) -> None:
        if self.isVisible():
            self.show_step()

    # ---- steps

    def go(self, by: int) -> None:
        """On or back; going on says that the step is done, and its wait begins. What still has to set keeps one where it is."""
        step = self.plan.step
        if step is None:
            return
        spent = min((time.monotonic() - self._since) / 60, LONGEST_STEP_MIN)
        self._since = time.monotonic()
        if by > 0:
            first = self._must_set(step)
            if first:
                self.said.emit(f"Not yet: {first}")
                return
            self.state = self.state.finish(step.id, wait=step.wait, name=step.wait_for, now=self.clock())
            self._over.discard(step.id)
        minutes = self.state.minutes + spent
        self.state = TableState(self.state.step, self.state.done, self.state.waits, minutes)
        is_last = self.plan.number == len(self.plan.plan.steps)
        if by > 0 and is_last:
            self._finish_make()
        self.plan.go(by)
        self._keep()
        self.show_step()

    def _must_set(self, step: Step) -> str:
        """A wait that must be over before a step is done; empty for none."""
        running = {w.step: w for w in self.state.running(self.clock())}
        for earlier in step.earlier:
            if earlier.sets and earlier.step in running:
                wait = running[earlier.step]
                return f"{wait.name or 'it'} still sets for {minutes_text(wait.left_s(self.clock()) / 60)}. (Shift+→ goes on all the same.)"
        return ""

    def go_all_the_same(self) -> None:
        """On, although something still sets."""
        step = self.plan.step
        if step is not None:
            waits = tuple(w for w in self.state.waits if w.step not in {e.step for e in step.earlier})
            self.state = TableState(self.state.step, self.state.done, waits, self.state.minutes)
            self.go(1)

    def _finish_make(self) -> None:
        make = self.book.make_id
        if make:
            waited = sum(w.minutes for w in self.state.waits)
            self.book.tell(make, ended=now_text(), minutes=round(self.state.minutes, 1), waits=waited)
            self.said.emit("Done. How did it run? One key: F free, T tight, S stuck. All of it is in the log.")

    def show_step(self) -> None:
        """The step that one is at."""
        step = self.plan.step
        if step is None:
            return
        total = len(self.plan.plan.steps)
        done = " · done" if step.id in self.state.done else ""
        self.counted.setText(f"{self.plan.number} of {total}{done} · {minutes_text(step.minutes + step.setup)}")
        self.do.setText(step.do)
        self.why.setText(" · ".join(t for t in (f"{step.why[:1].upper()}{step.why[1:]}", step.told) if t))
        self.why.setVisible(bool(self.why.text()))
        lines = [*step.tips[:2], *(f"Take care: {c}" for c in step.cautions[:2])]
        self.tips.setText("\n".join(lines))
        self.tips.setVisible(bool(lines))
        self._show_asks(step)
        self.tick()
        self.sheet.update()

    def _show_asks(self, step: Step) -> None:
        while self.asking.count():
            item = self.asking.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        taken = {m.name: m.measured for m in (self.book.make.measures if self.book.make else ())} if step.asks else {}
        for asked in step.asks[:2]:
            label = QLabel(f"{asked.name}:")
            label.setStyleSheet("font-size: 16px;")
            field = _Field()
            field.setPlaceholderText("measure, if you like")
            field.setMaximumWidth(170)
            field.setAccessibleName(asked.name)
            if asked.name in taken:
                field.setText(self.plan.session.style.thickness(taken[asked.name]))
            field.returnPressed.connect(lambda asked=asked, field=field: self.take_measure(asked, field))
            self.asking.addWidget(label)
            self.asking.addWidget(field)
        if step.asks:
            self.asking.addStretch(1)

    # ---- what is told

    def take_measure(self, asked: Asked, field: QLineEdit) -> None:
        """A measure typed in."""
        make = self.book.make_id
        unit = self.plan.session.design.ways.units
        try:
            measured = parse_length(field.text(), default_unit=unit)
            measure = Measure(asked.name, asked.kind, self.plan.session.design.ways.cutting, asked.designed_mm, measured, asked.part, now_text())
        except (LexipodError, ValueError) as error:
            self.said.emit(str(error))
            return
        if measure.is_slip:
            style = self.plan.session.style
            designed, taken = style.length(asked.designed_mm), style.length(measured)
            self.said.emit(f"{asked.name} was designed as {designed}: is {taken} a slip? It is kept, not learned from.")
        if make and self.book.measure(make, measure):
            self.setFocus()

    def tell_ran(self, ran: str) -> None:
        """One key: how it runs; stuck is stuck at this step."""
        make, step = self.book.make_id, self.plan.step
        if not make or step is None:
            return
        words = next(w for r, w in RAN_KEYS.values() if r == ran)
        self.book.note(make, "ran", f"{words}: {step.do}", step.id)
        where = step.do if ran == "stuck" else ""
        if self.book.tell(make, ran=ran, where=where):
            self.said.emit(f"Written down: {words}.")

    def keep_line(self) -> None:
        """A line typed; what begins with “next time” is said again when the next one is made."""
        text, make, step = self.line.text().strip(), self.book.make_id, self.plan.step
        if not text or not make:
            return
        if not self.book.note(make, "note", text, step.id if step is not None else ""):
            return
        if text.lower().startswith("next time"):
            self.book.tell(make, next_time=text[9:].strip(" :,") or text)
        self.line.clear()
        self.setFocus()
        self.said.emit("Written down.")

    # ---- waits

    def tick(self) -> None:
        """The waits that run, and those that are over now."""
        now = self.clock()
        running = self.state.running(now)
        told = [f"{w.name or 'it'}: {_clock(w.left_s(now))}" for w in running]
        for wait in self.state.waits:
            if wait.left_s(now) <= 0 and wait.step not in self._over:
                self._over.add(wait.step)
                self.said.emit(f"Set: {wait.name or 'it'}.")
                if self.sound.isChecked():
                    QApplication.beep()
        self.waits.setText("   ".join(told))
        self.waits.setVisible(bool(told))

    # ---- keys and drops

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Space and → go on, ← and Backspace back; F, T, S say how it runs, N begins a line."""
        key = Qt.Key(event.key())
        if key == Qt.Key.Key_Right and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.go_all_the_same()
        elif key in (Qt.Key.Key_Space, Qt.Key.Key_Right, Qt.Key.Key_PageDown, Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.go(1)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Backspace, Qt.Key.Key_PageUp):
            self.go(-1)
        elif key in RAN_KEYS:
            self.tell_ran(RAN_KEYS[key][0])
        elif key == Qt.Key.Key_N:
            self.line.setFocus()
        elif key == Qt.Key.Key_Escape:
            if self.line.hasFocus():
                self.setFocus()
            else:
                self.left.emit()
        else:
            super().keyPressEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Photographs may be dropped."""
        if any(u.toLocalFile().lower().endswith(PICTURE_SUFFIXES) for u in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Photographs go into the log."""
        kept = sum(self.book.photograph(self.book.make_id, Path(u.toLocalFile())) for u in event.mimeData().urls() if self.book.make_id)
        if kept:
            self.said.emit("The photograph is in the log." if kept == 1 else f"{kept} photographs are in the log.")


def _clock(seconds: float) -> str:
    """Minutes and seconds.

    >>> _clock(65.4), _clock(3600)
    ('1:05', '60:00')
    """
    whole = int(seconds)
    return f"{whole // 60}:{whole % 60:02d}"
