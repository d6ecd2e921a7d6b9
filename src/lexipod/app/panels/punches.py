"""The list of punches and dies that the maker owns, typed as sizes."""

from __future__ import annotations

from typing import Literal

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from lexipod.app.panels.fields import labelled
from lexipod.app.state.session import Session
from lexipod.catalog import Punch, load_catalog
from lexipod.catalog.book import keep_punches
from lexipod.catalog.punches import parse_punches
from lexipod.errors import LexipodError
from lexipod.units.quantities import exact_text

SHAPES: tuple[tuple[Literal["circle", "square"], str], ...] = (("circle", "circles"), ("square", "squares"))


class PunchFields(QWidget):
    """Two fields of sizes. ``kept`` follows a change of the list, ``said`` carries why there is none."""

    kept = Signal()
    said = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("inside")
        self.session = session
        self.fields: dict[str, QLineEdit] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        for shape, label in SHAPES:
            field = QLineEdit()
            field.setAccessibleName(f"{label} that you have punches for")
            field.editingFinished.connect(self._typed)
            self.fields[shape] = field
            column.addWidget(labelled(label, field, label_width=84))

    @property
    def _owned(self) -> list[Punch]:
        return list(self.session.catalog.punches.values())

    def refresh(self) -> None:
        """Shows what is owned, in the maker's unit."""
        style = self.session.style
        for shape, field in self.fields.items():
            if field.hasFocus():
                continue
            sizes = [exact_text(p.width_mm, "length", style) for p in self._owned if p.shape == shape]
            one_unit = all(s.endswith(f" {style.unit}") for s in sizes)
            told = ", ".join(s.removesuffix(f" {style.unit}") for s in sizes) + f" {style.unit}" if one_unit else ", ".join(sizes)
            field.setText(told if sizes else "")
            field.setCursorPosition(0)

    def _typed(self) -> None:
        others = [p for p in self._owned if p.shape not in self.fields]
        try:
            made = [p for shape, _ in SHAPES for p in parse_punches(self.fields[shape].text(), shape, self.session.style)]
            before = {(p.shape, round(p.width_mm, 3)) for p in self._owned if p.shape in self.fields}
            if {(p.shape, round(p.width_mm, 3)) for p in made} == before:
                return
            keep_punches([*made, *others])
        except LexipodError as error:
            self.said.emit(str(error))
            return
        self.session.catalog = load_catalog()
        self.kept.emit()


__all__ = ["PunchFields"]
