"""The session owns the design: every change is a step of its history, every file goes through here."""

from __future__ import annotations

from pathlib import Path

import msgspec
from PySide6.QtCore import QObject, Signal

from lexipod.app.state.history import History, Step
from lexipod.catalog import Catalog
from lexipod.design import Design, write_design
from lexipod.editing.change import complete_design
from lexipod.pipeline import open_design
from lexipod.units import UnitStyle


class Session(QObject):
    """One design with its file and its history. ``changed`` carries the revision, ``moved`` tells that the history did."""

    changed = Signal(int)
    file_changed = Signal()
    moved = Signal()

    def __init__(self, catalog: Catalog, design: Design | None = None) -> None:
        super().__init__()
        self.catalog = catalog
        self.design = complete_design(design or Design(), catalog)
        self.path: Path | None = None
        self.demo_name = ""
        self.revision = 0
        self.history = History()
        self._held: Design | None = None
        self._is_recovered = False

    @property
    def style(self) -> UnitStyle:
        """The maker's unit, with typeset fractions."""
        return self.design.ways.style(typesets=True)

    @property
    def is_unsaved(self) -> bool:
        """Whether closing now would lose something."""
        return self._is_recovered or not self.history.is_saved or (self._held is not None and self._held != self.design)

    @property
    def is_held(self) -> bool:
        """Whether a drag is on its way."""
        return self._held is not None

    def edit(self, design: Design, *, text: str, gesture: int = 0) -> None:
        """Makes ``design`` the current one, undoable under the name ``text``; the same design changes nothing. Edits of one ``gesture``
        (not 0) are one step."""
        if is_same_card(design, self.design):
            return
        self.history.push(Step(self.design, design, text, gesture))
        self._place(design)
        self._tell()

    # ---- drags --------------------------------------------------------------------------------------------------------

    def hold(self) -> None:
        """A drag begins: what is shown from now on is no step yet."""
        self._held = self.design

    def show(self, design: Design) -> None:
        """Another design on the way of a drag."""
        if design != self.design:
            self._place(design)

    def let_go(self, *, text: str) -> None:
        """The drag ends: where it leads becomes one step; where it began there is none, and what could be made again still can."""
        held, self._held = self._held, None
        if held is not None and is_same_card(held, self.design):
            self.show(held)
        elif held is not None:
            self.history.push(Step(held, self.design, text))
            self._tell()

    # ---- wishes -------------------------------------------------------------------------------------------------------

    def is_pinned(self, mechanism: str, name: str) -> bool:
        """Whether fitting and the first cures leave a measure as it is."""
        found = self.design.find_mechanism(mechanism)
        return found is not None and name in found.pinned

    def pin(self, mechanism: str, name: str, *, on: bool) -> None:
        """Pins a measure, or lets it go."""
        if on != self.is_pinned(mechanism, name):
            self.edit(self.design.with_pinned(mechanism, name, on=on), text=f"{'keep' if on else 'let go'} {name.replace('_', ' ')}")

    # ---- history ------------------------------------------------------------------------------------------------------

    def undo(self) -> None:
        """Takes the last step back; not in the middle of a drag."""
        self._go(None if self.is_held else self.history.undo())

    def redo(self) -> None:
        """Makes it again; not in the middle of a drag."""
        self._go(None if self.is_held else self.history.redo())

    def _go(self, design: Design | None) -> None:
        if design is not None:
            self._place(design)
            self._tell()

    def _place(self, design: Design) -> None:
        self.design = design
        self.revision += 1
        self.changed.emit(self.revision)

    def _tell(self) -> None:
        self.moved.emit()
        self.file_changed.emit()

    # ---- files --------------------------------------------------------------------------------------------------------

    def start(self, design: Design, *, path: Path | None = None, demo_name: str = "", recovered: bool = False) -> None:
        """Begins with another design; the history starts anew."""
        complete = complete_design(design, self.catalog)
        self.history, self._held = History(), None
        self.path, self.demo_name, self._is_recovered = path, demo_name, recovered
        self._place(complete)
        self._tell()

    def open(self, path: Path) -> None:
        """Begins with the design of a file; a ``LexipodError`` leaves everything as it was."""
        self.start(open_design(path, self.catalog), path=path)

    def save(self, path: Path) -> None:
        """Writes the design; a ``LexipodError`` leaves file and session as they were."""
        write_design(self.design, path)
        self.path, self.demo_name, self._is_recovered = path, "", False
        self.history.mark_saved()
        self._tell()


def is_same_card(a: Design, b: Design) -> bool:
    """Whether two designs are the same but for what counts as decided: a measure typed again as it is makes no step."""
    if a == b or len(a.mechanisms) != len(b.mechanisms):
        return a == b
    told = tuple(msgspec.structs.replace(m, decided=n.decided) for m, n in zip(a.mechanisms, b.mechanisms, strict=True))
    return msgspec.structs.replace(a, mechanisms=told) == b


def is_same_but_sheets(a: Design, b: Design) -> bool:
    """Whether two designs differ at most in how their pieces are laid on sheets and how they are built; a piece cut in two is another piece."""
    return a.sheeting.laps == b.sheeting.laps and msgspec.structs.replace(a, sheeting=b.sheeting, making=b.making) == b
