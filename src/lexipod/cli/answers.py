"""The documented JSON answers."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Arc, Assembly, Joint, Part, Segment
from lexipod.blanks import find_blanks
from lexipod.builds import BuildYield
from lexipod.checks import Examination, Finding, verdict_of
from lexipod.cli.fold_answers import (
    fold_cross_json,
    fold_joint_json,
    fold_motion_json,
    fold_zones_json,
    frame_rows,
    own_panels,
    panel_json,
    point_list,
)
from lexipod.closing.card import close_card
from lexipod.design import Design
from lexipod.fitting import Fitted
from lexipod.geometry.frames import pose_matrix
from lexipod.motion import System
from lexipod.recipes import RECIPES


def print_json(answer: dict[str, Any]) -> None:
    """One answer on standard output, indented."""
    print(json.dumps(answer, indent=1, ensure_ascii=False, allow_nan=False))


def recipes_json() -> dict[str, Any]:
    """All recipes with every parameter."""
    return {
        "format": "lexipod-recipes/1",
        "recipes": [
            {
                "id": r.id,
                "name": r.name,
                "does": r.does,
                "parameters": [
                    {
                        "name": p.name,
                        "kind": p.kind,
                        "unit": p.unit,
                        "group": p.group,
                        "minimum": p.minimum,
                        "maximum": p.maximum,
                        "choices": list(p.choices),
                        "meaning": p.meaning,
                    }
                    for p in r.parameters
                ],
                "asks": [
                    {"name": a.parameter.name, "kind": a.parameter.kind, "unit": a.parameter.unit, "meaning": a.parameter.meaning} for a in r.asks
                ],
            }
            for r in RECIPES.values()
        ],
    }


def describe_json(design: Design, assembly: Assembly) -> dict[str, Any]:
    """Derived parts, joints, drives and zones."""
    card = assembly.card
    opens = any(f.kind == "inside" for f in assembly.foldings)
    envelope = None
    if card.envelope and card.envelope_mm:
        envelope = {"name": card.envelope, "width": card.envelope_mm[0], "height": card.envelope_mm[1]}
    return {
        "format": "lexipod-describe/1",
        "card": {
            "name": card.name,
            "orientation": card.orientation,
            "width": card.width_mm,
            "height": card.height_mm,
            "fold": card.fold,
            "base": card.base,
            "envelope": envelope,
        },
        "closure": _closure(assembly),
        "mechanisms": [
            {
                "id": m.id,
                "recipe": m.recipe,
                "mirror": m.mirror,
                "turned": m.turned,
                "shift": list(m.shift),
                "parameters": m.parameters,
                "decided": list(m.decided),
                "pinned": list(m.pinned),
            }
            for m in design.mechanisms
        ],
        "sheets": [_sheet(assembly, p) for p in find_blanks(assembly) if p.creases],
        "parts": [_part(assembly, p) for p in assembly.parts] + [panel_json(f, p) for f, p in own_panels(assembly)],
        "joints": [_joint(j) for j in assembly.joints if not (opens and j.id == CLOSED)]
        + list({j.id: fold_joint_json(assembly, f, j) for f in assembly.foldings for j in f.joints}.values()),
        "drives": [
            {
                "mechanism": d.mechanism,
                "joint": d.joint,
                "part": d.part,
                "kind": d.kind,
                "by": d.by,
                "unit": d.unit,
                "rest": d.rest,
                "end": d.end,
                "home": d.home,
                "branch": System(assembly, d).branch if d in assembly.drives else {},
                "endless": d.endless,
                "detents": list(d.detents),
            }
            for d in assembly.all_drives
        ],
        "cues": [{"mechanism": c.mechanism, "part": c.part, "kind": c.kind, "at": list(c.at), "word": c.word} for c in assembly.cues],
        "zones": [
            {"part": z.part, "face": z.face, "kind": z.kind, "to": z.to, "name": z.name, "polygon": point_list(z.polygon), "at": z.at}
            for z in assembly.zones
        ]
        + fold_zones_json(assembly),
    }


def _closure(assembly: Assembly) -> dict[str, Any] | None:
    """What keeps the card shut: its pieces, its place on the front, and its magnets there."""
    closing = close_card(assembly)
    if closing is None:
        return None
    return {
        "kind": closing.kind,
        "pieces": [s.id for s in closing.sheets],
        "hem": closing.hem_mm,
        "place": point_list(shapely.get_coordinates(closing.footprint)[:-1]),
        "magnets": [list(at) for at in closing.magnets],
    }


def _sheet(assembly: Assembly, piece: Any) -> dict[str, Any]:
    return {
        "id": piece.id,
        "stock": piece.stock,
        "outline": point_list(piece.outline),
        "holes": [point_list(h) for h in piece.holes],
        "slits": [point_list(line) for line in piece.slits],
        "panels": list(piece.panels),
        "allowances": [{"where": a.where, "amount": a.amount_mm, "reason": a.reason, "why": a.why} for a in piece.allowances],
        "grain": piece.grain,
        "creases": [
            {"name": c.name, "from": list(c.start), "to": list(c.end), "kind": c.fold, "panels": list(c.panels), "runs": c.runs, "order": c.order}
            for c in piece.creases
        ],
    }


def _part(assembly: Assembly, part: Part) -> dict[str, Any]:
    folded = ("card.front", "card.back") if "card.back" in assembly.by_id else ()
    pages = ("card.front", *(p.id for p in assembly.gates)) if assembly.gates else folded
    sheet = "card.sheet" if part.id in pages else None
    return {
        "id": part.id,
        "name": part.name,
        "mechanism": part.mechanism,
        "role": part.role,
        "level": part.level,
        "over": list(part.over),
        "plies": part.plies,
        "stock": part.stock,
        "thickness": round(part.thickness_mm, 6),
        "z": round(part.z_mm, 6),
        "quantity": part.quantity,
        "sheet": sheet,
        "flex": False,
        "outline": point_list(part.outline),
        "holes": [point_list(h) for h in part.holes],
        "home": [round(float(v), 9) for v in part.home],
        "creases": [{"from": list(s.line[0]), "to": list(s.line[1]), "with": s.a} for s in assembly.seams if s.b == part.id and s.line],
        "faces": {"front": part.face, "back": "paper"},
        "through": list(part.through),
        "joins": list(part.joins),
    }


def _joint(joint: Joint) -> dict[str, Any]:
    out: dict[str, Any] = {"id": joint.id, "kind": joint.kind, "a": joint.a, "b": joint.b}
    if joint.kind != "fixed":
        out |= {"at_a": list(joint.at_a), "turn": joint.turn, "ends": list(joint.ends), "clearance": joint.clearance_mm}
    if joint.kind == "pin":
        out["at_b"] = list(joint.at_b)
    if isinstance(joint.path_b, Segment):
        out |= {"path_b": [list(joint.path_b.start), list(joint.path_b.end)], "zero": joint.path_b.zero_mm}
    elif isinstance(joint.path_b, Arc):
        arc = joint.path_b
        out["path_b"] = {"centre": list(arc.centre), "radius": arc.radius_mm, "from": arc.start_deg, "to": arc.end_deg}
    return out


def motion_json(examination: Examination, mechanism: str) -> dict[str, Any]:
    """Poses of every part over the travel of one mechanism, its stops and clearances."""
    if examination.assembly.folding_of(mechanism) is not None:
        return fold_motion_json(examination, mechanism)
    assembly, track, free = examination.assembly, examination.asked_track(mechanism), examination.free_range(mechanism)
    drive = track.drive
    matrices = {p.id: pose_matrix(track.poses_of(p.id, p.home), z_mm=p.z_mm) for p in assembly.parts if p.mechanism == mechanism}
    steps = [
        {"travel": float(s), "poses": {part: {"matrix": [[float(v) for v in row] for row in m[k]], "layer": None} for part, m in matrices.items()}}
        for k, s in enumerate(track.travel)
        if track.reached[k]
    ]
    return {
        "format": "lexipod-motion/1",
        "mechanism": mechanism,
        "drive": {"joint": drive.joint, "unit": drive.unit, "rest": drive.rest, "end": drive.end},
        "range": {"free": sorted((free.low.at, free.high.at)), "designed": sorted((drive.rest, drive.end))},
        "steps": steps,
        "stops": [
            {"side": s.side, "at": s.at, "cause": s.cause, "parts": list(s.parts), "joint": s.joint}
            for s in (free.low, free.high)
            if s.cause != "none"
        ],
        "clearances": [
            {"a": c.a, "b": c.b, "kind": c.kind, "minimum": round(c.minimum_mm, 6), "at": c.at, "needed": c.needed_mm}
            for c in examination.clearances
            if c.mechanism == mechanism
        ],
    }


def cross_json(examination: Examination) -> list[dict[str, Any]]:
    """Pairs of different mechanisms at their worst combination of travels."""
    flat = [{"a": c.a, "b": c.b, "minimum": round(c.minimum_mm, 6), "needed": c.needed_mm, "at": c.at} for c in examination.crossings]
    return flat + fold_cross_json(examination)


CLOSED = "card.closed"
"""The joint that holds both pages of a card on each other; one that opens has a hinge instead."""
POSE_COLUMNS = ("x_mm", "y_mm", "turn_deg")
FRAME_COLUMNS = tuple(f"m{row}{column}" for row in range(3) for column in range(4))


def motion_csv(examination: Examination, mechanisms: Sequence[str]) -> str:
    """One line a reached position and moving part, under one head: mechanism, travel, part, and for a flat part x, y and turn in degrees,
    for a panel the twelve numbers of its frame. Columns that no line fills are left out."""
    folds = [examination.assembly.folding_of(m) is not None for m in mechanisms]
    heads = (() if all(folds) else POSE_COLUMNS) + (FRAME_COLUMNS if any(folds) else ())
    lines = [",".join(("mechanism", "travel", "part", *heads))]
    for mechanism, is_fold in zip(mechanisms, folds, strict=True):
        before = 0 if all(folds) or not is_fold else len(POSE_COLUMNS)
        after = len(heads) - before - (len(FRAME_COLUMNS) if is_fold else len(POSE_COLUMNS))
        for travel, part, numbers in frame_rows(examination, mechanism) if is_fold else _pose_rows(examination, mechanism):
            values = [""] * before + [f"{v:.6f}" for v in numbers] + [""] * after
            lines.append(",".join((mechanism, f"{travel:.6f}", part, *values)))
    return "\n".join(lines) + "\n"


def _pose_rows(examination: Examination, mechanism: str) -> Iterator[tuple[float, str, list[float]]]:
    track = examination.asked_track(mechanism)
    moved = [part for part in examination.assembly.moving if part in track.poses]
    for k in np.flatnonzero(track.reached).tolist():
        for part in moved:
            x, y, turn = track.poses[part][k]
            yield float(track.travel[k]), part, [x, y, np.degrees(turn)]


def fit_json(told: Fitted) -> dict[str, Any]:
    """What was changed to make it fit; or what blocks, and which wish is to blame."""
    return {
        "format": "lexipod-fit/1",
        "free": told.is_free,
        "set": {name: new for name, (_, new) in told.changed.items()},
        "blocks": [{"rule": f.rule, "parts": list(f.parts), "message": f.message} for f in told.blocks],
        "refusal": told.refusal,
        "impossible": [{"name": w.name, "wanted": w.wanted, "possible": w.possible} for w in told.impossible],
    }


def yield_json(told: BuildYield) -> dict[str, Any]:
    """Share of builds that run free, what spoils the others, and what would help."""
    return {
        "format": "lexipod-yield/1",
        "builds": told.builds,
        "seed": told.seed,
        "free": told.free,
        "interval95": [round(v, 6) for v in told.interval95],
        "spoilers": [{"dimension": s.dimension, "share": round(s.share, 6)} for s in told.spoilers],
        "suggested": [{"target": s.target, "mechanism": s.mechanism, "set": s.set} for s in told.suggested],
        "margins": {name: round(value, 6) for name, value in told.margins.items()},
        "whole": told.whole,
        "refused": list(told.refused),
    }


def check_json(findings: tuple[Finding, ...]) -> dict[str, Any]:
    """Verdict and findings."""
    return {
        "format": "lexipod-check/1",
        "verdict": verdict_of(findings),
        "findings": [
            {
                "rule": f.rule,
                "severity": f.severity,
                "mechanism": f.mechanism,
                "parts": list(f.parts),
                "travel": f.travel,
                "where": list(f.where) if f.where else None,
                "measured": f.measured,
                "required": f.required,
                "at_most": f.at_most,
                "unit": f.unit,
                "title": f.title,
                "message": f.message,
                "cut_short": f.cut_short,
                "limit": f.limit,
                "most": dict(f.most),
                "because": list(f.because),
                "remedies": [
                    {
                        "label": r.label,
                        "set": r.set,
                        "mechanism": r.mechanism,
                        "cures": r.cures,
                        "remaining": r.remaining,
                        "keeps": r.keeps,
                        "changes": list(r.changes),
                        "gives_up": list(r.gives_up),
                    }
                    for r in f.remedies
                ],
            }
            for f in findings
        ],
    }
