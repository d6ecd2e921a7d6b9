"""One piece of long work in the background, with a way to give it up."""

from __future__ import annotations

import pickle
import sys
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QProcess

from lexipod.chores import COMMAND


class Job(QObject):
    """Does one chore at a time; a new one ends the one before. ``done`` takes the answer, ``failed`` a sentence."""

    def __init__(self, parent: QObject, *, done: Callable[[Any], None], failed: Callable[[str], None]) -> None:
        super().__init__(parent)
        self._done, self._failed = done, failed
        self._process: QProcess | None = None

    @property
    def is_running(self) -> bool:
        """Whether an answer is awaited."""
        return self._process is not None

    def start(self, name: str, *arguments: Any) -> None:
        """Begins; what runs already is given up."""
        self.stop()
        process = QProcess(self)
        process.setProcessChannelMode(QProcess.ProcessChannelMode.ForwardedErrorChannel)
        process.finished.connect(lambda *_: self._ended(process))
        self._process = process
        process.start(sys.executable, list(COMMAND))
        process.write(pickle.dumps((name, arguments), protocol=pickle.HIGHEST_PROTOCOL))
        process.closeWriteChannel()

    def stop(self) -> None:
        """Gives up what runs; nobody is told."""
        process, self._process = self._process, None
        if process is not None:
            process.kill()
            process.waitForFinished(2000)
            process.deleteLater()

    def _ended(self, process: QProcess) -> None:
        if process is not self._process:
            return
        self._process = None
        answer = process.readAllStandardOutput().data()
        process.deleteLater()
        if not answer:
            self._failed("It could not be worked out; the program that does it ended early.")
            return
        is_well, told = pickle.loads(answer)
        if is_well:
            self._done(told)
        else:
            self._failed(str(told))
