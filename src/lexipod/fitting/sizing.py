"""Fit for me: the free measures of a mechanism sized so that nothing blocks, with what the maker pinned kept as it is.

First the recipe sizes it for the card; what still blocks is cured by remedies that leave the pinned measures alone. Where that comes
to nothing, other measures are searched for; and where none are found, each pinned measure is let go in turn: the one that stands in the
way is named, with the nearest value for which a free card was found.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass

from lexipod.building import build_assembly, resolve_parameters, site_for
from lexipod.building.card import own_site
from lexipod.catalog import Catalog
from lexipod.checks import Examination, Finding, run_checks, verdict_of
from lexipod.checks.examination import COARSE_STEPS
from lexipod.checks.table import NEVER_BLOCKING, each_finding
from lexipod.cures.search import find_cure
from lexipod.design import Design, number_of
from lexipod.editing.change import change_design
from lexipod.errors import ChoiceError, LexipodError
from lexipod.fitting.searching import Search
from lexipod.fitting.widening import widen
from lexipod.recipes import Recipe, find_recipe
from lexipod.recipes.kit.parameters import Values
from lexipod.units.quantities import Value

MOST_CURES = 8
HALVINGS = 7
CLOSE = 0.3
"""A limit is told to so many millimetres or degrees."""
SEARCHED = 110
SEARCHED_NEARER = 30
"""So many cards are tried for a wish, and for each value between one that is free and the wish."""
SEARCH_SECONDS = 8.0
NEARER_SECONDS = 6.0


@dataclass(frozen=True, slots=True)
class Wish:
    """A pinned measure for which no free card was found: what was ``wanted``, and the nearest ``possible`` value that was found."""

    name: str
    wanted: float
    possible: float


@dataclass(frozen=True, slots=True)
class Fitted:
    """The fitted design, what changed in it (old and new values), what still blocks, and the wishes that are to blame."""

    design: Design
    changed: dict[str, tuple[Value, Value]]
    blocks: tuple[Finding, ...] = ()
    impossible: tuple[Wish, ...] = ()
    refusal: str = ""

    @property
    def is_free(self) -> bool:
        return not self.blocks and not self.refusal


def fit_design(
    design: Design,
    catalog: Catalog,
    mechanism_id: str,
    keep: Iterable[str] = (),
    *,
    widens: bool = True,
    mends: bool = True,
    explains: bool = True,
    is_current: Callable[[], bool] = lambda: True,
) -> Fitted:
    """Sizes a mechanism anew around the measures in ``keep``; halves of points are named whole. One that is free to move stays as it is. It
    ``widens`` the smallest margin as far as small changes of what is not kept allow. Where sizing and cures come to nothing it gives up,
    unless it ``explains``: then it searches, and where that finds nothing either, tells which wish is to blame. It need not look for cures
    (``mends``) where that came to nothing before.

    Raises ``ChoiceError`` for an unknown mechanism or measure. What cannot be fitted leaves the design as it was.
    """
    mechanism = design.find_mechanism(mechanism_id)
    if mechanism is None:
        raise ChoiceError("mechanism", mechanism_id, [m.id for m in design.mechanisms])
    recipe = find_recipe(mechanism.recipe)
    pinned = {name: mechanism.parameters[recipe.find_parameter(name).name] for name in keep}
    if verdict_of(f for f in _judge(design, catalog) if f.mechanism == mechanism_id) == "free":
        return Fitted(design, {})  # nobody asked for other measures
    shape = {name: mechanism.parameters[name] for name in recipe.shaping}
    made, blocks, refusal = _fit(design, catalog, mechanism_id, recipe, {**shape, **pinned}, frozenset(pinned), cures=0)
    if mends and (made is None or blocks):  # what is there, mended, keeps more of it than what is sized anew and mended
        least, left, _ = _mend(design, catalog, mechanism_id, frozenset(pinned), hastens=True)
        if least is not None and not left:
            made, blocks, refusal = least, (), ""
        elif made is not None:
            made, blocks, refusal = _mend(made, catalog, mechanism_id, frozenset(pinned))
    moved: Values = {}
    if explains and (made is None or blocks):
        search = Search(design, catalog, mechanism_id, {**shape, **pinned}, SEARCH_SECONDS, is_current)
        found = search.find(SEARCHED)
        if found is not None or search.blocks:  # where nothing was found, what still blocks in the best of what was tried
            made, blocks, refusal = found, search.blocks, ""
        moved = search.moved
    if made is not None and not blocks:
        if widens:
            made = widen(made, catalog, mechanism_id, pinned, is_current=is_current)
        before, after = mechanism.parameters, _values(made, mechanism_id)
        return Fitted(made, {n: (before[n], after[n]) for n in after if before[n] != after[n]})
    wishes = []
    for name, value in pinned.items() if explains else ():
        if not isinstance(value, int | float) or isinstance(value, bool) or not is_current():
            continue
        others = {n: v for n, v in pinned.items() if n != name}
        free, rest, _ = _fit(design, catalog, mechanism_id, recipe, {**shape, **others}, frozenset(others), cures=2)
        if free is None or rest:
            continue
        sound = number_of(_values(free, mechanism_id), name)
        nearest = _nearest(design, catalog, mechanism_id, recipe, {**shape, **pinned}, name, sound, moved, is_current)
        wishes.append(Wish(name, float(value), nearest))
    return Fitted(design, {}, blocks, tuple(wishes), refusal)


def _values(design: Design, mechanism_id: str) -> dict[str, Value]:
    mechanism = design.find_mechanism(mechanism_id)
    assert mechanism is not None
    return mechanism.parameters


def _fit(
    design: Design, catalog: Catalog, mechanism_id: str, recipe: Recipe, kept: Values, pinned: frozenset[str], *, cures: int = MOST_CURES
) -> tuple[Design | None, tuple[Finding, ...], str]:
    """The design sized and cured; what still blocks; why it was refused."""
    mechanism = design.find_mechanism(mechanism_id)
    assert mechanism is not None
    try:
        values = resolve_parameters(recipe, own_site(site_for(design, catalog), mechanism), kept)
    except (LexipodError, ValueError) as error:
        return None, (), str(error)
    return _mend(design.with_parameters(mechanism_id, values), catalog, mechanism_id, pinned, cures=cures)


def _mend(
    made: Design, catalog: Catalog, mechanism_id: str, pinned: frozenset[str], *, cures: int = MOST_CURES, hastens: bool = False
) -> tuple[Design | None, tuple[Finding, ...], str]:
    """The design with one cure after the other that leaves what is pinned alone; what still blocks; why it was refused. One that
    ``hastens`` gives up at the first thing that nothing cures."""
    seen: set[frozenset[tuple[object, float]]] = set()
    blocks: tuple[Finding, ...] = ()
    try:
        for done in range(cures + 1):
            findings = _judge(made, catalog)
            blocks = tuple(f for f in findings if f.severity == "block")
            still = frozenset((f.key, round(f.missing, 2)) for f in blocks)
            goes_round = still in seen  # one cure undoes another
            seen.add(still)
            mine = [f for f in blocks if f.mechanism == mechanism_id] if done < cures and not goes_round else []
            tried = mine[:1] if hastens else mine
            cure = next((c for f in tried if (c := find_cure(made, catalog, findings, f, pinned)) is not None), None)
            if cure is None:
                break
            made = change_design(made, catalog, cure.set, mechanism=mechanism_id)
    except (LexipodError, ValueError) as error:
        return None, (), str(error)
    return made, blocks, ""


def _judge(design: Design, catalog: Catalog) -> tuple[Finding, ...]:
    """What may block, looked at at few positions."""
    examination = Examination(build_assembly(design, catalog), catalog, design.ways, steps=COARSE_STEPS)
    return run_checks(examination, without=NEVER_BLOCKING)


def is_free(design: Design, catalog: Catalog) -> bool:
    """Whether nothing blocks on the whole card, looked at at few positions; it is not looked further than to the first thing that does."""
    examination = Examination(build_assembly(design, catalog), catalog, design.ways, steps=COARSE_STEPS)
    return not any(f.severity == "block" for f in each_finding(examination, without=NEVER_BLOCKING))


def _nearest(
    design: Design,
    catalog: Catalog,
    mechanism_id: str,
    recipe: Recipe,
    kept: Values,
    name: str,
    sound: float,
    moved: Values,
    is_current: Callable[[], bool],
) -> float:
    """The value between the wanted one and a sound one that lies nearest to the wanted one and for which a free card is found: as the
    recipe sizes it, or by a search from where the one before ended; the first from what was ``moved``."""
    wanted = kept[name]
    assert isinstance(wanted, int | float)
    is_count = recipe.find_parameter(name).kind == "count"
    until = time.monotonic() + NEARER_SECONDS
    bad, good = float(wanted), sound
    for _ in range(HALVINGS):
        middle = (bad + good) / 2
        middle = float(round(middle)) if is_count else round(middle, 4)
        if middle in (bad, good) or abs(bad - good) < CLOSE:
            break
        tried: Value = int(middle) if is_count else middle
        search = Search(design, catalog, mechanism_id, {**kept, name: tried}, max(0.0, until - time.monotonic()), is_current)
        fits = search.find(SEARCHED_NEARER, moved) is not None
        bad, good = (bad, middle) if fits else (middle, good)
        moved = search.moved
    return round(good, 2)


__all__ = ["Fitted", "Wish", "fit_design", "is_free"]
