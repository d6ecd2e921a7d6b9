"""Builds as a hand makes them: every dimension a little off, many times over, and how many of them run free.

How each margin (a gap, the travel up to a stop, the length of a guide, the air over what moves) answers to each error is measured once
on the real assembly, up and down (on a flat card not down, where up changes nothing); the builds then are one product of matrices.
Source: error propagation by finite differences, Monte Carlo; the interval is Wilson's score interval (published).
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from lexipod.building import build_assembly
from lexipod.builds.dimensions import ACCURACIES, Accuracy, Dimension, build_with, changed_measure, find_errors
from lexipod.builds.margins import STEPS, find_stacked, measure_margins
from lexipod.catalog import Catalog
from lexipod.checks import Examination, run_checks
from lexipod.design import Design
from lexipod.errors import LexipodError
from lexipod.geometry.frames import Array

TARGETS = (0.95, 0.99)
CHANGES_MM = tuple(round(0.1 * k, 1) for k in range(1, 31))
MOST_TRIED = 6
Z95 = 1.959964
NOTHING_MM = 1e-6


@dataclass(frozen=True, slots=True)
class Spoiler:
    """A measure, and the share of the builds that do not run which it spoils most."""

    dimension: str
    share: float


@dataclass(frozen=True, slots=True)
class Suggestion:
    """A change that brings the share of free builds to a target."""

    target: float
    mechanism: str
    set: dict[str, float]


@dataclass(frozen=True, slots=True)
class BuildYield:
    """How many of ``builds`` run free: the share, its 95 % interval, what spoils the others, and the clearance that would help.

    ``margins`` are the margins of the sound design by name (mm or degrees).
    """

    builds: int
    seed: int
    free: float
    interval95: tuple[float, float]
    spoilers: tuple[Spoiler, ...]
    suggested: tuple[Suggestion, ...]
    margins: dict[str, float]


def simulate_builds(
    design: Design,
    catalog: Catalog,
    *,
    builds: int = 1000,
    seed: int = 1,
    accuracy: Accuracy | None = None,
    only: tuple[str, ...] = (),
    is_current: Callable[[], bool] = lambda: True,
) -> BuildYield | None:
    """Builds the design many times over. ``only`` names the dimensions (“m1.rail_gap”, “humidity”) that have errors; all where it is empty.

    The same seed gives the same answer. ``is_current`` may return False to give up: then there is none.
    """
    accuracy = accuracy or ACCURACIES[design.ways.cutting]
    assembly = build_assembly(design, catalog)
    stacked = find_stacked(assembly, catalog, design.ways)
    sound = measure_margins(assembly, catalog, design.ways, stacked)
    names = list(sound)
    start = np.array([sound[n] for n in names])
    dimensions = [d for d in find_errors(design, assembly, catalog, accuracy) if not only or d.name in only]
    up, down = np.zeros((len(dimensions), len(names))), np.zeros((len(dimensions), len(names)))

    def answer(dimension: Dimension, error: float) -> Array | None:
        made = build_with(design, catalog, dimension, error)
        if made is None:
            return None
        try:
            found = measure_margins(made, catalog, design.ways, stacked)
        except (LexipodError, ValueError):
            return None
        return np.array([found.get(n, sound[n]) - sound[n] for n in names])

    for k, dimension in enumerate(dimensions):
        if not is_current():
            return None
        more = answer(dimension, dimension.sigma)
        if more is not None and not assembly.foldings and np.abs(more).max(initial=0.0) < NOTHING_MM:
            continue
        less = answer(dimension, -dimension.sigma)
        # Where such a build cannot be tried (a limit, a part that vanishes), it answers as the other way, turned round.
        up[k] = more if more is not None else 0.0 if less is None else -less
        down[k] = less if less is not None else 0.0 if more is None else -more
    rng = np.random.default_rng(seed)
    errors = rng.standard_normal((builds, len(dimensions)))
    margins = start + np.maximum(errors, 0) @ up + np.maximum(-errors, 0) @ down
    runs = (margins >= 0).all(axis=1) if names else np.ones(builds, dtype=bool)
    free = float(runs.mean())
    spoilers = _find_spoilers(errors[~runs], margins[~runs], up, down, [d.name for d in dimensions])
    measures = [(k, d) for k, d in enumerate(dimensions) if d.kind == "measure"]
    ways = [(d.name, 1.0, up[k] / d.sigma) for k, d in measures] + [(d.name, -1.0, down[k] / d.sigma) for k, d in measures]
    suggested = _suggest(design, catalog, ways, margins, tuple(t for t in TARGETS if t > free))
    return BuildYield(builds, seed, free, wilson_interval(free, builds), spoilers, suggested, sound)


def wilson_interval(share: float, count: int) -> tuple[float, float]:
    """The 95 % score interval of a share (E. B. Wilson, 1927).

    >>> [round(v, 3) for v in wilson_interval(0.5, 100)]
    [0.404, 0.596]
    """
    z2 = Z95**2 / count
    middle, half = (share + z2 / 2) / (1 + z2), Z95 * math.sqrt(share * (1 - share) / count + z2 / (4 * count)) / (1 + z2)
    return max(0.0, middle - half), min(1.0, middle + half)


def _find_spoilers(errors: Array, margins: Array, up: Array, down: Array, dimensions: list[str]) -> tuple[Spoiler, ...]:
    """Of every build that does not run: the dimension that took most from its worst margin."""
    if not len(margins):
        return ()
    worst = margins.argmin(axis=1)
    taken = np.where(errors > 0, errors * up.T[worst], -errors * down.T[worst])
    blame = np.bincount(taken.argmin(axis=1), minlength=len(dimensions)) / len(worst)
    order = np.argsort(-blame)
    return tuple(Spoiler(dimensions[k], float(blame[k])) for k in order[:5] if blame[k] > 0.005)


def _suggest(
    design: Design, catalog: Catalog, ways: list[tuple[str, float, Array]], margins: Array, targets: tuple[float, ...]
) -> tuple[Suggestion, ...]:
    """The least change of one measure with which each target is met by the same builds, and which blocks nothing.

    ``ways`` are measures, the sign of the change, and what each margin gains by a millimetre of it.
    """
    blocked = {f.key for f in run_checks(Examination(build_assembly(design, catalog), catalog, design.ways, steps=STEPS)) if f.severity == "block"}
    told = []
    for target in targets:
        reached = []
        for dimension, sign, gain in ways:
            amount = next((a for a in CHANGES_MM if float((margins + gain * a >= 0).all(axis=1).mean()) >= target), None)
            if amount is not None:
                reached.append((amount, dimension, sign))
        for amount, dimension, sign in sorted(reached)[:MOST_TRIED]:
            changed = changed_measure(design, dimension, sign * amount)
            if changed is None:
                continue
            made, value = changed
            try:
                found = run_checks(Examination(build_assembly(made, catalog), catalog, design.ways, steps=STEPS))
            except (LexipodError, ValueError):
                continue
            if not {f.key for f in found if f.severity == "block"} - blocked:
                mechanism, _, name = dimension.partition(".")
                told.append(Suggestion(target, mechanism, {name: round(value, 4)}))
                break
    return tuple(told)
