"""The head of the window: what card it is, the stations, and the unit of measures."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from lexipod.app.frame.station_ruler import StationRuler
from lexipod.app.look import Theme
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.app.state.view_state import ViewState

TITLE_PX, SUBTITLE_PX = 300, 330


class Header(QWidget):
    """Title, station ruler and unit buttons. ``use_unit`` is called with “in” or “mm”."""

    def __init__(self, session: Session, desk: Desk, view: ViewState, theme: Theme, *, use_unit: Callable[[str], None]) -> None:
        super().__init__()
        self.session, self.desk = session, desk
        self.setObjectName("header")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(24, 4, 20, 6)
        row.setSpacing(18)
        words = QVBoxLayout()
        words.setSpacing(0)
        self.title, self.subtitle = QLabel(), QLabel()
        self.title.setObjectName("title")
        self.subtitle.setObjectName("small")
        words.addWidget(self.title)
        words.addWidget(self.subtitle)
        row.addLayout(words)
        self.ruler = StationRuler(session, desk, view, theme)
        row.addWidget(self.ruler, 1)
        self.unit_buttons: dict[str, QPushButton] = {}
        units = QHBoxLayout()
        units.setSpacing(0)
        for unit, name in (("in", "inches"), ("mm", "millimetres")):
            button = QPushButton(unit)
            button.setCheckable(True)
            button.setFixedWidth(50)
            button.setObjectName("choice")
            button.setToolTip(f"Measures in {name} (Ctrl+U changes)")
            button.setAccessibleName(f"Measures in {name}")
            button.clicked.connect(lambda _=False, unit=unit: use_unit(unit))
            units.addWidget(button)
            self.unit_buttons[unit] = button
        row.addLayout(units)

    def refresh(self) -> None:
        """Shows the design."""
        design = self.session.design
        self.title.setText(self.title.fontMetrics().elidedText(design.title, Qt.TextElideMode.ElideRight, TITLE_PX))
        card = self.desk.assembly.card if self.desk.assembly else None
        if card is not None:
            length = self.session.style.length
            names = [self.desk.name_of(m.id) for m in design.mechanisms]
            what = ", ".join(names[:2]) + (f" and {len(names) - 2} more" if len(names) > 2 else "") or "nothing that moves yet"
            text = f"{card.title}  ·  {length(card.width_mm)} × {length(card.height_mm)}  ·  {what}"
            self.subtitle.setText(self.subtitle.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, SUBTITLE_PX))
        for unit, button in self.unit_buttons.items():
            button.setChecked(unit == self.session.style.unit)
