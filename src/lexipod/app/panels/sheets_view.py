"""Sheets: pieces laid on sheets, the cut list in the maker's own unit, what to have, and the ways out: files and machines."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from lexipod.app.panels.cutlist_panel import CutListPanel
from lexipod.app.panels.cutting_panel import CuttingPanel
from lexipod.app.panels.laying_panel import LayingPanel
from lexipod.app.panels.panel import Panel
from lexipod.app.sheets.template_view import SheetBench
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session

TABS = (("laying", "lay out"), ("list", "cut list"), ("cutting", "files, cutting"))
Export = Callable[..., None]


class SheetsPanel(QWidget):
    """Three panels with a row of buttons above: laying, list and kit, files and machines."""

    def __init__(self, session: Session, desk: Desk, bench: SheetBench, export: Export) -> None:
        super().__init__()
        self.setObjectName("column")
        self.bench = bench
        self.laying = LayingPanel(session, desk, bench)
        self.list = CutListPanel(session, desk, bench.sheets, export)
        self.cutting = CuttingPanel(session, desk, bench, export)
        self._panels: dict[str, Panel] = {"laying": self.laying, "list": self.list, "cutting": self.cutting}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        row = QHBoxLayout()
        row.setSpacing(0)
        self.tabs: dict[str, QPushButton] = {}
        for key, text in TABS:
            button = QPushButton(text)
            button.setObjectName("choice")
            button.setCheckable(True)
            button.clicked.connect(lambda _=False, key=key: self.show_tab(key))
            self.tabs[key] = button
            row.addWidget(button, 1)
        column.addLayout(row)
        self.stack = QStackedWidget()
        for panel in self._panels.values():
            self.stack.addWidget(panel)
        column.addWidget(self.stack, 1)
        self.show_tab("laying")

    def show_tab(self, key: str) -> None:
        """One of the three; the middle of the window keeps what it shows."""
        for name, button in self.tabs.items():
            button.setChecked(name == key)
        self.stack.setCurrentWidget(self._panels[key])

    def refresh(self) -> None:
        """Shows the design in all three."""
        for panel in self._panels.values():
            panel.refresh()
