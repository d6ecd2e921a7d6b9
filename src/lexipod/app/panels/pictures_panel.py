"""The station Pictures: what lies on the card for the eye, held where it is read, placed and asked to be hidden or shown."""

from __future__ import annotations

import functools
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QPushButton, QWidget

from lexipod.app.jobs.job import Job
from lexipod.app.panels.panel import Panel, put_away, soft
from lexipod.app.panels.picture_acts import PictureActs
from lexipod.app.panels.picture_editor import PictureEditor
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.app.state.view_state import ViewState
from lexipod.checks.seen import SEEN_KINDS
from lexipod.checks.surfaces import halts_of
from lexipod.design import Design, Item

MOST_NAMED = 3
"""So many flat states of what folds are called by their names; more of them by how far it is pulled or opened."""
MOST_HALTS = 14
NEARLY_ALL, MOST_TOLD = 0.995, 8


class PicturesPanel(Panel):
    """One list of what lies on the card for the eye, and the measures of the one in hand."""

    def __init__(self, session: Session, desk: Desk, view: ViewState) -> None:
        super().__init__(session, desk)
        self.view = view
        self.seen: dict[str, list[tuple[str, float, float]]] = {}
        self.seeing = Job(self, session, done=self._seen, failed=lambda _: None)
        self._asked: Design | None = None
        self._listed: object = None
        self._rows: list[QWidget] = []
        self.acts = PictureActs(session, desk, view, self)
        self.acts.said.connect(self.said)
        put = self.sheet("Put on the card", "It goes to what is seen at the position that is held, the right way up.")
        row = QHBoxLayout()
        for text, act, tip in (
            ("picture …", lambda: self.acts.choose("picture"), "An SVG, PNG, JPEG or WebP"),
            ("greeting", self.acts.add_greeting, "Words in letters of the program or of this machine"),
            ("mat", self.acts.add_mat, "A layer of paper with a border, on what is seen most, or on the part of what is in hand"),
            ("cut-out …", lambda: self.acts.choose("shape"), "A picture that is cut out along its outline: a part of its own"),
        ):
            button = QPushButton(text)
            button.setToolTip(tip)
            button.clicked.connect(lambda _=False, act=act: act())
            row.addWidget(button)
        put.addLayout(row)
        self.held = self.sheet("Held at", "Lay a picture where it is read: hold the card there first (keys [ and ]).")
        self.halts = QWidget()
        self.held.addWidget(self.halts)
        self._halts_for: object = None
        holder = self.sheet("In hand")
        self.editor = PictureEditor(session, desk, view, self, self.acts)
        holder.addWidget(self.editor)
        self.list = self.sheet("On the card", "N and B go through them. What is seen now is told beside each.")
        seen = self.sheet("Seen of the card", "Good paper, ink and stamps only where something is ever seen.")
        self.ever = QLabel()
        self.ever.setWordWrap(True)
        seen.addWidget(self.ever)
        self.column.addStretch(1)
        desk.rebuilt.connect(self.refresh_if_seen)
        desk.judged.connect(self.editor.tell_findings)
        desk.current_changed.connect(self.refresh_if_seen)
        view.item_changed.connect(self.refresh_if_seen)
        view.travel_changed.connect(self._travel_moved)
        self.refresh_if_seen()

    # ---- what is shown ------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Shows the design."""
        if self.desk.assembly is None:
            return
        self._show_halts()
        self._list_items()
        self.editor.refresh()
        if self.isVisible() and self._asked is not self.session.design:
            self._asked = self.session.design
            self.seeing.start("seen", self.session.design)

    def _seen(self, told: dict[str, Any]) -> None:
        self.seen = told["shares"]
        assembly, style = self.desk.assembly, self.session.style
        rows = sorted((row for row in told["ever"] if row[2] < NEARLY_ALL), key=lambda row: row[2])[:MOST_TOLD]
        lines = []
        for on, face, share in rows:
            name = assembly.part_name(on) if assembly is not None else on
            lines.append(f"{name}{', its back' if face == 'back' else ''}: {100 * share:.0f} % ever seen")
        lines += [f"to write on: {name}, {style.area(area)}" for name, area in told["room"]]
        self.ever.setText("\n".join(lines))
        self._listed = None
        self._list_items()

    def _travel_moved(self) -> None:
        if self.isVisible():
            self._show_halts()
            self._listed = None
            self._list_items()

    def _show_halts(self) -> None:
        drive, assembly = self.desk.drive, self.desk.assembly
        halts = halts_of(assembly, drive.mechanism)[:MOST_HALTS] if drive is not None and assembly is not None else ()
        at = self.view.travel.get(drive.mechanism, drive.rest) if drive is not None else 0.0
        folding = self.desk.folding
        states = {s.at: s.name for s in folding.states} if folding is not None and len(folding.states) <= MOST_NAMED else {}
        key = (halts, drive.mechanism if drive is not None else "", self.session.style)
        if key != self._halts_for:
            self._halts_for = key
            made = QWidget()
            made.setObjectName("inside")
            grid = QGridLayout(made)
            grid.setContentsMargins(0, 0, 0, 0)
            grid.setSpacing(4)
            for k, halt in enumerate(halts):
                if halt in states:
                    name = states[halt]
                else:
                    name = {0: "rest", 1: "end"}[k] if drive is not None and halts == (drive.rest, drive.end) else self.desk.amount(halt)
                button = QPushButton(name)
                button.setCheckable(True)
                button.setObjectName("choice")
                button.setProperty("halt", halt)
                button.clicked.connect(functools.partial(self._hold, halt))
                grid.addWidget(button, k // 4, k % 4)
            self.held.replaceWidget(self.halts, made)
            put_away(self.halts)
            self.halts = made
        for button in self.halts.findChildren(QPushButton):
            button.setChecked(abs(float(button.property("halt")) - at) < 1e-3)

    def _hold(self, at: float, _: bool = False) -> None:
        drive = self.desk.drive
        if drive is not None:
            self.view.set_travel(drive.mechanism, at)
            if self.desk.folding is not None:
                self.view.look_at("plan")

    def to_halt(self, step: int) -> None:
        """The next halt, or the one before."""
        drive, assembly = self.desk.drive, self.desk.assembly
        if drive is None or assembly is None:
            return
        halts = sorted(halts_of(assembly, drive.mechanism), reverse=drive.end < drive.rest)
        at = self.view.travel.get(drive.mechanism, drive.rest)
        way = 1.0 if drive.end >= drive.rest else -1.0
        later = [h for h in halts if (h - at) * way * step > 1e-6]
        if later:
            self._hold(later[0] if step > 0 else later[-1])

    def _list_items(self) -> None:
        items = tuple(i for i in self.session.design.items if i.kind in SEEN_KINDS)
        mark = (items, self.view.picked_item, self.session.style)
        if mark == self._listed:
            return
        self._listed = mark
        for row in self._rows:
            self.list.removeWidget(row)
            put_away(row)
        self._rows = [self._row(item) for item in items] or [soft("Nothing yet: put a picture or a greeting on, it lands where you look.")]
        for row in self._rows:
            self.list.addWidget(row)

    def _row(self, item: Item) -> QWidget:
        row = QWidget()
        row.setObjectName("inside")
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 1, 0, 1)
        assembly = self.desk.assembly
        on = assembly.part_name(item.on) if assembly is not None else item.on
        name = item.named.removeprefix("the ")
        button = QPushButton(f"{name}, {on}{' (back)' if item.face == 'back' else ''}")
        button.setCheckable(True)
        button.setObjectName("choice")
        button.setChecked(item.id == self.view.picked_item)
        button.setStyleSheet("text-align: left;")
        button.setAccessibleName(f"take {name} in hand")
        button.clicked.connect(lambda _=False: self.view.pick_item(item.id))
        layout.addWidget(button, 1)
        share = self._share_now(item)
        told = QLabel("" if share is None else f"{100 * share:.0f} %")
        told.setObjectName("small")
        told.setFixedWidth(44)
        told.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        told.setToolTip("So much of it is seen at the halt that is nearest to what is held")
        layout.addWidget(told)
        return row

    def _share_now(self, item: Item) -> float | None:
        """What is seen of an item at the halt nearest to the position that is held."""
        drive = self.desk.drive
        if drive is None:
            return None
        at = self.view.travel.get(drive.mechanism, drive.rest)
        rows = [(abs(travel - at), share) for mechanism, travel, share in self.seen.get(item.id, []) if mechanism == drive.mechanism]
        return min(rows)[1] if rows else None


__all__ = ["PicturesPanel"]
