"""What the command line tells of mechanisms that fold: panels, joints, zones, frames over the opening, and clearances.

The pages of the card are parts as well as panels. They are told in one frame everywhere, that of the closed card: shut, their pose is
the identity, also beside a hinge at the gutter.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Assembly, Folding, FoldJoint, GlueFlap, Panel
from lexipod.checks import Examination
from lexipod.checks.company import find_clashes
from lexipod.checks.fold_space import find_pairs, space_gaps
from lexipod.geometry.frames import Array
from lexipod.geometry.space import apply_flat, apply_frame, compose_frames, invert_frame
from lexipod.motion import PULL, crossing_depths, order_at, pulled_lengths, solve_folds
from lexipod.ribbon import fold_rows

NEAR_MM = 8.0
"""Pairs that come nearer than this are listed."""
OFF_FLAT_DEG = 5.0
"""Lying flat everything touches: how near two panels come is told from so far off on."""
LOW_MM = 3.0
"""What passes lower than this over the face wants it clear."""


def point_list(array: Any) -> list[list[float]]:
    """Points as pairs of numbers, to a millionth of a millimetre."""
    return [[round(float(x), 6), round(float(y), 6)] for x, y in np.asarray(array)]


def own_panels(assembly: Assembly) -> list[tuple[Folding, Panel]]:
    """Every panel once, pages that are parts of the card already left out."""
    found: dict[str, tuple[Folding, Panel]] = {}
    for folding in assembly.foldings:
        for panel in folding.panels:
            if panel.id not in assembly.by_id:
                found.setdefault(panel.id, (folding, panel))
    return list(found.values())


def panel_json(folding: Folding, panel: Panel) -> dict[str, Any]:
    """A panel of a scored sheet, in the frame of its sheet. Its level is its rank among the panels as it is posted."""
    moving = folding.rigid[panel.id] != folding.rigid[folding.ground]
    return {
        "id": panel.id,
        "name": panel.name,
        "mechanism": panel.mechanism,
        "role": "moving" if moving else "base",
        "level": order_at(folding, folding.posted_at)[panel.id],
        "over": [],
        "plies": panel.plies,
        "stock": panel.stock,
        "thickness": round(panel.thickness_mm, 6),
        "quantity": 1,
        "sheet": panel.sheet,
        "flex": panel.flex,
        "outline": point_list(panel.outline),
        "holes": [point_list(h) for h in panel.holes],
        "creases": [],
        "faces": {"front": panel.faces[0], "back": panel.faces[1]},
        "through": [],
        "joins": [],
    }


def part_frames(assembly: Assembly, folding: Folding) -> dict[str, Array]:
    """Of panels that are parts of the card: where their own frame lies in that of the part ``(3, 4)``."""
    track = solve_folds(folding, np.array([folding.posted_at]))
    return {p.id: track.frames[p.id][0] for p in folding.panels if p.id in assembly.by_id}


def fold_joint_json(assembly: Assembly, folding: Folding, joint: FoldJoint) -> dict[str, Any]:
    """A joint between panels; what ``closes`` a loop has no coordinate of its own."""
    frames = part_frames(assembly, folding)
    still = np.eye(3, 4)
    in_a, in_b = frames.get(joint.a, still), frames.get(joint.b, still)
    out: dict[str, Any] = {"id": joint.id, "kind": joint.kind, "a": joint.a, "b": joint.b, "closes": joint.closes}
    if joint.at_a is not None and joint.at_b is not None:
        out |= {"at_a": _points(apply_frame(in_a, joint.at_a)), "at_b": _points(apply_frame(in_b, joint.at_b))}
    if joint.kind in ("slide", "fixed"):
        out["place"] = _matrix(compose_frames(compose_frames(in_b, joint.place), invert_frame(in_a)))
    if joint.kind in ("slide", "level"):
        out["along"] = [float(v) for v in in_a[:, :3] @ np.asarray(joint.along)]
    if joint.kind == "level":
        out["across"] = [float(v) for v in in_b[:, :3] @ np.asarray(joint.across)]
    if joint.kind == "touch":
        out["at_a"] = _points(apply_frame(in_a, [joint.point]))[0]
    return out


def _points(points: Array) -> list[list[float]]:
    return [[round(float(v), 9) for v in p] for p in points]


def _matrix(frame: Any) -> list[list[float]]:
    return [[round(float(v), 9) for v in row] for row in np.asarray(frame)]


def fold_zones_json(assembly: Assembly) -> list[dict[str, Any]]:
    """Where what folds is glued, and what of the page or face under it must stay clear."""
    zones: list[dict[str, Any]] = []
    for folding in assembly.foldings:
        frames = part_frames(assembly, folding)
        glued: dict[str, list[Any]] = {}
        for need in (n for n in folding.needs if isinstance(n, GlueFlap) and not n.region.is_empty):
            glued.setdefault(need.panel, []).append(need.region)
            zones += [_zone(frames, need.panel, "glue", ring, _glued_to(folding, need.panel), need.what) for ring in _rings(need.region)]
        for sheet in folding.sheets:
            for ring, what in sheet.guides:
                region = shapely.Polygon(ring)
                owner = max((p for p in folding.panels if p.sheet == sheet.id), key=lambda p: p.region.intersection(region).area, default=None)
                known = owner is not None and any(region.intersection(g).area > 0.5 * region.area for g in glued.get(owner.id, ()))
                on_it = owner is not None and owner.region.intersection(region).area > 0.5 * region.area
                if owner is not None and on_it and not known and "glue" in what:
                    zones.append(_zone(frames, owner.id, "glue", ring, _glued_to(folding, owner.id), what))
        for page, region in _kept_clear(folding).items():
            zones += [_zone(frames, page, "keep-clear", ring, folding.mechanism, f"{folding.by_id[page].name}, under what moves") for ring in region]
    return zones


def _rings(region: Any) -> list[Array]:
    return [np.asarray(p.exterior.coords)[:-1] for p in shapely.get_parts(region) if p.geom_type == "Polygon"]


def _glued_to(folding: Folding, panel: str) -> str:
    """The panel at the other side of a glue joint; empty where it is joined to none."""
    for joint in folding.joints:
        if joint.kind == "fixed" and panel in (joint.a, joint.b):
            return joint.b if panel == joint.a else joint.a
    return ""


def _zone(frames: dict[str, Array], panel: str, kind: str, ring: Array, to: str, name: str) -> dict[str, Any]:
    frame = frames.get(panel)
    if frame is not None:
        ring = apply_flat(frame, ring)
    return {"part": panel, "face": "front", "kind": kind, "to": to, "name": name, "polygon": point_list(ring), "at": {}}


def _kept_clear(folding: Folding) -> dict[str, list[Array]]:
    """Of every page or face: what the moving panels pass over at less than 3 mm, in the frame of that page."""
    track = solve_folds(folding, np.linspace(folding.drive.rest, folding.drive.end, 25))
    still = {folding.rigid[p.id] for p in folding.panels if p.base}
    out: dict[str, list[Array]] = {}
    for page in (p for p in folding.panels if p.base):
        low: list[Any] = []
        for panel in (p for p in folding.panels if folding.rigid[p.id] not in still):
            for frame in compose_frames(invert_frame(track.frames[page.id]), track.frames[panel.id])[track.reached]:
                corners = apply_frame(frame, panel.corners)
                if np.abs(corners[:, 2]).max() < LOW_MM:
                    low.append(shapely.transform(panel.region, lambda xy, m=frame: xy @ m[:2, :2].T + m[:2, 3]))
        swept = shapely.intersection(shapely.simplify(shapely.union_all(low), 0.01), page.region)
        if not swept.is_empty:
            out[page.id] = _rings(swept)
    return out


def fold_motion_json(examination: Examination, mechanism: str) -> dict[str, Any]:
    """Frames of every panel over the opening of a mechanism that folds, in the same form as those of flat ones. ``layer`` is given where
    it lies flat, ``pulled`` for what is pulled."""
    track = examination.fold_track(mechanism)
    folding, drive = track.folding, track.folding.drive
    flat = {k: order_at(folding, s.at) for s in folding.states for k in np.flatnonzero(np.abs(track.travel - s.at) < 1e-9).tolist()}
    steps: list[dict[str, Any]] = []
    pulled = pulled_lengths(folding)
    frames = _told_frames(examination, mechanism)
    for k in np.flatnonzero(track.reached).tolist():
        poses = {p: {"matrix": [[float(v) for v in row] for row in m[k]], "layer": flat[k][p] if k in flat else None} for p, m in frames.items()}
        step: dict[str, Any] = {
            "travel": float(track.travel[k]),
            "poses": poses,
            "readings": {name: float(v[k]) for name, v in track.readings.items()},
        }
        steps.append(step if pulled is None else step | {"pulled": abs(step["readings"][PULL])})
    reached = track.travel[track.reached]
    free = [float(reached.min()), float(reached.max())] if len(reached) else []
    driven = folding.find_joint(drive.joint)
    return {
        "format": "lexipod-motion/1",
        "mechanism": mechanism,
        "drive": {"joint": drive.joint, "unit": drive.unit, "rest": drive.rest, "end": drive.end},
        "range": {"free": free, "designed": sorted((drive.rest, drive.end))},
        "steps": steps,
        "stops": [
            {"side": side, "at": at, "cause": "contact" if track.reached[k] else "dead point", "parts": [driven.a, driven.b], "joint": drive.joint}
            for side, at, k in (("rest", drive.rest, 0), ("end", drive.end if track.reached[-1] else (free or [drive.rest])[-1], -1))
        ],
        "clearances": list(_clearances(examination, mechanism)),
    }


def _told_frames(examination: Examination, mechanism: str) -> dict[str, Array]:
    """Frames ``(n, 3, 4)`` of all panels; of those that are parts, from the part's frame."""
    track = examination.fold_track(mechanism)
    to_part = part_frames(examination.assembly, track.folding)
    return {p: compose_frames(m, invert_frame(to_part[p])) if p in to_part else m for p, m in track.frames.items()}


