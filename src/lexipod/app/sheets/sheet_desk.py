"""What is laid on which sheet, laid anew whenever the pieces or the settings change; hand moves; the search for better layouts."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import msgspec
from PySide6.QtCore import QObject, QTimer, Signal

from lexipod.app.jobs.job import Job
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session, is_same_but_sheets
from lexipod.design import Design
from lexipod.design.sheeting import Placed, Sheeting
from lexipod.errors import LexipodError
from lexipod.fabricate.sheeting import LaidSheet, Sheets, lay_sheets, place_of
from lexipod.nesting import Layout, Spot, find_faults

IN_SIGHT_MS = 60


class SheetDesk(QObject):
    """``sheets`` is what is laid now, None before the first answer; ``trouble`` a sentence where nothing can be laid. ``changed`` follows both,
    ``said`` carries sentences, ``went_on`` the share of a search that is done."""

    changed = Signal()
    said = Signal(str)
    went_on = Signal(float)

    def __init__(self, parent: QObject, session: Session, desk: Desk) -> None:
        super().__init__(parent)
        self.session, self.desk = session, desk
        self.sheets: Sheets | None = None
        self.trouble = ""
        self.is_watched = False
        self._laid_for: object = None
        self._laid_design: Design | None = None
        self._better: Sheets | None = None
        self.laying = Job(self, session, done=self._take, failed=self._refused)
        self.searching = Job(self, session, done=self._found, failed=self._refused)
        self.searching.went_on.connect(self._search_went_on)
        self.laying.went_on.connect(self._laying_went_on)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self._lay)
        session.changed.connect(self.look)

    @property
    def sheeting(self) -> Sheeting:
        return self.session.design.sheeting

    @property
    def is_current(self) -> bool:
        """Whether what is shown belongs to the present design."""
        return self.sheets is not None and self._laid_for == self._mark()

    def watch(self, *, on: bool) -> None:
        """Whether somebody looks; nothing is laid for nobody."""
        self.is_watched = on
        self.look()

    def look(self) -> None:
        """Lays anew where the design has changed."""
        if self.is_watched and self._laid_for != self._mark():
            self._soon.start(IN_SIGHT_MS)

    def _mark(self) -> object:
        return self.session.design

    def _lay(self) -> None:
        if self.searching.is_running:
            self.searching.stop()
            self._better = None
        design, assembly = self.session.design, self.desk.assembly
        if assembly is None:
            return
        placed = design.sheeting.placed
        if placed and design.sheeting.made_for and self._is_all_placed():
            try:
                self._take(lay_sheets(assembly, self.session.catalog, design))
            except LexipodError as error:
                self._refused(str(error))
            return
        self.laying.start("sheets", design, 0.0)
        self.changed.emit()

    def _is_all_placed(self) -> bool:
        """Whether everything lies where the design says: the pieces are those that were laid, and nothing is left to look for."""
        sheets, design, laid = self.sheets, self.session.design, self._laid_design
        if laid is None or not is_same_but_sheets(design, laid):
            return False
        if msgspec.structs.replace(design.sheeting, placed=(), made_for="") != msgspec.structs.replace(laid.sheeting, placed=(), made_for=""):
            return False
        return (
            sheets is not None
            and sheets.made_for == self.sheeting.made_for
            and len(self.sheeting.placed) == sum(len(s.pieces) for s in sheets.sheets)
        )

    def _take(self, sheets: Sheets) -> None:
        if self.laying.is_old and not self._is_all_placed():
            self.look()
            return
        self.sheets, self.trouble, self._laid_for = sheets, "", self._mark()
        self._laid_design = self.session.design
        self.changed.emit()

    def _refused(self, words: str) -> None:
        self.trouble, self._laid_for = words, self._mark()
        self.changed.emit()
        self.said.emit(words)

    # ---- by hand ---------------------------------------------------------------------------------------------------------

    def place(self, name: str, sheet: LaidSheet, spot: Spot, *, text: str = "piece moved") -> bool:
        """Puts a piece on a place of a sheet of its stock and locks it there. What lies there and is not locked makes way and is laid anew;
        a place over the margin, or on a locked piece, is refused with a sentence."""
        sheets = self.sheets
        if sheets is None or not self.is_current:
            return False
        layout = sheets.layouts[sheet.lot]
        board = sheet.number - 1
        others = [s for s in layout.spots if s.piece != name]
        moved = replace(spot, board=board)
        alone = find_faults(Layout(layout.boards, (moved,), (), layout.pieces), sheets.sheeting.gap_mm)
        if alone:
            self.said.emit("It would lie over the edge of the sheet, or as its grain or pattern must not lie.")
            return False
        locked = self.locked
        in_way = {s.piece for s in others if s.board == board and self._touch(layout, moved, s, sheets.sheeting.gap_mm)}
        if in_way & locked:
            self.said.emit("A locked piece lies there, or nearer than the gap; unlock it first.")
            return False
        kept = [p for p in sheets.placed(frozenset(locked | {name})) if _name(p) not in in_way and _name(p) != name]
        piece = next(p for s in sheets.sheets for p, _, _ in s.pieces if p.name == name)
        kept.append(place_of(piece, sheet, moved, is_locked=True))
        self._keep(tuple(kept), text)
        return True

    @staticmethod
    def _touch(layout: Layout, a: Spot, b: Spot, gap: float) -> bool:
        pair = Layout(layout.boards, (a, b), (), layout.pieces)
        return any("nearer" in fault for fault in find_faults(pair, gap))

    @property
    def locked(self) -> set[str]:
        """Names of the pieces that are locked."""
        return {_name(p) for p in self.sheeting.placed if p.locked}

    def lock(self, name: str, *, on: bool) -> None:
        """Locks a piece where it lies, or lets it go."""
        if self.sheets is None or not self.is_current:
            return
        locked = self.locked | {name} if on else self.locked - {name}
        self._keep(self.sheets.placed(frozenset(locked)), "piece locked" if on else "piece unlocked")

    def lay_anew(self) -> None:
        """Lays everything anew but what is locked."""
        kept = tuple(p for p in self.sheeting.placed if p.locked)
        self._edit("laid anew", placed=kept, made_for=self.sheeting.made_for if kept else "")
        self._laid_for = None
        self.look()

    def _keep(self, placed: tuple[Placed, ...], text: str) -> None:
        assert self.sheets is not None
        self._edit(text, placed=placed, made_for=self.sheets.made_for)

    def change(self, text: str, **changes: Any) -> None:
        """Other settings of the sheets; what was laid for the old ones is dropped, but for what is locked."""
        kept = tuple(p for p in self.sheeting.placed if p.locked)
        self._edit(text, **({"placed": kept, "made_for": ""} | changes))

    def _edit(self, text: str, **changes: Any) -> None:
        try:
            sheeting = msgspec.structs.replace(self.sheeting, **changes)
        except (TypeError, ValueError) as error:
            self.said.emit(str(error)[:1].upper() + str(error)[1:] + ".")
            return
        self.session.edit(msgspec.structs.replace(self.session.design, sheeting=sheeting), text=text)

    # ---- better layouts --------------------------------------------------------------------------------------------------

    def search(self, seconds: float) -> None:
        """Looks for a better layout; the best so far is shown, and kept when it is done or stopped."""
        self._better = None
        self.searching.start("sheets", self.session.design, seconds)
        self.changed.emit()

    def stop_search(self) -> None:
        """Ends the search and keeps the best that it found."""
        self.searching.stop()
        best, self._better = self._better, None
        if best is not None:
            self._found(best)
        else:
            self.changed.emit()

    def _laying_went_on(self, told: Any) -> None:
        share, quick = told
        if quick is not None and not self.laying.is_old:
            self.sheets = quick  # shown at once; it is no answer yet
            self.changed.emit()
        self.went_on.emit(share)

    def _search_went_on(self, told: Any) -> None:
        share, best = told
        if best is not None and not self.searching.is_old:
            self._better = best
            self.sheets = best
            self.changed.emit()
        self.went_on.emit(share)

    def _found(self, sheets: Sheets) -> None:
        self._better = None
        if self.searching.is_old:
            self.said.emit("The card was changed meanwhile; look again.")
            self._laid_for = None
            self.look()
            return
        self.sheets = sheets
        self._keep(sheets.placed(frozenset(self.locked)), "better layout")
        self._laid_for, self._laid_design = self._mark(), self.session.design
        self.said.emit(f"Kept: {sheets.count} sheets, {100 * sheets.use:.0f} % used.")
        self.changed.emit()


def _name(placed: Placed) -> str:
    return f"{placed.blank}|{placed.copy}|{placed.number}"
