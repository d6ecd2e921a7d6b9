"""The window's end of the wire to the process that checks designs."""

from __future__ import annotations

import itertools
import sys
import time
from dataclasses import replace

from PySide6.QtCore import QObject, QProcess, Signal

from lexipod.aside.judgement import EXAMINER, Judgement
from lexipod.aside.wire import pack, unpack
from lexipod.design import Design

MOST_RESTARTS = 3
RESTART_SECONDS = 20.0


class Examiner(QObject):
    """Asks about a design and tells each answer to it. ``lost``: another process took the place of one that ended; what was asked of
    that one must be asked again. One examiner can serve one desk after another."""

    told = Signal(object)
    lost = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._buffer = bytearray()
        self._tickets = itertools.count()
        self._asked: dict[int, int] = {}
        self._ends: list[float] = []
        self._is_closed = False
        self.process = QProcess(self)
        self.process.setProcessChannelMode(QProcess.ProcessChannelMode.ForwardedErrorChannel)
        self.process.readyReadStandardOutput.connect(self._read)
        self.process.finished.connect(self._ended)
        self._start()

    def ask(self, revision: int, design: Design) -> None:
        """Asks; what is asked ends the work on what was asked before, after its coarse answer."""
        if len(self._ends) > MOST_RESTARTS:
            self.told.emit(Judgement(revision, "cured", (), {}, {}, "The checks do not run: their process ends at once."))
            return
        ticket = next(self._tickets)
        self._asked[ticket] = revision
        self.process.write(pack((ticket, design)))

    def forget(self) -> None:
        """Nothing of what was asked so far will be told."""
        self._asked.clear()

    def close(self) -> None:
        """Ends the process."""
        self._is_closed = True
        self.process.closeWriteChannel()
        self.process.kill()
        self.process.waitForFinished(3000)

    def _start(self) -> None:
        self._buffer.clear()
        self.process.start(sys.executable, list(EXAMINER))

    def _read(self) -> None:
        self._buffer += self.process.readAllStandardOutput().data()
        for judgement in unpack(self._buffer):
            revision = self._asked.get(judgement.revision)
            self._asked = {t: r for t, r in self._asked.items() if t >= judgement.revision}
            if revision is not None:
                self.told.emit(replace(judgement, revision=revision))

    def _ended(self) -> None:
        """It was killed from outside: another takes its place, but not over and over."""
        if self._is_closed:
            return
        self.forget()
        self._ends = [t for t in self._ends if time.monotonic() - t < RESTART_SECONDS] + [time.monotonic()]
        if len(self._ends) <= MOST_RESTARTS:
            self._start()
        self.lost.emit()
