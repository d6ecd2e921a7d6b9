"""Typing a measure on the card itself."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent
from PySide6.QtWidgets import QLineEdit


class MeasureEditor(QLineEdit):
    """The field in which a measure is typed on the card itself. Keys that it knows go no further."""

    taken = Signal()
    left = Signal()
    parameter = ""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter takes the text, Escape leaves it."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.taken.emit()
        elif event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)
        event.accept()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """Looking elsewhere leaves it."""
        super().focusOutEvent(event)
        self.left.emit()
