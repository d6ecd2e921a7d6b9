"""The log for the eyes: opened when it is first asked for, every fault told in the window, never in the way of the work."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

import msgspec
from PySide6.QtCore import QObject, Signal

from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.design.files import format_design
from lexipod.records.makes import Event, Make, Measure
from lexipod.records.making import new_make, now_text, predict
from lexipod.records.photographs import keep_photograph
from lexipod.records.shelf import Thing, things
from lexipod.records.store import LogError, Store
from lexipod.records.table import TableState, read_table_state

T = TypeVar("T")


class Logbook(QObject):
    """Makes, photographs and the shelf. ``changed`` tells that something was written, ``said`` what went wrong; ``make_id`` is the make in
    hand."""

    changed = Signal()
    said = Signal(str)

    def __init__(self, owner: QObject, session: Session, desk: Desk, folder: Path | None = None) -> None:
        super().__init__(owner)
        self.session, self.desk, self.folder = session, desk, folder
        self._store: Store | None = None
        self.make_id = ""
        self._unjudged = ""
        desk.judged.connect(self._judged)

    @property
    def store(self) -> Store:
        """The open log; ``LogError`` where it cannot be opened."""
        if self._store is None:
            self._store = Store(self.folder)
        return self._store

    def close(self) -> None:
        """Lets it go."""
        if self._store is not None:
            self._store.close()
            self._store = None

    def trying(self, act: Callable[[], T], otherwise: T) -> T:
        """What an act on the log comes to; where it fails that is said, and nothing was changed."""
        try:
            return act()
        except LogError as error:
            self.said.emit(str(error))
            return otherwise

    def changing(self, act: Callable[[], Any]) -> bool:
        """One change; whether it was made."""
        done = self.trying(lambda: (act(), True)[1], False)
        if done:
            self.changed.emit()
        return done

    def makes(self) -> list[Make]:
        """All makes, the latest first; none where the log cannot be read."""
        return self.trying(lambda: self.store.makes(), [])

    def shelf(self) -> list[Thing]:
        """What is on the shelf."""
        return self.trying(lambda: things(self.store), [])

    @property
    def make(self) -> Make | None:
        """The make in hand."""
        nothing: list[Make] = []
        found = self.trying(lambda: self.store.makes(self.make_id), nothing) if self.make_id else nothing
        return found[0] if found else None

    def open_make(self) -> Make | None:
        """The unfinished make of the present card, if there is one."""
        title = self.session.design.title
        return next((m for m in self.makes() if m.title == title and not m.ended), None)

    def begin(self, copies: int = 1) -> Make | None:
        """A make of the card as it is now; None where it cannot be written."""
        assembly = self.desk.assembly
        judgement = self.desk.judgement
        findings = tuple(judgement.findings) if judgement is not None and not self.desk.is_stale else None
        if assembly is None:
            return None
        make = new_make(self.session.design, assembly, self.session.catalog, findings=findings, copies=copies)
        if not self.changing(lambda: self.store.add(make)):
            return None
        self.make_id = make.id
        self._unjudged = make.id if findings is None else ""
        return make

    def _judged(self) -> None:
        """What the checks say, for a make that was begun before they did."""
        judgement = self.desk.judgement
        if not self._unjudged or judgement is None or self.desk.is_stale:
            return
        begun, self._unjudged = self._unjudged, ""
        make = self.trying(lambda: self.store.get(begun), None)
        if make is not None and format_design(self.session.design).decode() == make.design:
            told = predict(tuple(judgement.findings), make.prediction.free_share)
            self.changing(lambda: self.store.tell(begun, prediction=told))

    def foretell(self, make_id: str, free_share: float) -> None:
        """Which share of builds was reckoned to run free, for a make that has begun."""
        make = self.trying(lambda: self.store.get(make_id), None)
        if make is not None:
            told = msgspec.structs.replace(make.prediction, free_share=free_share)
            self.changing(lambda: self.store.tell(make_id, prediction=told))

    def tell(self, make_id: str, **changes: Any) -> bool:
        """Fields of a make set anew."""

        def act() -> None:
            try:
                self.store.tell(make_id, **changes)
            except ValueError as error:
                raise LogError(str(error)) from error

        return self.changing(act)

    def note(self, make_id: str, kind: str, text: str, step: str = "") -> bool:
        """Something said while building."""
        return self.changing(lambda: self.store.add_event(make_id, Event(kind, text, now_text(), step)))  # type: ignore[arg-type]

    def measure(self, make_id: str, measure: Measure) -> bool:
        """A measure taken."""
        return self.changing(lambda: self.store.add_measure(make_id, measure))

    def photograph(self, make_id: str, path: Path) -> bool:
        """A photograph dropped in."""
        return self.changing(lambda: self.store.add_photograph(make_id, keep_photograph(self.store, path)))

    def table(self, make_id: str) -> TableState:
        """Where one stopped at the table."""
        return self.trying(lambda: read_table_state(self.store.table_state(make_id)), TableState())

    def keep_table(self, make_id: str, state: TableState) -> bool:
        """Where one is now; nobody else has to look again for that."""

        def act() -> bool:
            self.store.keep_table_state(make_id, state.text())
            return True

        return self.trying(act, False)
