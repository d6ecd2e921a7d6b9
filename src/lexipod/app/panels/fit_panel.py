"""The station Fit: the edge view, and below it one of five pages: findings, foam, heights, builds, versions."""

from __future__ import annotations

import functools
from collections.abc import Callable

from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from lexipod.app.look import Theme
from lexipod.app.panels.builds_panel import BuildsPanel
from lexipod.app.panels.findings_view import FindingsView
from lexipod.app.panels.fit_pages import PAGES
from lexipod.app.panels.foam_panel import FoamPanel
from lexipod.app.panels.heights_panel import HeightsPanel
from lexipod.app.panels.panel import Panel
from lexipod.app.panels.versions_panel import VersionsPanel
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.app.state.view_state import ViewState


class FitPanel(QWidget):
    """Pages of the station Fit under the edge view."""

    def __init__(self, session: Session, desk: Desk, view: ViewState, theme: Theme, findings: FindingsView, edge: Callable[[], QWidget]) -> None:
        super().__init__()
        self.setObjectName("column")
        self.foam = FoamPanel(session, desk, view)
        self.heights = HeightsPanel(session, desk, view, theme)
        self.builds = BuildsPanel(session, desk)
        self.versions = VersionsPanel(session, desk, view)
        self.panels: tuple[Panel, ...] = (self.foam, self.heights, self.builds, self.versions)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        row = QHBoxLayout()
        row.setSpacing(0)
        self.buttons: dict[str, QPushButton] = {}
        for page in (p.id for p in PAGES):
            button = QPushButton(page)
            button.setCheckable(True)
            button.setObjectName("choice")
            button.clicked.connect(functools.partial(self._pressed, page))
            self.buttons[page] = button
            row.addWidget(button, 1)
        column.addLayout(row)
        self.frame = QFrame()
        self.frame.setObjectName("sheet")
        holder = QVBoxLayout(self.frame)
        holder.setContentsMargins(4, 4, 4, 4)
        holder.addWidget(edge())
        column.addWidget(self.frame)
        self.pages = QStackedWidget()
        for child in (findings, *self.panels):
            self.pages.addWidget(child)
        column.addWidget(self.pages, 1)
        self.turn_to("findings")

    def _pressed(self, page: str, _: bool = False) -> None:
        self.turn_to(page)

    def turn_to(self, page: str) -> None:
        """Shows a page; the edge view gives way where there is much to read."""
        index = [p.id for p in PAGES].index(page)
        self.pages.setCurrentIndex(index)
        self.frame.setVisible(PAGES[index].has_edge)
        for name, button in self.buttons.items():
            button.setChecked(name == page)
