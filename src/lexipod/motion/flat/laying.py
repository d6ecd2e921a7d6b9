"""An assembly laid down again after something in it was changed: every part where its joints want it at home."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lexipod.assembly import Assembly, Drive
from lexipod.geometry.frames import Array
from lexipod.motion.equations import MechanismError
from lexipod.motion.flat.system import System

CLOSES_MM = 1e-9
_MOST_STEPS = 30
_LONGEST_MM = 5.0


def lay_down(assembly: Assembly, drive: Drive) -> Assembly:
    """The assembly with the parts of a drive's mechanism moved to where all its joints close at home, starting from where they lie.

    ``MechanismError`` says by how much they do not: then nothing can be put together like this.
    """
    system = System(assembly, drive, is_laid=False)
    q, missing = _closed(system)
    if missing > CLOSES_MM * 1e3:
        raise MechanismError(f"{drive.mechanism}: it cannot be put together, {missing:.2g} mm are missing")
    homes = {part: (float(x), float(y), float(turn)) for part, ((x, y, turn),) in system.part_poses(q[None]).items()}
    return replace(assembly, parts=tuple(replace(p, home=homes[p.id]) if p.id in homes else p for p in assembly.parts))


def _closed(system: System) -> tuple[Array, float]:
    """Unknowns at which the rows come as near to zero as they can, and by how much they miss (mm): Gauss and Newton's steps."""
    q, at = system.scaled_home, np.array([system.drive.home])
    worst = np.inf
    for _ in range(_MOST_STEPS):
        rows, jacobian = system.residual_and_jacobian(q[None], at)
        worst = float(np.abs(rows[0]).max(initial=0.0))
        if worst < CLOSES_MM:
            break
        step = np.linalg.lstsq(jacobian[0], rows[0], rcond=None)[0]
        size = float(np.abs(step).max())
        q = q - step * min(1.0, _LONGEST_MM / max(size, 1e-300))
        if size < CLOSES_MM / 10:
            break
    return q, worst
