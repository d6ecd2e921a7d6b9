"""Pictures of a card that take long to read: the card is shown at once, they are drawn as they come."""

from __future__ import annotations

from PySide6.QtCore import QObject

from lexipod.app.jobs.job import Job
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.pictures import Picture
from lexipod.pictures.loading import changed_at, keep_picture


class LatePictures(QObject):
    """Reads what the desk has not read yet, one file after the other."""

    def __init__(self, parent: QObject, session: Session, desk: Desk) -> None:
        super().__init__(parent)
        self.desk = desk
        self.job = Job(self, session, done=self._read, failed=self._refused)
        self._source = ""
        desk.rebuilt.connect(self._look)
        self._look()

    def _look(self) -> None:
        waiting = self.desk.unread
        if waiting and not (self.job.is_running and self._source in waiting):
            self._source, path = next(iter(waiting.items()))
            self.job.start("picture", str(path))

    def _read(self, told: tuple[bytes, Picture]) -> None:
        keep_picture(*told)
        self.desk.redraw()

    def _refused(self, why: str) -> None:
        path = self.desk.unread.get(self._source)
        if path is not None:
            self.desk.refused[path, changed_at(path)] = why
            self.desk.redraw()


__all__ = ["LatePictures"]
