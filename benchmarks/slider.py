"""Times of the slider's way from design to picture, as one table: ``.venv/bin/python benchmarks/slider.py``.

Figures are medians of runs in this one process (whole programs are timed from outside, start to exit). Machines are noisy:
compare figures of one run with each other.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")


def timed(run: Callable[[], object], *, runs: int = 15) -> tuple[float, float]:
    """Median and 95th percentile in ms."""
    times = []
    for _ in range(runs):
        start = time.perf_counter()
        run()
        times.append((time.perf_counter() - start) * 1e3)
    times.sort()
    return statistics.median(times), times[min(len(times) - 1, int(0.95 * len(times)))]


def program(*arguments: str) -> Callable[[], object]:
    """A whole program from start to exit."""
    return lambda: subprocess.run([sys.executable, *arguments], check=False, capture_output=True, env={**os.environ, "PYTHONPATH": ""})


PAINTED = """
import sys, time
from lexipod.app.frame import start
from lexipod.app.frame.window import MainWindow
from PySide6.QtCore import QSettings
app = start.make_application()
session = start.Session(start.load_catalog(), start.load_demo("fog-lifts"))
window = MainWindow(session, QSettings(sys.argv[1], QSettings.Format.IniFormat), recovery=None)
window.view.go_to("fit")
window.show()
window.grab()
window.desk.close()
"""


def core_rows() -> list[tuple[str, float, float]]:
    """From design to findings."""
    import numpy as np

    from lexipod.building.card import _build
    from lexipod.catalog import load_catalog
    from lexipod.checks import Examination, run_checks
    from lexipod.cures import with_remedies
    from lexipod.demo import load_demo
    from lexipod.motion import System, find_free_range, measure_clearances, solve_track

    catalog, design = load_catalog(), load_demo("fog-lifts")
    broken = design.with_parameters("m1", {"travel": 49.2})
    assembly = _build(design, catalog)
    drive = assembly.drives[0]
    track = solve_track(assembly, drive, drive.coordinates(181))

    def check(steps: int) -> object:
        return run_checks(Examination(_build(design, catalog), catalog, design.ways, steps=steps))

    findings = run_checks(Examination(_build(broken, catalog), catalog, design.ways))
    rows = [
        ("build the assembly", lambda: _build(design, catalog)),
        ("poses at 181 positions, cold", lambda: solve_track(assembly, drive, drive.coordinates(181), system=System(assembly, drive))),
        ("clearances of all pairs over 181 positions", lambda: measure_clearances(assembly, track, needed_mm=lambda a, b: 0.5)),
        ("free range and stops", lambda: find_free_range(assembly, drive, system=System(assembly, drive))),
        ("full check of the demo design, 181 positions", lambda: check(181)),
        ("coarse check while dragging, 25 positions", lambda: check(25)),
        ("remedies of a slot 10 mm too short", lambda: with_remedies(broken, catalog, findings)),
    ]
    assert np.isfinite(track.travel).all()
    return [(name, *timed(run)) for name, run in rows]


def window_rows() -> list[tuple[str, float, float]]:
    """Frames of the real window, offscreen at 1280 x 800."""
    from PySide6.QtCore import QSettings
    from PySide6.QtGui import QPixmap

    from lexipod.app.frame import start
    from lexipod.app.frame.window import MainWindow

    app = start.make_application()
    folder = tempfile.mkdtemp()
    session = start.Session(start.load_catalog(), start.load_demo("fog-lifts"))
    window = MainWindow(session, QSettings(f"{folder}/w.ini", QSettings.Format.IniFormat))
    window.resize(1280, 800)
    window.view.go_to("fit")
    window.show()
    end = time.monotonic() + 30
    while time.monotonic() < end and (window.desk.judgement is None or window.desk.judgement.stage != "cured"):
        app.processEvents()
        time.sleep(0.01)
    views = [window.card_view, window.ribbon, window.parts.edges[1]]
    pictures = [QPixmap(v.size()) for v in views]
    at = [0.0]

    def frame() -> None:
        at[0] = (at[0] + 0.37) % 39.0
        window.view.set_travel("m1", at[0])
        for view, picture in zip(views, pictures, strict=True):
            view.render(picture)

    def drag_step() -> None:
        at[0] = (at[0] + 0.37) % 9.0
        session.edit(session.design.with_parameters("m1", {"travel": 40.0 + at[0]}), text="x", gesture=1)
        for view, picture in zip(views, pictures, strict=True):
            view.render(picture)

    frame()
    rows = [
        ("frame while scrubbing: card, ribbon, edge view", *timed(frame, runs=200)),
        ("step of a drag that changes the design, painted", *timed(drag_step, runs=60)),
    ]
    session.history.mark_saved()
    window.close()
    return rows


def main() -> None:
    """Prints the table."""
    with tempfile.TemporaryDirectory() as folder:
        rows = [
            ("process start to painted window", *timed(program("-c", PAINTED, f"{folder}/w.ini"), runs=5)),
            ("lexipod check of the demo, start to exit", *timed(program("-m", "lexipod", "check", "src/lexipod/demo/fog-lifts.lexipod"), runs=5)),
        ]
    rows += core_rows() + window_rows()
    print(f"{'':52}{'median ms':>11}{'95 % ms':>11}")
    for name, median, high in rows:
        print(f"{name:52}{median:11.1f}{high:11.1f}")


if __name__ == "__main__":
    main()
