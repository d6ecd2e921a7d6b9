"""Poses of folded panels over the opening: trees of creases and slides, closed loops by the same Newton as flat mechanisms.

Unknowns are the coordinates of the tree's joints that do not run with the drive, angles scaled to lengths by ``TURN_SCALE_MM``.
In a flat state the loops lose rank, so it is not solved: every crease that comes to a whole number of half turns is set to it, and
slides, and creases that stand up even there, follow from the loops by least squares. So flat states are exact.
"""

from __future__ import annotations

import math
from collections import OrderedDict
from collections.abc import Hashable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from lexipod.assembly.folding import SNAP_MM, Folding, FoldJoint, Stage
from lexipod.geometry.frames import Array
from lexipod.geometry.space import apply_frame, compose_frames, cross_product, invert_frame, line_frame, turned_about_x
from lexipod.motion.equations import TURN_SCALE_MM, MechanismError, pick_independent_rows
from lexipod.motion.march import RESIDUAL_MM, March, newton, solve_positions

FLAT_DEG = 1e-7
SHY_DEG = 0.4
"""The march stops this short of a flat state; positions between are started from its last knot."""
LIES_DEG = (15.0, 6.0, 2.5)
"""A crease so near to a whole number of half turns beside a flat state comes to it there; the first one that closes the loops holds."""
MOST_ROUNDS = 12
_WHOLE = ((0.0, 0.0, 0.0), (30.0, 0.0, 0.0), (0.0, 30.0, 0.0))

HOME_SHARES = (0.0, 0.35, 0.6, 0.8, 0.92)
"""Where the loops are laid down: at home, or where that cannot be reached, so much of the way from home to the start."""


@dataclass(frozen=True, eq=False)
class _Link:
    """One joint of the tree: frames of the joint in both panels, and which of the coordinates is its own (-1: glued)."""

    joint: FoldJoint
    child: int
    parent: int
    in_parent: Array
    from_child: Array
    coordinate: int


@dataclass(frozen=True, eq=False)
class _Rows:
    """Closing rows: points of ``a`` and ``b`` in their frames and the direction in ``b``; directions have no points."""

    a: NDArray[np.int_]
    b: NDArray[np.int_]
    at_a: Array
    at_b: Array
    along: Array
    is_point: NDArray[np.bool_]


