"""Holds the share of builds that run free against a brute force: whole builds, each built anew with all its errors, moved and checked.

``build_check.py [BUILDS] [RECIPE …]``: 300 builds of every recipe take some minutes. A share agrees when either lies within the 95 % interval of
the other.
"""

from __future__ import annotations

import sys
import time
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

import numpy as np

from lexipod.building import build_assembly
from lexipod.builds import ACCURACIES, BuildYield, simulate_builds, wilson_interval
from lexipod.builds.dimensions import build_whole, find_errors
from lexipod.builds.margins import find_stacked, measure_margins
from lexipod.builds.simulation import NOTHING_MM
from lexipod.errors import LexipodError
from lexipod.recipes import RECIPES
from tests.zoo import CATALOG, card_with


def runs_free(design, dimensions, errors, stacked) -> bool:
    """Whether one whole build runs."""
    try:
        made = build_whole(design, CATALOG, list(zip(dimensions, errors, strict=True)))
        return all(m > NOTHING_MM for m in measure_margins(made, CATALOG, design.ways, stacked).values())
    except (LexipodError, ValueError):
        return False


def compare(recipe: str, builds: int) -> tuple[str, BuildYield, float, tuple[float, float], float, float]:
    """The simulated share, the share of whole builds with its interval, and how long both took."""
    design = card_with(recipe)
    assembly = build_assembly(design, CATALOG)
    dimensions = find_errors(design, assembly, CATALOG, ACCURACIES[design.ways.cutting])
    stacked = find_stacked(assembly, CATALOG, design.ways)
    start = time.perf_counter()
    told = simulate_builds(design, CATALOG, builds=1000, seed=5)
    assert told is not None
    middle = time.perf_counter()
    rng = np.random.default_rng(77)
    sigmas = np.array([d.sigma for d in dimensions])
    free = float(np.mean([runs_free(design, dimensions, rng.standard_normal(len(sigmas)) * sigmas, stacked) for _ in range(builds)]))
    return recipe, told, free, wilson_interval(free, builds), middle - start, time.perf_counter() - middle


def main() -> int:
    """Prints a row a recipe; status 1 when a share lies differing."""
    builds = int(sys.argv[1]) if len(sys.argv) > 1 else 300
    wanted = sys.argv[2:] or list(RECIPES)
    differing = 0
    with ProcessPoolExecutor(2) as pool:
        for recipe, told, free, (low, high), quick, slow in pool.map(compare, wanted, [builds] * len(wanted)):
            is_within = low <= told.free <= high or told.interval95[0] <= free <= told.interval95[1]
            differing += not is_within
            told_share = f"{100 * told.free:5.1f} % ({100 * told.interval95[0]:.1f} to {100 * told.interval95[1]:.1f})"
            whole_share = f"{100 * free:5.1f} % ({100 * low:.1f} to {100 * high:.1f})"
            word = "agree" if is_within else "DIFFER"
            print(f"{recipe:15s} told {told_share}  whole builds {whole_share}  {word}  {quick:5.1f} s against {slow:6.1f} s", flush=True)
    print(f"{differing} of {len(wanted)} differ")
    return 1 if differing else 0


if __name__ == "__main__":
    sys.exit(main())
