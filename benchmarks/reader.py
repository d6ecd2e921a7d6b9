"""Frames of the reader's view: the window offscreen at 1280 by 800, the card alone, moved over its travel in 60 steps.

.venv/bin/python benchmarks/reader.py
"""

from __future__ import annotations

import os

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import statistics
import tempfile
import time
from pathlib import Path

from PySide6.QtCore import QSettings

from lexipod.app.frame.start import make_application
from lexipod.app.frame.window import MainWindow
from lexipod.app.state.session import Session
from lexipod.catalog import load_catalog
from lexipod.demo import demo_names, load_demo

FRAMES = 60


def main() -> None:
    """Prints a row for each demo card."""
    app = make_application()
    catalog = load_catalog()
    every: list[float] = []
    with tempfile.TemporaryDirectory() as name:
        for demo in demo_names():
            session = Session(catalog, load_demo(demo))
            settings = QSettings(str(Path(name) / "window.ini"), QSettings.Format.IniFormat)
            window = MainWindow(session, settings, recovery=Path(name) / "unsaved")
            window.resize(1280, 800)
            window.show()
            window.doing.switch_reader()
            app.processEvents()
            drive = window.desk.assembly.all_drives[0]
            sight = window.card_view if window.card_view.isVisible() else window.fold_view
            took = []
            for k in range(FRAMES + 1):
                start = time.perf_counter()
                window.view.set_travel(drive.mechanism, drive.rest + (drive.end - drive.rest) * k / FRAMES)
                sight.repaint()
                took.append(1000 * (time.perf_counter() - start))
            every += took[1:]
            print(f"{demo:16} median {statistics.median(took):5.1f} ms, worst {max(took):5.1f} ms")
            session.history.mark_saved()
            window.close()
            app.processEvents()
    print(f"{'all':16} median {statistics.median(every):5.1f} ms, worst {max(every):5.1f} ms")


if __name__ == "__main__":
    main()
