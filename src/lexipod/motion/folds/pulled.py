"""What is pulled, in the length by which it is pulled: the reader knows no degrees of a strip."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from lexipod.assembly.folding import Folding
from lexipod.geometry.frames import Array
from lexipod.motion.folds.track import solve_folds

PULL = "pull"
"""The reading by which a mechanism that folds is known to be pulled."""
STEP_DEG = 1.0


@dataclass(frozen=True, slots=True)
class Pulled:
    """Travels (degrees, rising) and how far it is pulled there since rest (mm, never falling)."""

    travel: Array
    length: Array

    def length_at(self, travel: float) -> float:
        """How far it is pulled at a travel (mm)."""
        return float(np.interp(travel, self.travel, self.length))

    def travel_at(self, length: float) -> float:
        """The travel (degrees) at which it is pulled so far."""
        return float(np.interp(length, self.length, self.travel))


@lru_cache(maxsize=32)
def pulled_lengths(folding: Folding) -> Pulled | None:
    """How far a mechanism is pulled over its travel; None for one that a page opens, or that is known by degrees alone."""
    if folding.drive.by == "page" or all(r.name != PULL for r in folding.readings):
        return None
    drive = folding.drive
    count = max(2, round(abs(drive.end - drive.rest) / STEP_DEG) + 1)
    track = solve_folds(folding, np.linspace(drive.rest, drive.end, count))
    length = np.maximum.accumulate(np.abs(track.readings[PULL]))
    order = np.argsort(track.travel)
    return Pulled(track.travel[order], length[order])


__all__ = ["PULL", "Pulled", "pulled_lengths"]
