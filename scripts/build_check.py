"""Holds the share of builds that run free against a brute force: whole builds, each built anew with all its errors, moved and checked.

``build_check.py [BUILDS] [RECIPE …]``: 300 builds of every recipe take some minutes. A share agrees when it lies within the 95 % interval of
the whole builds; both are told, with the errors that most often spoil either.
"""

from __future__ import annotations

import sys
import time
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

import numpy as np

from lexipod.building import build_assembly
from lexipod.builds import ACCURACIES, simulate_builds, wilson_interval
from lexipod.builds.dimensions import build_whole, find_errors
from lexipod.builds.margins import find_stacked, measure_margins
from lexipod.errors import LexipodError
from lexipod.recipes import RECIPES
from tests.zoo import CATALOG, card_with


def runs_free(design, dimensions, errors, stacked) -> bool:
    """Whether one whole build runs."""
    try:
        made = build_whole(design, CATALOG, list(zip(dimensions, errors, strict=True)))
        return all(m >= 0 for m in measure_margins(made, CATALOG, design.ways, stacked).values())
    except (LexipodError, ValueError):
        return False


def compare(recipe: str, builds: int) -> tuple[str, float, float, tuple[float, float], float, float]:
    """The simulated share, the share of whole builds with its interval, and how long both took."""
    design = card_with(recipe)
    assembly = build_assembly(design, CATALOG)
    dimensions = find_errors(design, assembly, CATALOG, ACCURACIES[design.ways.cutting])
    stacked = find_stacked(assembly, CATALOG, design.ways)
    start = time.perf_counter()
    told = simulate_builds(design, CATALOG, builds=20_000, seed=5)
    assert told is not None
    middle = time.perf_counter()
    rng = np.random.default_rng(77)
    sigmas = np.array([d.sigma for d in dimensions])
    free = float(np.mean([runs_free(design, dimensions, rng.standard_normal(len(sigmas)) * sigmas, stacked) for _ in range(builds)]))
    return recipe, told.free, free, wilson_interval(free, builds), middle - start, time.perf_counter() - middle


def main() -> int:
    """Prints a row a recipe; status 1 when a share lies outside."""
    builds = int(sys.argv[1]) if len(sys.argv) > 1 else 300
    wanted = sys.argv[2:] or list(RECIPES)
    outside = 0
    with ProcessPoolExecutor(2) as pool:
        for recipe, told, free, (low, high), quick, slow in pool.map(compare, wanted, [builds] * len(wanted)):
            is_within = low <= told <= high
            outside += not is_within
            print(
                f"{recipe:15s} simulated {100 * told:5.1f} %  whole builds {100 * free:5.1f} % ({100 * low:.1f} to {100 * high:.1f})"
                f"  {'within' if is_within else 'OUTSIDE'}  {quick:5.1f} s against {slow:6.1f} s",
                flush=True,
            )
    print(f"{outside} of {len(wanted)} outside")
    return 1 if outside else 0


if __name__ == "__main__":
    sys.exit(main())
