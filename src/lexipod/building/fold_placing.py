"""A mechanism that folds, placed on its card: mirrored, turned, shifted.

A reflection takes every frame X to M X S, where M reflects the card and S the sheets' own frames, so that poses stay proper. The
two ends of a crease change places, and its angle keeps its sense: a valley stays a valley.
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Blank, Folding, FoldJoint, Handle, Panel
from lexipod.assembly.model import Piece
from lexipod.geometry.frames import Array
from lexipod.geometry.space import compose_frames, planar_frame

_ACROSS, _ALONG = np.array([-1.0, 1.0, 1.0]), np.array([1.0, -1.0, 1.0])


def turn_folding(folding: Folding, pose: tuple[float, float, float]) -> Folding:
    """The folding moved rigidly in the plane of the card."""
    moved = planar_frame(*pose)
    directions = moved[:, :3]
    return replace(
        folding,
        ground_pose=compose_frames(moved, folding.ground_pose),
        readings=tuple(replace(r, direction=_tuple(directions @ np.asarray(r.direction))) for r in folding.readings),
    )


def mirror_folding(folding: Folding, width_mm: float) -> Folding:
    """The folding reflected at the card's vertical middle line."""
    pose = folding.ground_pose * _ACROSS[:, None]
    pose[:, :3] = pose[:, :3] * _ACROSS
    pose[0, 3] += width_mm
    return _reflected(folding, pose, _ACROSS, _ACROSS)


def mirror_along_gutter(folding: Folding, gutter_mm: float) -> Folding:
    """The folding inside a card reflected at the middle of the gutter, which is the y axis of its ground."""
    shift = planar_frame(0.0, gutter_mm, 0.0)
    spread = folding.ground_pose[:, :3]
    card = spread @ np.diag(_ALONG) @ spread.T
    return _reflected(folding, compose_frames(folding.ground_pose, shift), _ALONG, np.diag(card))


def shift_folding(folding: Folding, shift: tuple[float, float]) -> Folding:
    """What stands on the card's face moved on it: everything that is joined to the ground moves, the ground stays."""
    move = np.array([*shift, 0.0]) @ folding.ground_pose[:, :3]

    def moved(joint: FoldJoint) -> FoldJoint:
        if joint.b != folding.ground or joint.kind in ("parallel", "level", "touch"):
            return joint
        if joint.kind == "hinge":
            assert joint.at_b is not None
            return replace(joint, at_b=(_tuple(np.asarray(joint.at_b[0]) + move), _tuple(np.asarray(joint.at_b[1]) + move)))
        place = joint.place.copy()
        place[:, 3] += move
        return replace(joint, place=place)

    return replace(folding, joints=tuple(moved(j) for j in folding.joints))


def mirror_inside(piece: Piece, gutter_mm: float, *, fold: str) -> Piece:
    """A piece inside a card reflected at the middle of the gutter."""
    assert piece.folding is not None
    sign = np.array([1.0, -1.0]) if fold == "left" else np.array([-1.0, 1.0])
    offset = np.where(sign < 0, gutter_mm, 0.0)

    def point(p: tuple[float, float]) -> tuple[float, float]:
        x, y = np.asarray(p) * sign + offset
        return float(x), float(y)

    def turned(p: tuple[float, float]) -> tuple[float, float]:
        x, y = np.asarray(p) * sign
        return float(x), float(y)

    def handle(h: Handle) -> Handle:
        return replace(
            h,
            at=point(h.at),
            direction=turned(h.direction),
            span=(point(h.span[0]), point(h.span[1])),
            offset_mm=-h.offset_mm,
            cross=turned(h.cross) if h.cross else None,
        )

    return replace(
        piece,
        folding=mirror_along_gutter(piece.folding, gutter_mm),
        handles=tuple(handle(h) for h in piece.handles),
        openings={part: tuple(shapely.transform(r, lambda xy: xy * sign + offset) for r in regions) for part, regions in piece.openings.items()},
    )


def quarter_pose(turned: int, width_mm: float, height_mm: float) -> tuple[float, float, float]:
    """Where a card laid the other way round lies on the real one."""
    x, y = {0: (0.0, 0.0), 90: (width_mm, 0.0), 180: (width_mm, height_mm), 270: (0.0, height_mm)}[turned]
    return x, y, math.radians(turned)


def _reflected(folding: Folding, pose: Array, own: Array, card: Array) -> Folding:
    flat = own[:2]

    def ring(points: Array) -> Array:
        return (points * flat)[::-1]

    def region(shape: Any) -> Any:
        return shapely.transform(shape, lambda xy: xy * flat)

    def panel(p: Panel) -> Panel:
        return replace(p, outline=ring(p.outline), holes=tuple(ring(h) for h in p.holes))

    def joint(j: FoldJoint) -> FoldJoint:
        place = j.place * own[:, None]
        place[:, :3] = place[:, :3] * own
        lines: dict[str, Any] = {}
        if j.at_a is not None and j.at_b is not None:
            lines = {
                "at_a": (_tuple(np.asarray(j.at_a[1]) * own), _tuple(np.asarray(j.at_a[0]) * own)),
                "at_b": (_tuple(np.asarray(j.at_b[1]) * own), _tuple(np.asarray(j.at_b[0]) * own)),
            }
        return replace(
            j,
            place=place,
            along=_tuple(np.asarray(j.along) * own),
            across=_tuple(np.asarray(j.across) * own),
            point=_tuple(np.asarray(j.point) * own),
            **lines,
        )

    def sheet(s: Blank) -> Blank:
        creases = tuple(replace(c, start=_pair(np.asarray(c.start) * flat), end=_pair(np.asarray(c.end) * flat)) for c in s.creases)
        return replace(
            s,
            outline=ring(s.outline),
            holes=tuple(ring(h) for h in s.holes),
            apart=tuple(ring(piece) for piece in s.apart),
            allowances=tuple(replace(a, moves=tuple(m.mirrored() for m in a.moves)) if own[0] < 0 else a for a in s.allowances),
            creases=creases,
            guides=tuple((ring(g), what) for g, what in s.guides),
        )

    needs = tuple(replace(n, region=region(n.region)) if hasattr(n, "region") else n for n in folding.needs)
    return replace(
        folding,
        panels=tuple(panel(p) for p in folding.panels),
        joints=tuple(joint(j) for j in folding.joints),
        sheets=tuple(sheet(s) for s in folding.sheets),
        needs=needs,
        ground_pose=pose,
        readings=tuple(
            replace(r, point=_tuple(np.asarray(r.point) * own), direction=_tuple(np.asarray(r.direction) * card)) for r in folding.readings
        ),
    )


def _tuple(values: Array) -> tuple[float, float, float]:
    x, y, z = (float(v) for v in values)
    return x, y, z


def _pair(values: Array) -> tuple[float, float]:
    x, y = (float(v) for v in values)
    return x, y
