"""Poses of flat parts over the travel of their mechanism."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from lexipod.assembly import Assembly, Drive
from lexipod.geometry.frames import Array
from lexipod.motion.flat.system import System
from lexipod.motion.march import solve_positions


@dataclass(frozen=True, eq=False)
class Track:
    """Poses ``(n, 3)`` of each part at ``travel`` ``(n,)``; parts that do not move keep their home pose.

    ``reached`` tells which travels have a position. At the others everything stays where the way to them ends, so all arrays are
    finite, and whoever measures leaves those positions out. ``dead_points`` are the travels below and above home at which the
    loops come to an end, None where they do not within the asked range. ``unknowns`` are the solver's own.
    """

    mechanism: str
    drive: Drive
    travel: Array
    poses: dict[str, Array]
    reached: NDArray[np.bool_]
    dead_points: tuple[float | None, float | None] = (None, None)
    residual_mm: float = 0.0
    joint_coordinates: dict[str, Array] = field(default_factory=dict)
    unknowns: Array = field(default_factory=lambda: np.zeros((0, 0)))

    def poses_of(self, part: str, home: tuple[float, float, float]) -> Array:
        """Poses ``(n, 3)`` of a part, moving or not."""
        found = self.poses.get(part)
        return found if found is not None else np.tile(np.asarray(home, dtype=float), (len(self.travel), 1))

    def part(self, first: int, last: int) -> Track:
        """The stretch of positions ``first`` to before ``last``."""
        cut = slice(first, last)
        poses = {k: v[cut] for k, v in self.poses.items()}
        joints = {k: v[cut] for k, v in self.joint_coordinates.items()}
        return replace(self, travel=self.travel[cut], poses=poses, reached=self.reached[cut], joint_coordinates=joints, unknowns=self.unknowns[cut])


def solve_track(assembly: Assembly, drive: Drive, travel: Array, *, system: System | None = None) -> Track:
    """The track of one mechanism at the given travels (drive coordinates), in any order.

    The march from home is done once for a system and kept with it.
    """
    system = system or System(assembly, drive)
    travel = np.asarray(travel, dtype=float)
    low, high = search_range(drive)
    q, residual, _, meant = solve_positions(system, travel, low=low, high=high)
    assert system.march is not None
    knots, _, values, dead = system.march
    reached = (travel >= knots[0] - 1e-9) & (travel <= knots[-1] + 1e-9) & meant
    q[~reached] = values[[int(np.argmin(np.abs(knots - at))) for at in travel[~reached]]]
    worst = float(residual[reached].max()) if reached.any() else 0.0
    return Track(drive.mechanism, drive, travel, system.part_poses(q), reached, dead, worst, system.joint_coordinates(q), q)


def search_range(drive: Drive) -> tuple[float, float]:
    """The travels that are looked at: the designed ones and some beyond on both sides. Others count as not reached."""
    if drive.endless:
        return min(drive.rest, drive.end), max(drive.rest, drive.end)
    beyond = 0.3 * abs(drive.end - drive.rest) + (10.0 if drive.kind == "slide" else 15.0)
    return min(drive.rest, drive.end, drive.home) - beyond, max(drive.rest, drive.end, drive.home) + beyond
