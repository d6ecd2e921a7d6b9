"""Times of every flat mechanism, as one table: ``.venv/bin/python benchmarks/flat.py``.

Poses against ``scipy.optimize.fsolve`` called position by position with the same equations (with and without its Jacobian), gaps
against a plain loop of distance and intersection over all pairs and positions, the whole check, and how it grows with the number
of mechanisms. One thread; medians of runs in this one process. Machines are noisy: the ratios of one run count.
"""

from __future__ import annotations

import os

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import statistics
import sys
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import shapely
from scipy.optimize import fsolve

sys.path.insert(0, str(Path(__file__).parent))
from slider import timed

from lexipod.assembly import Assembly
from lexipod.building.card import _build
from lexipod.catalog import load_catalog
from lexipod.checks import Examination, run_checks
from lexipod.design import Design
from lexipod.editing.change import add_mechanism, new_design
from lexipod.geometry.frames import transform_regions
from lexipod.motion import System, Track, find_free_range, find_meeting_pairs, forget_motion, measure_clearances, solve_track
from lexipod.recipes import RECIPES

STEPS = 181
FLAT = [r.id for r in RECIPES.values() if not r.folds]
CATALOG = load_catalog()


def once_ms(run: Callable[[], object]) -> float:
    """One run, for what takes long."""
    start = time.perf_counter()
    run()
    return (time.perf_counter() - start) * 1e3


def by_root_finder(system: System, track: Track, *, with_jacobian: bool) -> Callable[[], object]:
    """Every position on its own, each started from the one before."""

    def run() -> None:
        q = system.scaled_home
        start = int(np.argmin(np.abs(track.travel - system.drive.home)))
        for order in (range(start, STEPS), range(start, -1, -1)):
            q = system.scaled_home
            for k in order:
                at = np.array([track.travel[k]])
                rows = lambda x, at=at: system.residual_and_jacobian(x[None, :], at)[0][0][system.rows]  # noqa: E731
                slope = lambda x, at=at: system.residual_and_jacobian(x[None, :], at)[1][0][system.rows]  # noqa: E731
                q = fsolve(rows, q, fprime=slope if with_jacobian else None, xtol=1e-10)

    return run


def plain_gaps(assembly: Assembly, track: Track) -> Callable[[], object]:
    """Distance, and area in common where they touch, of all pairs that meet at all positions, one by one; polygons built once."""
    laid = {p.id: transform_regions(p.region, track.poses_of(p.id, p.home)) for p in assembly.parts}
    pairs = find_meeting_pairs(assembly, track.mechanism)

    def run() -> None:
        for a, b in pairs:
            for k in range(STEPS):
                if shapely.distance(laid[a][k], laid[b][k]) <= 0:
                    shapely.intersection(laid[a][k], laid[b][k])

    return run


def row(recipe: str) -> tuple[float, ...]:
    """The figures of one recipe's default."""
    design = new_design(recipe, CATALOG)
    assembly = _build(design, CATALOG)
    drive = assembly.drives[0]
    system = System(assembly, drive)
    track = solve_track(assembly, drive, drive.coordinates(STEPS), system=system)
    poses = timed(lambda: solve_track(assembly, drive, drive.coordinates(STEPS), system=System(assembly, drive)), runs=9)[0]
    plain = once_ms(by_root_finder(system, track, with_jacobian=False))
    sloped = once_ms(by_root_finder(system, track, with_jacobian=True))
    gaps = best_cold(lambda: measure_clearances(assembly, track, needed_mm=lambda a, b: 0.5))
    loop = once_ms(plain_gaps(assembly, track))
    stops = best_cold(lambda: find_free_range(assembly, drive, system=system))
    check = best_cold(lambda: run_checks(Examination(assembly, CATALOG, design.ways)))
    again = timed(lambda: run_checks(Examination(assembly, CATALOG, design.ways)), runs=5)[0]
    coarse = best_cold(lambda: run_checks(Examination(assembly, CATALOG, design.ways, steps=25)))
    coarse_again = timed(lambda: run_checks(Examination(assembly, CATALOG, design.ways, steps=25)), runs=5)[0]
    return poses, plain / poses, sloped / poses, gaps, loop / gaps, stops, check, again, coarse, coarse_again


