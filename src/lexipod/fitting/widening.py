"""The largest margin: a design that holds, moved to where its tightest gap is widest.

How every margin answers to a millimetre of each free measure is found once on the real assembly; a linear programme then finds the
least changes that make the smallest margin largest, and the checks say whether what it proposes is as sound as what was there.
Source: linear programming (SciPy's HiGHS); the margins are those of ``lexipod.builds``.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np
from numpy.typing import NDArray

from lexipod.building import build_assembly
from lexipod.builds.margins import measure_margins
from lexipod.catalog import Catalog
from lexipod.checks import RULES, Examination, run_checks
from lexipod.checks.examination import COARSE_STEPS
from lexipod.checks.table import NEVER_BLOCKING
from lexipod.design import Design, number_of
from lexipod.errors import LexipodError
from lexipod.geometry.frames import Array
from lexipod.recipes import Recipe, find_recipe

MOST_MEASURES = 10
STEP_MM = 0.5
FARTHEST_MM = 2.0
ENOUGH_MM = 3.0
WORTH_MM = 0.05
SHARES = (1.0, 0.5)
MOST_SOLVED = 4


def free_measures(recipe: Recipe, pinned: Iterable[str]) -> list[str]:
    """Lengths that the recipe itself would change to win a gap, without those that are pinned."""
    kept = {name.partition(".")[0] for name in pinned}
    found: dict[str, None] = {}
    for rule in (r.id for r in RULES.values() if r.wins_margin):
        for lever in recipe.levers.get(rule, ()):
            for name in lever.gains:
                base = name.partition(".")[0]
                if base not in kept and recipe.find_parameter(base).kind in ("length", "point"):
                    found[name] = None
    return list(found)[:MOST_MEASURES]


def smallest_margin(design: Design, catalog: Catalog, mechanism_id: str) -> float:
    """The smallest margin of one mechanism (mm or degrees)."""
    found = measure_margins(build_assembly(design, catalog), catalog, design.ways)
    mine = [m for name, m in found.items() if f"{mechanism_id}." in name or name.startswith(f"{mechanism_id} ")]
    return min(mine, default=0.0)


def widen(
    design: Design, catalog: Catalog, mechanism_id: str, pinned: Iterable[str] = (), *, is_current: Callable[[], bool] = lambda: True
) -> Design:
    """The design with the smallest margin of a mechanism as large as small changes of its free measures make it; the same design where
    nothing is gained. What warned before may go on warning, nothing new may."""
    mechanism = design.find_mechanism(mechanism_id)
    assert mechanism is not None
    recipe = find_recipe(mechanism.recipe)
    names = free_measures(recipe, pinned)
    before = measure_margins(build_assembly(design, catalog), catalog, design.ways)
    keys = [k for k, m in before.items() if m < ENOUGH_MM]
    if not names or not keys:
        return design
    start = np.array([before[k] for k in keys])
    answers, usable = [], []
    for name in names:
        if not is_current():
            return design
        made = _moved(design, mechanism_id, recipe, {name: STEP_MM})
        try:
            found = None if made is None else measure_margins(build_assembly(made, catalog), catalog, design.ways)
        except (LexipodError, ValueError):
            found = None
        if found is not None:
            answers.append([(found.get(k, before[k]) - before[k]) / STEP_MM for k in keys])
            usable.append(name)
    if not usable:
        return design
    slopes = np.array(answers).T
    known, least = _findings(design, catalog), smallest_margin(design, catalog, mechanism_id)
    open_ones = np.ones(len(usable), dtype=bool)
    for _ in range(MOST_SOLVED):
        change = _best_change(start, slopes, open_ones)
        if change is None or not np.abs(change).max() > 0.05 or not is_current():
            break
        for share in SHARES:
            made = _moved(design, mechanism_id, recipe, {n: round(float(c * share), 1) for n, c in zip(usable, change, strict=True)})
            if made is None or made == design:
                continue
            try:
                if smallest_margin(made, catalog, mechanism_id) >= least + WORTH_MM and not _findings(made, catalog) - known:
                    return made
            except (LexipodError, ValueError):
                continue
        open_ones[int(np.argmax(np.abs(change)))] = False  # it spoils something that is no margin: without it, then
    return design


def _best_change(start: Array, slopes: Array, open_ones: NDArray[np.bool_]) -> Array | None:
    """The changes of the measures that are open which make the smallest of the margins largest; each millimetre costs a little."""
    from scipy.optimize import linprog  # it takes long to load, and is seldom needed

    count = slopes.shape[1]
    # Unknowns: changes up, changes down, and the smallest margin.
    cost = np.concatenate([np.full(2 * count, 0.01), [-1.0]])
    rows = np.hstack([-slopes, slopes, np.ones((len(start), 1))])
    bounds = [(0.0, FARTHEST_MM if is_open else 0.0) for is_open in np.concatenate([open_ones, open_ones])] + [(None, None)]
    told = linprog(cost, A_ub=rows, b_ub=start, bounds=bounds, method="highs")
    return None if told.status != 0 else np.asarray(told.x[:count] - told.x[count : 2 * count])


def _moved(design: Design, mechanism_id: str, recipe: Recipe, changes: dict[str, float]) -> Design | None:
    """The design with some measures changed by so much; None where one leaves its limits."""
    mechanism = design.find_mechanism(mechanism_id)
    assert mechanism is not None
    values: dict[str, float | int | str | bool | tuple[float, float]] = {}
    for name, amount in changes.items():
        if amount:
            parameter = recipe.find_parameter(name.partition(".")[0])
            value = round(number_of(mechanism.parameters, name) + amount, 4)
            if not parameter.minimum <= value <= parameter.maximum:
                return None
            values[name] = value
    return design.with_parameters(mechanism_id, values) if values else design


def _findings(design: Design, catalog: Catalog) -> set[tuple[str, str, tuple[str, ...], str]]:
    examination = Examination(build_assembly(design, catalog), catalog, design.ways, steps=COARSE_STEPS)
    return {f.key for f in run_checks(examination, without=NEVER_BLOCKING) if f.severity != "note"}
