"""What the travel ribbon shows of a mechanism that folds: what it is known by, what rises, and what comes near on the way."""

from __future__ import annotations

import numpy as np

from lexipod.assembly import Folding, KeepsOff, SpinsFree
from lexipod.checks.examination import Examination
from lexipod.checks.fold_space import PIERCED_MM, find_pairs, space_gaps, spin_gaps
from lexipod.geometry.frames import Array
from lexipod.geometry.space import apply_frame
from lexipod.motion import FoldTrack, crossing_depths
from lexipod.ribbon.rows import RibbonEvent, RibbonRow, picture_rows

FAR_MM = 1e3


def fold_rows(examination: Examination, mechanism: str) -> tuple[RibbonRow, ...]:
    """The rows of one mechanism: pulls and shifts, its height, gaps to keep, and panels that go through each other."""
    track = examination.fold_track(mechanism)
    folding, travel = track.folding, track.travel
    rows = [
        RibbonRow(name, "reading", tuple(r.panel for r in folding.readings if r.name == name), travel, values, 0.0, "mm", "travel")
        for name, values in track.readings.items()
    ]
    height = rising_heights(track)
    if float(height.max()) > 1.0:
        rows.append(RibbonRow("rises", "reading", (), travel, height, 0.0, "mm", "travel"))
    for need in folding.needs:
        if isinstance(need, SpinsFree):
            gaps, at = spin_gaps(examination, need)
            rows.append(RibbonRow(need.what, "gap", (need.panel, *need.within), at, _near(gaps), need.gap_mm, "mm", "spin"))
        elif isinstance(need, KeepsOff):
            a, b = (folding.by_id[p] for p in (need.a, need.b))
            low, high = sorted((need.since, need.until))
            asked = (travel >= low - 1e-9) & (travel <= high + 1e-9)
            gaps = _near(space_gaps(a, b, track.frames[a.id][asked], track.frames[b.id][asked]))
            rows.append(RibbonRow(need.what, "gap", (need.a, need.b), travel[asked], gaps, need.gap_mm, "mm", "clearance"))
    for a, b in find_pairs(folding):
        depth = crossing_depths(a, b, track.frames[a.id], track.frames[b.id])
        if depth.max() > PIERCED_MM:
            rows.append(RibbonRow(f"{a.name} – {b.name}", "joint", (a.id, b.id), travel, -depth, 0.0, "mm", "clearance"))
    return (*rows, *picture_rows(examination, mechanism))


def rising_heights(track: FoldTrack) -> Array:
    """How high the highest point of a panel stands over the ground, at every position, ``(n,)`` mm; pages and what is glued flat to
    them are left out."""
    folding = track.folding
    still = {folding.rigid[p.id] for p in folding.panels if p.base or p.id == folding.ground}
    mine = [p for p in folding.panels if folding.rigid[p.id] not in still]
    if not mine:
        return np.zeros(len(track.travel))
    tops = np.stack([apply_frame(track.frames[p.id], p.corners)[..., 2].max(axis=1) for p in mine])
    ground = np.asarray(folding.ground_pose)[2, 3]
    heights: Array = np.maximum(tops.max(axis=0) - ground, 0.0)
    return heights


def _near(gaps: Array) -> Array:
    return np.clip(gaps, -FAR_MM, FAR_MM)


def fold_events(examination: Examination, mechanism: str) -> tuple[RibbonEvent, ...]:
    """Rest, end, the flat states between, and where the folds come to their end too early."""
    track = examination.fold_track(mechanism)
    folding, drive = track.folding, track.folding.drive
    events = [RibbonEvent("rest", drive.rest, "rest"), RibbonEvent("end", drive.end, "end")]
    events += [RibbonEvent("flat", s.at, s.name, _said_of(folding, s.closed, s.posted)) for s in folding.states]
    if not track.reached.all():
        reached = track.travel[track.reached]
        last = float(reached[np.argmax(np.abs(reached - drive.rest))]) if len(reached) else drive.rest
        events.append(RibbonEvent("stop-end", last, "dead end"))
    return tuple(sorted(events, key=lambda e: e.travel))


def _said_of(folding: Folding, closed: bool, posted: bool) -> str:
    return "goes into the envelope like this" if posted else "inside the closed card" if closed else ""


__all__ = ["fold_events", "fold_rows", "rising_heights"]
