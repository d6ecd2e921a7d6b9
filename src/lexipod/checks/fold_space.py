"""Folds on their way: whether they get there, what goes through what, and what spins freely.

Reason: a panel that meets another on its way is bent or torn. Panels have no thickness here; what they need of it is an allowance
of their sheets. Source: intersection of segments with planes (elementary geometry); “common practice, no source” for the gaps.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations

import numpy as np
import shapely

from lexipod.assembly import Folding, KeepsOff, Opens, Panel, SpinsFree
from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding
from lexipod.geometry.frames import Array
from lexipod.geometry.space import apply_frame, compose_frames, invert_frame
from lexipod.motion import crossing_depths

PIERCED_MM = 0.4


def check_opens(examination: Examination) -> Iterator[Finding]:
    """It gets from rest to end."""
    for need in _needs(examination, Opens):
        track = examination.fold_track(need.mechanism)
        drive = track.folding.drive
        missing = np.flatnonzero(~track.reached)
        if not len(missing):
            continue
        reached = track.travel[track.reached]
        last = float(reached[np.argmax(np.abs(reached - drive.rest))]) if len(reached) else drive.rest
        if abs(drive.end - last) <= need.most_deg:
            continue
        told = [examination.amount(need.mechanism, t) for t in (last, drive.end)]
        yield Finding(
            "travel",
            "block",
            need.mechanism,
            tuple(p.id for p in track.folding.panels if not p.base)[:2],
            "It cannot be opened all the way",
            f"The folds come to their end at {told[0]}; they are meant to get to {told[1]}.",
            round(abs(last - drive.rest), 4),
            abs(drive.end - drive.rest),
            "deg",
            travel=last,
            need=need.id,
        )


def check_pierced(examination: Examination) -> Iterator[Finding]:
    """No panel goes through another one on its way."""
    for folding in examination.assembly.foldings:
        track = examination.fold_track(folding.mechanism)
        for a, b in find_pairs(folding):
            depth = crossing_depths(a, b, track.frames[a.id], track.frames[b.id])
            worst = int(np.argmax(depth))
            if depth[worst] <= PIERCED_MM:
                continue
            at = float(track.travel[worst])
            deep = examination.style.length(float(depth[worst]))
            message = f"On the way, at {examination.amount(folding.mechanism, at)}, the {a.name} goes {deep} deep into the {b.name}."
            yield Finding(
                "clearance",
                "block",
                folding.mechanism,
                (a.id, b.id),
                f"The {a.name} hits the {b.name}",
                message,
                round(-float(depth[worst]), 4),
                0.0,
                travel=at,
            )


def find_pairs(folding: Folding) -> list[tuple[Panel, Panel]]:
    """Pairs of panels that move against each other: all but those of one body. What bends out of the way and what spins are judged by
    needs of their own."""
    pairs = []
    for a, b in combinations(folding.panels, 2):
        if folding.rigid[a.id] == folding.rigid[b.id] or frozenset((a.id, b.id)) in folding.bends or (a.base and b.base) or a.spins or b.spins:
            continue
        pairs.append((a, b))
    return pairs


def check_keeps_off(examination: Examination) -> Iterator[Finding]:
    """Pairs that must stay apart by a gap do."""
    for need in _needs(examination, KeepsOff):
        track = examination.fold_track(need.mechanism)
        a, b = (track.folding.by_id[p] for p in (need.a, need.b))
        gaps = space_gaps(a, b, track.frames[need.a], track.frames[need.b])
        low, high = sorted((need.since, need.until))
        gaps = np.where((track.travel >= low - 1e-9) & (track.travel <= high + 1e-9), gaps, np.inf)
        worst = int(np.argmin(gaps))
        if gaps[worst] >= need.gap_mm - 1e-6:
            continue
        gap = float(gaps[worst])
        length = examination.style.telling_apart(gap, need.gap_mm)
        near, wanted = length(gap), length(need.gap_mm)
        message = f"At {examination.amount(need.mechanism, float(track.travel[worst]))} {need.what} come within {near}; {wanted} are wanted."
        yield Finding(
            "clearance",
            "block" if gap <= 0 else "warn",
            need.mechanism,
            (need.a, need.b),
            f"{need.what[:1].upper()}{need.what[1:]} come too near",
            message,
            round(gap, 4),
            need.gap_mm,
            travel=float(track.travel[worst]),
            need=need.id,
        )


def space_gaps(a: Panel, b: Panel, frames_a: Array, frames_b: Array) -> Array:
    """Distance in space of the corners of each panel from the other, at every position, ``(n,)``: what two sheets that do not cross
    keep between their faces, less what two slanting edges could come nearer."""
    thick = (a.thickness_mm + b.thickness_mm) / 2
    gaps = np.full(len(frames_a), np.inf)
    for moved, fixed, frames, base in ((a, b, frames_a, frames_b), (b, a, frames_b, frames_a)):
        seen = apply_frame(compose_frames(invert_frame(base), frames), moved.corners)
        flat = shapely.distance(fixed.region, shapely.points(seen[..., :2]))
        gaps = np.minimum(gaps, np.hypot(flat, np.maximum(np.abs(seen[..., 2]) - thick, 0.0)).min(axis=1))
    return gaps


def check_spins(examination: Examination) -> Iterator[Finding]:
    """What hangs on a thread turns freely: it takes the room of a ball."""
    for need in _needs(examination, SpinsFree):
        gaps, travel = spin_gaps(examination, need)
        worst = int(np.argmin(gaps))
        gap = float(gaps[worst])
        if gap >= need.gap_mm - 0.02:
            continue
        length = examination.style.length
        told = f"touches by {length(-gap)}" if gap < 0 else f"has only {length(gap)} of air"
        yield Finding(
            "spin",
            "block" if gap < 0 else "warn",
            need.mechanism,
            (need.panel, *need.within),
            f"{need.what[:1].upper()}{need.what[1:]} does not turn freely",
            f"Turning on its thread it {told}; {length(need.gap_mm)} are wanted all round.",
            round(gap, 4),
            need.gap_mm,
            travel=float(travel[worst]),
            need=need.id,
        )


def spin_gaps(examination: Examination, need: SpinsFree) -> tuple[Array, Array]:
    """Air round the ball that a spinning panel fills, at positions ``(n,)``, and their travels."""
    track = examination.fold_track(need.mechanism)
    low, high = sorted((need.since, need.until))
    travel = track.travel[(track.travel > low) & (track.travel < high)]
    picked = examination.fold_at(need.mechanism, np.unique([low, *travel[:: max(1, len(travel) // 24)], high]))
    panel = track.folding.by_id[need.panel]
    middle, radius = panel.ball
    centre = apply_frame(picked.frames[panel.id], middle[None])[:, 0]
    gaps = np.full(len(picked.travel), np.inf)
    for other_id in need.within:
        other = track.folding.by_id[other_id]
        seen = apply_frame(invert_frame(picked.frames[other_id]), centre[:, None])[:, 0]
        flat = shapely.distance(other.region, shapely.points(seen[:, :2]))
        gaps = np.minimum(gaps, np.hypot(flat, np.maximum(np.abs(seen[:, 2]) - other.thickness_mm / 2, 0.0)) - radius)
    return np.where(picked.reached, gaps, np.inf), picked.travel


def _needs(examination: Examination, kind):  # type: ignore[no-untyped-def]
    return (need for folding in examination.assembly.foldings for need in folding.needs if isinstance(need, kind))
