"""Cures of the card itself: another envelope, a smaller card, and other measures of what closes it."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec
import numpy as np
import shapely
import shapely.affinity

from lexipod.checks.finding import Finding, Remedy
from lexipod.checks.outline import envelope_room
from lexipod.checks.reader import cue_region, seen_at_rest
from lexipod.cures.clinic import MOST_REMEDIES, Clinic, Ranked
from lexipod.design import Card
from lexipod.editing.change import change_design
from lexipod.errors import LexipodError
from lexipod.geometry.frames import apply_pose
from lexipod.recipes import find_recipe
from lexipod.units.quantities import Value

CUE_STEP_MM = 2.0
MOST_SPOTS = 400


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


def find_door_remedies(clinic: Clinic, finding: Finding) -> Iterator[Ranked]:
    """Doors above and below instead of at the sides, or the other way; or another edge for what is pulled."""
    card, mechanism = clinic.design.card, clinic.design.find_mechanism(finding.mechanism)
    fold = "top" if card.fold == "left" else "left"
    trials: list[tuple[str, dict[str, Value]]] = [(f"Hang the doors {'above and below' if fold == 'top' else 'at the sides'}", {"fold": fold})]
    if mechanism is not None:
        ways = [p for p in find_recipe(mechanism.recipe).parameters if p.name in ("direction", "exit")]
        trials += [(f"Pull it {to}", {p.name: to}) for p in ways for to in (("up", "down") if card.fold == "left" else ("right", "left"))]
    for order, (label, settings) in enumerate(trials):
        try:
            changed = change_design(clinic.design, clinic.catalog, settings, mechanism=finding.mechanism if mechanism is not None else None)
        except LexipodError:
            continue
        trial = clinic.judge(changed, finding)
        if trial.is_cured and not trial.new_block:
            yield (0, float(order)), Remedy(label, settings, None)


def find_cue_remedies(clinic: Clinic, finding: Finding) -> Iterator[Ranked]:
    """The cue put where all of it is seen at rest, as near to its place as there is one."""
    examination = clinic.examine(clinic.design)
    cue = next((c for c in examination.assembly.cues if c.mechanism == finding.mechanism), None)
    if cue is None or examination.assembly.drive_of(cue.mechanism) is None:
        return
    part, region = examination.assembly.by_id[cue.part], cue_region(examination, cue)
    free = seen_at_rest(examination, part)
    if free.is_empty:
        return
    (x0, y0, x1, y1), (x, y) = free.bounds, shapely.get_coordinates(region.centroid)[0]
    grid = np.stack(np.meshgrid(np.arange(x0 + CUE_STEP_MM, x1, CUE_STEP_MM), np.arange(y0 + CUE_STEP_MM, y1, CUE_STEP_MM)), axis=-1).reshape(-1, 2)
    home = apply_pose(part.home, [cue.at])[0]
    for spot in grid[np.argsort(np.linalg.norm(grid - (x, y), axis=1), kind="stable")][:MOST_SPOTS]:
        at = home + spot - (x, y)
        place = (round(float(at[0]), 2), round(float(at[1]), 2))
        if cue.about is None and not shapely.affinity.translate(region, *(np.asarray(place) - home)).within(free):
            continue
        trial = clinic.judge(msgspec.structs.replace(clinic.design, cues=clinic.design.cues | {cue.mechanism: place}), finding)
        if trial.is_cured and not trial.new_block:
            far = examination.style.length(float(np.linalg.norm(np.asarray(place) - home)))
            yield (0, 0.5), Remedy(f"Put the {cue.kind} {far} away, where it is seen", {f"cue.{cue.mechanism}": place}, None)
            return


def _free_card(card: Card, width: float, height: float) -> Card:
    return msgspec.structs.replace(card, size="free", width=width, height=height, orientation="portrait")
