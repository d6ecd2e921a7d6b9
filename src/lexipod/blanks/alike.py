"""Blanks that are cut the same, so that a maker reads them once and counts them."""

from __future__ import annotations

import re
from dataclasses import dataclass
from difflib import SequenceMatcher
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Assembly, Blank, Crease
from lexipod.blanks.layout import find_blanks
from lexipod.blanks.measures import lying_square

SAME_MM = 0.03
"""Outlines that nowhere differ by more on average are cut the same."""
TWO_FACED = frozenset({"foam", "brass", "strip", "backing", "film"})
"""Faces that nobody sees from one side only: a blank of them may be turned over."""


@dataclass(frozen=True, eq=False)
class Batch:
    """Blanks that are cut the same: the first of them lying square, what all of them are called together, and all their parts."""

    blank: Blank
    name: str
    quantity: int
    ids: tuple[str, ...]
    panels: tuple[str, ...]


def find_batches(assembly: Assembly) -> tuple[Batch, ...]:
    """All blanks of the card, equal ones together, in the order of the first of each."""
    groups: list[list[Blank]] = []
    for blank in (lying_square(b) for b in find_blanks(assembly)):
        may_turn_over = all((p := assembly.by_id.get(i)) is not None and p.face in TWO_FACED for i in blank.panels)
        for group in groups:
            if are_alike(group[0], blank, may_turn_over=may_turn_over):
                group.append(blank)
                break
        else:
            groups.append([blank])
    return tuple(
        Batch(
            group[0],
            common_name([b.name for b in group]),
            sum(b.quantity for b in group),
            tuple(b.id for b in group),
            tuple(panel for b in group for panel in b.panels),
        )
        for group in groups
    )


def are_alike(a: Blank, b: Blank, *, may_turn_over: bool = False) -> bool:
    """Whether two blanks that lie square are cut the same, one of them turned by quarters or, where it may be, turned over."""
    if _kind(a) != _kind(b):
        return False
    if abs(a.region.area - b.region.area) > SAME_MM * a.region.length or abs(a.region.length - b.region.length) > 0.02 * a.region.length:
        return False
    if a.trims or b.trims or (a.creases and not a.laid):
        return a.trims == b.trims and _is_same(a, b)
    faces = (False, True) if may_turn_over and not a.creases else (False,)
    return any(_is_same(a, _turned(b, quarter, mirror)) for mirror in faces for quarter in range(4))


def _kind(blank: Blank) -> tuple[Any, ...]:
    return (blank.stock, blank.plies, blank.grain, blank.note, len(blank.holes), len(blank.creases), len(blank.slits))


def _is_same(a: Blank, b: Blank) -> bool:
    """Whether two blanks are the same as they lie: outline, openings and scores."""
    if shapely.symmetric_difference(a.region, b.region).area > SAME_MM * a.region.length:
        return False
    waiting = list(b.creases)
    for crease in a.creases:
        found = next((c for c in waiting if (c.fold, c.runs) == (crease.fold, crease.runs) and _is_same_line(c, crease)), None)
        if found is None:
            return False
        waiting.remove(found)
    return not waiting


def _is_same_line(a: Crease, b: Crease) -> bool:
    ends = np.array([a.start, a.end])
    return any(bool(np.abs(ends - other).max() < 4 * SAME_MM) for other in (np.array([b.start, b.end]), np.array([b.end, b.start])))


def _turned(blank: Blank, quarter: int, mirror: bool) -> Blank:
    """The blank turned by quarters and perhaps over, its box at the origin."""
    cos, sin = ((1, 0), (0, 1), (-1, 0), (0, -1))[quarter]
    side = -1.0 if mirror else 1.0
    return blank.moved(np.array([[cos * side, -sin, 0.0], [sin * side, cos, 0.0]])).at_origin()


def common_name(names: list[str]) -> str:
    """What several pieces are called together.

    >>> common_name(["foam 1 under the frame", "foam 2 under the frame"]), common_name(["blade 1", "blade 2"]), common_name(["rail", "stop"])
    ('foam under the frame', 'blade', 'rail, stop')
    """
    words = [re.split(r"[ ,]+", name) for name in dict.fromkeys(names)]
    shared = words[0]
    for other in words[1:]:
        match = SequenceMatcher(None, shared, other, autojunk=False)
        shared = [shared[k] for block in match.get_matching_blocks() for k in range(block.a, block.a + block.size)]
    if len(words) == 1:
        return names[0]
    if any(len(word) > 3 for word in shared):
        return " ".join(shared)
    first, *more = dict.fromkeys(names)
    return f"{first}, {more[0]}" if len(more) == 1 else f"{first} and {len(more)} more"
