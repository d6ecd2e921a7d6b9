"""The equations of one mechanism: bodies, joint rows and their Jacobian, for many positions at once.

Unknowns are the poses of the bodies that can move, ``(x, y, turn)`` of a frame whose origin is the mean of the body's joint
points, with turns scaled by ``TURN_SCALE_MM`` so that all unknowns are lengths. Every joint gives rows in terms of one
point of ``a`` seen in the frame of ``b``.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lexipod.assembly import Arc, Assembly, Drive, Joint, Path, Segment
from lexipod.geometry.frames import Array, apply_pose, compose_pose, invert_pose, relative_pose
from lexipod.motion.equations import TURN_SCALE_MM, MechanismError, pick_independent_rows
from lexipod.motion.flat.plan import Tie, count_rows, make_plan
from lexipod.motion.march import March


@dataclass(frozen=True, eq=False)
class _Seen:
    """Points ``(n, t, 2)`` and turns ``(n, t)`` of all joints, with derivatives ``(n, t, 2, 3)`` by the poses of either body."""

    point: Array
    turn: Array
    d_a: Array
    d_b: Array


class System:
    """The rows of one mechanism's joints and its drive.

    ``free`` are the bodies with unknowns, in stacking order. Raises ``MechanismError`` when the joints leave a direction
    free, or do not close at home; one that ``is_laid`` down no more has its rows alone, until it is laid down again.
    """

    def __init__(self, assembly: Assembly, drive: Drive, *, is_laid: bool = True) -> None:
        self.assembly, self.drive = assembly, drive
        bodies = assembly.bodies
        ground = bodies[assembly.ground]
        mine = {p.id for p in assembly.parts if p.mechanism == drive.mechanism}
        self.free: list[str] = []
        for part in assembly.parts:
            body = bodies[part.id]
            if part.id in mine and body != ground and body not in self.free:
                self.free.append(body)
        index = {body: k for k, body in enumerate(self.free)}
        self.drive_scale = 1.0 if drive.kind == "slide" else math.radians(1.0) * TURN_SCALE_MM
        joints = [j for j in assembly.joints if j.kind != "fixed" and (bodies[j.a] in index or bodies[j.b] in index)]
        if drive.joint not in {j.id for j in joints}:
            raise MechanismError(f"{drive.mechanism}: the drive's joint {drive.joint} moves nothing")
        self.origin = self._origins(joints, index)
        self.home = np.concatenate([np.append(o, 0.0) for o in self.origin]) if self.free else np.zeros(0)
        self.ties = [self._tie(j, index) for j in joints]
        self.part_in_body = {
            p.id: relative_pose(np.append(self.origin[index[bodies[p.id]]], 0.0), p.home) for p in assembly.parts if bodies[p.id] in index
        }
        self.body_of = {p.id: index[bodies[p.id]] for p in assembly.parts if bodies[p.id] in index}
        self._plan = make_plan(self.ties, drive.joint, len(self.free))
        self.drive_row = self._plan.drive_row
        self.row_joints = [j for tie in self.ties for j in [tie.joint.id] * (count_rows(tie.joint) + (tie.joint.id == drive.joint))]
        self.march: March | None = None
        if is_laid:
            self.rows = self._independent_rows()
            self.blocks = self._find_blocks()
            self.home_signs = self.signs(self.home_square[None])[0]

    def _origins(self, joints: list[Joint], index: dict[str, int]) -> list[Array]:
        points: list[list[Array]] = [[] for _ in self.free]
        for joint in joints:
            for part, at in ((joint.a, joint.at_a), (joint.b, joint.at_b)):
                k = index.get(self.assembly.bodies[part], -1)
                if k >= 0 and not (part == joint.b and joint.path_b is not None):
                    points[k].append(apply_pose(self.assembly.by_id[part].home, [at])[0])
        for k, body in enumerate(self.free):
            if not points[k]:
                points[k].append(np.asarray(self.assembly.by_id[body].region_at_home.centroid.coords[0]))
        return [np.mean(p, axis=0) for p in points]

    def _tie(self, joint: Joint, index: dict[str, int]) -> Tie:
        a, b = (index.get(self.assembly.bodies[p], -1) for p in (joint.a, joint.b))
        home_a, home_b = (np.asarray(self.assembly.by_id[p].home) for p in (joint.a, joint.b))
        frame_a, frame_b = (np.append(self.origin[k], 0.0) if k >= 0 else np.zeros(3) for k in (a, b))
        in_card = apply_pose(home_a, [joint.at_a])
        polar_home = 0.0
        if isinstance(joint.path_b, Arc):
            spoke = apply_pose(invert_pose(home_b), in_card)[0] - np.asarray(joint.path_b.centre)
            polar_home = math.atan2(spoke[1], spoke[0])
        return Tie(joint, a, b, apply_pose(invert_pose(frame_a), in_card)[0], relative_pose(frame_b, home_b), polar_home)

    def residual_and_jacobian(self, q: Array, coordinate: Array) -> tuple[Array, Array]:
        """Rows ``(n, m)`` and their derivatives ``(n, m, u)`` at unknowns ``(n, u)`` and drive coordinates ``(n,)``."""
        plan, seen = self._plan, self._see(q)
        n, rows = len(q), np.empty((len(q), plan.count))
        d_a, d_b = np.zeros((n, plan.count, 3)), np.zeros((n, plan.count, 3))
        for ties, into, direction, offset in plan.lines:
            rows[:, into] = np.einsum("nti,ti->nt", seen.point[:, ties], direction) - offset
            d_a[:, into] = np.einsum("ti,ntij->ntj", direction, seen.d_a[:, ties])
            d_b[:, into] = np.einsum("ti,ntij->ntj", direction, seen.d_b[:, ties])
        if len(plan.arcs[0]):
            ties, into, centre, radius = plan.arcs
            spoke = (seen.point[:, ties] - centre) / radius[:, None]
            rows[:, into] = (np.sum(spoke**2, axis=2) - 1) * radius / 2
            d_a[:, into] = np.einsum("nti,ntij->ntj", spoke, seen.d_a[:, ties])
            d_b[:, into] = np.einsum("nti,ntij->ntj", spoke, seen.d_b[:, ties])
        if len(plan.turns[0]):
            ties, into = plan.turns
            rows[:, into] = seen.turn[:, ties] * TURN_SCALE_MM
            d_a[:, into, 2], d_b[:, into, 2] = 1.0, -1.0
        for k, row in plan.tangents:
            tie = self.ties[k]
            polar, polar_a, polar_b = _polar(seen, k, tie.joint.path_b)
            rows[:, row] = _wrapped(seen.turn[:, k] - polar + tie.polar_home) * TURN_SCALE_MM
            d_a[:, row], d_b[:, row] = -polar_a * TURN_SCALE_MM, -polar_b * TURN_SCALE_MM
            d_a[:, row, 2] += 1.0
            d_b[:, row, 2] -= 1.0
        value, slope_a, slope_b = self._coordinate(seen, plan.drive_tie)
        rows[:, self.drive_row] = (value - coordinate) * self.drive_scale
        d_a[:, self.drive_row], d_b[:, self.drive_row] = slope_a * self.drive_scale, slope_b * self.drive_scale
        jacobian = np.zeros((n, plan.count, q.shape[1]))
        for rows_here, columns, slopes in ((plan.rows_a, plan.columns_a, d_a), (plan.rows_b, plan.columns_b, d_b)):
            if len(rows_here):
                jacobian[:, rows_here[:, None], columns] += slopes[:, rows_here]
        return rows, jacobian

    def _see(self, q: Array) -> _Seen:
        """Every joint's point of ``a`` in the frame of the part ``b``, the relative turn, and what they owe to either body."""
        plan, n = self._plan, len(q)
        poses = np.concatenate([self.body_poses(q), np.zeros((n, 1, 3))], axis=1)
        pose_a, pose_b = poses[:, plan.a], poses[:, plan.b]
        cos_a, sin_a = np.cos(pose_a[..., 2]), np.sin(pose_a[..., 2])
        arm = np.stack([cos_a * plan.at_a[:, 0] - sin_a * plan.at_a[:, 1], sin_a * plan.at_a[:, 0] + cos_a * plan.at_a[:, 1]], axis=-1)
        part_b = compose_pose(pose_b, plan.b_from_joint)
        cos, sin = np.cos(part_b[..., 2]), np.sin(part_b[..., 2])
        away = arm + pose_a[..., :2] - part_b[..., :2]
        point = np.stack([cos * away[..., 0] + sin * away[..., 1], -sin * away[..., 0] + cos * away[..., 1]], axis=-1)
        back = arm + pose_a[..., :2] - pose_b[..., :2]
        d_a, d_b = np.empty((*point.shape, 3)), np.empty((*point.shape, 3))
        d_a[..., 0, 0], d_a[..., 0, 1], d_a[..., 1, 0], d_a[..., 1, 1] = cos, sin, -sin, cos
        d_b[..., :2] = -d_a[..., :2]
        for out, lever, sign in ((d_a, arm, 1.0), (d_b, back, -1.0)):
            out[..., 0, 2] = sign * (sin * lever[..., 0] - cos * lever[..., 1]) / TURN_SCALE_MM
            out[..., 1, 2] = sign * (cos * lever[..., 0] + sin * lever[..., 1]) / TURN_SCALE_MM
        return _Seen(point, pose_a[..., 2] - pose_b[..., 2], d_a, d_b)

    def _coordinate(self, seen: _Seen, k: int) -> tuple[Array, Array, Array]:
        """The coordinate of a joint ``(n,)`` and what it owes to either body ``(n, 3)``."""
        path = self.ties[k].joint.path_b
        if isinstance(path, Segment):
            along = np.asarray(path.direction)
            return (
                (seen.point[:, k] - np.asarray(path.start)) @ along - path.zero_mm,
                np.einsum("i,nij->nj", along, seen.d_a[:, k]),
                np.einsum("i,nij->nj", along, seen.d_b[:, k]),
            )
        if isinstance(path, Arc):
            polar, polar_a, polar_b = _polar(seen, k, path)
            middle = math.radians((path.start_deg + path.end_deg) / 2)
            return np.degrees(_wrapped(polar - middle) + middle), np.degrees(polar_a), np.degrees(polar_b)
        turn = np.zeros((len(seen.point), 3))
        turn[:, 2] = math.degrees(1 / TURN_SCALE_MM)
        return np.degrees(seen.turn[:, k]) + self.drive.home, turn, -turn

    def joint_coordinates(self, q: Array) -> dict[str, Array]:
        """The coordinate of every joint that has a path, ``(n,)`` each, at unknowns ``(n, u)``."""
        seen = self._see(q)
        return {tie.joint.id: self._coordinate(seen, k)[0] for k, tie in enumerate(self.ties) if tie.joint.path_b is not None}

    def _independent_rows(self) -> Array:
        q, s = self.home[None, :] * np.tile(_SCALE, len(self.free)), np.array([self.drive.home])
        residual, jacobian = self.residual_and_jacobian(q, s)
        worst = float(np.abs(residual).max(initial=0.0))
        if worst > 1e-6:
            raise MechanismError(f"{self.drive.mechanism}: the joints do not close at home, by {worst:.3g} mm")
        rows = pick_independent_rows(jacobian[0], first=self.drive_row)
        if len(rows) < q.shape[1]:
            raise MechanismError(f"{self.drive.mechanism}: {q.shape[1] - len(rows)} direction(s) are left free by the joints")
        self.home_square = jacobian[0][rows]
        return rows

    def _find_blocks(self) -> list[tuple[NDArray[np.int_], NDArray[np.int_]]]:
        """The loops: groups of rows and unknowns that must be solved together (strong components after a matching of rows with
        unknowns; block triangular form, as in any text on sparse direct methods). Which assembly is meant is told loop by loop."""
        if len(self.free) == 1:  # one body: all its rows are one loop
            return [(np.arange(len(self.rows)), np.arange(len(self.rows)))]
        from scipy.sparse import csr_matrix  # it takes long to load
        from scipy.sparse.csgraph import connected_components, maximum_bipartite_matching

        bodies = {tie.joint.id: [k for k in (tie.a, tie.b) if k >= 0] for tie in self.ties}
        size = len(self.rows)
        pattern = np.zeros((size, size), dtype=bool)
        for i, row in enumerate(self.rows):
            for body in bodies[self.row_joints[row]]:
                pattern[i, 3 * body : 3 * body + 3] = True
        column_of_row = np.asarray(maximum_bipartite_matching(csr_matrix(pattern), perm_type="column"))
        if (column_of_row < 0).any():
            return [(np.arange(size), np.arange(size))]
        count, labels = connected_components(csr_matrix(pattern[:, column_of_row]), directed=True, connection="strong")
        groups = [np.flatnonzero(labels == k) for k in range(count)]
        return [(rows, np.sort(column_of_row[rows])) for rows in sorted(groups, key=lambda g: int(g[0]))]

    def signs(self, square: Array) -> Array:
        """The sign of each loop's determinant at Jacobians ``(n, u, u)`` of the picked rows: ``(n, loops)``."""
        return np.stack([np.sign(np.linalg.det(square[:, rows[:, None], columns])) for rows, columns in self.blocks], axis=1)

    def is_meant(self, square: Array) -> NDArray[np.bool_]:
        """Whether every loop is assembled as at home, at Jacobians ``(n, u, u)``: ``(n,)`` of bool."""
        return np.asarray((self.signs(square) == self.home_signs).all(axis=1))

    @property
    def branch(self) -> dict[str, int]:
        """Which assembly is meant: the sign of each loop at home, by the first joint of the loop."""
        return {self.row_joints[self.rows[rows[0]]]: int(sign) for (rows, _), sign in zip(self.blocks, self.home_signs, strict=True)}

    @property
    def home_travel(self) -> float:
        """The travel at home."""
        return self.drive.home

    @property
    def span(self) -> float:
        """The length of the designed travel."""
        return abs(self.drive.end - self.drive.rest)

    def forcing(self, q: Array, travel: Array) -> Array:
        """Minus the derivative of the picked rows by the travel, ``(n, u)``: only the drive's row knows it."""
        right = np.zeros((len(q), len(self.rows)))
        right[:, np.searchsorted(self.rows, self.drive_row)] = self.drive_scale
        return right

    @property
    def scaled_home(self) -> Array:
        """The unknowns at home, ``(u,)``, in the solver's scaling."""
        return self.home * np.tile(_SCALE, len(self.free))

    def body_poses(self, q: Array) -> Array:
        """Poses ``(n, bodies, 3)`` of the free bodies from scaled unknowns ``(n, u)``."""
        return q.reshape(len(q), -1, 3) / _SCALE

    def part_poses(self, q: Array) -> dict[str, Array]:
        """Poses ``(n, 3)`` of every part that moves, in the card's frame."""
        poses = self.body_poses(q)
        return {part: compose_pose(poses[:, self.body_of[part]], inside) for part, inside in self.part_in_body.items()}


_SCALE = np.array([1.0, 1.0, TURN_SCALE_MM])


def _polar(seen: _Seen, k: int, path: Path | None) -> tuple[Array, Array, Array]:
    """Polar angle of a joint's point about an arc's centre, and what it owes to either body."""
    assert isinstance(path, Arc)
    spoke = seen.point[:, k] - np.asarray(path.centre)
    square = np.maximum(np.sum(spoke**2, axis=1), 1e-12)
    across = np.stack([-spoke[:, 1], spoke[:, 0]], axis=1) / square[:, None]
    return (np.arctan2(spoke[:, 1], spoke[:, 0]), np.einsum("ni,nij->nj", across, seen.d_a[:, k]), np.einsum("ni,nij->nj", across, seen.d_b[:, k]))


def _wrapped(angle: Array) -> Array:
    return (angle + math.pi) % (2 * math.pi) - math.pi
