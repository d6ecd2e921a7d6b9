"""Build: the steps in their order, what belongs to the one that is looked at, ways of working, time, and the ways out."""

from __future__ import annotations

import functools
from collections.abc import Callable
from datetime import datetime, timedelta

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QAbstractItemView, QHBoxLayout, QLabel, QLineEdit, QListWidget, QListWidgetItem, QPushButton

from lexipod.app.making.plan_desk import PlanDesk
from lexipod.app.panels.fields import choice_box, labelled, set_choice
from lexipod.app.panels.panel import Panel
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.errors import ParameterError
from lexipod.planning.told import minutes_text, parse_clock, until_text

LABEL_PX = 112
PACES = (("1.0", "as I always do"), ("2.0", "a first try: twice the time"), ("3.0", "a first try: three times"))
STAMPING = (("before", "before anything is glued"), ("place", "in place, where it can be"))
OPENINGS = (("apart", "each layer apart"), ("through", "all layers at once"))
FOLDING = (("tool", "scoring tool"), ("ruler", "along a ruler"), ("hand", "by hand"))
LAMINATING = (("after", "after cutting"), ("before", "before cutting"))


class BuildPanel(Panel):
    """The plan as a list, and what it follows."""

    def __init__(self, session: Session, desk: Desk, plan: PlanDesk, *, table: Callable[[], None], booklet: Callable[[], None]) -> None:
        super().__init__(session, desk)
        self.plan = plan
        self._fills = False
        self._add_steps(table, booklet)
        self._add_step()
        self._add_time()
        self._add_ways()
        self.column.addStretch(1)
        plan.changed.connect(self.refresh_if_seen)
        plan.turned.connect(self._turned)
        desk.judged.connect(self._judged)
        self.refresh_if_seen()

    def _add_steps(self, table: Callable[[], None], booklet: Callable[[], None]) -> None:
        box = self.sheet("Plan")
        self.told = QLabel()
        self.told.setWordWrap(True)
        box.addWidget(self.told)
        self.list = QListWidget()
        self.list.setAccessibleName("Steps of the plan")
        self.list.setToolTip("Alt+↑ and Alt+↓ put a step earlier or later.")
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.list.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setMinimumHeight(212)
        self.list.currentRowChanged.connect(self._picked)
        box.addWidget(self.list)
        for keys, by in (("Alt+Up", -1), ("Alt+Down", 1)):
            shortcut = QShortcut(QKeySequence(keys), self.list)
            shortcut.setContext(Qt.ShortcutContext.WidgetShortcut)
            shortcut.activated.connect(functools.partial(self._move, by))
        row = QHBoxLayout()
        row.setSpacing(4)
        self.earlier, self.later, self.reset = QPushButton("earlier"), QPushButton("later"), QPushButton("order as proposed")
        self.reset.setObjectName("quiet")
        self.earlier.clicked.connect(lambda: self._move(-1))
        self.later.clicked.connect(lambda: self._move(1))
        self.reset.clicked.connect(self.plan.use_own_order)
        for button in (self.earlier, self.later, self.reset):
            row.addWidget(button)
        row.addStretch(1)
        box.addLayout(row)
        out = QHBoxLayout()
        out.setSpacing(4)
        self.table, self.booklet = QPushButton("at the table  F4"), QPushButton("booklet …")
        self.table.setObjectName("main")
        self.table.clicked.connect(lambda: table())
        self.booklet.clicked.connect(lambda: booklet())
        out.addWidget(self.table)
        out.addWidget(self.booklet)
        out.addStretch(1)
        box.addLayout(out)

    def _add_step(self) -> None:
        box = self.sheet("This step")
        self.notes = QLabel()
        self.notes.setWordWrap(True)
        box.addWidget(self.notes)
        self.minutes = QLineEdit()
        self.minutes.setAccessibleName("Minutes of this step")
        self.minutes.setToolTip("For one card. Emptied, it is the usual time again.")
        self.minutes.editingFinished.connect(self._set_minutes)
        box.addWidget(labelled("minutes", self.minutes, label_width=LABEL_PX))

    def _add_time(self) -> None:
        box = self.sheet("Time", "The minutes are round values of our own; waits are our guess, since nobody states any.")
        self.copies = QLineEdit()
        self.copies.setAccessibleName("Copies")
        self.copies.editingFinished.connect(lambda: self._change("sheets.copies", self.copies.text().strip() or "1", "copies"))
        box.addWidget(labelled("cards", self.copies, label_width=LABEL_PX))
        self.by = choice_box([("step", "each step for all cards"), ("card", "card after card")], self.plan.build_by, name="Order of a batch")
        box.addWidget(labelled("a batch", self.by, label_width=LABEL_PX))
        self.pace = choice_box(list(PACES), lambda key: self._change("pace", key, "pace"), name="Pace")
        box.addWidget(labelled("pace", self.pace, label_width=LABEL_PX))
        self.until = QLineEdit()
        self.until.setPlaceholderText("18:00")
        self.until.setAccessibleName("I have until")
        self.until.editingFinished.connect(self._set_until)
        box.addWidget(labelled("I have until", self.until, label_width=LABEL_PX))
        self.clock = QLabel()
        self.clock.setWordWrap(True)
        box.addWidget(self.clock)

    def _add_ways(self) -> None:
        box = self.sheet("Ways of working", "The plan follows them.")
        adhesives = [("", "what is advised")] + [(a.id, a.name) for a in self.session.catalog.adhesives.values() if a.own]
        self.ways = {
            "adhesive": choice_box(adhesives, lambda key: self._change("adhesive", key, "adhesive"), name="Adhesive"),
            "stamping": choice_box(list(STAMPING), lambda key: self._change("stamping", key, "stamping"), name="Stamping"),
            "laminating": choice_box(list(LAMINATING), lambda key: self._change("laminating", key, "laminating"), name="Laminating"),
            "openings": choice_box(list(OPENINGS), lambda key: self._change("openings", key, "openings"), name="Openings"),
            "folding": choice_box(list(FOLDING), lambda key: self._change("folding", key, "folding"), name="Folding"),
        }
        for name, field in self.ways.items():
            box.addWidget(
                labelled(
                    {"adhesive": "glue with", "stamping": "stamp", "laminating": "laminate", "openings": "cut openings", "folding": "fold"}[name],
                    field,
                    label_width=LABEL_PX,
                )
            )

    def _change(self, name: str, value: str, text: str) -> None:
        if not self._fills:
            self.change({name: value}, text=text)
            self.refresh()

    def _move(self, by: int) -> None:
        told = self.plan.move(by)
        if told:
            self.said.emit(told)

    def _picked(self, row: int) -> None:
        if not self._fills and 0 <= row < len(self.plan.plan.steps):
            self.plan.turn_to(self.plan.plan.steps[row].id)

    def _set_minutes(self) -> None:
        step = self.plan.step
        if step is None or self._fills:
            return
        text = self.minutes.text().strip().removesuffix("min").strip()
        if not text:
            self.plan.set_minutes(step.id, None)
            return
        try:
            value = float(text.replace(",", "."))
            if not 0 <= value <= 600:
                raise ValueError
        except ValueError:
            self.said.emit("A step takes 0 to 600 minutes; write a number like 2.5.")
            self._turned()
            return
        if abs(value - step.minutes) > 1e-9:
            self.plan.set_minutes(step.id, value)

    def _set_until(self) -> None:
        text = self.until.text().strip()
        now = datetime.now().replace(second=0, microsecond=0)
        if not text:
            self.plan.begin = self.plan.until = None
        else:
            try:
                self.plan.begin, self.plan.until = now, parse_clock(text, now)
            except ParameterError as error:
                self.said.emit(str(error))
                return
        self.plan.turned.emit()

    def refresh(self) -> None:
        """Shows the plan of the design as it is."""
        plan = self.plan.plan
        self._fills = True
        here = self.list.verticalScrollBar().value()
        self.list.clear()
        for number, step in enumerate(plan.steps, 1):
            item = QListWidgetItem(f"{number}  {step.do}")
            item.setToolTip(step.do)
            item.setSizeHint(QSize(10, 24))
            self.list.addItem(item)
        self.list.verticalScrollBar().setValue(here)
        design = self.session.design
        self.copies.setText(str(self.plan.copies))
        set_choice(self.by, design.making.by)
        set_choice(self.pace, f"{design.ways.pace:.1f}")
        for name, field in self.ways.items():
            set_choice(field, getattr(design.ways, name))
        self.reset.setVisible(bool(design.making.order))
        self._fills = False
        self._turned()

    def _judged(self) -> None:
        if self.isVisible():
            self._turned()

    def _turned(self) -> None:
        """Shows the step that is looked at."""
        plan, schedule, step = self.plan.plan, self.plan.schedule, self.plan.step
        cards = f" for {self.plan.copies} cards" if self.plan.copies > 1 else ""
        told = f"{len(plan.steps)} steps{cards}: {minutes_text(schedule.hands)} of work, {minutes_text(schedule.total)} with waits."
        judgement = self.desk.judgement
        blocks = [f for f in judgement.findings if f.severity == "block"] if judgement is not None and not self.desk.is_stale else []
        first = ["This card does not move free yet: cure that first, at Fit."] if blocks else []
        self.told.setText(" ".join([told, *first, *plan.faults, *plan.moved[:2]]))
        if step is None:
            return
        self._fills = True
        self.list.setCurrentRow(self.plan.number - 1)
        self.minutes.setText(f"{step.minutes:g}")
        self._fills = False
        firsts = sorted({plan.number(e.step) for e in step.earlier if e.step in plan.by_id})
        lines = [f"After step{'s' if len(firsts) > 1 else ''} {', '.join(map(str, firsts))}."] if 0 < len(firsts) <= 12 else []
        sets = sorted({plan.number(e.step) for e in step.earlier if e.sets and e.step in plan.by_id})
        lines += [f"What was glued in step {', '.join(map(str, sets))} must have set."] if 0 < len(sets) <= 12 else []
        lines += [f"• {t}" for t in step.tips]
        lines += [f"Then {minutes_text(step.wait)} to set: {step.wait_for}."] if step.wait else []
        lines += [f"Measure, if you like: {a.name} ({self.session.style.length(a.designed_mm)})." for a in step.asks]
        lines += [f"Take care: {c}" for c in step.cautions]
        self.notes.setText("\n".join(lines))
        self.notes.setVisible(bool(lines))
        if self.plan.begin is not None and self.plan.until is not None:
            self.clock.setText(until_text(schedule, self.plan.begin, self.plan.until, plan))
        else:
            idle = f" The hands wait for {minutes_text(schedule.idle)} of it." if schedule.idle >= 0.5 else ""
            done = datetime.now() + timedelta(minutes=schedule.total)
            days = (done.date() - datetime.now().date()).days
            when = f"{done:%H:%M}" + ("" if days == 0 else " tomorrow" if days == 1 else f", {days} days on")
            self.clock.setText(f"Begun now, done at {when} if you go on without a pause.{idle}")
