"""How far a recipe's lever must be pulled to cure a finding: the least change, found by building, moving and checking the changed design."""

from __future__ import annotations

from collections.abc import Callable

from lexipod.building import resolve_parameters, site_for
from lexipod.building.card import own_site
from lexipod.checks.finding import Finding, Remedy
from lexipod.cures.clinic import Clinic, Ranked
from lexipod.design import Design, number_of
from lexipod.recipes import Lever, Parameter, Recipe, find_recipe
from lexipod.recipes.kit.parameters import Values
from lexipod.units import UnitStyle
from lexipod.units.quantities import Value

_TRIES = 7


STEPS_MM = (2.0, 5.0, 10.0, 18.0, 28.0, 40.0)


_HALVINGS = 4


AS_AGAINST = {"catch": "height", "layers": "clearance"}
"""Rules against which a recipe's levers for another rule are tried where it has none for them."""

MORE_MM = (0.5, 2.0, 5.0)
"""Where the least amount that cures spoils something else, so much more is tried."""


def find_pulls(clinic: Clinic, finding: Finding, *, enough: int, kept: frozenset[str] = frozenset(), others: bool = False) -> list[Ranked]:
    """What the recipe's levers do against a finding, until ``enough`` of them cure it wholly; levers that touch what is ``kept`` are not
    pulled. ``others`` tells that something else cures it already."""
    mechanism = clinic.design.find_mechanism(finding.mechanism)
    if mechanism is None or finding.missing <= 0:
        return []
    found: list[Ranked] = []
    cured: set[str] = set()
    recipe = find_recipe(mechanism.recipe)
    levers = recipe.levers.get(finding.rule) or recipe.levers.get(AS_AGAINST.get(finding.rule, ""), ())
    values = resolve_parameters(recipe, own_site(site_for(clinic.design, clinic.catalog), mechanism), mechanism.parameters)
    for order, lever in enumerate(levers):
        if not clinic.is_current() or sum(rank == 0 for (rank, _), _ in found) >= enough:
            break
        if lever.label in cured or kept & {name.partition(".")[0] for name in (*lever.gains, *lever.choose)}:
            continue
        tried = _pull(clinic, finding, recipe, values, lever, goes_on=not (found or others))
        if tried is not None:
            rank, remedy = tried
            found.append(((rank, order), remedy))
            cured |= {lever.label} if remedy.cures else set()
    return found


def _pull(clinic: Clinic, finding: Finding, recipe: Recipe, values: Values, lever: Lever, *, goes_on: bool) -> tuple[int, Remedy] | None:
    """The least pull of a lever that cures the finding: how good it is (0 best), and the remedy. Where that spoils something else, it
    ``goes_on`` a little further if it is asked to (as long as nothing else has been found)."""
    style = clinic.examine(clinic.design).style

    def changed(amount: float) -> Values | None:
        return _changed_values(recipe, values, lever, amount)

    def design_for(change: Values) -> Design:
        return clinic.design.with_parameters(finding.mechanism, change)

    amount = _find_amount(clinic, finding, recipe, lever, changed, design_for)
    change = changed(amount) if amount is not None else None
    if change is None or not change:
        return None
    trial = clinic.judge(design_for(change), finding)
    assert amount is not None
    for more in MORE_MM if goes_on and trial.new_block and lever.gains and not _is_counted(recipe, lever) else ():
        further = changed(_outwards(amount + more))
        if further is None or not clinic.is_current():
            break
        tried = clinic.judge(design_for(further), finding)
        if tried.is_cured and not tried.new_block:
            trial, change = tried, further
            break
    if trial.new_block or trial.missing > 0.7 * finding.missing:
        return None
    label = _told(recipe, lever, values, change, style)
    if not trial.is_cured:
        label += " (helps in part)"
    rank = (0 if trial.is_cured else 2) + (1 if trial.new_warnings else 0)
    remedy = Remedy(label, change, finding.mechanism, trial.is_cured, trial.message)
    clinic.note(remedy, trial)
    if trial.is_cured and clinic.folds:
        clinic.remember(((rank, 0.0), remedy), finding.mechanism, trial.left)
    return rank, remedy


def _told(recipe: Recipe, lever: Lever, values: Values, change: Values, style: UnitStyle) -> str:
    """The lever's label with how far it was pulled."""
    name = next(iter(lever.gains), "")
    if not name:
        return lever.label
    amount = abs(_as_number(change[name]) - number_of(values, name))
    kind = _parameter(recipe, name).kind
    steps = round(amount)
    label = lever.label.replace("{by}", f"{amount:.1f}°" if kind == "angle" else style.length(amount)).replace(
        "{n}", "one" if steps == 1 else str(steps)
    )
    for one, several in (("layer", "layers"), ("ply", "plies"), ("slat", "slats"), ("connector", "connectors")):
        for form in (f"{one}(s)", f"{one}({several})"):
            label = label.replace(form, one if steps == 1 else several)
    return label


