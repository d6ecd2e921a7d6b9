"""Looks for iris blades of 3 to 8 by random search, as proportions of a ring of radius 48: ``.venv/bin/python benchmarks/find_blades.py``.

A set is good when the opening is covered before the turn ends, the pressure angle at the tips stays below 45 degrees (a search
without that limit ends on a dead point), and no blade leaves the ring. Prints the rows of the table in the recipe.
"""

from __future__ import annotations

import math
import sys

import numpy as np
import shapely
import shapely.affinity

OPENING, INNER, OUTER, PIN, RING = 22.0, 22.3, 46.0, 41.5, 47.5
MOST_PRESSURE_DEG = 44.0


def blade(arc_deg: float, pin_deg: float) -> np.ndarray:
    """A ring sector, its pin at angle 0."""
    a = np.radians(np.linspace(-pin_deg, arc_deg - pin_deg, 60))
    ring = np.column_stack([np.cos(a), np.sin(a)])
    return np.vstack([OUTER * ring, INNER * ring[::-1]])


def tip_radius(delta: np.ndarray, chord: float) -> np.ndarray:
    """Slider-crank: radius of the tip in its slot."""
    return PIN * np.cos(delta) + np.sqrt(np.maximum(chord**2 - (PIN * np.sin(delta)) ** 2, 0.0))


def judge(n: int, arc_deg: float, pin_deg: float, tip_deg: float, tip_mm: float, turn_deg: float) -> tuple[float, float, float, float] | None:
    """Turn at which it is covered, slot radii, and the largest blade radius; None when the set is no good."""
    beta = math.radians(tip_deg)
    pin, tip = np.array([PIN, 0.0]), tip_mm * np.array([math.cos(beta), math.sin(beta)])
    chord = float(np.linalg.norm(tip - pin))
    turns = np.linspace(0, turn_deg, 32)
    delta = beta + np.radians(turns)
    if np.abs(PIN * np.sin(delta)).max() >= chord:
        return None
    radius = tip_radius(delta, chord)
    pressure = np.degrees(np.arcsin(np.clip(PIN * np.sin(delta) / chord, -1, 1)))
    if np.abs(pressure).max() > MOST_PRESSURE_DEG or not np.isfinite(radius).all() or radius.min() < INNER + 3.6:
        return None
    outline, base = blade(arc_deg, pin_deg), math.atan2(*(tip - pin)[::-1])
    largest, opening = 0.0, shapely.Point(0, 0).buffer(OPENING, quad_segs=32)
    covered = None
    for k, turn in enumerate(np.radians(turns)):
        at = PIN * np.array([math.cos(-turn), math.sin(-turn)])
        to = radius[k] * np.array([math.cos(beta), math.sin(beta)])
        angle = math.atan2(*(to - at)[::-1]) - base
        cos, sin = math.cos(angle), math.sin(angle)
        moved = (outline - pin) @ np.array([[cos, sin], [-sin, cos]]) + at
        largest = max(largest, float(np.hypot(*moved.T).max()))
        if largest > RING:
            return None
        if covered is None and k > 8:
            one = shapely.Polygon(moved)
            copies = [shapely.affinity.rotate(one, 360 * j / n, origin=(0, 0)) for j in range(n)]
            if opening.difference(shapely.unary_union(copies)).area < 1e-6:
                covered = float(turns[k])
    if covered is None or turn_deg - covered < 3.0:
        return None
    return covered, float(radius.min()), float(radius.max()), largest


def main() -> None:
    """One row for each count of blades: the set with most turn to spare, for blades and turns that are not longer than needed."""
    rng = np.random.default_rng(7)
    start = (140.0, 5.2, 104.8, 43.0, 62.0)
    for n in range(3, 9):
        best, kept = -1e9, start
        found = None
        for k in range(int(sys.argv[1]) if len(sys.argv) > 1 else 3000):
            spread = 1.0 if k % 3 else 0.25
            row = tuple(float(v) for v in np.array(kept) + spread * rng.normal(size=5) * (8.0, 1.0, 8.0, 0.6, 4.0))
            if not (60 < row[0] < 178 and 4 <= row[1] <= 8 and 30 < row[2] < row[0] - row[1] - 8 and 36 < row[3] < 43.2 and 25 < row[4] < 70):
                continue
            judged = judge(n, *row)
            if judged is None:
                continue
            score = min(row[4] - judged[0], 5.0) - 0.05 * row[4] - 0.03 * row[0]
            if score > best:
                best, kept, found = score, row, judged
        print(n, found and ([round(v, 1) for v in kept], [round(v, 2) for v in found]), flush=True)
        start = kept


if __name__ == "__main__":
    main()