def _clearances(examination: Examination, mechanism: str) -> Iterator[dict[str, Any]]:
    """What is asked of the way, and every pair of panels that comes near off the flat states (minus how deep it goes through)."""
    told: set[frozenset[str]] = set()
    for r in (r for r in fold_rows(examination, mechanism) if r.kind in ("gap", "joint")):
        told.add(frozenset((r.parts[0], r.parts[-1])))
        at = float(r.travel[int(np.argmin(r.values))])
        yield {"a": r.parts[0], "b": r.parts[-1], "kind": r.kind, "minimum": round(r.least, 6), "at": at, "needed": r.needed}
    track = examination.fold_track(mechanism)
    folding = track.folding
    off = track.reached & (np.abs(track.travel[:, None] - np.array([s.at for s in folding.states])).min(axis=1) > OFF_FLAT_DEG)
    hinged = {frozenset((j.a, j.b)) for j in folding.joints}
    if not off.any():
        return
    for a, b in find_pairs(folding):
        pair = frozenset((a.id, b.id))
        if pair in told or pair in hinged:
            continue
        fa, fb = track.frames[a.id][off], track.frames[b.id][off]
        depth = crossing_depths(a, b, fa, fb)
        gaps = np.where(depth > 0, -depth, space_gaps(a, b, fa, fb))
        worst = int(np.argmin(gaps))
        if gaps[worst] < NEAR_MM:
            at = float(track.travel[off][worst])
            yield {"a": a.id, "b": b.id, "kind": "gap", "minimum": round(float(gaps[worst]), 6), "at": at, "needed": 0.0}


def fold_cross_json(examination: Examination) -> list[dict[str, Any]]:
    """What folds and what else on the card gets in its way, at the worst of both travels."""
    out = []
    for folding, other, clash in find_clashes(examination):
        at = {folding.mechanism: clash.at_a} | ({} if clash.at_b is None else {other: clash.at_b})
        out.append({"a": clash.a, "b": clash.b, "minimum": round(-clash.depth_mm, 6), "needed": 0.0, "at": at})
    return out


def frame_rows(examination: Examination, mechanism: str) -> Iterator[tuple[float, str, list[float]]]:
    """Travel, panel and the twelve numbers of its frame at every position that is reached."""
    track, frames = examination.fold_track(mechanism), _told_frames(examination, mechanism)
    for k in np.flatnonzero(track.reached).tolist():
        for panel, matrices in frames.items():
            yield float(track.travel[k]), panel, matrices[k].ravel().tolist()
