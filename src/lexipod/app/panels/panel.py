"""What the panels of the right column share: a scrolled column of sheets, and edits by name."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QFrame, QLabel, QScrollArea, QVBoxLayout, QWidget

from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.editing.change import change_design
from lexipod.errors import LexipodError
from lexipod.units.quantities import Value


class Panel(QWidget):
    """A scrolled column of sheets. ``said`` carries a sentence for the message strip."""

    said = Signal(str)

    def __init__(self, session: Session, desk: Desk) -> None:
        super().__init__()
        self.session, self.desk = session, desk
        self._is_behind = False
        self._settling = QTimer(self)
        self._settling.setSingleShot(True)
        self._settling.timeout.connect(self.settle)
        self.setObjectName("column")
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inside = QWidget()
        inside.setObjectName("column")
        self.column = QVBoxLayout(inside)
        self.column.setContentsMargins(0, 0, 6, 0)
        self.column.setSpacing(8)
        self.area.setWidget(inside)
        outer.addWidget(self.area)

    def refresh_if_seen(self) -> None:
        """Shows the design now if the panel is looked at, else when it is turned to."""
        self._is_behind = not self.isVisible()
        if not self._is_behind:
            self.refresh()

    def showEvent(self, event: QShowEvent) -> None:
        """Catches up with what changed meanwhile."""
        super().showEvent(event)
        if self._is_behind:
            self._is_behind = False
            self.refresh()
            self._settling.start()

    def settle(self) -> None:
        """Lays the sheets out anew: those made while the panel was coming into sight did not know their heights yet."""
        inside = self.area.widget()
        if inside is None:
            return
        for child in inside.findChildren(QWidget):
            child.ensurePolished()
            child.updateGeometry()
        self.column.invalidate()
        self.column.activate()
        inside.updateGeometry()

    def refresh(self) -> None:
        """Shows the design; each panel its own part of it."""

    def sheet(self, title: str = "", text: str = "") -> QVBoxLayout:
        """A new sheet at the end of the column."""
        frame = QFrame()
        frame.setObjectName("sheet")
        layout = QVBoxLayout(frame)
        layout.setContentsMargins(14, 10, 14, 10)
        layout.setSpacing(4)
        if title:
            head = QLabel(title)
            head.setObjectName("head")
            layout.addWidget(head)
        if text:
            layout.addWidget(soft(text))
        self.column.addWidget(frame)
        return layout

    def change(self, settings: Mapping[str, Value], *, text: str, mechanism: str | None = None) -> bool:
        """One edit by names and values; a refusal is said and changes nothing."""
        try:
            design = change_design(self.session.design, self.session.catalog, settings, mechanism=mechanism, by_hand=True)
        except LexipodError as error:
            self.said.emit(str(error))
            return False
        self.session.edit(design, text=text)
        return True


def put_away(widget: QWidget) -> None:
    """Takes a widget out of sight at once and deletes it when the event loop comes to it."""
    widget.hide()
    widget.deleteLater()


def soft(text: str) -> QLabel:
    """A quiet sentence."""
    label = QLabel(text)
    label.setObjectName("small")
    label.setWordWrap(True)
    return label
