"""What-if: a version set aside and compared with the present one, and the design carried over to another card."""

from __future__ import annotations

import msgspec
from PySide6.QtWidgets import QGridLayout, QLabel, QPushButton, QWidget

from lexipod.app.jobs.job import CHANGED, Job
from lexipod.app.panels.fields import choice_box
from lexipod.app.panels.panel import Panel, put_away, soft
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.app.state.view_state import ViewState
from lexipod.editing.change import parse_card
from lexipod.errors import LexipodError
from lexipod.fitting import Converted
from lexipod.fitting.comparing import Comparison, Difference
from lexipod.units import typeset

MOST_ROWS = 14
WORDS = {"free": "free to move", "tight": "something to watch", "blocked": "something blocks"}


class VersionsPanel(Panel):
    """Two versions side by side, and another size."""

    def __init__(self, session: Session, desk: Desk, view: ViewState) -> None:
        super().__init__(session, desk)
        self.view = view
        self._rows: list[QWidget] = []
        self._converted: Converted | None = None
        self.comparing = Job(self, session, done=self._show, failed=self._failed)
        self.converting = Job(self, session, done=self._converted_to, failed=self._not_converted)
        top = self.sheet("What if?", "Set this version aside, change what you like, and see both side by side.")
        self.keep = QPushButton("set this version aside")
        self.keep.setObjectName("main")
        self.keep.clicked.connect(self.keep_version)
        self.swap = QPushButton("change places")
        self.swap.setToolTip("The version set aside comes back to the bench; this one is set aside.")
        self.swap.clicked.connect(self.change_places)
        top.addWidget(self.keep)
        top.addWidget(self.swap)
        self.state = QLabel()
        self.state.setWordWrap(True)
        top.addWidget(self.state)
        self.result = self.sheet("Side by side")
        size = self.sheet("Another size", "Layout and pictures grow with the card; clearances, foam, brads and what fingers hold do not.")
        self.size_box = choice_box([(c.id, c.name) for c in session.catalog.cards.values()], lambda _: None, name="Another card")
        size.addWidget(self.size_box)
        self.convert = QPushButton("try it on this card")
        self.convert.clicked.connect(self._convert)
        size.addWidget(self.convert)
        self.told = QLabel()
        self.told.setWordWrap(True)
        self.told.hide()
        size.addWidget(self.told)
        self.take = QPushButton("take it")
        self.take.setObjectName("main")
        self.take.clicked.connect(self._take)
        self.take.hide()
        size.addWidget(self.take)
        self.column.addStretch(1)
        desk.rebuilt.connect(self.refresh_if_seen)
        self.refresh_if_seen()

    def keep_version(self) -> None:
        """Sets the present version aside."""
        self.view.kept = self.session.design
        self.refresh()

    def change_places(self) -> None:
        """Brings the version set aside back, and sets the present one aside."""
        kept = self.view.kept
        if kept is not None:
            self.view.kept = self.session.design
            self.session.edit(kept, text="the version set aside")
            self.refresh()

    def refresh(self) -> None:
        """Compares, if there is something to compare with. Another size that was worked out for an earlier card is no longer offered."""
        if self.converting.is_old and not self.converting.is_running and self._converted is not None:
            self._converted = None
            self.take.hide()
            self._say("The card has changed since; try it again.")
        self.comparing.stop()
        kept, length = self.view.kept, self.session.style.length
        for k, card in enumerate(self.session.catalog.cards.values()):
            self.size_box.setItemText(k, f"{card.name}, {length(card.width_mm)} × {length(card.height_mm)}")
        self.swap.setVisible(kept is not None)
        self.state.setVisible(kept is not None)
        if kept is None:
            self.state.setText("")
            self._fill([soft("No version is set aside.")])
        elif kept == self.session.design:
            self.state.setText("This is the version set aside.")
            self._fill([soft("Nothing differs yet.")])
        elif self.isVisible():
            self.state.setText("comparing …")
            self.comparing.start("compare", kept, self.session.design)

    def _failed(self, text: str) -> None:
        self.state.setText(text)
        self._fill([soft("Not compared.")])

    def _fill(self, rows: list[QWidget]) -> None:
        for row in self._rows:
            self.result.removeWidget(row)
            put_away(row)
        self._rows = rows
        for row in rows:
            self.result.addWidget(row)

    def _show(self, told: Comparison) -> None:
        if self.comparing.is_old:  # it is compared anew when it is looked at
            return
        self.state.setText(f"Set aside: {WORDS[told.verdicts[0]]}. Now: {WORDS[told.verdicts[1]]}.")
        rows: list[QWidget] = [_table("Decided", told.decisions)]
        found = [("○ gone: ", f) for f in told.gone] + [("■ new: " if f.severity == "block" else "▲ new: ", f) for f in told.new]
        if found:
            label = QLabel("\n".join(f"{sign}{typeset(finding.title)}" for sign, finding in found[:MOST_ROWS]))
            label.setWordWrap(True)
            rows.append(label)
        style = self.session.style
        ribbon = tuple(
            Difference(
                r.mechanism, r.label, *("" if v is None else style.length(v) if r.unit == "mm" else f"{v:.2f} {r.unit}" for v in (r.first, r.second))
            )
            for r in told.rows
            if r.first is None or r.second is None or abs(r.first - r.second) > 0.005
        )
        rows += [_table("Least over the travel", ribbon), _table("Cut list", told.cut), _table("In all", told.totals)]
        self._fill(rows)

    def _convert(self) -> None:
        if self.converting.is_running:
            self.converting.stop()
            self._not_converted("Stopped.")
            return
        try:
            card = parse_card(str(self.size_box.currentData()), self.session.design.card, self.session.catalog)
        except LexipodError as error:
            self._not_converted(str(error))
            return
        self._converted = None
        self.take.hide()
        self.convert.setText("stop")
        self._say("carrying it over …")
        self.converting.start("convert", self.session.design, card)

    def _say(self, text: str) -> None:
        self.told.setText(text)
        self.told.setVisible(bool(text))

    def _not_converted(self, text: str) -> None:
        self.convert.setText("try it on this card")
        self._say(text)

    def _converted_to(self, told: Converted) -> None:
        self.convert.setText("try it on this card")
        if self.converting.is_old:
            self._say(CHANGED)
            return
        self._converted = told
        counts = {how: sum(c.how == how for c in told.changes) for how in ("scaled", "sized", "cured", "let go")}
        parts = [f"{count} {words}" for how, words in HOWS.items() if (count := counts.get(how, 0))]
        text = f"{len(told.changes)} measures change: {', '.join(parts)}." if told.changes else "No measure changes."
        text += " Clearances, foam and fasteners stay." + ("\nIt is free to move there." if told.is_free else f"\nIt does not fit: {told.reason}")
        self._say(text)
        self.take.setVisible(not told.refusals)
        self.take.setText("take it" if told.is_free else "take it all the same")

    def _take(self) -> None:
        if self.converting.is_old:
            self.refresh()
        elif self._converted is not None:
            self.session.edit(msgspec.structs.replace(self._converted.design, title=self.session.design.title), text="another size")
            self._converted = None
            self.take.hide()


