"""Heights: what moves under a cover must be lower than its foam, what moves over it must be higher.

Reason: foam must be at least as high as the tallest moving stack under it and a little play, at every place and time.
Source: common practice, no source; a foam layer keeps its nominal thickness.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Part
from lexipod.checks.examination import Examination, middle_of
from lexipod.checks.finding import Finding

PLAY_MM = 0.2


def _crossing(examination: Examination, moving: Part, other: Part) -> np.ndarray:
    """Some positions at which the two lie over each other, ``(n,)`` of bool; what another mechanism moves counts wherever it may
    be."""
    regions, others = examination.few_regions(moving.id), examination.few_regions(other.id)
    if other.mechanism != moving.mechanism and len(others) > 1:
        swept = examination.once(("swept", other.id), lambda: shapely.union_all(others))
        return np.asarray(shapely.intersects(regions, swept))
    return np.asarray(shapely.intersects(regions, others))


def stacked_pairs(examination: Examination) -> list[tuple[Part, Part, float, np.ndarray]]:
    """Moving part, the part nearest over it and nearest under it, the height between them (mm), and where they cross."""
    return examination.once("stacked pairs", lambda: _nearest_pairs(examination))


def find_air(examination: Examination) -> list[tuple[str, str, float]]:
    """Pairs of parts, the lower first, that pass over each other with air between them (mm), what only glides on another left out."""
    found = []
    for part, other, gap, _ in stacked_pairs(examination):
        if part.glides or other.glides or gap < 1e-6:
            continue
        low, high = (part, other) if other.level > part.level else (other, part)
        found.append((low.id, high.id, gap))
    return found


def _nearest_pairs(examination: Examination) -> list[tuple[Part, Part, float, np.ndarray]]:
    """On each side of each moving part the nearest part that crosses it: the gaps are gone through from the smallest on."""
    assembly = examination.assembly
    bodies, moving = assembly.bodies, set(assembly.moving)
    lowest = {b: min(p.z_mm for p in assembly.parts if bodies[p.id] == b) for b in set(bodies.values())}
    boxes = {p.id: examination.swept_box(p.id) for p in assembly.parts}
    found = []
    for part in (p for p in assembly.parts if p.id in moving):
        rests = part.glides or part.z_mm <= lowest[bodies[part.id]] + 1e-9
        pile = piled_mm(examination, part)
        for above in (True, False):
            others = [
                (other.z_mm - part.top_mm - pile if above else part.z_mm - other.top_mm, k, other)
                for k, other in enumerate(assembly.parts)
                if (other.level > part.level) == above and bodies[other.id] != bodies[part.id] and not part.shares_room(other)
            ]
            for gap, _, other in sorted(others):
                if gap >= 10.0 or (rests and not above and gap >= -1e-6):
                    break
                if (boxes[part.id][:2] <= boxes[other.id][2:]).all() and (boxes[other.id][:2] <= boxes[part.id][2:]).all():
                    crossing = _crossing(examination, part, other)
                    if crossing.any():
                        found.append((part, other, gap, crossing))
                        break
    return found


def piled_mm(examination: Examination, part: Part) -> float:
    """How much higher a part lies where others of its own level lie under it (leaves and blades that lap one another): their
    thickness times how many lie on one another anywhere, less its own ply."""
    assembly = examination.assembly
    lapped = {lower for p in assembly.parts for lower in p.over}
    if not part.over and part.id not in lapped:
        return 0.0
    group = [p for p in assembly.parts if p.level == part.level and p.mechanism == part.mechanism and (p.over or p.id in lapped)]
    return examination.once(("pile", part.mechanism, part.level), lambda: _pile(examination, group))


def _pile(examination: Examination, group: list[Part]) -> float:
    bodies = {examination.assembly.bodies[p.id] for p in group}
    regions = [examination.few_regions(p.id) for p in group]
    count = max(len(r) for r in regions)
    positions = {0} if len(bodies) == 1 else {0, count // 4, count // 2, 3 * count // 4, count - 1}
    deepest = max(_layers_deep([r[min(k, len(r) - 1)] for r in regions]) for k in positions)
    return (deepest - 1) * max(p.thickness_mm for p in group)


def _layers_deep(regions: list[Any]) -> int:
    """How many of the regions lie on one another at the deepest place: counted at points just inside every corner of what two
    of them share, since the deepest place has such a corner."""
    points = [shapely.get_coordinates(r.representative_point()) for r in regions]
    for i, a in enumerate(regions):
        for b in regions[i + 1 :]:
            shared = shapely.intersection(a, b)
            if shared.area > 1e-3:
                middle = shapely.get_coordinates(shared.representative_point())
                corners = shapely.get_coordinates(shared)
                points += [middle, corners + (middle - corners) * 1e-3]
    x, y = np.vstack(points).T
    return int(np.sum([shapely.contains_xy(r, x, y) for r in regions], axis=0).max())


def check_heights(examination: Examination) -> Iterator[Finding]:
    """Moving parts have a little air over and under them."""
    for part, other, gap, crossing in stacked_pairs(examination):
        if gap >= (0.0 if part.glides or other.glides else PLAY_MM) - 1e-6:
            continue
        above = other.level > part.level
        style = examination.style
        title = f"The {part.name} is too high for the foam" if above else f"The {part.name} drags on the {other.name}"
        lower, upper = (part, other) if above else (other, part)
        room = f"{style.length(gap)} of air" if gap >= 0 else f"{style.length(-gap)} too little room"
        message = f"Between the {lower.name} and the {upper.name} there is {room}; {style.length(PLAY_MM)} of air let it move."
        regions = examination.few_regions(part.id)
        where = middle_of(regions[min(int(np.argmax(crossing)), len(regions) - 1)])
        yield Finding(
            "height", "block" if gap < -1e-6 else "warn", part.mechanism, (part.id, other.id), title, message, round(gap, 4), PLAY_MM, where=where
        )
    yield from check_still_heights(examination)


def check_still_heights(examination: Examination) -> Iterator[Finding]:
    """What is glued down finds room under the sheets over it."""
    assembly = examination.assembly
    still = [p for p in assembly.parts if p.id not in assembly.moving]
    for cover in (p for p in still if p.role in ("cover", "base") and p.mechanism == "card"):
        for part in still:
            short = part.top_mm - cover.z_mm
            if part.level >= cover.level or short <= 1e-6 or not shapely.intersects(part.region_at_home, cover.region_at_home):
                continue
            length = examination.style.length
            message = f"It stands {length(short)} higher than the {cover.name}'s foam; one more layer of foam lets the {cover.name} lie flat."
            owner = part.mechanism if part.mechanism != "card" else "card"
            yield Finding(
                "height",
                "block",
                owner,
                (part.id, cover.id),
                f"The {part.name} lifts the {cover.name}",
                message,
                round(-short, 4),
                0.0,
                where=middle_of(part.region_at_home),
            )
