"""Which joint gives which rows of the equations of a flat mechanism, as index arrays."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lexipod.assembly import Arc, Joint, Segment
from lexipod.geometry.frames import Array


@dataclass(frozen=True, slots=True)
class Tie:
    """A joint in body frames: ``a``/``b`` are body indices (-1: ground), points at home in body coordinates."""

    joint: Joint
    a: int
    b: int
    at_a: Array
    b_from_joint: Array
    polar_home: float


@dataclass(frozen=True, eq=False)
class RowPlan:
    """Which joints give which rows, as index arrays: straight ones with direction and offset, arcs, held turns, tangents."""

    count: int
    a: NDArray[np.int_]
    b: NDArray[np.int_]
    at_a: Array
    b_from_joint: Array
    lines: tuple[tuple[NDArray[np.int_], NDArray[np.int_], Array, Array], ...]
    arcs: tuple[NDArray[np.int_], NDArray[np.int_], Array, Array]
    turns: tuple[NDArray[np.int_], NDArray[np.int_]]
    tangents: tuple[tuple[int, int], ...]
    drive_tie: int
    drive_row: int
    rows_a: NDArray[np.int_]
    columns_a: NDArray[np.int_]
    rows_b: NDArray[np.int_]
    columns_b: NDArray[np.int_]


def count_rows(joint: Joint) -> int:
    """How many scalar rows a joint gives."""
    if joint.kind == "pin":
        return 2
    return 1 if joint.turn == "free" else 2


def make_plan(ties: Sequence[Tie], drive_joint: str, free: int) -> RowPlan:
    """The plan of the rows of some joints, of which one is driven, over ``free`` bodies."""
    straight: list[tuple[int, int, tuple[float, float], float]] = []
    arcs: list[tuple[int, int, tuple[float, float], float]] = []
    turns: list[tuple[int, int]] = []
    tangents: list[tuple[int, int]] = []
    owner: list[int] = []
    drive_tie = drive_row = 0
    for k, tie in enumerate(ties):
        joint, path = tie.joint, tie.joint.path_b
        if joint.kind == "pin":
            for axis in ((1.0, 0.0), (0.0, 1.0)):
                straight.append((k, len(owner), axis, axis[0] * joint.at_b[0] + axis[1] * joint.at_b[1]))
                owner.append(k)
        elif isinstance(path, Segment):
            normal = (-path.direction[1], path.direction[0])
            straight.append((k, len(owner), normal, normal[0] * path.start[0] + normal[1] * path.start[1]))
            owner.append(k)
        elif isinstance(path, Arc):
            arcs.append((k, len(owner), path.centre, path.radius_mm))
            owner.append(k)
        if joint.turn == "fixed" or (joint.turn == "tangent" and isinstance(path, Segment)):
            turns.append((k, len(owner)))
            owner.append(k)
        elif joint.turn == "tangent" and isinstance(path, Arc):
            tangents.append((k, len(owner)))
            owner.append(k)
        if joint.id == drive_joint:
            drive_row, drive_tie = len(owner), k
            owner.append(k)
    body_a, body_b = (np.array([t.a for t in ties]), np.array([t.b for t in ties]))
    own_a, own_b = body_a[owner], body_b[owner]
    rows_a, rows_b = np.flatnonzero(own_a >= 0), np.flatnonzero(own_b >= 0)
    three = np.arange(3)
    lines = (
        (
            (
                np.array([r[0] for r in straight], dtype=int),
                np.array([r[1] for r in straight], dtype=int),
                np.array([r[2] for r in straight]).reshape(-1, 2),
                np.array([r[3] for r in straight]),
            ),
        )
        if straight
        else ()
    )
    return RowPlan(
        len(owner),
        np.where(body_a < 0, free, body_a),
        np.where(body_b < 0, free, body_b),
        np.array([t.at_a for t in ties]),
        np.array([t.b_from_joint for t in ties]),
        lines,
        (
            np.array([r[0] for r in arcs], dtype=int),
            np.array([r[1] for r in arcs], dtype=int),
            np.array([r[2] for r in arcs]).reshape(-1, 2),
            np.array([r[3] for r in arcs]),
        ),
        (np.array([r[0] for r in turns], dtype=int), np.array([r[1] for r in turns], dtype=int)),
        tuple(tangents),
        drive_tie,
        drive_row,
        rows_a,
        3 * own_a[rows_a][:, None] + three,
        rows_b,
        3 * own_b[rows_b][:, None] + three,
    )
