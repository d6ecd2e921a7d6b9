"""Cures for two mechanisms in each other's way: one moved along the gutter or on the face, both sized to share it, one taken off."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from lexipod.building import site_for
from lexipod.building.card import own_site
from lexipod.checks.finding import Finding, Remedy
from lexipod.cures.clinic import MOST_REMEDIES, Clinic, Ranked
from lexipod.design import Mechanism, number_of
from lexipod.editing.change import change_design, own_values
from lexipod.errors import LexipodError
from lexipod.recipes import find_recipe
from lexipod.units.quantities import Value

GUTTER_MM = (5.0, 10.0, 15.0, 20.0, 30.0, 40.0, 60.0, 80.0)
FACE_MM = (10.0, 20.0, 30.0, 45.0, 60.0, 80.0)
WAYS = {"to the right": (1.0, 0.0), "to the left": (-1.0, 0.0), "up": (0.0, 1.0), "down": (0.0, -1.0)}
APART_MM = 2.0
"""What is left between two that share the gutter."""


@dataclass(frozen=True, slots=True)
class _Try:
    """Settings that may cure; several of one ``kind`` are ever larger, and the first that cures is enough."""

    kind: str
    label: str
    settings: dict[str, Value]


def find_company_remedies(clinic: Clinic, finding: Finding) -> Iterator[Ranked]:
    """What gets two mechanisms out of each other's way: of each kind the first that cures and spoils nothing."""
    if not finding.need.startswith("beside "):
        return
    pair = [clinic.design.find_mechanism(m) for m in (finding.mechanism, finding.need.removeprefix("beside "))]
    mechanisms = [m for m in pair if m is not None]
    done: set[str] = set()
    for order, attempt in enumerate(_attempts(clinic, mechanisms)):
        if len(done) >= MOST_REMEDIES or not clinic.is_current():
            return
        if attempt.kind in done:
            continue
        try:
            changed = change_design(clinic.design, clinic.catalog, attempt.settings)
        except (LexipodError, ValueError):
            continue
        if clinic.missing(changed, finding)[0] > 0:
            continue
        trial = clinic.judge(changed, finding)
        if trial.is_cured and not trial.new_block:
            done.add(attempt.kind)
            yield (1 if trial.new_warnings else 0, order / 1000), Remedy(attempt.label, attempt.settings, None)


def _attempts(clinic: Clinic, mechanisms: list[Mechanism]) -> Iterator[_Try]:
    inside = [m for m in mechanisms if find_recipe(m.recipe).along]
    for mechanism in reversed(mechanisms):
        yield from _along_gutter(clinic, mechanism) if mechanism in inside else _on_face(clinic, mechanism)
    if len(inside) == 2:
        yield from _shared(clinic, inside[0], inside[1])
        yield from _shared(clinic, inside[1], inside[0])
    for mechanism in reversed(mechanisms):
        yield _Try(f"off {mechanism.id}", f"Leave the {find_recipe(mechanism.recipe).name} out", {f"mechanism.{mechanism.id}": "none"})


def _along_gutter(clinic: Clinic, mechanism: Mechanism) -> Iterator[_Try]:
    recipe, length = find_recipe(mechanism.recipe), clinic.examine(clinic.design).style.length
    at = number_of(dict(mechanism.parameters), recipe.along)
    for way, sign in (("up", 1.0), ("down", -1.0)):
        for amount in GUTTER_MM:
            if at + sign * amount >= 0:
                label = f"Move the {recipe.name} {length(amount)} {way} along the gutter"
                yield _Try(f"{way} {mechanism.id}", label, {f"{mechanism.id}.{recipe.along}": round(at + sign * amount, 4)})


def _on_face(clinic: Clinic, mechanism: Mechanism) -> Iterator[_Try]:
    recipe, length = find_recipe(mechanism.recipe), clinic.examine(clinic.design).style.length
    if recipe.makes != "face":
        return
    for way, (x, y) in WAYS.items():
        for amount in FACE_MM:
            place = (round(mechanism.shift[0] + x * amount, 4), round(mechanism.shift[1] + y * amount, 4))
            yield _Try(f"{way} {mechanism.id}", f"Move the whole {recipe.name} {length(amount)} {way}", {f"{mechanism.id}.shift": place})


def _shared(clinic: Clinic, lower: Mechanism, upper: Mechanism) -> Iterator[_Try]:
    """Both sized anew, each for its half of the gutter."""
    settings: dict[str, Value] = {}
    for mechanism, is_upper in ((lower, False), (upper, True)):
        recipe = find_recipe(mechanism.recipe)
        site = own_site(site_for(clinic.design, clinic.catalog), mechanism)
        upright = site.card.fold == "left"
        gutter = site.card.height_mm if upright else site.card.width_mm
        half = gutter / 2 - APART_MM / 2
        card = replace(site.card, height_mm=half) if upright else replace(site.card, width_mm=half)
        try:
            values = own_values(recipe, replace(site, card=card), mechanism)
        except (LexipodError, ValueError):
            return
        for name, value in values.items():
            base, _, axis = recipe.along.partition(".")
            if name == base and is_upper:
                grid = site.grid_mm
                start = -(-(half + APART_MM) // grid) * grid
                if isinstance(value, tuple):
                    value = (value[0] + (start if axis == "x" else 0.0), value[1] + (start if axis == "y" else 0.0))
                elif isinstance(value, int | float):
                    value = value + start
            if mechanism.parameters.get(name) != value:
                settings[f"{mechanism.id}.{name}"] = value
    names = [find_recipe(m.recipe).name for m in (lower, upper)]
    yield _Try("shared", f"Let both share the gutter: the {names[0]} below, the {names[1]} above, sized to fit", settings)


__all__ = ["find_company_remedies"]
