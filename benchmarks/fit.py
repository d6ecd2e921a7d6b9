"""Times of what is asked before anything is cut: catch points in the check, yield, fit, and every demo card on every other card.

``fit.py`` prints all tables; ``fit.py yield``, ``fit.py check``, ``fit.py fit``, ``fit.py convert`` print one. CPU times of one process.
"""

from __future__ import annotations

import statistics
import sys
import time
from collections.abc import Callable

from lexipod.building import build_assembly
from lexipod.builds import simulate_builds
from lexipod.catalog import load_catalog
from lexipod.checks import Examination, run_checks
from lexipod.demo import demo_names, load_demo
from lexipod.design import Card, Design, Ways
from lexipod.editing.change import new_design
from lexipod.errors import LexipodError
from lexipod.fitting import convert_design, fit_design
from lexipod.recipes import RECIPES

CATALOG = load_catalog()


def flat_designs() -> dict[str, Design]:
    """Every flat mechanism on its usual card."""
    found = {}
    for name in RECIPES:
        design = new_design(name, CATALOG, ways=Ways(units="mm"))
        if build_assembly(design, CATALOG).drives:
            found[name] = design
    return found


def cpu_ms(run: Callable[[], object], *, times: int = 3) -> float:
    """The least CPU time of some runs."""
    best = float("inf")
    for _ in range(times):
        start = time.process_time()
        run()
        best = min(best, time.process_time() - start)
    return 1000 * best


def show_checks() -> None:
    """The whole check with and without catch points, fine and coarse."""
    print("check, ms:          fine  without catch   coarse")
    rows = []
    for name, design in flat_designs().items():
        assembly = build_assembly(design, CATALOG)

        def run(steps: int, without: tuple[str, ...] = (), assembly=assembly, design=design):  # type: ignore[no-untyped-def]
            return run_checks(Examination(assembly, CATALOG, design.ways, steps=steps), without=without)

        row = cpu_ms(lambda: run(181)), cpu_ms(lambda: run(181, ("catch",))), cpu_ms(lambda: run(25))
        rows.append(row)
        print(f"  {name:14s} {row[0]:8.0f} {row[1]:14.0f} {row[2]:8.0f}")
    print("  median         " + "".join(f"{statistics.median(r[k] for r in rows):8.0f}       " for k in range(3)))


def show_yield() -> None:
    """A thousand builds of each."""
    print("yield of 1000 builds")
    for name, design in flat_designs().items():
        start = time.process_time()
        told = simulate_builds(design, CATALOG, builds=1000)
        print(f"  {name:14s} {time.process_time() - start:6.2f} s   free {told.free if told else 0:.3f}")


def show_fit() -> None:
    """One possible and one impossible fit of each slider."""
    sound = new_design("strip-slider", CATALOG, ways=Ways(units="mm"))
    for name, design, keep in (
        ("possible", sound, ["travel"]),
        ("broken, nothing pinned", sound.with_parameters("m1", {"travel": 70.0, "rail_gap": 24.0}), []),
        ("impossible", sound.with_parameters("m1", {"travel": 90.0}), ["travel"]),
    ):
        start = time.process_time()
        told = fit_design(design, CATALOG, "m1", keep)
        print(f"fit, {name:24s} {time.process_time() - start:6.2f} s   {'fits' if told.is_free else 'does not'}")


def show_conversions() -> None:
    """Every demo card on every other card size, with the reason where it does not fit."""
    free = tried = 0
    for name in demo_names():
        design = load_demo(name)
        for size in CATALOG.cards:
            if size == design.card.size:
                continue
            tried += 1
            try:
                told = convert_design(design, CATALOG, Card(**{**{f: getattr(design.card, f) for f in design.card.__struct_fields__}, "size": size}))
            except (LexipodError, ValueError) as error:
                print(f"  {name:14s} {size:14s} {error}")
                continue
            free += told.is_free
            if not told.is_free:
                print(f"  {name:14s} {size:14s} {told.reason[:150]}", flush=True)
    print(f"conversions: {free} of {tried} free of blocks")


TABLES = {"check": show_checks, "yield": show_yield, "fit": show_fit, "convert": show_conversions}

if __name__ == "__main__":
    for table in sys.argv[1:] or TABLES:
        TABLES[table]()
