"""Cures: changes of parameters that were tried on the design itself before they are offered.

The recipe names the levers that a maker would try against a finding. How far each must go is found by building, moving and
checking the changed design: the least change that makes the finding go away, rounded outwards to a tenth of a millimetre,
and never one that makes something else block. What only helps in part is offered last, and says what is still missing.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import msgspec

from lexipod.catalog import Catalog
from lexipod.checks.examination import COARSE_STEPS, Examination
from lexipod.checks.finding import Finding, Remedy
from lexipod.checks.gluing_cures import find_attempts
from lexipod.checks.outline import envelope_room
from lexipod.checks.table import each_finding, run_checks
from lexipod.design import Card, Design, number_of
from lexipod.errors import LexipodError
from lexipod.recipes import Lever, Parameter, Recipe, build_assembly, find_recipe, resolve_parameters, site_for
from lexipod.recipes.build import own_site
from lexipod.recipes.change import change_design
from lexipod.recipes.parameters import Values
from lexipod.units import UnitStyle
from lexipod.units.quantities import Value

MOST_REMEDIES = 3
_TRIES = 7
REMEMBERED = 6
NEVER_BLOCKING = ("support", "foam-seen", "item", "spare-foam", "post")
"""Rules that never block: a cure for something else is not judged by them."""
STEPS_MM = (2.0, 5.0, 10.0, 18.0, 28.0, 40.0)
_HALVINGS = 4
MORE_MM = (0.5, 2.0, 5.0)
"""Where the least amount that cures spoils something else, so much more is tried."""


_Ranked = tuple[tuple[int, float], Remedy]
"""A remedy with how good it is (0 best) and its place among those as good."""


@dataclass(slots=True)
class _Trial:
    """One changed design, judged: what became of the finding, and the first thing that blocks and did not block before."""

    missing: float
    is_cured: bool
    new_block: Finding | None = None
    new_warnings: int = 0
    message: str = ""


class _Clinic:
    """Tries changes of one design against its findings."""

    def __init__(self, design: Design, catalog: Catalog, before: tuple[Finding, ...], is_current: Callable[[], bool]) -> None:
        self.design, self.catalog, self.is_current = design, catalog, is_current
        self.blocking = {f.key: f.missing for f in before if f.severity == "block"}
        self.warning = {f.key for f in before}
        self._known: deque[tuple[Design, Examination]] = deque(maxlen=REMEMBERED)
        self.folds = bool(build_assembly(design, catalog).foldings)

    def examine(self, design: Design) -> Examination:
        """The design, moved; one of the last few again is not moved anew."""
        for known, examination in self._known:
            if known == design:
                return examination
        examination = Examination(build_assembly(design, self.catalog), self.catalog, design.ways, steps=COARSE_STEPS)
        self._known.append((design, examination))
        return examination

    def missing(self, design: Design, finding: Finding) -> tuple[float, Finding | None]:
        """How much is still missing for this finding in a changed design; 0 when it is gone."""
        try:
            found = run_checks(self.examine(design), rules=[finding.rule])
        except (LexipodError, ValueError):
            return float("inf"), None
        same = next((f for f in found if f.key == finding.key), None)
        return (0.0 if same is None else max(same.missing, 1e-9)), same

    def judge(self, design: Design, finding: Finding) -> _Trial:
        """The whole check of a changed design, up to the first thing that blocks and did not, or blocks worse."""
        found = []
        try:
            spared = set(NEVER_BLOCKING) - {finding.rule}
            for each in each_finding(self.examine(design), without=spared):
                if self._is_worse(each, finding):
                    return _Trial(float("inf"), False, each)
                found.append(each)
        except (LexipodError, ValueError):
            return _Trial(float("inf"), False)
        same = next((f for f in found if f.key == finding.key), None)
        warnings = sum(f.severity == "warn" and f.key not in self.warning for f in found)
        return _Trial(0.0 if same is None else same.missing, same is None, None, warnings, "" if same is None else same.message)

    def _is_worse(self, found: Finding, finding: Finding) -> bool:
        """Whether it blocks and did not, or blocks worse, besides the finding itself."""
        if found.severity != "block" or found.key == finding.key:
            return False
        return found.key not in self.blocking or found.missing > self.blocking[found.key] + 1e-6


def with_remedies(
    design: Design, catalog: Catalog, findings: tuple[Finding, ...], *, is_current: Callable[[], bool] = lambda: True
) -> tuple[Finding, ...]:
    """The findings with their remedies. ``is_current`` may return False to give up early (a newer design has come)."""
    clinic = _Clinic(design, catalog, findings, is_current)
    return tuple(replace(f, remedies=tuple(_remedies(clinic, f))) if is_current() else f for f in findings)


def find_remedies(design: Design, catalog: Catalog, finding: Finding) -> tuple[Remedy, ...]:
    """The remedies of one finding, best first."""
    before = run_checks(_Clinic(design, catalog, (), lambda: True).examine(design))
    return tuple(_remedies(_Clinic(design, catalog, before, lambda: True), finding))


def find_cure(design: Design, catalog: Catalog, findings: tuple[Finding, ...], finding: Finding, kept: frozenset[str]) -> Remedy | None:
    """The best whole cure of one of a design's findings by its mechanism's own measures, those that are ``kept`` left alone."""
    clinic = _Clinic(design, catalog, findings, lambda: True)
    pulled = sorted(_pulled(clinic, finding, kept=kept, enough=1), key=lambda row: row[0])
    return next((remedy for _, remedy in pulled if remedy.cures), None)


def _remedies(clinic: _Clinic, finding: Finding) -> Iterator[Remedy]:
    found: list[_Ranked] = []
    if finding.missing <= 0:
        return
    if finding.rule == "envelope":
        found += list(_card_remedies(clinic, finding))
    if finding.rule == "closure" and clinic.design.find_mechanism(finding.mechanism) is None:
        found += list(_closure_remedies(clinic, finding))
    found += list(_glued_remedies(clinic, finding))
    found += _pulled(clinic, finding, enough=MOST_REMEDIES - sum(rank == 0 for (rank, _), _ in found), others=bool(found))
    if not clinic.is_current():
        return
    found.sort(key=lambda row: row[0])
    best = found[0][0][0] if found else 0
    yield from [remedy for (rank, _), remedy in found if rank == best][:MOST_REMEDIES]


def _pulled(clinic: _Clinic, finding: Finding, *, enough: int, kept: frozenset[str] = frozenset(), others: bool = False) -> list[_Ranked]:
    """What the recipe's levers do against a finding, until ``enough`` of them cure it wholly; levers that touch what is ``kept`` are not
    pulled. ``others`` tells that something else cures it already."""
    mechanism = clinic.design.find_mechanism(finding.mechanism)
    if mechanism is None or finding.missing <= 0:
        return []
    found: list[_Ranked] = []
    cured: set[str] = set()
    recipe = find_recipe(mechanism.recipe)
    levers = recipe.levers.get(finding.rule) or (recipe.levers.get("height", ()) if finding.rule == "catch" else ())
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


def _pull(clinic: _Clinic, finding: Finding, recipe: Recipe, values: Values, lever: Lever, *, goes_on: bool) -> tuple[int, Remedy] | None:
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
    return rank, Remedy(label, change, finding.mechanism, trial.is_cured, trial.message)


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
    clinic: _Clinic, finding: Finding, recipe: Recipe, lever: Lever, changed: Callable[[float], Values | None], design_for: Callable[[Values], Design]
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


def _spoils(clinic: _Clinic, finding: Finding, change: Values | None, design_for: Callable[[Values], Design]) -> bool:
    return change is None or bool(clinic.judge(design_for(change), finding).new_block)


def _find_by_steps(
    clinic: _Clinic, finding: Finding, changed: Callable[[float], Values | None], design_for: Callable[[Values], Design]
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


def _card_remedies(clinic: _Clinic, finding: Finding) -> Iterator[_Ranked]:
    """A larger envelope from the catalog, and the card a quarter inch smaller in the same envelope."""
    examination = clinic.examine(clinic.design)
    allowance = clinic.design.ways.envelope_allowance
    fitting = [e for e in clinic.catalog.envelopes.values() if envelope_room(examination, (e.width_mm, e.height_mm)) >= allowance]
    if fitting:
        best = min(fitting, key=lambda e: (e.width_mm * e.height_mm, e.id))
        trial = clinic.judge(msgspec.structs.replace(clinic.design, envelope=best.id), finding)
        if trial.is_cured and not trial.new_block:
            yield (0, 1.5), Remedy(f"Use the {best.name} instead", {"envelope": best.id}, None)
    card = examination.assembly.card
    width, height = round(card.width_mm - 6.35, 4), round(card.height_mm - 6.35, 4)
    if min(width, height) > 40 and card.envelope:
        smaller = msgspec.structs.replace(clinic.design, card=_free_card(clinic.design.card, width, height), envelope=card.envelope)
        trial = clinic.judge(smaller, finding)
        if trial.is_cured and not trial.new_block:
            yield (
                (0, 2.5),
                Remedy(
                    "Make the card a quarter inch smaller, for the same envelope", {"card": f"{width}x{height}mm", "envelope": card.envelope}, None
                ),
            )


def _glued_remedies(clinic: _Clinic, finding: Finding) -> Iterator[_Ranked]:
    """What is glued on, moved or rounded: of each kind the first that cures and spoils nothing."""
    done: set[str] = set()
    for attempt in find_attempts(clinic.examine(clinic.design), clinic.design, finding):
        if len(done) >= MOST_REMEDIES or not clinic.is_current():
            return
        if attempt.kind in done:
            continue
        mechanism = finding.mechanism if "mirror" in attempt.settings else None
        try:
            changed = change_design(clinic.design, clinic.catalog, attempt.settings, mechanism=mechanism)
        except LexipodError:
            continue
        if clinic.missing(changed, finding)[0] > 0:
            continue
        trial = clinic.judge(changed, finding)
        if trial.is_cured and not trial.new_block:
            done.add(attempt.kind)
            yield (1 if trial.new_warnings else 0, -0.5 + 0.01 * len(done)), Remedy(attempt.label, attempt.settings, mechanism)


def _closure_remedies(clinic: _Clinic, finding: Finding) -> Iterator[_Ranked]:
    """Other measures and places of what closes the card, another closure, or none."""
    examination = clinic.examine(clinic.design)
    closing = examination.closing
    found = 0
    for order, (label, settings) in enumerate(closing.cures if closing is not None else ()):
        if found >= MOST_REMEDIES or not clinic.is_current():
            return
        try:
            changed = change_design(clinic.design, clinic.catalog, settings)
        except LexipodError:
            continue
        trial = clinic.judge(changed, finding)
        if trial.is_cured and not trial.new_block and not trial.new_warnings:
            found += 1
            told = label.replace("{width}", examination.style.length(settings.get("closure.width", 0.0)))
            yield (0, float(order)), Remedy(told, settings, None)


def _free_card(card: Card, width: float, height: float) -> Card:
    return msgspec.structs.replace(card, size="free", width=width, height=height, orientation="portrait")