class FoldSystem:
    """The equations of one stage. Raises ``MechanismError`` when the tree has a hole; where the loops close nowhere, no position is
    reached."""

    def __init__(self, folding: Folding, stage: Stage) -> None:
        self.folding, self.stage = folding, stage
        self.index = {panel.id: k for k, panel in enumerate(folding.panels)}
        self.links = self._tree()
        self.names = [link.joint.id for link in self.links if link.coordinate >= 0]
        self.is_turn = np.array([folding.find_joint(n).kind == "hinge" for n in self.names], dtype=bool)
        self.free = [k for k, name in enumerate(self.names) if name not in stage.driven]
        self.below = self._descendants()
        self.closing = self._rows()
        starts = np.array([stage.driven.get(n, (0.0, 0.0))[0] for n in self.names])
        ends = np.array([stage.driven.get(n, (0.0, 0.0))[1] for n in self.names])
        self.start_values, self.rates = starts, (ends - starts) / (stage.end - stage.start)
        self.march: March | None = None
        self.closes = any(self._settle_at(stage.home + share * (stage.start - stage.home)) for share in HOME_SHARES)

    @property
    def home_travel(self) -> float:
        """The travel at home; where the loops do not close there, one nearer to the start at which they do."""
        return self._home_at

    @property
    def span(self) -> float:
        """The length of the stage."""
        return abs(self.stage.end - self.stage.start)

    @property
    def scaled_home(self) -> Array:
        """The unknowns at home."""
        return self._home

    def _tree(self) -> list[_Link]:
        folding = self.folding
        placed, links, count = {folding.ground}, list[_Link](), 0
        waiting = [j for j in folding.joints if not j.closes]
        while waiting:
            ready = [j for j in waiting if j.b in placed and j.a not in placed]
            if not ready:
                raise MechanismError(f"{folding.mechanism}: {waiting[0].id} hangs on nothing, or twice")
            for joint in ready:
                if joint.a in placed:
                    raise MechanismError(f"{folding.mechanism}: {joint.a} hangs on two panels")
                in_parent, from_child = _joint_frames(joint)
                own = count if joint.has_coordinate else -1
                count += joint.has_coordinate
                links.append(_Link(joint, self.index[joint.a], self.index[joint.b], in_parent, from_child, own))
                placed.add(joint.a)
            waiting = [j for j in waiting if j not in ready]
        if len(placed) < len(folding.panels):
            loose = next(p.id for p in folding.panels if p.id not in placed)
            raise MechanismError(f"{folding.mechanism}: {loose} hangs on nothing")
        return links

    def _descendants(self) -> NDArray[np.bool_]:
        """Which panels ``(panels,)`` each coordinate moves, ``(coordinates, panels)``."""
        moved = np.zeros((len(self.names), len(self.folding.panels)), dtype=bool)
        for link in self.links:
            moved[:, link.child] = moved[:, link.parent]
            if link.coordinate >= 0:
                moved[link.coordinate, link.child] = True
        return moved

    def _rows(self) -> _Rows:
        a: list[int] = []
        b: list[int] = []
        at_a: list[Array] = []
        at_b: list[Array] = []
        along: list[Array] = []
        is_point: list[bool] = []

        def add(joint: FoldJoint, point_a: object, point_b: object, direction: object, *, point: bool) -> None:
            a.append(self.index[joint.a])
            b.append(self.index[joint.b])
            at_a.append(np.asarray(point_a, dtype=float))
            at_b.append(np.asarray(point_b, dtype=float))
            along.append(np.asarray(direction, dtype=float))
            is_point.append(point)

        for name in self.stage.closes:
            joint = self.folding.find_joint(name)
            if joint.kind == "hinge":
                assert joint.at_a is not None and joint.at_b is not None
                for p, q in zip(joint.at_a, joint.at_b, strict=True):
                    for axis in np.eye(3):
                        add(joint, p, q, axis, point=True)
            elif joint.kind == "fixed":
                for p in _WHOLE:
                    for axis in np.eye(3):
                        add(joint, p, apply_frame(joint.place, [p])[0], axis, point=True)
            elif joint.kind == "slide":
                across = [v for v in np.eye(3) if abs(v @ np.asarray(joint.along)) < 0.9]
                for p in _WHOLE:
                    for axis in across:
                        add(joint, p, apply_frame(joint.place, [p])[0], axis - np.asarray(joint.along) * (axis @ np.asarray(joint.along)), point=True)
            elif joint.kind == "parallel":
                for side in ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0)):
                    add(joint, side, (0.0, 0.0, 0.0), (0.0, 0.0, 1.0), point=False)
            elif joint.kind == "touch":
                add(joint, joint.point, (0.0, 0.0, 0.0), (0.0, 0.0, 1.0), point=True)
            else:
                add(joint, joint.along, (0.0, 0.0, 0.0), joint.across, point=False)
        shape = (len(a), 3)
        return _Rows(
            np.array(a, dtype=int),
            np.array(b, dtype=int),
            np.reshape(at_a, shape),
            np.reshape(at_b, shape),
            np.reshape(along, shape),
            np.array(is_point, dtype=bool),
        )

    def _settle_at(self, home: float) -> bool:
        """Solves home from the recipe's guess, and picks the rows that are independent there; whether the loops close there."""
        scale = np.where(self.is_turn, math.radians(1.0) * TURN_SCALE_MM, 1.0)
        guess = np.array([self.stage.guess.get(self.names[k], 0.0) for k in self.free]) * scale[self.free]
        at = np.array([home])
        self._home_at, self._home, self.rows = home, guess, np.zeros(0, dtype=int)
        if len(self.free):
            for _ in range(30):
                residual, jacobian = self.residual_and_jacobian(guess[None], at)
                if float(np.abs(residual).max(initial=0.0)) < RESIDUAL_MM / 100:
                    break
                step = np.linalg.lstsq(jacobian[0], residual[0], rcond=None)[0]
                guess = guess - step * min(1.0, 10.0 / max(float(np.abs(step).max()), 1e-12))
            self.rows = pick_independent_rows(self.residual_and_jacobian(guess[None], at)[1][0])
            if len(self.rows) < len(self.free):
                return False
            guess = newton(self, guess[None], at)[0][0]
        self._home = guess
        residual, jacobian = self.residual_and_jacobian(guess[None], at)
        if not float(np.abs(residual).max(initial=0.0)) < RESIDUAL_MM * 10:
            return False
        self.home_square = jacobian[0][self.rows]
        self.home_sign = float(np.sign(np.linalg.det(self.home_square))) if len(self.free) else 1.0
        return True

    def values(self, q: Array, travel: Array) -> Array:
        """The coordinates of all joints, ``(n, c)``: degrees and mm, from the unknowns and the drive."""
        out: Array = self.start_values + np.outer(np.asarray(travel) - self.stage.start, self.rates)
        if self.free:
            out[:, self.free] = q / np.where(self.is_turn[self.free], math.radians(1.0) * TURN_SCALE_MM, 1.0)
        return out

    def frames(self, values: Array) -> tuple[Array, Array, Array]:
        """Frames ``(p, n, 3, 4)`` of the panels, and origins and directions ``(c, n, 3)`` of the joints, at coordinates ``(n, c)``."""
        n = len(values)
        out = np.empty((len(self.folding.panels), n, 3, 4))
        out[self.index[self.folding.ground]] = self.folding.ground_pose
        origins, directions = np.zeros((len(self.names), n, 3)), np.zeros((len(self.names), n, 3))
        for link in self.links:
            joint = compose_frames(out[link.parent], link.in_parent)
            if link.coordinate >= 0:
                value = values[:, link.coordinate]
                origins[link.coordinate] = joint[..., 3]
                if link.joint.kind == "edge":
                    # Within the turn the line of the panel is still as far from the edge as its coordinate says, on a straight way.
                    joint = turned_about_x(joint, -np.pi * np.clip((value + SNAP_MM) / (2 * SNAP_MM), 0.0, 1.0))
                    joint[..., 3] += joint[..., 1] * value[:, None]
                elif self.is_turn[link.coordinate]:
                    directions[link.coordinate] = joint[..., 0]
                    joint = turned_about_x(joint, np.radians(value))
                else:
                    along = joint[..., :3] @ np.asarray(link.joint.along)
                    directions[link.coordinate] = along
                    joint = joint.copy()
                    joint[..., 3] += along * value[:, None]
            out[link.child] = compose_frames(joint, link.from_child)
        return out, origins, directions

    def _all_slopes(self, q: Array, travel: Array) -> tuple[Array, Array]:
        """Closing rows ``(n, m)`` and their derivatives by all coordinates ``(n, m, c)``, turns scaled."""
        frames, origins, directions = self.frames(self.values(q, travel))
        rows = self.closing
        fa, fb = frames[rows.a], frames[rows.b]
        turned = np.einsum("mnij,mj->mni", fb[..., :3], rows.along)
        point_a = np.einsum("mnij,mj->mni", fa[..., :3], rows.at_a)
        point_b = np.einsum("mnij,mj->mni", fb[..., :3], rows.at_b)
        where = rows.is_point[:, None, None]
        world_a = point_a + np.where(where, fa[..., 3], 0.0)
        world_b = np.where(where, point_b + fb[..., 3], 0.0)
        scale = np.where(rows.is_point, 1.0, TURN_SCALE_MM)
        residual = np.einsum("mni,mni->nm", world_a - world_b, turned) * scale
        # A turn w about o moves both points; what is left of (w x (a - o)) . t is w . (a x t) - (w x o) . t for what only one side moves.
        sides = np.moveaxis(turned, 0, 1)
        twisted = np.moveaxis(cross_product(world_a, turned), 0, 1)
        axes = np.moveaxis(directions, 0, 2)
        lever = np.moveaxis(cross_product(directions, origins), 0, 2)
        is_point = rows.is_point[None, :, None]
        turns = (twisted @ axes - np.where(is_point, sides @ lever, 0.0)) / TURN_SCALE_MM
        slides = np.where(is_point, sides @ axes, 0.0)
        one_side = self.below[:, rows.a].astype(float) - self.below[:, rows.b]
        slopes = np.where(self.is_turn, turns, slides) * one_side.T[None] * scale[None, :, None]
        return residual, slopes

    def residual_and_jacobian(self, q: Array, travel: Array) -> tuple[Array, Array]:
        """Closing rows ``(n, m)`` and their derivatives ``(n, m, u)`` by the unknowns."""
        residual, slopes = self._all_slopes(q, np.asarray(travel, dtype=float))
        return residual, slopes[:, :, self.free]

    def forcing(self, q: Array, travel: Array) -> Array:
        """Minus the derivative of the picked rows by the travel."""
        _, slopes = self._all_slopes(q, np.asarray(travel, dtype=float))
        rates = self.rates * np.where(self.is_turn, math.radians(1.0) * TURN_SCALE_MM, 1.0)
        pushed: Array = -(slopes[:, self.rows] @ rates)
        return pushed

    def is_meant(self, square: Array) -> NDArray[np.bool_]:
        """Whether the loops are assembled as at home: the sign of the determinant, which may vanish only in a flat state."""
        return np.asarray(np.sign(np.linalg.det(square)) == self.home_sign)

    def solve(self, travel: Array) -> tuple[Array, NDArray[np.bool_], Array]:
        """Coordinates ``(n, c)``, whether each position is reached, and residuals ``(n,)``."""
        stage = self.stage
        low, high = sorted((stage.start, stage.end))
        flat = np.zeros(len(travel), dtype=bool)
        for at, is_flat in ((stage.start, stage.flat[0]), (stage.end, stage.flat[1])):
            flat |= is_flat & (np.abs(travel - at) <= FLAT_DEG)
        q = np.zeros((len(travel), len(self.free)))
        if not self.closes:
            return self.values(q, travel), np.zeros(len(travel), dtype=bool), np.full(len(travel), np.inf)
        reached, residual = np.ones(len(travel), dtype=bool), np.zeros(len(travel))
        if not self.free:
            worst = self.residual_and_jacobian(q, travel)[0]
            residual = np.abs(worst).max(axis=1, initial=0.0)
            return self.values(q, travel), residual < 1e-6, residual
        shy = min(SHY_DEG, self.span / 20)
        ends = {stage.start: stage.flat[0], stage.end: stage.flat[1]}
        bent = np.flatnonzero(~flat)
        near = [v + (shy if v == low else -shy) if ends[v] else v for v in (low, high)]
        solved, worst, _, meant = solve_positions(self, np.append(travel[bent], near), low=near[0], high=near[1])
        q[bent], residual[bent], reached[bent] = solved[: len(bent)], worst[: len(bent)], meant[: len(bent)]
        assert self.march is not None
        knots = self.march[0]
        beyond = np.array([near[0] < knots[0] - 1e-6, near[1] > knots[-1] + 1e-6])
        reached[bent] &= ~((beyond[0] & (travel[bent] < knots[0] - 1e-9)) | (beyond[1] & (travel[bent] > knots[-1] + 1e-9)))
        values = self.values(q, travel)
        for k in np.flatnonzero(flat):
            side = 0 if abs(travel[k] - low) <= FLAT_DEG else 1
            beside = self.values(solved[len(bent) + side][None], np.array([near[side]]))[0]
            for lies_deg in LIES_DEG:
                values[k], residual[k] = self._flat(beside, float(travel[k]), lies_deg)
                if residual[k] < 1e-6:
                    break
            reached[k] = bool(meant[len(bent) + side]) and not beyond[side] and residual[k] < 1e-6
        return values, reached, residual

    def _flat(self, beside: Array, travel: float, lies_deg: float) -> tuple[Array, float]:
        """Coordinates in a flat state from those just beside it: creases at whole half turns, slides by the loops."""
        at = np.array([travel])
        exact = self.values(np.zeros((1, len(self.free))), at)[0]
        whole = np.round(beside / 180.0) * 180.0
        lies = self.is_turn & (np.abs(beside - whole) < lies_deg)
        exact[self.free] = np.where(lies, whole, beside)[self.free]
        scale = np.where(self.is_turn, math.radians(1.0) * TURN_SCALE_MM, 1.0)
        open_ones = [n for n, k in enumerate(self.free) if not lies[k]]
        q = (exact * scale)[self.free][None]
        residual, jacobian = self.residual_and_jacobian(q, at)
        for _ in range(MOST_ROUNDS if open_ones else 0):
            q[0, open_ones] -= np.linalg.lstsq(jacobian[0][:, open_ones], residual[0], rcond=None)[0]
            residual, jacobian = self.residual_and_jacobian(q, at)
            if float(np.abs(residual).max()) < RESIDUAL_MM:
                break
        return self.values(q, at)[0], float(np.abs(residual).max(initial=0.0))

    @property
    def dead_points(self) -> tuple[float | None, float | None]:
        """Openings at which the loops come to an end before the stage does."""
        return self.march[3] if self.march is not None else (None, None)


