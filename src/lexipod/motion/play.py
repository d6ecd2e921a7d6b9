"""What the play of holes and guides does to a point: how far it wags, and how much its part tilts.

First order: a joint that is off by its clearance moves everything by the inverse of the Jacobian. Pins are off within a
circle, slots across their path, guides by the angle that their clearance allows over their length; all joints add up.
"""

from __future__ import annotations

import math

import numpy as np

from lexipod.assembly import Part
from lexipod.geometry.frames import Array, apply_pose
from lexipod.motion.equations import TURN_SCALE_MM
from lexipod.motion.flat.system import System
from lexipod.motion.flat.track import Track


def measure_play(system: System, track: Track, part: Part, at: tuple[float, float]) -> tuple[Array, Array]:
    """How far the point ``at`` (part frame) can wag to each side, ``(n,)`` mm, and how much the part tilts, ``(n,)`` degrees; 0 at
    positions that are not reached."""
    q, valid = track.unknowns, track.reached
    wag, tilt = np.zeros(len(q)), np.zeros(len(q))
    if part.id not in system.body_of or not valid.any():
        return wag, tilt
    _, jacobian = system.residual_and_jacobian(q[valid], track.travel[valid])
    inverse = np.linalg.inv(jacobian[:, system.rows])
    body = 3 * system.body_of[part.id]
    pose = system.body_poses(q[valid])[:, system.body_of[part.id]]
    arm = apply_pose(track.poses[part.id][valid], [at])[:, 0] - pose[:, :2]
    moves = inverse[:, body : body + 2].copy()
    moves[:, 0] -= arm[:, 1, None] * inverse[:, body + 2] / TURN_SCALE_MM
    moves[:, 1] += arm[:, 0, None] * inverse[:, body + 2] / TURN_SCALE_MM
    turns = inverse[:, body + 2] / TURN_SCALE_MM
    total, angle = np.zeros(int(valid.sum())), np.zeros(int(valid.sum()))
    owners = np.array(system.row_joints)[system.rows]
    for tie in system.ties:
        joint = tie.joint
        picked = np.flatnonzero((owners == joint.id) & (system.rows != system.drive_row))
        if not joint.clearance_mm or not len(picked):
            continue
        if joint.kind == "pin":
            groups = [(picked, joint.clearance_mm)]
        else:
            groups = [(picked[:1], joint.clearance_mm)]
            if joint.guide_mm > 0:
                groups.append((picked[1:], TURN_SCALE_MM * math.atan(2 * joint.clearance_mm / joint.guide_mm)))
        for rows, amount in groups:
            if len(rows):
                total += amount * np.linalg.norm(moves[:, :, rows], ord=2, axis=(1, 2))
                angle += amount * np.linalg.norm(turns[:, rows], axis=1)
    wag[valid], tilt[valid] = total, np.degrees(angle)
    return wag, tilt
