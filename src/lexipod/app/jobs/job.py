"""One piece of long work in the background, with a way to give it up.

An answer belongs to the design that it was asked about. Once the card has changed it is *old*: who asked shows it as such, never puts
it on the card, and can ask again.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, Signal

from lexipod.app.jobs.helpers import Helper, Helpers
from lexipod.app.state.session import Session
from lexipod.design import Design

CHANGED = "The card was changed meanwhile; ask again."


class Job(QObject):
    """Does one chore at a time; a new one ends the one before. ``done`` takes the answer, ``failed`` a sentence; ``went_on``
    carries the share that is done, or what else the chore tells on its way."""

    went_on = Signal(object)

    def __init__(self, parent: QObject, session: Session, *, done: Callable[[Any], None], failed: Callable[[str], None]) -> None:
        super().__init__(parent)
        self.session = session
        self._done, self._failed = done, failed
        self._helper: Helper | None = None
        self._asked_about: Design | None = None
        self.fault: Any = None
        """What the last one failed with, where it is more than a sentence."""

    @property
    def is_running(self) -> bool:
        """Whether an answer is awaited."""
        return self._helper is not None

    @property
    def is_old(self) -> bool:
        """Whether the card has changed since it was asked: the answer, had or awaited, is not about the present one."""
        return self._asked_about is not None and self._asked_about != self.session.design

    def start(self, name: str, *arguments: Any) -> None:
        """Begins; what runs already is given up."""
        self.stop()
        self._asked_about = self.session.design
        self._helper = helper = Helpers.of_program().take()
        helper.told.connect(self._hear)
        helper.ended.connect(self._lost)
        self.destroyed.connect(helper.end)
        helper.ask(name, arguments)
        if not helper.is_alive:
            self._lost()

    def stop(self) -> None:
        """Gives up what runs; nobody is told. Another process is begun in the place of the one that is ended."""
        helper = self._let_go()
        if helper is not None:
            helper.end()
            Helpers.of_program().warm()

    def _let_go(self) -> Helper | None:
        helper, self._helper = self._helper, None
        if helper is not None:
            helper.told.disconnect(self._hear)
            helper.ended.disconnect(self._lost)
            self.destroyed.disconnect(helper.end)
        return helper

    def _hear(self, message: tuple[bool | None, Any]) -> None:
        is_well, told = message
        if is_well is None:
            self.went_on.emit(told)
            return
        helper = self._let_go()
        if helper is not None:
            Helpers.of_program().give_back(helper)
        if is_well:
            self._done(told)
        else:
            self.fault = told
            self._failed(str(told))

    def _lost(self) -> None:
        helper = self._let_go()
        if helper is not None:
            helper.deleteLater()
            self._failed("It could not be worked out; the program that does it ended early.")
