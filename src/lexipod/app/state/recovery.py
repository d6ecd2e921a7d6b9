"""Autosave and recovery: unsaved work is kept aside, and offered again after the program was killed."""

from __future__ import annotations

import contextlib
import os
import time
from dataclasses import dataclass
from pathlib import Path

import msgspec
import platformdirs
from PySide6.QtCore import QObject, QTimer

from lexipod.app.state.session import Session
from lexipod.design import Design, write_bytes_atomically
from lexipod.errors import LexipodError

DELAY_MS = 1200


class _Kept(msgspec.Struct, frozen=True):
    """What is kept aside: the design, the file it came from, and the process that works on it."""

    process: int
    path: str
    written: float
    design: Design


@dataclass(frozen=True, slots=True)
class Recovered:
    """Unsaved work of a run that is gone."""

    kept_in: Path
    path: Path | None
    design: Design


def recovery_folder() -> Path:
    """Where unsaved work is kept."""
    return Path(platformdirs.user_state_dir("lexipod", appauthor=False)) / "unsaved"


class Autosave(QObject):
    """Keeps the session's unsaved design aside shortly after each change, and clears it when all is saved."""

    def __init__(self, session: Session, folder: Path | None = None) -> None:
        super().__init__()
        self.session, self.folder = session, folder or recovery_folder()
        self.file = self.folder / f"{os.getpid()}-{id(session):x}.json"
        self._timer = QTimer(self, singleShot=True, interval=DELAY_MS)
        self._timer.timeout.connect(self.keep)
        session.changed.connect(self._later)
        session.file_changed.connect(self._later)

    def _later(self, *_: object) -> None:
        self._timer.start()

    def keep(self) -> None:
        """Writes the unsaved design aside now; a full disk is not worth an interruption here."""
        if not self.session.is_unsaved:
            self.clear()
            return
        kept = _Kept(os.getpid(), str(self.session.path or ""), time.time(), self.session.design)
        with contextlib.suppress(OSError, LexipodError):
            self.folder.mkdir(parents=True, exist_ok=True)
            write_bytes_atomically(msgspec.json.encode(kept), self.file)

    def clear(self) -> None:
        """Nothing is unsaved any more."""
        self._timer.stop()
        self.file.unlink(missing_ok=True)


def find_recovered(folder: Path | None = None) -> Recovered | None:
    """The latest unsaved work of a process that no longer runs, or None. Unreadable remains are put
    aside, half-written ones of processes that are gone removed."""
    found: list[tuple[float, Recovered]] = []
    folder = folder or recovery_folder()
    for file in sorted(folder.glob("*.json")) if folder.is_dir() else []:
        try:
            kept = msgspec.json.decode(file.read_bytes(), type=_Kept)
        except (OSError, msgspec.DecodeError, msgspec.ValidationError):
            if not _is_of_a_running(file.name):
                with contextlib.suppress(OSError):
                    file.rename(file.with_suffix(".unreadable"))  # perhaps of another version: put aside, not thrown away
            continue
        if not _is_running(kept.process):
            found.append((kept.written, Recovered(file, Path(kept.path) if kept.path else None, kept.design)))
    for stale in folder.glob(".*.part") if folder.is_dir() else []:
        if not _is_of_a_running(stale.name.removeprefix(".")):
            stale.unlink(missing_ok=True)
    return max(found, key=lambda row: row[0])[1] if found else None


def _is_of_a_running(name: str) -> bool:
    """Whether a file's name begins with the number of a process that still runs."""
    number = name.partition("-")[0]
    return number.isdigit() and _is_running(int(number))


def _is_running(process: int) -> bool:
    if process == os.getpid():
        return True
    try:
        os.kill(process, 0)
    except (ProcessLookupError, OverflowError):
        return False
    except PermissionError:
        return True
    command = Path(f"/proc/{process}/cmdline")
    return not command.exists() or b"lexipod" in command.read_bytes() or b"python" in command.read_bytes()
