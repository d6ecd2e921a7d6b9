"""The ground on which a card is looked at: what the views of it have in common."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import QSizePolicy, QWidget

from lexipod.app.look import Theme
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.app.state.view_state import ViewState


class Ground(QWidget):
    """A view of the whole card that takes keys and pointer, paints all of itself, and has all the room there is."""

    def __init__(self, session: Session, desk: Desk, view: ViewState, theme: Theme, *, name: str) -> None:
        super().__init__()
        self.session, self.desk, self.view, self.theme = session, desk, view, theme
        self.setObjectName("ground")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(360, 240)
        self.setAccessibleName(name)

    def sizeHint(self) -> QSize:
        """A generous card."""
        return QSize(820, 520)
