"""Cures that are glued on, moved or rounded: a film, a pad, another place for what is in the way, a round corner.

They are attempts only; each is tried on the design before it is offered.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import shapely

from lexipod.assembly import Part
from lexipod.catalog import FILM
from lexipod.checks.catching import find_catch_points
from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding, Remedy
from lexipod.checks.fold_items import STANDS_UP
from lexipod.checks.table import RULES
from lexipod.cures.clinic import MOST_REMEDIES, Clinic, Ranked
from lexipod.cures.pads import find_bed
from lexipod.design import Design, Item
from lexipod.editing.change import change_design
from lexipod.editing.items import format_item, free_item_ids, place_on
from lexipod.errors import LexipodError
from lexipod.geometry.frames import Array, apply_pose, invert_pose
from lexipod.units.quantities import Value

MOVES_MM = (3.0, 6.0, 10.0, 16.0, 25.0)
RADII_MM = (3.0, 6.0, 12.0)
LAP_MM = 4.0
LEADER_MM = 14.0
WAYS = {"to the right": (1.0, 0.0), "to the left": (-1.0, 0.0), "up": (0.0, 1.0), "down": (0.0, -1.0)}


@dataclass(frozen=True, slots=True)
class Attempt:
    """A change by names that may cure; several of one ``kind`` are ever larger, and the first that cures is enough."""

    kind: str
    label: str
    settings: dict[str, Value]


def find_attempts(examination: Examination, design: Design, finding: Finding) -> Iterator[Attempt]:
    """What a maker would try against a finding with scissors, glue and film, the least first."""
    if RULES[finding.rule].moves_items:
        yield from _moves(examination, design, finding)
    if finding.rule == "catch":
        yield from _films(examination, design, finding)
        yield from _pads(examination, design, finding)
        yield from _corners(examination, design, finding)
        yield from _reversed(design, finding)
    if finding.rule == "support":
        yield from _pads(examination, design, finding)


def _moves(examination: Examination, design: Design, finding: Finding) -> Iterator[Attempt]:
    """Items that have a share in it: ever further to each side, nearest first, then taken off."""
    for item_id in dict.fromkeys(name for p in finding.parts if (name := examination.assembly.item_of(p))):
        item = design.find_item(item_id)
        if item is None:
            continue
        name = item.kind if item.kind != "glide" else "glide pad"
        length = examination.style.length
        for way, (x, y) in WAYS.items():
            for amount in MOVES_MM:
                place = (round(item.at[0] + x * amount, 4), round(item.at[1] + y * amount, 4))
                yield Attempt(f"move {item_id} {way}", f"Move the {name} {length(amount)} {way}", {f"item.{item_id}.at": place})
        if item.layers and finding.need.startswith(STANDS_UP):
            yield Attempt(f"flat {item_id}", f"Stick the {name} flat on it, without foam", {f"item.{item_id}.layers": 0})
        if item.kind in ("decoration", "pad") and item.layers > 1 and finding.rule == "height":
            yield Attempt(f"lower {item_id}", f"Use one layer of foam less under the {name}", {f"item.{item_id}.layers": item.layers - 1})
        yield Attempt(f"off {item_id}", f"Leave the {name} out", {f"item.{item_id}": "none"})


def _spot(examination: Examination, part: Part, finding: Finding) -> Array | None:
    """Where it happens, in a part's frame."""
    if finding.where is None:
        return None
    poses = examination.poses(part.id)
    at = 0
    if len(poses) > 1 and finding.travel is not None:
        at = int(np.argmin(np.abs(examination.track(part.mechanism).travel - finding.travel)))
    return apply_pose(invert_pose(poses[at]), [finding.where])[0]


def _films(examination: Examination, design: Design, finding: Finding) -> Iterator[Attempt]:
    """A pane behind the opening in which it hooks; else a leader of film under the edge, and one under the other edge."""
    by_id = examination.assembly.by_id
    part, other = (by_id.get(p) for p in finding.parts[:2])
    if part is None or other is None:
        return
    catch = next((c for c in find_catch_points(examination) if (c.part, c.other) == (part.id, other.id)), None)
    if catch is not None and catch.how == "hooks":
        spot = _spot(examination, other, finding)
        holes = [shapely.Polygon(h) for h in other.holes]
        if spot is not None and holes:
            hole = min(holes, key=lambda h: float(shapely.distance(h, shapely.Point(spot))))
            left, bottom, right, top = hole.bounds
            face = "back" if part.z_mm < other.z_mm else "front"
            pane = _item(design, other, face, ((left + right) / 2, (bottom + top) / 2), right - left + 2 * LAP_MM, top - bottom + 2 * LAP_MM)
            yield Attempt("pane", f"Put a pane of film behind the opening of the {other.name}", {f"item.{pane.id}": format_item(pane)})
    for carrier, against in ((part, other), (other, part)):
        spot = _spot(examination, carrier, finding)
        if spot is None or carrier.role not in ("moving", "decoration", "cover"):
            continue
        face = "front" if against.z_mm >= carrier.top_mm - 1e-6 else "back"
        for size in (LEADER_MM, 2 * LEADER_MM):
            leader = _item(design, carrier, face, (float(spot[0]), float(spot[1])), size, size)
            label = f"Put a leader of film under the edge of the {carrier.name}" if face == "back" else f"Put a leader of film on the {carrier.name}"
            yield Attempt(f"leader {carrier.id}", label, {f"item.{leader.id}": format_item(leader)})


def _item(design: Design, carrier: Part, face: str, middle: tuple[float, float], width: float, height: float) -> Item:
    return Item(
        next(free_item_ids(design.items, "f")),
        "film",
        carrier.id,
        "front" if face == "front" else "back",
        place_on(carrier, middle),
        round(width, 2),
        round(height, 2),
        layers=0,
        stock=FILM,
    )


def _pads(examination: Examination, design: Design, finding: Finding) -> Iterator[Attempt]:
    """One more pad under a sheet on foam, as near to the place as its zone allows."""
    by_id = examination.assembly.by_id
    for sheet in (by_id[p] for p in finding.parts if p in by_id):
        bed = find_bed(examination, sheet)
        if bed is None or finding.where is None:
            continue
        spot = bed.nearest_to(finding.where)
        if spot is not None:
            pad = bed.pad_at(next(free_item_ids(design.items, "p")), spot)
            yield Attempt("pad", f"Put one more foam pad under the {sheet.name} there", {f"item.{pad.id}": format_item(pad)})


def _corners(examination: Examination, design: Design, finding: Finding) -> Iterator[Attempt]:
    """The corners of both parts rounded, ever more."""
    by_id, length = examination.assembly.by_id, examination.style.length
    for part in (by_id[p] for p in finding.parts if p in by_id):
        if part.role in ("moving", "decoration", "cover") and not part.item:
            for radius in RADII_MM:
                if radius > design.corners.get(part.id, 0.0):
                    yield Attempt(f"corner {part.id}", f"Round the corners of the {part.name} to {length(radius)}", {f"corner.{part.id}": radius})


def _reversed(design: Design, finding: Finding) -> Iterator[Attempt]:
    mechanism = design.find_mechanism(finding.mechanism)
    if mechanism is not None:
        yield Attempt("reverse", "Pull it the other way: mirror the mechanism", {"mirror": not mechanism.mirror})


def find_glued_remedies(clinic: Clinic, finding: Finding) -> Iterator[Ranked]:
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
