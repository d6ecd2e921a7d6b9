"""An opening set to a punch or die that the maker owns: the measures of the card that make it as large as the tool cuts.

How the opening answers to a millimetre of each length is found on the real assembly; what is proposed is built and measured again.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lexipod.building import build_assembly
from lexipod.catalog import Catalog, Punch
from lexipod.design import Design, number_of
from lexipod.editing.change import change_design
from lexipod.errors import LexipodError
from lexipod.fabricate.cutlist import CutRow, cut_list, punched_sizes
from lexipod.geometry.frames import Array
from lexipod.recipes import find_recipe

STEP_MM = 0.5
MOST_STEPS = 3
NEAR_MM = 0.05
"""So near to the punch is as large as the punch: a drawn circle is chords."""
ROUGH_MM = 0.3
LEAST_DETERMINANT = 0.05
MOST_TIMES = 4.0
"""A measure of which the opening takes less than a quarter is not the opening's."""

Settings = dict[str, float]
Group = tuple[str, ...]
"""Lengths that are changed by the same: one, or the width and the height of what is as wide as high."""


def fit_to_punch(design: Design, catalog: Catalog, part: str, name: str, punch: Punch) -> tuple[Design, Settings]:
    """The design in which an opening of a piece (or the round piece itself) is as large as a punch cuts, and the measures that were set
    for that: those that change the fewest other pieces. ``LexipodError`` where no measure of the card sets it."""
    rows = cut_list(build_assembly(design, catalog), catalog)
    size = _size(rows, part, name)
    if size is None:
        raise LexipodError(f"there is no {name} in that piece any more")
    wanted = np.array([punch.width_mm, punch.height_mm])
    values = dict(_lengths(design))
    answers: dict[Group, Array] = {}
    for group in _groups(values):
        stepped = _built(design, catalog, {setting: values[setting] + STEP_MM for setting in group})
        after = None if stepped is None else _size(stepped[1], part, name)
        if after is not None and np.abs(after - size).max() >= STEP_MM / MOST_TIMES:
            answers[group] = (after - size) / STEP_MM
    found: list[tuple[int, Design, Settings]] = []
    for steps in _candidates(answers, wanted - size):
        for _ in range(MOST_STEPS):
            settings = {setting: round(values[setting] + step, 4) for group, step in steps.items() for setting in group}
            made = _built(design, catalog, settings)
            now = None if made is None else _size(made[1], part, name)
            if made is None or now is None:
                break
            if np.abs(now - wanted).max() <= NEAR_MM:
                found.append((_changed(rows, made[1]), made[0], settings))
                break
            more = np.linalg.lstsq(np.column_stack([answers[group] for group in steps]), wanted - now, rcond=None)[0]
            steps = {group: step + float(by) for (group, step), by in zip(steps.items(), more, strict=True)}
    if not found:
        raise LexipodError(f"no measure of this card makes {_named(name)} as large as the {punch.name}, with all else as it is")
    _, design, settings = min(found, key=lambda row: row[0])
    return design, settings


def _named(name: str) -> str:
    return name if name.startswith("the ") else f"the {name}"


def _built(design: Design, catalog: Catalog, settings: Settings) -> tuple[Design, tuple[CutRow, ...]] | None:
    """The design with some measures set, and its pieces; None where it is refused."""
    try:
        made = change_design(design, catalog, settings, by_hand=True)
        return made, cut_list(build_assembly(made, catalog), catalog)
    except LexipodError:
        return None


def _lengths(design: Design) -> Iterator[tuple[str, float]]:
    """Every length of every mechanism, as it is set by name."""
    for mechanism in design.mechanisms:
        for parameter in find_recipe(mechanism.recipe).parameters:
            if parameter.kind == "length" and parameter.name in mechanism.parameters:
                yield f"{mechanism.id}.{parameter.name}", number_of(mechanism.parameters, parameter.name)


def _size(rows: tuple[CutRow, ...], part: str, name: str) -> Array | None:
    """Width and height (mm) of an opening of a piece."""
    row = next((r for r in rows if part in r.parts), None)
    found = [] if row is None else [np.array([w, h]) for n, w, h, _ in punched_sizes(row.openings, row.measure) if n == name]
    return max(found, key=lambda s: float(s.sum())) if found else None


def _groups(values: Settings) -> Iterator[Group]:
    for name, value in values.items():
        yield (name,)
        other = name.replace("width", "height")
        if other != name and other in values and abs(values[other] - value) < NEAR_MM:
            yield name, other


def _candidates(answers: dict[Group, Array], missing: Array) -> Iterator[dict[Group, float]]:
    """By how much one length, or two of them, would make the opening as large as wanted if it answers evenly."""
    for group, answer in answers.items():
        step = float(answer @ missing) / float(answer @ answer)
        if np.abs(answer * step - missing).max() <= ROUGH_MM:
            yield {group: step}
    for a, first in answers.items():
        for b, second in answers.items():
            matrix = np.column_stack([first, second])
            if a < b and not set(a) & set(b) and abs(float(np.linalg.det(matrix))) > LEAST_DETERMINANT:
                steps = np.linalg.solve(matrix, missing)
                if np.abs(steps).min() > NEAR_MM:
                    yield {a: float(steps[0]), b: float(steps[1])}


def _changed(before: tuple[CutRow, ...], after: tuple[CutRow, ...]) -> int:
    """How many pieces are cut differently."""
    outlines = {r.name: r for r in before}
    same = [r for r in after if (old := outlines.get(r.name)) is not None and _alike(old, r)]
    return len(after) - len(same) + abs(len(before) - len(after))


def _alike(one: CutRow, other: CutRow) -> bool:
    if one.outline is None or other.outline is None:
        return one.measure == other.measure
    return one.outline.shape == other.outline.shape and bool(np.allclose(one.outline, other.outline, atol=NEAR_MM))


__all__ = ["fit_to_punch"]
