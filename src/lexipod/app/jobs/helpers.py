"""Processes that do chores, begun before they are wanted: one that has answered waits for the next chore with all that it has loaded."""

from __future__ import annotations

import sys
from typing import Any

from PySide6.QtCore import QCoreApplication, QObject, QProcess, Signal

from lexipod.aside.judgement import CHORE
from lexipod.aside.wire import pack, unpack

MOST_IDLE = 2
"""So many wait for work; one more that becomes free ends."""
MOST_CHORES = 40
"""After so many a process has earned its rest: what it remembers is given back."""


class Helper(QObject):
    """One process. ``told`` carries each message of its chore, ``ended`` tells that the process is gone."""

    told = Signal(object)
    ended = Signal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.chores = 0
        self._buffer = bytearray()
        self.process = QProcess(self)
        self.process.setProcessChannelMode(QProcess.ProcessChannelMode.ForwardedErrorChannel)
        self.process.readyReadStandardOutput.connect(self._read)
        self.process.finished.connect(self._over)
        self.process.errorOccurred.connect(self._faulty)
        self.process.start(sys.executable, list(CHORE))

    @property
    def is_alive(self) -> bool:
        """Whether it can be given a chore, be it still on its way up."""
        return self.process.state() != QProcess.ProcessState.NotRunning

    def ask(self, name: str, arguments: tuple[Any, ...]) -> None:
        """Gives it a chore."""
        self.chores += 1
        self.process.write(pack((name, arguments)))

    def end(self) -> None:
        """Ends the process at once, whatever it does."""
        self.process.kill()
        self.process.waitForFinished(2000)
        self.deleteLater()

    def _over(self) -> None:
        self.ended.emit()

    def _faulty(self, error: QProcess.ProcessError) -> None:
        if error == QProcess.ProcessError.FailedToStart:
            self.ended.emit()

    def _read(self) -> None:
        self._buffer += self.process.readAllStandardOutput().data()
        for message in unpack(self._buffer):
            self.told.emit(message)


class Helpers(QObject):
    """The helpers of this program: all its windows and panels have the same ones."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._idle: list[Helper] = []

    @staticmethod
    def of_program() -> Helpers:
        """The ones of the running application, which ends them when it ends."""
        program = QCoreApplication.instance()
        assert program is not None
        found: Helpers | None = program.findChild(Helpers)
        if found is None:
            found = Helpers(program)
            program.aboutToQuit.connect(found.close)
        return found

    @property
    def idle(self) -> tuple[Helper, ...]:
        """Those that wait for work."""
        return tuple(h for h in self._idle if h.is_alive)

    def warm(self) -> None:
        """Sees to it that one waits."""
        if not self.idle:
            self._idle.append(Helper(self))

    def take(self) -> Helper:
        """One that waits, or a new one; it is the taker's until it is given back or ended."""
        self._clear_away()
        return self._idle.pop(0) if self._idle else Helper(self)

    def give_back(self, helper: Helper) -> None:
        """It has answered and may be taken again."""
        self._clear_away()
        if helper.is_alive and helper.chores < MOST_CHORES and len(self._idle) < MOST_IDLE:
            self._idle.append(helper)
        else:
            helper.end()

    def close(self) -> None:
        """Ends all that wait."""
        idle, self._idle = self._idle, []
        for helper in idle:
            helper.end()

    def _clear_away(self) -> None:
        """Forgets those that ended while they waited."""
        gone, self._idle = [h for h in self._idle if not h.is_alive], [h for h in self._idle if h.is_alive]
        for helper in gone:
            helper.deleteLater()
