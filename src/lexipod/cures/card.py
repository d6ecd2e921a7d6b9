"""Cures of the card itself: another envelope, a smaller card, and other measures of what closes it."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from lexipod.checks.finding import Finding, Remedy
from lexipod.checks.outline import envelope_room
from lexipod.cures.clinic import MOST_REMEDIES, Clinic, Ranked
from lexipod.design import Card
from lexipod.editing.change import change_design
from lexipod.errors import LexipodError


def find_card_remedies(clinic: Clinic, finding: Finding) -> Iterator[Ranked]:
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


def find_closure_remedies(clinic: Clinic, finding: Finding) -> Iterator[Ranked]:
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
