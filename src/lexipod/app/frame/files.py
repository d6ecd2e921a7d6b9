"""Files of the window: new, open, save, recent ones, exports, and what was kept from a run that did not end well."""

from __future__ import annotations

import functools
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, QSettings
from PySide6.QtWidgets import QFileDialog, QMessageBox

from lexipod.app.frame.hull import Hull
from lexipod.app.jobs.job import Job
from lexipod.app.state.recovery import find_recovered
from lexipod.app.state.session import Session
from lexipod.demo import demo_names, load_demo
from lexipod.design import Design
from lexipod.errors import LexipodError
from lexipod.fabricate.exports import Cutting, find_export

FILES = "Lexipod designs (*.lexipod)"


class Files(QObject):
    """What the window does with files; whatever cannot be done is said in its message strip, and nothing is lost."""

    def __init__(self, window: Hull, session: Session, settings: QSettings) -> None:
        super().__init__(window)
        self.window, self.session, self.settings = window, session, settings

    def new_design(self) -> None:
        """An empty card, after asking about unsaved work."""
        self._after_saving(lambda: self.start_with(Design(ways=self.session.design.ways)))

    def start_with(self, design: Design, *, demo_name: str = "") -> None:
        """Another card; the last one must be safe by now."""
        self.window.view.travel.clear()
        self.window.view.kept = None
        self.window.view.pick(())
        self.session.start(design, demo_name=demo_name)
        self.window.view.go_to("card")

    def open_demo(self, name: str = "") -> None:
        """A card of the demo collection; the first one where none is named."""
        name = name or demo_names()[0]
        self._after_saving(lambda: self.start_with(load_demo(name), demo_name=name))

    def open_dialog(self) -> None:
        """Asks for a file and opens it."""

        def ask() -> None:
            path, _ = QFileDialog.getOpenFileName(self.window, "Open a design", str(self.settings.value("folder") or ""), FILES)
            if path:
                self.open_path(Path(path))

        self._after_saving(ask)

    def open_path(self, path: Path) -> None:
        """Opens a file; what is wrong with it is said, and the present design stays."""
        try:
            self.session.open(path)
        except LexipodError as error:
            self.window.strip.say(str(error))
            return
        self.window.view.travel.clear()
        self.window.view.pick(())
        self.remember(path)

    def save(self) -> bool:
        """Saves to the design's file, or asks for one."""
        return self.save_as() if self.session.path is None else self.save_to(self.session.path)

    def save_as(self) -> bool:
        """Asks for a file and saves there."""
        start = self.session.path or Path(str(self.settings.value("folder") or "")) / f"{self.session.design.title}.lexipod"
        path, _ = QFileDialog.getSaveFileName(self.window, "Save the design", str(start), FILES)
        if not path:
            return False
        target = Path(path)
        return self.save_to(target if target.suffix else target.with_suffix(".lexipod"))

    def save_to(self, path: Path) -> bool:
        """Saves there; whether it could be written."""
        try:
            self.session.save(path)
        except LexipodError as error:
            self.window.strip.say(str(error), ("save elsewhere …", lambda: self.save_as()))
            return False
        self.window.autosave.clear()
        self.remember(path)
        self.window.strip.say(f"Saved as {path.name}.", passing=True)
        return True

    def remember(self, path: Path) -> None:
        """A file for the list of recent ones."""
        recent = [str(path), *(p for p in self.recent() if p != str(path))][:8]
        self.settings.setValue("recent", recent)
        self.settings.setValue("folder", str(path.parent))
        self.fill_recent()

    def recent(self) -> list[str]:
        """The files that were worked on, the last one first."""
        kept = self.settings.value("recent") or []
        return [kept] if isinstance(kept, str) else [str(p) for p in list(kept)]

    def fill_recent(self) -> None:
        """The menu of recent files."""
        self.window.recent_menu.clear()
        for path in self.recent():
            self.window.recent_menu.addAction(path, functools.partial(self._open_recent, path))
        self.window.recent_menu.setEnabled(bool(self.recent()))

    def _open_recent(self, path: str) -> None:
        self._after_saving(lambda: self.open_path(Path(path)))

    def _after_saving(self, go_on: Callable[[], object]) -> None:
        """Goes on at once, or asks first whether unsaved work is to be saved."""
        if not self.session.is_unsaved:
            go_on()
            return
        self.window.strip.say(f"“{self.session.design.title}” is not saved.", ("save", lambda: self.save() and go_on()), ("go on without", go_on))

    def export(self, ending: str, what: str = "", cutting: Cutting | None = None, *, tiled: bool = False) -> None:
        """Asks where to, and writes templates, picture, list or guides in the background."""
        start = Path(str(self.settings.value("folder") or "")) / f"{self.session.design.title}{ending}"
        path, _ = QFileDialog.getSaveFileName(self.window, "Export", str(start), f"{find_export(ending).title} (*{ending})")
        if path:
            self.export_to(Path(path) if Path(path).suffix else Path(path).with_suffix(ending), what, cutting, tiled=tiled)

    def export_to(self, target: Path, what: str = "", cutting: Cutting | None = None, *, tiled: bool = False) -> None:
        """Writes one export in the background and says so; several may be on their way at once. ``what`` of it is the format's usual one
        where it is left open; laid sheets are pages of their own size unless they are ``tiled`` on the paper of the templates."""
        folder = str(self.session.path.parent) if self.session.path else ""
        templates = self.window.templates

        paper = templates.paper if what != "sheets" or tiled else ""
        at = dict(self.window.view.travel) if self.window.view.here.seen.plain else {}
        self._write_aside(target, "export", self.session.design, folder, str(target), paper, templates.layout_name, at, what, cutting)

    def _write_aside(self, target: Path, chore: str, *arguments: object) -> None:
        """A chore that writes a file, with what is said while it does, and a way to give it up."""

        def over(words: str, *, passing: bool) -> None:
            job.stop()
            job.deleteLater()
            self.window.strip.say(words, passing=passing)

        stop = ("stop", lambda: over("That was stopped; nothing was written.", passing=True))
        job = Job(self, self.session, done=lambda written: over(f"Written: {written}", passing=True), failed=lambda words: over(words, passing=False))
        job.went_on.connect(lambda share: self.window.strip.say(f"Writing {target.name}: {100 * share:.0f} %", stop))
        job.start(chore, *arguments)
        self.window.strip.say(f"Writing {target.name} …", stop)

    def write_booklet(self) -> None:
        """Asks where to, and writes plan, cut list, guides and kit as one PDF in the background."""
        start = Path(str(self.settings.value("folder") or "")) / f"{self.session.design.title}, booklet.pdf"
        path, _ = QFileDialog.getSaveFileName(self.window, "Booklet", str(start), "Booklet (*.pdf)")
        if path:
            self.booklet_to(Path(path) if Path(path).suffix else Path(path).with_suffix(".pdf"))

    def booklet_to(self, target: Path) -> None:
        """Writes the booklet and says so."""
        folder = self.session.path.parent if self.session.path else None
        self._write_aside(target, "booklet", self.session.design, target, folder)

    def open_as_it_was(self, design: object) -> None:
        """A design of the log, as one that is not saved yet."""
        assert isinstance(design, Design)
        if self.session.is_unsaved and not self.may_close():
            return
        try:
            self.session.start(design)
        except LexipodError as error:
            self.window.say(str(error))
            return
        self.window.view.go_to("card")

    def export_pdf(self) -> None:
        """Templates as PDF."""
        self.export(".pdf")

    def offer_recovery(self) -> None:
        """Offers the unsaved work of a run that was killed."""
        found = find_recovered(self.window.recovery)
        if found is None:
            return

        def restore() -> None:
            self.session.start(found.design, path=found.path, recovered=True)
            found.kept_in.unlink(missing_ok=True)
            self.window.autosave.keep()

        self.window.strip.say(
            f"Unsaved work on “{found.design.title}” was kept from a run that did not end well.",
            ("restore it", restore),
            ("discard it", lambda: found.kept_in.unlink(missing_ok=True)),
        )

    def may_close(self) -> bool:
        """Asks whether unsaved work is to be saved before the window closes; whether it may close."""
        box = QMessageBox(self.window)
        box.setWindowTitle("Not saved")
        box.setText(f"“{self.session.design.title}” is not saved.")
        save = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole)
        drop = box.addButton("Close without saving", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Stay", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        return box.clickedButton() is drop or (box.clickedButton() is save and self.save())
