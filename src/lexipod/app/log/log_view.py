"""The makes in a list that can be searched, and below it the measures of the one in hand."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QScrollArea,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from lexipod.app.log.rulers_view import RulersView, rulers_of_kinds, rulers_of_make
from lexipod.app.look import Theme
from lexipod.app.panels.fields import choice_box
from lexipod.app.state.logbook import Logbook
from lexipod.records.calibration import calibrate
from lexipod.records.learning import learn_all, measures_of
from lexipod.records.makes import RAN_WORDS, Make

COLUMNS = ("date", "card", "cards", "how it ran", "said", "minutes")
RAN_SHORT = {k: v.removesuffix(" at").removesuffix(" what it should hide") for k, v in RAN_WORDS.items()}


class _Cell(QTableWidgetItem):
    """A cell that sorts by what it stands for."""

    def __init__(self, text: str, key: object) -> None:
        super().__init__(text)
        self.key = key

    def __lt__(self, other: QTableWidgetItem) -> bool:
        mine, theirs = self.key, getattr(other, "key", "")
        return bool(mine < theirs) if isinstance(mine, type(theirs)) else str(mine) < str(theirs)


class LogView(QWidget):
    """Search, list, rulers."""

    picked = Signal(str)

    def __init__(self, book: Logbook, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("ground")
        self.book, self.theme = book, theme
        self._fills = False
        self._makes: list[Make] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 4, 6, 0)
        column.setSpacing(8)
        row = QHBoxLayout()
        self.search = QLineEdit()
        self.search.setPlaceholderText("search in all that was said")
        self.search.setAccessibleName("Search the log")
        self.search.textChanged.connect(self.refresh)
        self.ran = choice_box([("all", "however it ran"), *((k, v) for k, v in RAN_SHORT.items() if k)], lambda _: self.refresh(), name="How it ran")
        self.here = choice_box([("all", "every card"), ("this", "this card")], lambda _: self.refresh(), name="Which cards")
        for box, wide in ((self.ran, 150), (self.here, 110)):
            box.setMinimumWidth(wide)
        row.addWidget(self.search, 1)
        row.addWidget(self.ran)
        row.addWidget(self.here)
        column.addLayout(row)
        self.table = QTableWidget(0, len(COLUMNS))
        self.table.setHorizontalHeaderLabels(list(COLUMNS))
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(28)
        self.table.setShowGrid(False)
        self.table.setSortingEnabled(True)
        self.table.setAccessibleName("Makes")
        header = self.table.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.table.sortByColumn(0, Qt.SortOrder.DescendingOrder)
        header.setSectionResizeMode(4, QHeaderView.ResizeMode.Stretch)
        header.setHighlightSections(False)
        for k, width in ((0, 92), (1, 150), (2, 50), (3, 92), (5, 66)):
            self.table.setColumnWidth(k, width)
        self.table.itemSelectionChanged.connect(self._pick)
        column.addWidget(self.table, 1)
        self.empty = QLabel()
        self.empty.setWordWrap(True)
        self.empty.setObjectName("small")
        column.addWidget(self.empty)
        self.rulers = RulersView(theme)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(self.rulers)
        area.setMaximumHeight(300)
        area.setMinimumHeight(190)
        column.addWidget(area)
        book.changed.connect(self.refresh)

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        """Reads the log anew: another window may have written."""
        super().showEvent(event)
        self.refresh()

    def refresh(self, *_: object) -> None:
        """Shows the log as it is."""
        if not self.isVisible():
            return
        self._makes = self.book.makes()
        wanted, ran, title = self.search.text(), self.ran.currentData(), self.book.session.design.title
        rows = [m for m in self._makes if m.has(wanted) and ran in ("all", m.ran) and (self.here.currentData() == "all" or m.title == title)]
        self._fills = True
        self.table.setSortingEnabled(False)
        self.table.setRowCount(len(rows))
        for k, make in enumerate(rows):
            said = make.next_time or make.note or next((e.text for e in reversed(make.events) if e.kind == "note"), "")
            state = RAN_SHORT[make.ran] if make.ended or make.ran else "on the table"
            cells = (
                _Cell(make.began[:10], make.began),
                _Cell(make.title, make.title.lower()),
                _Cell(str(make.copies), make.copies),
                _Cell(state, make.ran),
                _Cell(said, said.lower()),
                _Cell(f"{make.minutes:g}" if make.minutes else "", make.minutes),
            )
            for c, cell in enumerate(cells):
                cell.setData(Qt.ItemDataRole.UserRole, make.id)
                cell.setToolTip(cell.text())
                self.table.setItem(k, c, cell)
        self.table.setSortingEnabled(True)
        at = next((k for k in range(self.table.rowCount()) if self._id(k) == self.book.make_id), -1)
        if at >= 0:
            self.table.selectRow(at)
        else:
            self.table.clearSelection()
        self._fills = False
        if not self._makes:
            self.empty.setText(
                "Nothing was made yet. At the station Build, “at the table” begins a make and writes down by itself what is made of what."
            )
        else:
            self.empty.setText("" if rows else "No make like that; there are others.")
        self.empty.setVisible(bool(self.empty.text()))
        self._show_rulers()

    def _show_rulers(self) -> None:
        """The measures of the make in hand, or all errors by kind of work."""
        here = next((m for m in self._makes if m.id == self.book.make_id and m.measures), None)
        learned = {(row.kind, row.way): row for row in learn_all(self._makes)}
        style = self.book.session.style
        if here is not None:
            title, rulers = "Measured, beside what was designed; the band is where the next one is expected", rulers_of_make(here, learned, style)
        else:
            errors = {key: [m.error for m in found] for key, found in measures_of(self._makes).items()}
            title, rulers = "Your own errors, by kind of work; the band is where the next one is expected", rulers_of_kinds(learned, errors, style)
        self.rulers.show_rulers(title, rulers, calibrate(self._makes))

    def _id(self, row: int) -> str:
        cell = self.table.item(row, 0)
        return str(cell.data(Qt.ItemDataRole.UserRole)) if cell is not None else ""

    def _pick(self) -> None:
        row = self.table.currentRow()
        if not self._fills and row >= 0 and self.table.selectedItems():
            self.book.make_id = self._id(row)
            self.picked.emit(self.book.make_id)
            self.refresh()

    def set_theme(self, theme: Theme) -> None:
        """Day or night."""
        self.theme = self.rulers.theme = theme
        self.rulers.update()
