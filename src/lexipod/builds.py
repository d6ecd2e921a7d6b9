"""Builds as a hand makes them: every measure a little off, many times over, and how many of them run free.

Each decided measure gets an error from the way it is made. How each margin (a gap, the travel up to a stop, the length of a guide)
answers to each error is measured once on the real assembly, up and down; the builds then are one product of matrices.
Source: error propagation by finite differences, Monte Carlo; the interval is Wilson's score interval (published). The errors
themselves are our own judgement, about half of the gap that moving edges are given by each way of cutting; nobody measured them.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from lexipod.assembly import Guided, SpinsFree
from lexipod.catalog import Catalog
from lexipod.checks import Examination, run_checks
from lexipod.checks.fold_space import PIERCED_MM, find_pairs, pierced_depth, spin_gaps
from lexipod.checks.forces import guided_lengths
from lexipod.design import Cutting, Design, number_of
from lexipod.errors import LexipodError
from lexipod.geometry.frames import Array
from lexipod.mechanics import least_guide_mm
from lexipod.recipes import Parameter, build_assembly, find_recipe

STEPS = 25
TARGETS = (0.95, 0.99)
CHANGES_MM = tuple(round(0.1 * k, 1) for k in range(1, 31))
MOST_TRIED = 6
Z95 = 1.959964


@dataclass(frozen=True, slots=True)
class Accuracy:
    """Standard deviations of what hands and tools do: a cut edge and a place found by eye (mm), an angle (degrees), a counted ply
    none. ``reason`` says whose they are."""

    cut_mm: float
    place_mm: float
    angle_deg: float
    reason: str


ACCURACIES: Mapping[Cutting, Accuracy] = {
    "hand": Accuracy(0.25, 0.4, 0.6, "knife and ruler, glued by eye"),
    "trimmer": Accuracy(0.2, 0.35, 0.5, "a trimmer's stop, glued by eye"),
    "die": Accuracy(0.08, 0.3, 0.4, "steel dies, glued by eye"),
    "plotter": Accuracy(0.1, 0.25, 0.3, "a cutting plotter, glued on its drawn places"),
}
"""By the maker's way of cutting (our own judgement, no source)."""


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
    """Builds the design many times over. ``only`` names the dimensions (“m1.rail_gap”) that have errors; all where it is empty.

    The same seed gives the same answer. ``is_current`` may return False to give up: then there is none.
    """
    accuracy = accuracy or ACCURACIES[design.ways.cutting]
    sound = margins_of(design, catalog)
    names = list(sound)
    start = np.array([sound[n] for n in names])
    dimensions = {d: s for d, s in find_dimensions(design, accuracy).items() if s > 0 and (not only or d in only)}
    up, down = np.zeros((len(dimensions), len(names))), np.zeros((len(dimensions), len(names)))
    for k, (dimension, sigma) in enumerate(dimensions.items()):
        if not is_current():
            return None
        answers = [_margins_with(design, catalog, dimension, sign * sigma) for sign in (1.0, -1.0)]
        more, less = (None if a is None else np.array([a.get(n, sound[n]) - sound[n] for n in names]) for a in answers)
        # Where such a build cannot be tried (a limit, a part that vanishes), it answers as the other way, turned round.
        up[k] = more if more is not None else 0.0 if less is None else -less
        down[k] = less if less is not None else 0.0 if more is None else -more
    rng = np.random.default_rng(seed)
    errors = rng.standard_normal((builds, len(dimensions)))
    parts = np.where(errors[:, :, None] > 0, errors[:, :, None] * up[None], -errors[:, :, None] * down[None])
    margins = start + parts.sum(axis=1)
    runs = (margins >= 0).all(axis=1) if names else np.ones(builds, dtype=bool)
    free = float(runs.mean())
    spoilers = _find_spoilers(parts[~runs], margins[~runs], list(dimensions))
    ways = [(d, 1.0, up[k] / s) for k, (d, s) in enumerate(dimensions.items())] + [
        (d, -1.0, down[k] / s) for k, (d, s) in enumerate(dimensions.items())
    ]
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


def find_dimensions(design: Design, accuracy: Accuracy) -> dict[str, float]:
    """Every measure that a build has an error in, with its standard deviation (mm or degrees)."""
    found: dict[str, float] = {}
    for mechanism in design.mechanisms:
        for parameter in find_recipe(mechanism.recipe).parameters:
            for name, sigma in _errors(parameter, accuracy):
                found[f"{mechanism.id}.{name}"] = sigma
    return found


