"""Paper that curls by itself where nothing holds it."""

from __future__ import annotations

from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

CURL_MM = 500.0
"""The radius to which one ply of 0.3 to 0.4 mm curls; it grows with the square of the plies (our own judgement)."""
Length = TypeVar("Length", float, NDArray[np.float64])


def curl_sag_mm(reach_mm: Length, *, plies: int = 1) -> Length:
    """How far a point ``reach_mm`` from what holds the paper sags: the sagitta of an arc, h² / (2 rho).

    >>> curl_sag_mm(20.0), curl_sag_mm(20.0, plies=2)
    (0.4, 0.1)
    """
    return reach_mm**2 / (2 * CURL_MM * plies**2)
