"""The ground on which a card is looked at: what the views of it have in common."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from lexipod.app.card.lens import Lens, pinched_by, turned_by
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

    # ---- how near it is looked at: who shows something says with which lens, where it is, and what follows ------------------

    lens: Lens

    @property
    def is_dragging(self) -> bool:
        """Whether a hand is on it."""
        return False

    @property
    def seen_rect(self) -> QRectF:
        """Where what is shown lies in the view: all of it, where nobody says otherwise."""
        return QRectF(self.rect())

    def look_anew(self) -> None:
        """It is seen at another scale or place."""
        self.update()

    def come_nearer(self, factor: float, at: QPointF | None = None) -> None:
        """Shows it larger by a factor; what is at a point of the view (its middle) stays there."""
        self.lens.come_nearer(factor, QPointF(self.width() / 2, self.height() / 2) if at is None else at)
        self.look_anew()

    def move_card(self, by: QPointF) -> None:
        """Moves it over the view by so many pixels."""
        self.lens.move(by, self.seen_rect)
        self.look_anew()

    def show_whole(self) -> None:
        """All of it, as large as it goes."""
        self.lens.show_whole()
        self.look_anew()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Nearer or farther about the pointer; two fingers move it."""
        if not self.is_dragging:
            factor, by = turned_by(event)
            if not by.isNull():
                self.move_card(by)
            elif factor != 1.0:
                self.come_nearer(factor, event.position())
        event.accept()

    def event(self, event: QEvent) -> bool:
        """Two fingers drawn apart bring it nearer."""
        if event.type() == QEvent.Type.NativeGesture and (factor := pinched_by(event)) is not None:
            self.come_nearer(factor, event.position())  # type: ignore[attr-defined]
            return True
        return super().event(event)