def _errors(parameter: Parameter, accuracy: Accuracy) -> list[tuple[str, float]]:
    if parameter.kind == "length":
        return [(parameter.name, accuracy.cut_mm)]
    if parameter.kind == "point":
        return [(f"{parameter.name}.x", accuracy.place_mm), (f"{parameter.name}.y", accuracy.place_mm)]
    return [(parameter.name, accuracy.angle_deg)] if parameter.kind == "angle" else []


def _changed(design: Design, dimension: str, error: float) -> tuple[Design, float] | None:
    """The design with one measure off, and that measure; None where it is left out or leaves its limits."""
    mechanism_id, _, name = dimension.partition(".")
    mechanism = design.find_mechanism(mechanism_id)
    assert mechanism is not None
    value = number_of(mechanism.parameters, name)
    parameter = find_recipe(mechanism.recipe).find_parameter(name.partition(".")[0])
    if value == 0 or not parameter.minimum <= value + error <= parameter.maximum:
        return None
    return design.with_parameters(mechanism_id, {name: value + error}), value + error


def _margins_with(design: Design, catalog: Catalog, dimension: str, error: float) -> dict[str, float] | None:
    """The margins with one measure off; None where such a build cannot be."""
    changed = _changed(design, dimension, error)
    try:
        return None if changed is None else margins_of(changed[0], catalog)
    except (LexipodError, ValueError):
        return None


def margins_of(design: Design, catalog: Catalog) -> dict[str, float]:
    """What must stay above 0 for the card to run: gaps, the way to both stops, guides, air round what spins, panels kept apart."""
    examination = Examination(build_assembly(design, catalog), catalog, design.ways, steps=STEPS)
    margins: dict[str, float] = {}
    for clearance in examination.clearances:
        if clearance.kind != "stop":
            _keep_worst(margins, f"{clearance.a} – {clearance.b}", clearance.minimum_mm)
    for drive in examination.drives:
        if drive.endless:
            continue
        free, (low, high) = examination.free_range(drive.mechanism), sorted((drive.rest, drive.end))
        margins[f"{drive.mechanism} to its first stop"] = low - free.low.at
        margins[f"{drive.mechanism} to its last stop"] = free.high.at - high
    for need in examination.assembly.needs:
        if isinstance(need, Guided):
            inside, _ = guided_lengths(examination, need)
            _keep_worst(margins, f"{need.part} guided", float(inside.min()) - least_guide_mm(design.ways.friction, need.offset_mm))
    for folding in examination.assembly.foldings:
        margins |= _fold_margins(examination, folding.mechanism)
    return margins


def _keep_worst(margins: dict[str, float], name: str, value: float) -> None:
    """One pair may be met by several drives, one part guided twice: the worst counts."""
    margins[name] = min(value, margins.get(name, math.inf))


def _fold_margins(examination: Examination, mechanism: str) -> dict[str, float]:
    track = examination.fold_track(mechanism)
    folding, margins = track.folding, dict[str, float]()
    span = abs(folding.drive.end - folding.drive.rest)
    opened = np.abs(track.travel[track.reached] - folding.drive.rest).max(initial=0.0)
    margins[f"{mechanism} opens"] = 1.0 if track.reached.all() else float(opened - span)
    for need in folding.needs:
        if isinstance(need, SpinsFree):
            margins[need.id] = float(spin_gaps(examination, need)[0].min())
    for a, b in find_pairs(folding):
        depth = float(pierced_depth(a, b, track.frames[a.id], track.frames[b.id], folding).max())
        margins[f"{a.id} – {b.id}"] = PIERCED_MM - depth
    return margins


def _find_spoilers(parts: Array, margins: Array, dimensions: list[str]) -> tuple[Spoiler, ...]:
    """Of every build that does not run: the measure that took most from its worst margin."""
    if not len(margins):
        return ()
    worst = margins.argmin(axis=1)
    taken = parts[np.arange(len(worst)), :, worst]
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
            changed = _changed(design, dimension, sign * amount)
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


__all__ = [
    "ACCURACIES",
    "Accuracy",
    "BuildYield",
    "Spoiler",
    "Suggestion",
    "find_dimensions",
    "margins_of",
    "simulate_builds",
    "wilson_interval",
]
