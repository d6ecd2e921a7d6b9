"""A search for other measures round a wish, where neither sizing anew nor cures help.

A few measures are set away from what the recipe would give them, and the recipe sizes the rest round these and the wish; so all that is
tried hangs together. First each measure is moved alone, then the best of these are moved further, two or three at once, always from the
best that is known (an evolution strategy of one parent and one child, H.-P. Schwefel, Evolution and Optimum Seeking, 1995, from memory;
with a fixed seed, so that the same card gets the same answer). At last what was moved in vain is taken back.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import chain

import numpy as np

from lexipod.building import build_assembly, resolve_parameters, site_for
from lexipod.building.card import own_site
from lexipod.catalog import Catalog
from lexipod.checks import Examination, Finding
from lexipod.checks.examination import COARSE_STEPS, FINE_STEPS
from lexipod.checks.table import NEVER_BLOCKING, each_finding
from lexipod.design import Design
from lexipod.errors import LexipodError
from lexipod.recipes import Parameter, Recipe, find_recipe
from lexipod.recipes.kit.parameters import Values
from lexipod.units.quantities import Value

LEFT_ALONE = ("opening", "clearance", "bearing", "hole", "overlap")
"""Measures that are no room to be won: how far the card opens, what fits its brad, and the play that the maker wants."""
SURVEYED = (0.12, -0.12, 0.35, -0.35)
"""So much more and less of each measure is tried first."""
LEAST_SCALE = 4.0
POINT_SCALE = 40.0
"""A measure is moved by parts of itself, but of 4 (mm, degrees) at least; a place by parts of 40 mm."""
REFUSED = float("inf")


@dataclass(slots=True)
class Search:
    """A search for a free card that keeps some measures of one mechanism, for so many ``seconds`` at most.

    ``moved`` are the measures that were set away from what the recipe gives them, in the best that was found by now.
    """

    design: Design
    catalog: Catalog
    mechanism_id: str
    kept: Values
    seconds: float
    is_current: Callable[[], bool] = lambda: True
    moved: Values = field(default_factory=dict)
    _seen: dict[tuple[tuple[str, Value], ...], float] = field(default_factory=dict)
    _found: dict[tuple[tuple[str, Value], ...], tuple[Finding, ...]] = field(default_factory=dict)
    _levers: set[str] = field(default_factory=set)
    """What the recipe would pull against something that was found."""
    _least: float = REFUSED
    _tries: int = 0
    _until: float = 0.0
    _blocking: tuple[str, ...] = ()
    """Rules that block in the first card that could be built: they are asked first, since they mostly decide."""

    def find(self, tries: int, start: Values | None = None) -> Design | None:
        """A design in which nothing blocks, found from measures that were moved before (``start``) or from what the recipe gives; None where none
        was found."""
        self._seen.clear()
        self._found.clear()
        self._tries, self._until = tries, time.monotonic() + self.seconds
        rng = np.random.default_rng(1)
        self.moved = {}
        self._least = self._worth({}, REFUSED)
        if start and (before := self._worth(start, self._least)) < self._least:
            self.moved, self._least = dict(start), before
        base = self._values(self.moved)
        names = sorted((p for p in self.recipe.parameters if self._may_move(p, base)), key=lambda p: p.name not in self._levers)
        helpful = {p.name: 3.0 if p.name in self._levers else 1.0 for p in names}
        if base is not None and not start:
            self._survey(base, names, helpful, rng)
        self._climb(base or {}, names, helpful, rng)
        if self._least > 0.0:
            return None
        for moved in (self._taken_back(self.moved), self.moved):
            if self._judged(moved, 0.0, steps=FINE_STEPS) == 0.0:
                self.moved = moved
                return self._design(moved)
        return None

    @property
    def blocks(self) -> tuple[Finding, ...]:
        """What blocks in the best that was found by now."""
        return self._found.get(_key(self.moved), ())

    def _goes_on(self) -> bool:
        self._tries -= 1
        return self._least > 0.0 and self._tries >= 0 and self.is_current() and time.monotonic() < self._until

    def _survey(self, base: Values, names: list[Parameter], helpful: dict[str, float], rng: np.random.Generator) -> None:
        """Moves each measure alone, and notes how much that helps."""
        first = self._least
        for part in SURVEYED:
            for parameter in names:
                if not self._goes_on():
                    return
                tried = {parameter.name: _shifted(parameter, base[parameter.name], part, rng)}
                worth = self._worth(tried, first)
                if worth < first:
                    helpful[parameter.name] += 4.0 * (1.0 if first == REFUSED else (first - worth) / first)
                if worth < self._least:
                    self.moved, self._least = tried, worth

    def _climb(self, base: Values, names: list[Parameter], helpful: dict[str, float], rng: np.random.Generator) -> None:
        """Moves some measures at once, those that helped before sooner, and goes on from what is no worse."""
        spread = 0.15
        while names and self._goes_on():
            values = self._values(self.moved) or base
            weights = np.array([helpful[p.name] for p in names])
            tried = dict(self.moved)
            for k in rng.choice(len(names), size=min(len(names), int(rng.integers(1, 4))), replace=False, p=weights / weights.sum()):
                if names[k].name in values:
                    tried[names[k].name] = _shifted(names[k], values[names[k].name], spread * float(rng.normal()), rng)
            worth = self._worth(tried, self._least)
            if worth > self._least or worth == REFUSED:
                spread = max(0.02, spread * 0.96)
                continue
            if worth < self._least:
                spread = min(0.4, spread * 1.3)
                for name in (n for n in tried if tried[n] != self.moved.get(n)):
                    helpful[name] += 1.0
            self.moved, self._least = tried, worth

    @property
    def recipe(self) -> Recipe:
        """The recipe of the mechanism."""
        mechanism = self.design.find_mechanism(self.mechanism_id)
        assert mechanism is not None
        return find_recipe(mechanism.recipe)

    def _may_move(self, parameter: Parameter, values: Values | None) -> bool:
        if parameter.name in self.kept or parameter.name in LEFT_ALONE or parameter.kind not in ("length", "angle", "count", "point"):
            return False
        value = None if values is None else values.get(parameter.name)
        return isinstance(value, int | float | tuple) and not isinstance(value, bool)

    def _values(self, moved: Values) -> Values | None:
        mechanism = self.design.find_mechanism(self.mechanism_id)
        assert mechanism is not None
        try:
            return resolve_parameters(self.recipe, own_site(site_for(self.design, self.catalog), mechanism), {**moved, **self.kept})
        except (LexipodError, ValueError):
            return None

    def _design(self, moved: Values) -> Design | None:
        values = self._values(moved)
        return None if values is None else self.design.with_parameters(self.mechanism_id, values)

    def _worth(self, moved: Values, enough: float) -> float:
        """0 where nothing blocks, more the more that does, infinite where it cannot be built; not looked further at than to ``enough``."""
        key = _key(moved)
        if key not in self._seen:
            self._seen[key] = self._judged(moved, enough)
        return self._seen[key]

    def _judged(self, moved: Values, enough: float, *, steps: int = COARSE_STEPS) -> float:
        """As `_worth`, looked at as many positions as ``steps``; notes what blocks."""
        design = self._design(moved)
        if design is None:
            return REFUSED
        worth = 0.0
        try:
            examination = Examination(build_assembly(design, self.catalog), self.catalog, design.ways, steps=steps)
            first = each_finding(examination, rules=self._blocking)
            blocks: list[Finding] = []
            for found in chain(first, each_finding(examination, without=(*NEVER_BLOCKING, *self._blocking))):
                if found.severity == "block":
                    blocks.append(found)
                    worth += 1.0 + found.missing / (10.0 + found.missing)
                    if worth > enough:
                        break
        except (LexipodError, ValueError):
            return REFUSED
        rules = tuple(dict.fromkeys(f.rule for f in blocks))
        self._found[_key(moved)] = tuple(blocks)
        self._blocking = self._blocking or rules
        self._levers |= {name for rule in rules for lever in self.recipe.levers.get(rule, ()) for name in lever.gains}
        return worth

    def _taken_back(self, moved: Values) -> Values:
        """What was moved, as little of it as will do: each measure is given back to the recipe, or else brought half the way back."""
        for name in list(moved):
            less = {n: v for n, v in moved.items() if n != name}
            if self._worth(less, 0.0) == 0.0:
                moved = less
                continue
            usual, value = (self._values(less) or {}).get(name), moved[name]
            if isinstance(usual, float) and isinstance(value, float):
                halfway = {**moved, name: round((usual + value) / 2, 2)}
                moved = halfway if self._worth(halfway, 0.0) == 0.0 else moved
        return moved


def _key(moved: Values) -> tuple[tuple[str, Value], ...]:
    return tuple(sorted(moved.items()))


def _shifted(parameter: Parameter, value: Value, part: float, rng: np.random.Generator) -> Value:
    """A measure more by a part of itself, within its limits; a place is moved by a part of 40 mm into any direction."""
    if isinstance(value, tuple):
        way = float(rng.uniform(0.0, 2.0 * np.pi))
        return round(value[0] + POINT_SCALE * part * np.cos(way), 2), round(value[1] + POINT_SCALE * part * np.sin(way), 2)
    assert not isinstance(value, str)
    shifted = value + part * max(abs(value), LEAST_SCALE)
    if parameter.kind == "count":
        shifted = value + (1 if part > 0 else -1) * max(1, round(abs(part) * value))
    shifted = min(max(shifted, parameter.minimum), parameter.maximum)
    return round(shifted) if parameter.kind == "count" else round(shifted, 2)


__all__ = ["Search"]
