"""What the equations of flat mechanisms and of folds share: their scaling, the choice of independent rows, and their failure."""

from __future__ import annotations

import numpy as np

from lexipod.errors import LexipodError
from lexipod.geometry.frames import Array

TURN_SCALE_MM = 30.0


RANK_TOLERANCE = 1e-9


class MechanismError(LexipodError, ValueError):
    """An assembly that no solver can move: its joints leave a direction free, or do not close where it is laid down."""


def pick_independent_rows(matrix: Array, *, first: int | None = None) -> Array:
    """Indices of independent rows of an ``(m, u)`` matrix, ``first`` among them where it is given: each next row is the one of which most is
    left after projection on the rows before (QR with pivoting, by modified Gram-Schmidt; the systems are small)."""
    left = matrix.copy()
    picked: list[int] = []
    for _ in range(min(matrix.shape)):
        size = np.linalg.norm(left, axis=1)
        row = first if first is not None and not picked else int(np.argmax(size))
        if size[row] <= RANK_TOLERANCE * max(1.0, float(np.abs(matrix).max())):
            break
        picked.append(row)
        direction = left[row] / size[row]
        left = left - np.outer(left @ direction, direction)
        left[picked] = 0.0
    return np.sort(np.array(picked, dtype=int))
