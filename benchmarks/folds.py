"""Times of every mechanism that folds, as one table: ``.venv/bin/python benchmarks/folds.py``.

181 positions solved from scratch (equations and march included); the same positions drawn in painter's order; one frame of the fold
view as the window paints it (median and 95 % over the travel, 820 x 520 pixels); the whole check. One thread; medians of runs in
this one process. Machines are noisy: the ratios of one run count.
"""

from __future__ import annotations

import os

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import statistics
import sys
import time
from pathlib import Path

import numpy as np
from PySide6.QtCore import QPointF
from PySide6.QtGui import QImage, QPainter

sys.path.insert(0, str(Path(__file__).parent))
from slider import timed

from lexipod.app.card.painter import paint_folds
from lexipod.app.frame.start import make_application
from lexipod.app.look import DAY
from lexipod.app.state.desk import ART_DETAIL_MM, DETAIL_MM
from lexipod.building import build_assembly
from lexipod.catalog import load_catalog
from lexipod.checks import Examination, run_checks
from lexipod.demo import demo_names, load_demo
from lexipod.drawing import STANDING, Scene, draw_folds, fit_camera, lighter_shape
from lexipod.drawing.art import pictures_of
from lexipod.motion import forget_motion, glued_sides, solve_folds

STEPS = 181
CATALOG = load_catalog()


def main() -> None:
    """Prints the table for the cards of the collection that fold."""
    make_application()
    print(f"{'card':<16}{'recipe':<18}{'solved':>9}{'drawn':>9}{'frame':>8}{'95 %':>8}{'check':>8}   ms")
    frames: list[float] = []
    for name in demo_names():
        design = load_demo(name)
        assembly = build_assembly(design, CATALOG)
        if not assembly.foldings:
            continue
        folding = assembly.foldings[0]
        travel = np.linspace(folding.drive.rest, folding.drive.end, STEPS)
        solved, _ = timed(lambda f=folding, t=travel: (forget_motion(), solve_folds(f, t)))
        track = solve_folds(folding, travel)
        art, _ = pictures_of(design, assembly, None)
        art = {on: tuple(lighter_shape(shape, ART_DETAIL_MM) for shape in shapes) for on, shapes in art.items()}
        sides = glued_sides(folding)
        camera, low, high = fit_camera([track], *STANDING)
        scale = min(820 / float(high[0] - low[0]), 520 / float(high[1] - low[1]))
        scenes = [
            Scene(assembly, {p: f[k] for p, f in track.frames.items()}, {}, {folding.mechanism: float(travel[k])}, sides, DETAIL_MM)
            for k in range(STEPS)
        ]
        draws, paints = [], []
        image = QImage(820, 520, QImage.Format.Format_ARGB32_Premultiplied)
        for scene in scenes:
            start = time.perf_counter()
            drawing = draw_folds(scene, camera, art=art)
            middle = time.perf_counter()
            painter = QPainter(image)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            paint_folds(painter, drawing, DAY, origin=QPointF(-float(low[0]) * scale, 520 + float(low[1]) * scale), pixels_per_mm=scale)
            painter.end()
            draws.append((middle - start) * 1e3)
            paints.append((time.perf_counter() - start) * 1e3)
        frames.append(statistics.median(paints))
        check, _ = timed(lambda d=design, a=assembly: run_checks(Examination(a, CATALOG, d.ways)), runs=7)
        worst = sorted(paints)[int(0.95 * STEPS)]
        print(
            f"{name:<16}{design.mechanisms[-1].recipe:<18}{solved:>9.1f}{sum(draws):>9.0f}{statistics.median(paints):>8.1f}{worst:>8.1f}{check:>8.0f}",
            flush=True,
        )
    print(f"median frame of all {statistics.median(frames):.1f} ms")


if __name__ == "__main__":
    main()