def _as_number(value: Value) -> float:
    assert not isinstance(value, tuple)
    return float(value)


def _parameter(recipe: Recipe, name: str) -> Parameter:
    return recipe.find_parameter(name.partition(".")[0])


def _is_counted(recipe: Recipe, lever: Lever) -> bool:
    return any(_parameter(recipe, name).kind == "count" for name in lever.gains)


def _changed_values(recipe: Recipe, values: Values, lever: Lever, amount: float) -> Values | None:
    """What the lever sets when pulled by ``amount``; None when that leaves a parameter's limits."""
    change: Values = {name: value for name, value in lever.choose.items() if values[name] != value}
    for name, gain in lever.gains.items():
        if not gain:
            continue
        parameter = _parameter(recipe, name)
        value = number_of(values, name) + gain * amount
        if parameter.kind == "count":
            change[name] = round(value)
        else:
            change[name] = round(value, 4)
        if not parameter.minimum <= _as_number(change[name]) <= parameter.maximum:
            return None
    return change


def _find_amount(
    clinic: Clinic, finding: Finding, recipe: Recipe, lever: Lever, changed: Callable[[float], Values | None], design_for: Callable[[Values], Design]
) -> float | None:
    """The least amount that cures, on a grid of 0.1 mm (or whole counts); else the one that leaves least missing.

    What is missing mostly falls in proportion to the lever, so each next try is where a straight line through the last
    two comes to nothing.
    """
    if not lever.gains:
        return 0.0
    counted = _is_counted(recipe, lever)
    failed = [(0.0, finding.missing)]
    cured: float | None = None
    amount = 1.0 if counted else _outwards(min(max(finding.missing / 2, 0.1), 100.0))
    for _ in range(3 if counted else _TRIES):
        change = changed(amount)
        if change is None or not clinic.is_current():
            break
        missing, _ = clinic.missing(design_for(change), finding)
        if missing <= 0:
            cured = amount if cured is None else min(cured, amount)
            if counted or cured <= 0.1 + 1e-9:
                break
        else:
            if missing > failed[-1][1] * 1.5 + 0.5:
                break
            failed.append((amount, missing))
            if clinic.folds and finding.rule == "clearance" and len(failed) > 2 and missing > 0.8 * finding.missing:
                break  # it does not fall in proportion: taken in steps below
        amount = amount + 1.0 if counted else _next_amount(failed, cured)
        if cured is not None and not failed[-1][0] < amount < cured - 1e-9:
            break
    if not counted and clinic.folds and (cured is None or _spoils(clinic, finding, changed(cured), design_for)):
        cured = _find_by_steps(clinic, finding, changed, design_for)
    if cured is not None:
        return cured
    best = min(failed, key=lambda row: row[1])
    return best[0] if best[1] < 0.7 * finding.missing else None


def _spoils(clinic: Clinic, finding: Finding, change: Values | None, design_for: Callable[[Values], Design]) -> bool:
    return change is None or bool(clinic.judge(design_for(change), finding).new_block)


def _find_by_steps(
    clinic: Clinic, finding: Finding, changed: Callable[[float], Values | None], design_for: Callable[[Values], Design]
) -> float | None:
    """For what does not fall in proportion to a lever, as when panels go through each other: ever larger amounts until one cures
    and spoils nothing else, then the least one by halving."""

    def is_good(change: Values) -> bool:
        made = design_for(change)
        return clinic.missing(made, finding)[0] <= 0 and not clinic.judge(made, finding).new_block

    low = 0.0
    for amount in STEPS_MM:
        change = changed(amount)
        if change is None or not clinic.is_current():
            return None
        if is_good(change):
            break
        low = amount
    else:
        return None
    high = amount
    for _ in range(_HALVINGS):
        middle = _outwards((low + high) / 2)
        change = changed(middle)
        if change is None or middle >= high - 1e-9 or not clinic.is_current():
            break
        low, high = (low, middle) if is_good(change) else (middle, high)
    return high


def _next_amount(failed: list[tuple[float, float]], cured: float | None) -> float:
    """Where the missing amount comes to nothing on the line through the last two failures; the middle where there is none."""
    at, missing = failed[-1]
    if len(failed) < 2:
        return _outwards((cured or at) / 2)
    before, more = failed[-2]
    if more <= missing + 1e-9:
        return _outwards((at + cured) / 2 if cured is not None else at * 2)
    guess = _outwards(at + missing * (at - before) / (more - missing))
    return guess if guess > at + 0.05 else round(at + 0.1, 4)


def _outwards(amount: float) -> float:
    """Rounded up to a tenth of a millimetre."""
    return round(-(-amount * 10 // 1) / 10, 4) if amount > 0 else 0.1
