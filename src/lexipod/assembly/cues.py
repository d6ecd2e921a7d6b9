"""The outline of the reader's cue: a straight arrow, an arrow bent round a pivot, or the room that a word takes."""

from __future__ import annotations

import math

import numpy as np

from lexipod.assembly.parts import Cue
from lexipod.geometry.frames import Array

WIDTH_SHARE = 0.34


def cue_outline(cue: Cue) -> Array:
    """The outline of an arrow, or of the room that a word takes, in the part's frame, ``(n, 2)`` mm."""
    if cue.kind == "word":
        half = len(cue.word) * cue.size_mm * 0.16
        x, y = cue.at
        low, high = -cue.size_mm * 0.2, cue.size_mm * 0.3
        return np.array([[x - half, y + low], [x + half, y + low], [x + half, y + high], [x - half, y + high]])
    return _bent_arrow(cue) if cue.about is not None else _straight_arrow(cue)


def _straight_arrow(cue: Cue) -> Array:
    length, half = cue.size_mm, cue.size_mm * WIDTH_SHARE / 2
    head = length * 0.42
    local = np.array(
        [
            [-length / 2, -half * 0.45],
            [length / 2 - head, -half * 0.45],
            [length / 2 - head, -half],
            [length / 2, 0.0],
            [length / 2 - head, half],
            [length / 2 - head, half * 0.45],
            [-length / 2, half * 0.45],
        ]
    )
    x, y = cue.direction
    return np.asarray(cue.at) + local @ np.array([[x, y], [-y, x]])


def _bent_arrow(cue: Cue) -> Array:
    assert cue.about is not None
    spoke = np.asarray(cue.at) - np.asarray(cue.about)
    radius, middle = max(float(np.hypot(*spoke)), 1e-6), math.atan2(spoke[1], spoke[0])
    sense = 1.0 if spoke[0] * cue.direction[1] - spoke[1] * cue.direction[0] > 0 else -1.0
    span = sense * min(cue.size_mm / radius, 2.0)
    half = cue.size_mm * WIDTH_SHARE / 2
    tail, neck, tip = middle - span / 2, middle + span * 0.08, middle + span / 2
    sweep = np.linspace(tail, neck, 9)
    inner = np.column_stack([np.full(9, radius - half * 0.45), sweep])
    outer = np.column_stack([np.full(9, radius + half * 0.45), sweep])[::-1]
    polar = np.vstack([inner, [[radius - half, neck], [radius, tip], [radius + half, neck]], outer])
    return np.asarray(cue.about) + polar[:, :1] * np.column_stack([np.cos(polar[:, 1]), np.sin(polar[:, 1])])
