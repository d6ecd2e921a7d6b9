"""Exports in a process of their own: the program's own command line on a copy of the design."""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

from PySide6.QtCore import QObject, QProcess, Signal

from lexipod.design import Design, write_design


class Exporting(QObject):
    """One export. ``ended`` carries an empty text, or the sentence that says what went wrong."""

    ended = Signal(str)

    def __init__(self, design: Design, path: Path | None, target: Path, *, sheet: str, layout: str, parent: QObject) -> None:
        super().__init__(parent)
        self._holder = tempfile.TemporaryDirectory()
        folder = Path(self._holder.name)
        copy = folder / "design.lexipod"
        write_design(design, copy)
        for art in design.art:  # pictures lie beside the design
            source = path.parent / art.source if path else None
            if source is not None and not art.source.startswith("demo:") and source.is_file():
                (folder / art.source).parent.mkdir(parents=True, exist_ok=True)
                (folder / art.source).symlink_to(source.resolve())
        self._arguments = ["-m", "lexipod", "export", str(copy), "--to", str(target), "--sheet", sheet, "--layout", layout]
        self._process = QProcess(self)
        self._process.finished.connect(self._finished)
        self._stopped = False

    def start(self) -> None:
        """Begins to write."""
        self._process.start(sys.executable, self._arguments)

    def stop(self) -> None:
        """Gives up; the target stays as it was."""
        self._stopped = True
        self._process.kill()

    def _finished(self, status: int) -> None:
        said = self._process.readAllStandardError().toStdString().strip().removeprefix("lexipod: ")
        self._holder.cleanup()
        if self._stopped:
            self.ended.emit("The export was stopped; nothing was written.")
        else:
            self.ended.emit("" if status == 0 else said.splitlines()[-1] if said else "The export failed.")
        self.deleteLater()