def best_cold(run: Callable[[], object], *, runs: int = 5) -> float:
    """The least time of some runs (ms), each as if nothing had been worked out before."""
    best = float("inf")
    for _ in range(runs):
        forget_motion()
        best = min(best, once_ms(run))
    return best


def growth() -> list[tuple[int, float]]:
    """The whole check of a card with 1 to 8 small spinners."""
    from lexipod.design import Card

    card, out = Card(size="iso.a4"), []
    design: Design | None = None
    for k in range(8):
        given = {"pivot": f"{45 + 60 * (k % 3)}x{50 + 70 * (k // 3)}mm", "leaf_length": "25mm"}
        design = new_design("spinner", CATALOG, card=card, given=given) if design is None else add_mechanism(design, "spinner", CATALOG, given=given)
        assembly = _build(design, CATALOG)
        ways = design.ways
        out.append((k + 1, timed(lambda a=assembly, w=ways: run_checks(Examination(a, CATALOG, w)), runs=3)[0]))
    return out


def scrubbing() -> list[tuple[str, float, float]]:
    """Frames of the real window, offscreen at 1280 x 800, while the travel is scrubbed: card, ribbon and edge view."""
    import tempfile

    from PySide6.QtCore import QSettings
    from PySide6.QtGui import QPixmap

    from lexipod.app.frame import start
    from lexipod.app.frame.window import MainWindow
    from lexipod.demo import demo_names, load_demo

    app, out = start.make_application(), []
    session = start.Session(start.load_catalog(), load_demo(demo_names()[0]))
    window = MainWindow(session, QSettings(f"{tempfile.mkdtemp()}/w.ini", QSettings.Format.IniFormat))
    window.resize(1280, 800)
    window.show()
    for name in demo_names():
        window.files.start_with(load_demo(name), demo_name=name)
        window.view.go_to("fit")
        end = time.monotonic() + 30
        while time.monotonic() < end and (window.desk.judgement is None or window.desk.is_stale or window.desk.judgement.stage == "coarse"):
            app.processEvents()
            time.sleep(0.01)
        views = [window.card_view, window.ribbon, window.parts.edges[0]]
        pictures = [QPixmap(v.size()) for v in views]
        drive, share = window.desk.drive, [0.0]
        assert drive is not None

        def frame(drive=drive, views=views, pictures=pictures, share=share) -> None:  # type: ignore[no-untyped-def]
            share[0] = (share[0] + 0.0137) % 1.0
            window.view.set_travel(drive.mechanism, drive.rest + share[0] * (drive.end - drive.rest))
            for view, picture in zip(views, pictures, strict=True):
                view.render(picture)

        frame()
        out.append((name, *timed(frame, runs=150)))
    session.history.mark_saved()
    window.close()
    return out


def main() -> None:
    """Prints the table."""
    heads = ("poses", "fsolve/", "+jac/", "gaps", "loop/", "stops", "check", "again", "coarse", "again")
    print(f"{'ms, or times as long':16}" + "".join(f"{h:>9}" for h in heads))
    table = []
    for recipe in FLAT:
        figures = row(recipe)
        table.append(figures)
        print(f"{recipe:16}" + "".join(f"{v:9.1f}" for v in figures), flush=True)
    for at, name in ((3, "gaps"), (6, "whole check"), (7, "the same again"), (8, "coarse"), (9, "the same again")):
        column = [figures[at] for figures in table]
        print(f"{name}: median {statistics.median(column):.0f} ms, worst {max(column):.0f} ms")
    print("frame while scrubbing, median and 95 %: " + ", ".join(f"{n} {m:.1f}/{h:.1f}" for n, m, h in scrubbing()))
    print("check of 1 to 8 spinners on one card: " + ", ".join(f"{n}: {ms:.0f} ms" for n, ms in growth()))


if __name__ == "__main__":
    main()
