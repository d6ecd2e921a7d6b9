"""One piece of long work in the background, with a way to give it up.

An answer belongs to the design that it was asked about. Once the card has changed it is *old*: who asked shows it as such, never puts
it on the card, and can ask again.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QProcess, Signal

from lexipod.app.state.session import Session
from lexipod.aside.judgement import CHORE
from lexipod.aside.wire import pack, unpack
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
        self._buffer = bytearray()
        self._process: QProcess | None = None
        self._asked_about: Design | None = None
        self._answer: tuple[bool, Any] | None = None
        self.fault: Any = None
        """What the last one failed with, where it is more than a sentence."""

    @property
    def is_running(self) -> bool:
        """Whether an answer is awaited."""
        return self._process is not None

    @property
    def is_old(self) -> bool:
        """Whether the card has changed since it was asked: the answer, had or awaited, is not about the present one."""
        return self._asked_about is not None and self._asked_about != self.session.design

    def start(self, name: str, *arguments: Any) -> None:
        """Begins; what runs already is given up."""
        self.stop()
        self._answer = None
        self._asked_about = self.session.design
        process = QProcess(self)
        process.setProcessChannelMode(QProcess.ProcessChannelMode.ForwardedErrorChannel)
        process.finished.connect(lambda *_: self._ended(process))
        process.errorOccurred.connect(lambda error: self._ended(process) if error == QProcess.ProcessError.FailedToStart else None)
        process.readyReadStandardOutput.connect(lambda: self._read(process))
        self._process = process
        self._buffer.clear()
        process.start(sys.executable, list(CHORE))
        process.write(pack((name, arguments)))
        process.closeWriteChannel()

    def stop(self) -> None:
        """Gives up what runs; nobody is told."""
        process, self._process = self._process, None
        if process is not None:
            process.kill()
            process.waitForFinished(2000)
            process.deleteLater()

    def _read(self, process: QProcess) -> None:
        if process is not self._process:
            return
        self._buffer += process.readAllStandardOutput().data()
        for is_well, told in unpack(self._buffer):
            if is_well is None:
                self.went_on.emit(told)
            else:
                self._answer = (is_well, told)

    def _ended(self, process: QProcess) -> None:
        if process is not self._process:
            return
        self._read(process)
        self._process = None
        process.deleteLater()
        answer, self._answer = self._answer, None
        if answer is None:
            self._failed("It could not be worked out; the program that does it ended early.")
            return
        is_well, told = answer
        if is_well:
            self._done(told)
        else:
            self.fault = told
            self._failed(str(told))
