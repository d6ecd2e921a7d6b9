"""Starts the window."""

from __future__ import annotations

import sys
import traceback
from pathlib import Path
from types import TracebackType

import platformdirs
from PySide6.QtCore import QSettings, QTimer
from PySide6.QtWidgets import QApplication

from lexipod.app.frame.window import MainWindow
from lexipod.app.jobs.helpers import Helpers
from lexipod.app.look import font, load_fonts
from lexipod.app.state.session import Session
from lexipod.catalog import load_catalog
from lexipod.demo import demo_names, load_demo
from lexipod.design import Design
from lexipod.errors import LexipodError

WARM_AFTER_MS = 2500
"""So long after the window is seen a process is begun for the first chore: by then the first card is judged."""


def make_settings() -> QSettings:
    """The user's settings, as a plain text file in the usual place."""
    folder = Path(platformdirs.user_config_dir("lexipod", appauthor=False))
    return QSettings(str(folder / "window.ini"), QSettings.Format.IniFormat)


def make_application() -> QApplication:
    """The application with its fonts."""
    existing = QApplication.instance()
    app = existing if isinstance(existing, QApplication) else QApplication(sys.argv[:1])
    app.setApplicationName("Lexipod")
    if app.style().objectName() != "fusion":  # to set it anew polishes all there is
        app.setStyle("Fusion")
    load_fonts()
    app.setFont(font(14))
    return app


def run_window(path: Path | None, *, demo: bool) -> int:
    """Opens the window on a file, on the demo, or at the first start on the demo card; the exit status."""
    try:
        catalog = load_catalog()
    except LexipodError as error:
        print(f"lexipod: {error}", file=sys.stderr)
        return 2
    app = make_application()
    settings = make_settings()
    first = settings.value("started") is None
    settings.setValue("started", True)
    name = demo_names()[0] if demo or (first and path is None) else ""
    session = Session(catalog, load_demo(name) if name else Design())
    session.demo_name = name
    window = MainWindow(session, settings)
    _report_faults(window)
    window.show()
    if path is not None:
        window.files.open_path(path)
    if name:
        window.view.go_to("fit")
    window.files.offer_recovery()
    QTimer.singleShot(WARM_AFTER_MS, window, Helpers.of_program().warm)
    return app.exec()


def _report_faults(window: MainWindow) -> None:
    """A fault of the program is told and the work kept aside; the window stays."""

    def report(kind: type[BaseException], fault: BaseException, trace: TracebackType | None) -> None:
        traceback.print_exception(kind, fault, trace)
        window.autosave.keep()
        window.strip.say(f"Something went wrong inside ({kind.__name__}). Your work was kept aside; save it now.")

    sys.excepthook = report
