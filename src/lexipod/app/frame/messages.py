"""The message strip: one sentence under the header, with what can be done about it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget


class MessageStrip(QWidget):
    """Hidden until something is to be said; Escape or “close” hides it again."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(24, 5, 16, 5)
        self.label = QLabel()
        self.label.setWordWrap(True)
        self._row.addWidget(self.label, 1)
        self.buttons: list[QPushButton] = []
        self._timer = QTimer(self, singleShot=True)
        self._timer.timeout.connect(self.hide)
        self.hide()

    def say(self, text: str, *choices: tuple[str, Callable[[], object]], passing: bool = False) -> None:
        """Shows a sentence with buttons; ``passing`` lets it go by itself after some seconds."""
        for button in self.buttons:
            self._row.removeWidget(button)
            button.hide()
            button.deleteLater()
        self.buttons = []
        first = text.split(" ", 1)[0]
        self.label.setText(text if "." in first or "/" in first else text[:1].upper() + text[1:])
        for title, run in (*choices, ("close", lambda: None)):
            button = QPushButton(title)
            button.clicked.connect(lambda _=False, run=run: self._take(run))
            self._row.addWidget(button)
            self.buttons.append(button)
        self._timer.stop()
        if passing:
            self._timer.start(6000)
        self.show()

    def go_on(self, _: object = None) -> None:
        """The design has changed: a passing message was about the one before."""
        if self._timer.isActive():
            self._timer.stop()
            self.hide()

    def _take(self, run: Callable[[], object]) -> None:
        self.hide()
        run()
