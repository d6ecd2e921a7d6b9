"""Wishes drawn at random, and a search for a card that grants them.

Shares with the program how a given card is built and checked; not how it is sized, cured, or how far a wish is said to go.
"""

from __future__ import annotations

from dataclasses import dataclass

import msgspec

from lexipod.building import build_assembly
from lexipod.checks import Examination, run_checks
from lexipod.checks.examination import COARSE_STEPS, FINE_STEPS
from lexipod.checks.table import NEVER_BLOCKING
from lexipod.design import Card, Design
from lexipod.editing.change import change_design
from lexipod.errors import LexipodError
from lexipod.fitting import grant_wishes
from lexipod.recipes import find_recipe
from tests.zoo import CATALOG, FLAT, FOLDED, card_with

CARDS = ("na.a2", "na.a7", "iso.a6")
NUMERIC = ("length", "angle", "count")
TRIES = 160
GIVEN = ("opening", "clearance", "bearing", "hole", "overlap")
"""How far the card opens, what fits its brad, and the play that is wanted, are no room to be won."""
ENOUGH = {"length": 0.6, "angle": 1.5, "count": 0.5}
"""So much more than the limit that was told is clearly more (mm, degrees, one): twice as closely as limits are looked for."""


@dataclass(frozen=True)
class Drawn:
    """One measure of a mechanism that was set by hand until something blocked."""

    design: Design
    recipe: str
    name: str
    before: float
    wanted: float

    def __str__(self) -> str:
        return f"{self.recipe} on {self.design.card.size}: {self.name} {self.before:g} → {self.wanted:g}"


def blocks_of(design, steps=COARSE_STEPS):
    """What blocks on the whole card; None where it cannot be built."""
    try:
        examination = Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=steps)
        return [f for f in run_checks(examination, without=NEVER_BLOCKING) if f.severity == "block"]
    except (LexipodError, ValueError):
        return None


def draw_wish(rng, recipes=(*FLAT, *FOLDED)):
    """A default card with one measure set by hand so far that something blocks; None where none can be."""
    recipe = find_recipe(str(rng.choice(recipes)))
    try:
        design = card_with(recipe.id, Card(size=str(rng.choice(CARDS))))
    except LexipodError:
        return None
    numeric = [p for p in recipe.parameters if p.kind in NUMERIC and isinstance(design.mechanisms[0].parameters[p.name], int | float)]
    parameter = numeric[int(rng.integers(len(numeric)))]
    before = float(design.mechanisms[0].parameters[parameter.name])
    wanted = before * float(rng.choice([0.6, 0.8, 1.25, 1.6]))
    wanted = min(max(round(wanted) if parameter.kind == "count" else round(wanted, 2), parameter.minimum), parameter.maximum)
    if wanted == before:
        return None
    try:
        changed = change_design(design, CATALOG, {parameter.name: int(wanted) if parameter.kind == "count" else wanted}, mechanism="m1")
    except LexipodError:
        return None
    (mechanism,) = changed.mechanisms
    decided = msgspec.structs.replace(changed, mechanisms=(msgspec.structs.replace(mechanism, decided=(parameter.name,)),))
    return Drawn(decided, recipe.id, parameter.name, before, wanted) if blocks_of(changed) else None


def judge_wish(wish, rng, tries=TRIES):
    """What the program says of a wish, and whether the search bears it out: kept, refused (nothing is told), stands, disproved, or
    more (of it can be had than was found); or not free, where what it offers is not, and broken, where the wish is not in what it offers."""
    findings = run_checks(Examination(build_assembly(wish.design, CATALOG), CATALOG, wish.design.ways, steps=COARSE_STEPS))
    granted = grant_wishes(wish.design, CATALOG, findings).get("m1")
    if granted is None:
        return "refused", "nothing is told"
    if granted.remedy is not None:
        offered = change_design(wish.design, CATALOG, granted.remedy.set, mechanism="m1")
        if abs(float(offered.mechanisms[0].parameters[wish.name]) - wish.wanted) > 1e-6:
            return "broken", granted.remedy.label
        left = blocks_of(offered, FINE_STEPS)  # as closely as a check looks
        return ("kept", granted.remedy.label) if left == [] else ("not free", granted.remedy.label)
    kind = find_recipe(wish.recipe).find_parameter(wish.name).kind
    found = search(wish.design, wish.name, rng, tries)
    if found is not None:
        return "disproved", f"“{granted.limit}” but {found}"
    most = dict(granted.most).get(wish.name)
    if most is not None and abs(most - wish.wanted) > 2 * ENOUGH[kind]:
        more = most + (ENOUGH[kind] + 0.1 * abs(wish.wanted - most)) * (1 if wish.wanted > most else -1)
        more = round(more) if kind == "count" else round(more, 2)
        if kind != "count" or (more != most and more != wish.wanted):
            found = search(wish.design.with_parameters("m1", {wish.name: more}), wish.name, rng, tries)
            if found is not None:
                return "more", f"“{granted.limit}” but {more:g} with {found}"
    return "stands", granted.limit


def search(design, kept, rng, tries=TRIES):
    """Other measures with which the whole card is free, as what was changed; None where none was found."""
    recipe = find_recipe(design.mechanisms[0].recipe)
    names = [p for p in recipe.parameters if p.kind in (*NUMERIC, "point") and p.name != kept and p.name not in (*recipe.shaping, *GIVEN)]
    start = design.mechanisms[0].parameters
    names = [p for p in names if isinstance(start[p.name], int | float | tuple) and not isinstance(start[p.name], bool)]
    best, worth = dict(start), _worth(design)
    spread = 0.15
    for _ in range(tries):
        if worth == 0.0:
            changed = [f"{p.name} {_told(start[p.name])} → {_told(best[p.name])}" for p in names if best[p.name] != start[p.name]]
            return ", ".join(changed)
        tried = dict(best)
        for k in rng.permutation(len(names))[: int(rng.integers(1, 4))]:
            tried[names[k].name] = _moved(names[k], best[names[k].name], spread, rng)
        new = _worth(design.with_parameters("m1", tried))
        if new <= worth:
            spread = min(0.5, spread * (1.4 if new < worth else 1.0))
            best, worth = tried, new
        else:
            spread = max(0.02, spread * 0.95)
    return None


def _moved(parameter, value, spread, rng):
    if parameter.kind == "point":
        return tuple(round(v + 60.0 * spread * float(rng.normal()), 2) for v in value)
    moved = value + max(abs(value), 4.0) * spread * float(rng.normal())
    moved = min(max(moved, parameter.minimum), parameter.maximum)
    if parameter.kind == "count":
        return round(moved) if rng.random() < 0.5 else int(min(max(value + rng.choice([-1, 1]), parameter.minimum), parameter.maximum))
    return round(moved, 2)


def _told(value):
    return "/".join(f"{v:g}" for v in value) if isinstance(value, tuple) else f"{value:g}"


def _worth(design):
    """0 where nothing blocks; the more blocks the larger, infinite where it cannot be built."""
    found = blocks_of(design)
    return float("inf") if found is None else sum(1.0 + f.missing / (10.0 + f.missing) for f in found)
