"""Fields for quantities and choices: strict reading, clear refusal, nothing lost."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QLineEdit, QSizePolicy, QWidget

from lexipod.recipes import Parameter
from lexipod.units import UnitStyle, format_quantity
from lexipod.units.quantities import Value, exact_text


class QuantityField(QLineEdit):
    """One quantity. Shows it in the user's unit; while it is edited, exactly. Up and down go by one mark of the ruler."""

    entered = Signal(str)
    stepped = Signal(int)
    help_wanted = Signal(str)

    def __init__(self, parameter: Parameter) -> None:
        super().__init__()
        self.parameter = parameter
        self.value: Value = 0.0
        self.units = UnitStyle()
        self.setAccessibleName(parameter.label)
        self.setAccessibleDescription(parameter.meaning)
        self.setFixedWidth(112)
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.editingFinished.connect(self._finish)

    def show_value(self, value: Value, units: UnitStyle) -> None:
        """Takes a value from the design."""
        self.value, self.units = value, units
        self._mark(False)
        blocker = QSignalBlocker(self)
        self.setText(self._exact() if self.hasFocus() else format_quantity(value, self.parameter.kind, units))
        blocker.unblock()

    def _exact(self) -> str:
        return exact_text(self.value, self.parameter.kind, self.units)

    def focusInEvent(self, event: QFocusEvent) -> None:
        """Shows the exact value, selected, and asks for its sentence of help."""
        super().focusInEvent(event)
        self.setText(self._exact())
        self.selectAll()
        self.help_wanted.emit(self.parameter.meaning)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """Shows the value in the user's way again."""
        super().focusOutEvent(event)
        if not self.property("wrong"):
            self.setText(format_quantity(self.value, self.parameter.kind, self.units))

    def _finish(self) -> None:
        text = self.text().strip()
        if text in (self._exact(), format_quantity(self.value, self.parameter.kind, self.units)):
            self._mark(False)
            return
        if self.parameter.kind in ("length", "point") and text[-1:].isdigit():
            text += f" {self.units.unit}"
        self.entered.emit(text)

    def refuse(self) -> None:
        """Marks the text as one that cannot be accepted; it stays for mending."""
        self._mark(True)

    def _mark(self, wrong: bool) -> None:
        self.setProperty("wrong", wrong)
        self.style().polish(self)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Up and down step; Escape goes back to the value."""
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.stepped.emit(1 if event.key() == Qt.Key.Key_Up else -1)
        elif event.key() == Qt.Key.Key_Escape:
            self.show_value(self.value, self.units)
            self.selectAll()
        else:
            super().keyPressEvent(event)


def choice_box(rows: list[tuple[str, str]], chosen: Callable[[str], None], *, name: str) -> QComboBox:
    """A list of (key, text) rows; ``chosen`` is called with the key when the user picks."""
    box = QComboBox()
    box.setAccessibleName(name)
    box.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
    box.setMinimumContentsLength(8)
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    for key, text in rows:
        box.addItem(text, key)
    box.activated.connect(lambda k: chosen(str(box.itemData(k))))
    return box


def set_choice(box: QComboBox, key: str) -> None:
    """Shows a key without calling anyone."""
    blocker = QSignalBlocker(box)
    box.setCurrentIndex(max(0, box.findData(key)))
    blocker.unblock()


def labelled(label: str, field: QWidget, *, label_width: int = 132) -> QWidget:
    """A row of a label and its field."""
    row = QWidget()
    row.setObjectName("inside")
    layout = QHBoxLayout(row)
    layout.setContentsMargins(0, 1, 0, 1)
    text = QLabel(label)
    text.setFixedWidth(label_width)
    text.setBuddy(field)
    layout.addWidget(text)
    layout.addWidget(field, 1, Qt.AlignmentFlag.AlignLeft if isinstance(field, QuantityField) else Qt.AlignmentFlag(0))
    return row
