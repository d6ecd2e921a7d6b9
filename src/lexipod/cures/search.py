"""Cures: changes of parameters that were tried on the design itself before they are offered.

The recipe names the levers that a maker would try against a finding. How far each must go is found by building, moving and
checking the changed design: the least change that makes the finding go away, rounded outwards to a tenth of a millimetre,
and never one that makes something else block. What only helps in part is offered last, and says what is still missing.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace

from lexipod.building import build_assembly
from lexipod.catalog import Catalog
from lexipod.checks.finding import Finding, Remedy
from lexipod.checks.table import run_checks
from lexipod.cures.card import find_card_remedies, find_closure_remedies, find_cue_remedies, find_door_remedies
from lexipod.cures.clinic import MOST_REMEDIES, Clinic, Ranked
from lexipod.cures.company import find_company_remedies
from lexipod.cures.glued import find_glued_remedies
from lexipod.cures.levers import find_pulls
from lexipod.cures.look import change_of_look
from lexipod.cures.pictures import find_picture_remedies
from lexipod.design import Design
from lexipod.editing.change import change_design
from lexipod.errors import LexipodError

CLEARLY = 0.04
"""So much of the card's area more is clearly a larger change."""


def with_remedies(
    design: Design,
    catalog: Catalog,
    findings: tuple[Finding, ...],
    *,
    is_current: Callable[[], bool] = lambda: True,
    seconds: float | None = None,
) -> tuple[Finding, ...]:
    """The findings with their remedies. ``is_current`` may return False to give up early (a newer design has come); what could not be looked
    for within ``seconds`` says so (``cut_short``)."""
    clinic = Clinic(design, catalog, findings, is_current, seconds)
    order = list(range(len(findings)))
    if clinic.folds:  # what is worst is looked at first: what cures that mostly cures the rest
        order = sorted(order, key=lambda k: (findings[k].severity != "block", findings[k].rule not in SPREADS, -findings[k].missing))
    made = {k: _with_own(clinic, findings[k]) if is_current() else findings[k] for k in order}
    return tuple(made[k] for k in range(len(findings)))


SPREADS = ("clearance", "layers", "outline")
"""Where panels that fold go through each other, one cause is found many times."""


def _with_own(clinic: Clinic, finding: Finding) -> Finding:
    if finding.missing <= 0:
        return finding
    if clinic.is_over:
        return replace(finding, cut_short=True)
    found = tuple(_remedies(clinic, finding))
    return replace(finding, remedies=found, cut_short=clinic.is_over and len(found) < MOST_REMEDIES)


def find_remedies(design: Design, catalog: Catalog, finding: Finding) -> tuple[Remedy, ...]:
    """The remedies of one finding, best first."""
    before = run_checks(Clinic(design, catalog, (), lambda: True).examine(design))
    return tuple(_remedies(Clinic(design, catalog, before, lambda: True), finding))


def find_cure(design: Design, catalog: Catalog, findings: tuple[Finding, ...], finding: Finding, kept: frozenset[str]) -> Remedy | None:
    """The best whole cure of one of a design's findings by its mechanism's own measures, those that are ``kept`` left alone."""
    clinic = Clinic(design, catalog, findings, lambda: True)
    pulled = sorted(find_pulls(clinic, finding, kept=kept, enough=1), key=lambda row: row[0])
    return next((remedy for _, remedy in pulled if remedy.cures), None)


def _remedies(clinic: Clinic, finding: Finding) -> Iterator[Remedy]:
    found: list[Ranked] = []
    if finding.missing <= 0:
        return
    if finding.rule == "envelope":
        found += list(find_card_remedies(clinic, finding))
    if finding.rule == "closure" and clinic.design.find_mechanism(finding.mechanism) is None:
        found += list(find_closure_remedies(clinic, finding))
    if finding.rule == "gate":
        found += list(find_door_remedies(clinic, finding))
    if finding.rule.startswith("picture"):
        yield from [remedy for _, remedy in find_picture_remedies(clinic, finding)]
        return
    if finding.rule == "cue":
        found += list(find_cue_remedies(clinic, finding))
    if finding.rule in SPREADS:
        known = sorted(clinic.known_cures(finding), key=lambda row: row[0])
        if known:
            yield from [remedy for _, remedy in known][:MOST_REMEDIES]
            return
    found += list(find_glued_remedies(clinic, finding))
    found += list(find_company_remedies(clinic, finding))
    found += find_pulls(clinic, finding, enough=MOST_REMEDIES - sum(rank == 0 for (rank, _), _ in found), others=bool(found))
    if not clinic.is_wanted():
        return
    found.sort(key=lambda row: row[0])
    best = found[0][0][0] if found else 0
    yield from _least_change_first(clinic, [row for row in found if row[0][0] == best])[:MOST_REMEDIES]


def _least_change_first(clinic: Clinic, found: list[Ranked]) -> list[Remedy]:
    """Of remedies that are as good as each other: those that leave less blocking on the whole card first (what takes a mechanism off it
    last), then those that change clearly less of its look, then in the order in which a maker would try them."""
    if len(found) < 2:
        return [remedy for _, remedy in found]
    before = build_assembly(clinic.design, clinic.catalog)

    def weight(row: Ranked) -> tuple[int, bool, int, float]:
        (_, order), remedy = row
        try:
            changed = change_design(clinic.design, clinic.catalog, remedy.set, mechanism=remedy.mechanism)
            look = change_of_look(before, build_assembly(changed, clinic.catalog))
        except LexipodError:
            return 99, True, 0, order
        takes_away = any(name.startswith("mechanism.") for name in remedy.set)
        return clinic.left_blocking(remedy), takes_away, int(look / CLEARLY), order

    return [remedy for _, remedy in sorted(found, key=weight)]
