"""Margins: what must stay above 0 for a build to run."""

from __future__ import annotations

import math

import numpy as np

from lexipod.assembly import Assembly, Drive, Guided, SpinsFree
from lexipod.building import build_assembly
from lexipod.catalog import Catalog
from lexipod.checks import Examination
from lexipod.checks.fold_space import PIERCED_MM, find_pairs, spin_gaps
from lexipod.checks.forces import guide_friction, guided_lengths
from lexipod.checks.stack import find_air
from lexipod.design import Design, Ways
from lexipod.mechanics import least_guide_mm
from lexipod.motion import crossing_depths

STEPS = 25
FAR = 5.0


def margins_of(design: Design, catalog: Catalog) -> dict[str, float]:
    """The margins of a design as it is drawn (mm or degrees), by name."""
    return measure_margins(build_assembly(design, catalog), catalog, design.ways)


def find_stacked(assembly: Assembly, catalog: Catalog, ways: Ways) -> tuple[tuple[str, str], ...]:
    """Pairs of parts, the lower one first, that pass over each other with air between them."""
    return tuple((low, high) for low, high, _ in find_air(Examination(assembly, catalog, ways, steps=STEPS)))


def measure_margins(assembly: Assembly, catalog: Catalog, ways: Ways, stacked: tuple[tuple[str, str], ...] = ()) -> dict[str, float]:
    """Gaps, the way to both stops, guides, air over what is ``stacked``, air round what spins, panels kept apart."""
    examination = Examination(assembly, catalog, ways, steps=STEPS)
    margins: dict[str, float] = {}
    for clearance in examination.clearances:
        if clearance.kind != "stop":
            _keep_worst(margins, f"{clearance.a} – {clearance.b}", clearance.minimum_mm)
    for drive in examination.drives:
        if drive.endless:
            continue
        margins |= _stop_margins(examination, drive)
    for need in examination.assembly.needs:
        if isinstance(need, Guided):
            inside, _ = guided_lengths(examination, need)
            _keep_worst(margins, f"{need.part} guided", float(inside.min()) - least_guide_mm(guide_friction(examination, need), need.offset_mm))
    by_id = assembly.by_id
    for under, over in stacked:
        if under in by_id and over in by_id:
            margins[f"air between {under} and {over}"] = by_id[over].z_mm - by_id[under].top_mm
    for folding in examination.assembly.foldings:
        margins |= _fold_margins(examination, folding.mechanism)
    return margins


def _stop_margins(examination: Examination, drive: Drive) -> dict[str, float]:
    """How far every slot goes on past where its pin comes on the designed travel, and how far a contact or a dead point is from both of its
    ends (up to 5 mm or degrees: farther is as good). A slot's end is told by its own joint, so that each margin changes evenly."""
    track, free = examination.track(drive.mechanism), examination.free_range(drive.mechanism)
    low, high = sorted((drive.rest, drive.end))
    margins = {}
    for name, margin, stop in (("first", low - free.low.at, free.low), ("last", free.high.at - high, free.high)):
        of_slot = stop.cause in ("slot end", "path end", "none")
        margins[f"{drive.mechanism} to its {name} stop"] = FAR if of_slot else min(FAR, margin)
    for joint_id, coordinates in track.joint_coordinates.items():
        path = examination.assembly.find_joint(joint_id).path_b
        if path is not None:
            first, last = path.limits
            margins[f"{joint_id} before its slot's ends"] = min(FAR, float(coordinates.min()) - first, last - float(coordinates.max()))
    return margins


def _keep_worst(margins: dict[str, float], name: str, value: float) -> None:
    """One pair may be met by several drives, one part guided twice: the worst counts."""
    margins[name] = min(value, margins.get(name, math.inf))


def _fold_margins(examination: Examination, mechanism: str) -> dict[str, float]:
    track = examination.fold_track(mechanism)
    folding, margins = track.folding, dict[str, float]()
    span = abs(folding.drive.end - folding.drive.rest)
    opened = np.abs(track.travel[track.reached] - folding.drive.rest).max(initial=0.0)
    margins[f"{mechanism} opens"] = 1.0 if track.reached.all() else float(opened - span)
    for need in folding.needs:
        if isinstance(need, SpinsFree):
            margins[need.id] = float(spin_gaps(examination, need)[0].min())
    for a, b in find_pairs(folding):
        depth = float(crossing_depths(a, b, track.frames[a.id], track.frames[b.id]).max())
        margins[f"{a.id} – {b.id}"] = PIERCED_MM - depth
    return margins
