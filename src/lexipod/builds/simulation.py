"""Builds as a hand makes them: every dimension a little off, many times over, and how many of them run free.

How each margin (a gap, the travel up to a stop, the length of a guide, the air over what moves) answers to each error is measured once
on the real assembly, up and down (on a flat card not down, where up changes nothing); the builds then are one product of matrices. That
takes errors as if each acted alone. So some of the same builds are put together whole, with all their errors at once, moved and measured
anew; the share by which they run more or less often than was reckoned for them is added (a control variate).
Source: error propagation by finite differences, Monte Carlo with a control variate (any text on simulation); Wilson's score interval.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lexipod.building import build_assembly
from lexipod.builds.dimensions import Accuracy, Dimension, accuracy_of, build_whole, changed_measure, find_errors
from lexipod.builds.margins import STEPS, find_stacked, measure_margins
from lexipod.catalog import Catalog
from lexipod.checks import Examination, run_checks
from lexipod.design import Design
from lexipod.errors import LexipodError
from lexipod.geometry.frames import Array

TARGETS = (0.95, 0.99)
WHOLE = 100
"""So many builds are put together whole."""
CHANGES_MM = tuple(round(0.1 * k, 1) for k in range(1, 31))
MOST_TRIED = 6
Z95 = 1.959964
NOTHING_MM = 1e-6
"""A gap of nothing touches."""
REFUSED = 2.0
"""Where an error of one standard deviation cannot be built, half as much already counts as not built."""


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

    ``margins`` are the margins of the sound design by name (mm or degrees). So many as ``whole`` were built whole. ``refused`` names
    dimensions with whose error some builds cannot be put together or moved at all; those builds count as not free.
    """

    builds: int
    seed: int
    free: float
    interval95: tuple[float, float]
    spoilers: tuple[Spoiler, ...]
    suggested: tuple[Suggestion, ...]
    margins: dict[str, float]
    whole: int = 0
    refused: tuple[str, ...] = ()


@dataclass(frozen=True, eq=False)
class _Model:
    """How every margin answers to every error: ``start`` ``(m,)`` without errors, ``up`` and ``down`` ``(d, m)`` what it gains by one standard
    deviation more or less. The last margin is that of being put together at all."""

    dimensions: tuple[Dimension, ...]
    names: tuple[str, ...]
    start: Array
    up: Array
    down: Array
    refused: tuple[str, ...]

    def margins(self, errors: Array) -> Array:
        """Margins ``(n, m)`` of builds with errors ``(n, d)`` in standard deviations."""
        out: Array = self.start + np.maximum(errors, 0) @ self.up + np.maximum(-errors, 0) @ self.down
        return out


class _Shop:
    """Where one design is built: alone without errors, with one of them, or whole."""

    def __init__(self, design: Design, catalog: Catalog) -> None:
        self.design, self.catalog = design, catalog
        self.assembly = build_assembly(design, catalog)
        self.stacked = find_stacked(self.assembly, catalog, design.ways)
        self.sound = measure_margins(self.assembly, catalog, design.ways, self.stacked)

    def build(self, errors: list[tuple[Dimension, float]]) -> Array | None:
        """What becomes of the sound design's margins ``(m,)`` in a build with some errors; None where it cannot be put together."""
        try:
            made = build_whole(self.design, self.catalog, errors)
            found = measure_margins(made, self.catalog, self.design.ways, self.stacked)
        except (LexipodError, ValueError):
            return None
        return np.array([found.get(n, v) for n, v in self.sound.items()])

    def answer(self, dimension: Dimension, error: float) -> Array:
        """What every margin gains by one error. A build that is refused loses its last margin."""
        found = self.build([(dimension, error)])
        return np.append(np.zeros(len(self.sound)), -REFUSED) if found is None else np.append(found - list(self.sound.values()), 0.0)


