"""The cut list in the maker's own unit, punches, and the kit."""

from __future__ import annotations

import functools
from collections.abc import Callable

from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from lexipod.app.jobs.job import Job
from lexipod.app.panels.panel import Panel, put_away, soft
from lexipod.app.panels.punches import PunchFields
from lexipod.app.sheets.sheet_desk import SheetDesk
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.fabricate import cut_list, cut_list_text, notes_text, openings_text, scores_text
from lexipod.fabricate.cutlist import PIECE, CutRow, Punched
from lexipod.fabricate.cutlist_files import by_stock, sizes_text
from lexipod.fabricate.kit import Kit, amount_text, kit_text, make_kit
from lexipod.units import UnitStyle


class CutListPanel(Panel):
    """The pieces by stock, with what is scored and cut out; what to have for the batch."""

    def __init__(self, session: Session, desk: Desk, sheets: SheetDesk, export: Callable[..., None]) -> None:
        super().__init__(session, desk)
        self.sheets = sheets
        self.list = self.sheet("Cut list")
        row = QHBoxLayout()
        row.setSpacing(4)
        for text, tip, does in (
            ("copy", "Puts the list on the clipboard as text", self.copy_list),
            ("CSV …", "A file for a spreadsheet", lambda: export(".csv", "")),
            ("print …", "The list as pages with boxes to tick (PDF)", lambda: export(".pdf", "list")),
        ):
            button = QPushButton(text)
            button.setToolTip(tip)
            button.clicked.connect(lambda _=False, does=does: does())
            row.addWidget(button)
        row.addStretch(1)
        self.list.addLayout(row)
        self.both = QCheckBox("both units side by side")
        self.both.toggled.connect(self.refresh)
        self.list.addWidget(self.both)
        self.rows = QWidget()
        self.list.addWidget(self.rows)
        self.kit_sheet = self.sheet("What to have", "For the sheets as they are laid now; prices are the catalog's, yours to replace.")
        self.kit_rows = QWidget()
        self.kit_sheet.addWidget(self.kit_rows)
        copy = QPushButton("copy what to have")
        copy.clicked.connect(self.copy_kit)
        self.kit_sheet.addWidget(copy)
        owned = self.sheet("Punches and dies you own", "Sizes with commas between. The cut list says which comes nearest, and which cuts the ring.")
        self.punches = PunchFields(session)
        self.punches.said.connect(self.said)
        self.punches.kept.connect(self.refresh)
        owned.addWidget(self.punches)
        self.punching = Job(self, session, done=self._set, failed=self.said.emit)
        self._punch = ""
        self.column.addStretch(1)
        desk.rebuilt.connect(self.refresh_if_seen)
        sheets.changed.connect(self._show_kit)
        self.refresh_if_seen()

    def refresh(self) -> None:
        """Lists the pieces."""
        if self.desk.assembly is None:
            return
        self.punches.refresh()
        rows = QWidget()
        rows.setObjectName("inside")
        layout = QVBoxLayout(rows)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(1)
        stock = ""
        for row in by_stock(self._rows()):
            if row.stock_name != stock:
                stock = row.stock_name
                head = QLabel(stock)
                head.setObjectName("soft")
                layout.addWidget(head)
            self._show_row(row, layout)
        self.list.replaceWidget(self.rows, rows)
        put_away(self.rows)
        self.rows = rows
        self._show_kit()

    def _show_row(self, row: CutRow, layout: QVBoxLayout) -> None:
        style, beside = self.session.style, self._beside()
        from_right = self.session.design.ways.scores_from == "right"
        line = QHBoxLayout()
        name = QLabel(row.name if row.quantity == 1 else f"{row.quantity} × {row.name}")
        name.setStyleSheet("font-weight: 600;")
        size = QLabel(sizes_text(row, style, beside))
        size.setWordWrap(beside is not None)
        line.addWidget(name, 1)
        line.addWidget(size, 1 if beside is not None else 0)
        layout.addLayout(line)
        plies = "" if row.plies == 1 else f"{row.plies} {'layers' if row.stock in self.session.catalog.foams else 'plies'}"
        texts = (plies, scores_text(row, style, from_right=from_right), openings_text(row, style, from_right=from_right), notes_text(row, style))
        told = "; ".join(text for text in texts if text)
        if told:
            layout.addWidget(soft(told))
        for punched in row.punched:
            if not punched.is_cut:
                layout.addWidget(self._setting_button(row, punched))
        layout.addSpacing(7)

    def _rows(self) -> tuple[CutRow, ...]:
        assert self.desk.assembly is not None
        return cut_list(self.desk.assembly, self.session.catalog, self.session.design.ways.laminating)

    def _beside(self) -> UnitStyle | None:
        return self.session.design.ways.style("mm" if self.session.style.unit == "in" else "in") if self.both.isChecked() else None

    def copy_list(self) -> None:
        """The list on the clipboard."""
        text = cut_list_text(self._rows(), self.session.style, scores_from=self.session.design.ways.scores_from, beside=self._beside())
        QGuiApplication.clipboard().setText(text)
        self.said.emit("The cut list is on the clipboard.")

    @property
    def kit(self) -> Kit | None:
        """What to have for the sheets as they are laid now."""
        if self.desk.assembly is None or self.sheets.sheets is None or not self.sheets.is_current:
            return None
        return make_kit(self.desk.assembly, self.session.catalog, self.sheets.sheets)

    def copy_kit(self) -> None:
        """What to have, on the clipboard."""
        kit = self.kit
        if kit is not None:
            QGuiApplication.clipboard().setText(kit_text(kit, self.session.style))
            self.said.emit("What to have is on the clipboard.")

    def _show_kit(self) -> None:
        if not self.isVisible():
            self._is_behind = True
            return
        rows = QWidget()
        rows.setObjectName("inside")
        layout = QVBoxLayout(rows)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        kit = self.kit
        if kit is None:
            layout.addWidget(soft(self.sheets.trouble or "The sheets are being laid …"))
        else:
            self._list_kit(kit, layout)
        self.kit_sheet.replaceWidget(self.kit_rows, rows)
        put_away(self.kit_rows)
        self.kit_rows = rows

    def _list_kit(self, kit: Kit, layout: QVBoxLayout) -> None:
        for row in kit.rows:
            line = QHBoxLayout()
            name = QLabel(row.name)
            name.setWordWrap(True)
            line.addWidget(name, 1)
            cost = "" if row.cost is None else f"   {row.cost:.2f}"
            line.addWidget(QLabel(f"{amount_text(row.count, row.unit, self.session.style)}{cost}"))
            layout.addLayout(line)
            if row.note:
                layout.addWidget(soft(row.note))
        total = QLabel(f"{kit.copies} card{'' if kit.copies == 1 else 's'}: {kit.total:.2f} in your money")
        total.setStyleSheet("font-weight: 600;")
        layout.addWidget(total)
        if kit.without_price:
            layout.addWidget(soft(f"Without a price in the catalog: {', '.join(kit.without_price)}."))

    def _setting_button(self, row: CutRow, punched: Punched) -> QPushButton:
        """Sets an opening to the punch that comes nearest."""
        of = "the piece" if punched.name == PIECE else f"the {punched.name}"
        button = QPushButton(f"set {of} to the {punched.punch.name}")
        button.setObjectName("quiet")
        button.setToolTip("Changes the measures of the card that the opening goes by; undo takes it back.")
        button.clicked.connect(functools.partial(self.set_to_punch, row.parts[0], punched.name, punched.punch.id))
        return button

    def set_to_punch(self, part: str, opening: str, punch: str, _: bool = False) -> None:
        """Finds the measures that make an opening as large as a punch cuts; they are set when they are found."""
        self.said.emit("Looking for the measures that set it …")
        self._punch = punch
        self.punching.start("punch", self.session.design, part, opening, punch)

    def _set(self, settings: dict[str, float]) -> None:
        punch = self.session.catalog.punches.get(self._punch)
        if self.punching.is_old or punch is None:
            self.said.emit("The card has changed since; try it again.")
            return
        if self.change(settings, text=f"set to {punch.name}"):
            style = self.session.style
            named = (f"{name.partition('.')[2].replace('_', ' ')} {style.length(value)}" for name, value in settings.items())
            self.said.emit(f"Set to the {punch.name}: {', '.join(named)}.")