HOWS = {"scaled": "scaled with the card", "sized": "sized anew", "cured": "changed by a cure", "let go": "let go, since they stood in the way"}


def _table(title: str, rows: tuple[Difference, ...]) -> QWidget:
    """Rows of three columns: what, set aside, now."""
    holder = QWidget()
    holder.setObjectName("inside")
    grid = QGridLayout(holder)
    grid.setContentsMargins(0, 2, 0, 4)
    grid.setHorizontalSpacing(8)
    head = QLabel(title)
    head.setStyleSheet("font-weight: 600;")
    grid.addWidget(head, 0, 0)
    for column, text in ((1, "set aside"), (2, "now")):
        grid.addWidget(soft(text), 0, column)
    for k, row in enumerate(rows[:MOST_ROWS]):
        for column, text in enumerate((row.name, row.first or "–", row.second or "–")):
            label = QLabel(typeset(text))
            label.setWordWrap(True)
            grid.addWidget(label, k + 1, column)
    if not rows:
        grid.addWidget(soft("nothing differs"), 1, 0)
    elif len(rows) > MOST_ROWS:
        grid.addWidget(soft(f"and {len(rows) - MOST_ROWS} more"), MOST_ROWS + 1, 0)
    for column in range(3):
        grid.setColumnStretch(column, 1)
    return holder