def simulate_builds(
    design: Design,
    catalog: Catalog,
    *,
    builds: int = 1000,
    seed: int = 1,
    accuracy: Accuracy | None = None,
    only: tuple[str, ...] = (),
    whole: int = WHOLE,
    is_current: Callable[[], bool] = lambda: True,
    tell: Callable[[float], None] = lambda share: None,
) -> BuildYield | None:
    """Builds the design many times over. ``only`` names the dimensions (“m1.rail_gap”, “humidity”) that have errors; all where it is empty.

    So many as ``whole`` are built whole, with all their errors at once; by what they differ from the straight reckoning that is put right.
    The same seed gives the same answer. ``is_current`` may return False to give up: then there is none. ``tell`` is told the share done.
    """
    accuracy = accuracy or accuracy_of(design.ways)
    shop = _Shop(design, catalog)
    dimensions = tuple(d for d in find_errors(design, shop.assembly, catalog, accuracy) if not only or d.name in only)
    whole = min(whole, builds) if dimensions else 0
    steps = len(dimensions) + whole

    def goes_on(done: int) -> bool:
        tell(done / max(steps, 1))
        return is_current()

    model = _measure(shop, dimensions, goes_on)
    if model is None:
        return None
    errors = np.random.default_rng(seed).standard_normal((builds, len(dimensions)))
    errors += np.array([d.bias / d.sigma for d in dimensions])
    margins = model.margins(errors)
    reckoned: NDArray[np.bool_] = np.asarray((margins > NOTHING_MM).all(axis=1))
    for k in range(whole):
        if not goes_on(len(dimensions) + k):
            return None
        made = shop.build([(d, float(e) * d.sigma) for d, e in zip(dimensions, errors[k], strict=True)])
        margins[k] = np.append(list(shop.sound.values()), -1.0) if made is None else np.append(made, 1.0)
    runs: NDArray[np.bool_] = np.asarray((margins > NOTHING_MM).all(axis=1))
    correction = float((runs[:whole].astype(float) - reckoned[:whole]).mean()) if whole else 0.0
    free = min(1.0, max(0.0, float(reckoned.mean()) + correction))
    unlike = int((runs[:whole] != reckoned[:whole]).sum())
    spoilers = _find_spoilers(errors[~runs], margins[~runs], model)
    measures = [(k, d) for k, d in enumerate(dimensions) if d.kind == "measure"]
    ways = [(d.name, 1.0, model.up[k] / d.sigma) for k, d in measures] + [(d.name, -1.0, model.down[k] / d.sigma) for k, d in measures]
    suggested = _suggest(design, catalog, ways, model.margins(errors), tuple((t, t - correction) for t in TARGETS if t > free))
    interval = _interval(free, builds, unlike, whole)
    return BuildYield(builds, seed, free, interval, spoilers, suggested, shop.sound, whole, model.refused)


def _measure(shop: _Shop, dimensions: tuple[Dimension, ...], goes_on: Callable[[int], bool]) -> _Model | None:
    """How the margins answer, measured on the real assembly; None when it is given up."""
    names = (*shop.sound, "put together")
    up, down = np.zeros((len(dimensions), len(names))), np.zeros((len(dimensions), len(names)))
    refused: list[str] = []
    for k, dimension in enumerate(dimensions):
        if not goes_on(k):
            return None
        up[k] = shop.answer(dimension, dimension.sigma)
        if shop.assembly.foldings or np.abs(up[k]).max(initial=0.0) >= NOTHING_MM:
            down[k] = shop.answer(dimension, -dimension.sigma)
        if min(up[k, -1], down[k, -1]) < 0:
            refused.append(dimension.name)
    return _Model(dimensions, names, np.array([*shop.sound.values(), 1.0]), up, down, tuple(refused))


def _interval(free: float, builds: int, unlike: int, whole: int) -> tuple[float, float]:
    """The 95 % interval of a share that was reckoned for all builds and put right by those of the ``whole`` ones that were ``unlike``:
    Wilson's, for as many builds as would leave as much in doubt (the doubt of the ones unlike is that of a beta distribution)."""
    if not whole:
        return wilson_interval(free, builds)
    doubt = free * (1 - free) / builds + (unlike + 1) * (whole - unlike + 1) / ((whole + 2) ** 2 * (whole + 3))
    spread = max(free * (1 - free), 1 / (4 * whole))
    return wilson_interval(free, max(whole, min(builds, round(spread / doubt))))


def wilson_interval(share: float, count: int) -> tuple[float, float]:
    """The 95 % score interval of a share (E. B. Wilson, 1927).

    >>> [round(v, 3) for v in wilson_interval(0.5, 100)]
    [0.404, 0.596]
    """
    z2 = Z95**2 / count
    middle, half = (share + z2 / 2) / (1 + z2), Z95 * math.sqrt(share * (1 - share) / count + z2 / (4 * count)) / (1 + z2)
    return max(0.0, middle - half), min(1.0, middle + half)


def _find_spoilers(errors: Array, margins: Array, model: _Model) -> tuple[Spoiler, ...]:
    """Of every build that does not run: the dimension that took most from its worst margin."""
    if not len(margins) or not len(model.dimensions):
        return ()
    worst = margins.argmin(axis=1)
    taken = np.where(errors > 0, errors * model.up.T[worst], -errors * model.down.T[worst])
    blame = np.bincount(taken.argmin(axis=1), minlength=len(model.dimensions)) / len(worst)
    order = np.argsort(-blame)
    return tuple(Spoiler(model.dimensions[k].name, float(blame[k])) for k in order[:5] if blame[k] > 0.005)


def _suggest(
    design: Design, catalog: Catalog, ways: list[tuple[str, float, Array]], margins: Array, targets: tuple[tuple[float, float], ...]
) -> tuple[Suggestion, ...]:
    """The least change of one measure with which each target is met by the same builds, and which blocks nothing.

    ``targets`` are what is wanted, and what must be reckoned for it; ``ways`` are measures, the sign of the change,
    and what each margin gains by a millimetre of it.
    """
    blocked = {f.key for f in run_checks(Examination(build_assembly(design, catalog), catalog, design.ways, steps=STEPS)) if f.severity == "block"}
    told = []
    for target, wanted in targets:
        reached = []
        for dimension, sign, gain in ways:
            amount = next((a for a in CHANGES_MM if float((margins + gain * a > NOTHING_MM).all(axis=1).mean()) >= wanted), None)
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