def _joint_frames(joint: FoldJoint) -> tuple[Array, Array]:
    """The joint's frame in the parent, and the child's frame seen from the joint."""
    if joint.kind in ("hinge", "edge"):
        assert joint.at_a is not None and joint.at_b is not None
        return line_frame(*joint.at_b), invert_frame(line_frame(*joint.at_a))
    if joint.kind == "slide":
        return np.asarray(np.column_stack([np.eye(3), np.zeros(3)])), np.asarray(joint.place)
    return np.asarray(joint.place), np.column_stack([np.eye(3), np.zeros(3)])


@lru_cache(maxsize=256)
def way_of_moving(folding: Folding) -> Hashable:
    """What the motion of a folding depends on: its joints, stages and ground, but not what the panels look like. Foldings with the same
    one move alike."""
    joints = tuple((j.id, j.kind, j.a, j.b, j.at_a, j.at_b, j.place.tobytes(), j.along, j.across, j.point, j.closes) for j in folding.joints)
    stages = tuple((s.start, s.end, s.home, *(tuple(x.items()) for x in (s.driven, s.guess)), s.closes, s.flat) for s in folding.stages)
    return tuple(p.id for p in folding.panels), joints, stages, folding.ground, np.asarray(folding.ground_pose).tobytes()


_SYSTEMS: OrderedDict[Hashable, tuple[FoldSystem, ...]] = OrderedDict()
MOST_SYSTEMS = 32


def fold_systems(folding: Folding) -> tuple[FoldSystem, ...]:
    """The equations of all stages. They keep their march, and are kept for the last few ways of moving, so solving again is quick."""
    key = way_of_moving(folding)
    known = _SYSTEMS.get(key)
    if known is None:
        known = _SYSTEMS[key] = tuple(FoldSystem(folding, stage) for stage in folding.stages)
        while len(_SYSTEMS) > MOST_SYSTEMS:
            _SYSTEMS.popitem(last=False)
    else:
        _SYSTEMS.move_to_end(key)
    return known


def forget_systems() -> None:
    """Forgets all equations, as in a new process."""
    _SYSTEMS.clear()
