"""The session owns the design: every change is an undo command, every file goes through here."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from lexipod.catalog import Catalog
from lexipod.design import Design, write_design
from lexipod.editing.change import complete_design
from lexipod.pipeline import open_design
from lexipod.units import UnitStyle


class _Edit(QUndoCommand):
    """One change of the design; changes of one gesture merge into one step."""

    def __init__(self, session: Session, before: Design, after: Design, *, text: str, gesture: int) -> None:
        super().__init__(text)
        self.session, self.before, self.after, self.gesture = session, before, after, gesture

    def id(self) -> int:
        """All edits may merge; ``mergeWith`` decides by gesture."""
        return 1

    def mergeWith(self, other: QUndoCommand) -> bool:
        """Takes over a later change of the same gesture."""
        if not isinstance(other, _Edit) or not self.gesture or other.gesture != self.gesture:
            return False
        self.after = other.after
        if self.after == self.before:
            self.setObsolete(True)
        return True

    def redo(self) -> None:
        """Puts the later design in place."""
        self.session._place(self.after)

    def undo(self) -> None:
        """Puts the earlier design back."""
        self.session._place(self.before)


class Session(QObject):
    """One design with its file and its undo history. ``changed`` carries the revision."""

    changed = Signal(int)
    file_changed = Signal()

    def __init__(self, catalog: Catalog, design: Design | None = None) -> None:
        super().__init__()
        self.catalog = catalog
        self.design = complete_design(design or Design(), catalog)
        self.path: Path | None = None
        self.demo_name = ""
        self.revision = 0
        self.undo_stack = QUndoStack(self)
        self.undo_stack.setUndoLimit(500)
        self.undo_stack.cleanChanged.connect(self.file_changed)
        self._last_gesture = 0
        self._is_recovered = False

    @property
    def style(self) -> UnitStyle:
        """The maker's unit, with typeset fractions."""
        return UnitStyle(self.design.ways.units, self.design.ways.denominator, typesets=True)

    @property
    def is_unsaved(self) -> bool:
        """Whether closing now would lose something."""
        return self._is_recovered or not self.undo_stack.isClean()

    def new_gesture(self) -> int:
        """A number for a drag: all edits that carry it are one undo step."""
        self._last_gesture += 1
        return self._last_gesture

    def edit(self, design: Design, *, text: str, gesture: int = 0) -> None:
        """Makes ``design`` the current one, undoable under the name ``text``; the same design changes nothing."""
        if design == self.design and not gesture:
            return
        self.undo_stack.push(_Edit(self, self.design, design, text=text, gesture=gesture))

    def _place(self, design: Design) -> None:
        self.design = design
        self.revision += 1
        self.changed.emit(self.revision)

    def start(self, design: Design, *, path: Path | None = None, demo_name: str = "", recovered: bool = False) -> None:
        """Begins with another design; the history starts anew."""
        self.undo_stack.clear()
        self.path, self.demo_name, self._is_recovered = path, demo_name, recovered
        self._place(complete_design(design, self.catalog))
        self.file_changed.emit()

    def open(self, path: Path) -> None:
        """Begins with the design of a file; a ``LexipodError`` leaves everything as it was."""
        self.start(open_design(path, self.catalog), path=path)

    def save(self, path: Path) -> None:
        """Writes the design; a ``LexipodError`` leaves file and session as they were."""
        write_design(self.design, path)
        self.path, self.demo_name, self._is_recovered = path, "", False
        self.undo_stack.setClean()
        self.file_changed.emit()
