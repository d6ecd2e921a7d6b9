"""Pictures over two parts: at rest one picture, and what shows of their cut edges on the way.

Reason: a step or a gap in a picture gives the seam away before it opens; a white edge that comes apart is seen.
Source: common practice, no source.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely

from lexipod.checks.examination import Examination, middle_of
from lexipod.checks.finding import Finding
from lexipod.design import Item
from lexipod.geometry.frames import Array, apply_pose, transform_regions
from lexipod.pictures import box_of, laid_outline

STEP_MM = 0.3
"""A step in a picture that is smaller is within what hands can glue."""
LOST_SHARE = 0.01
"""So little of a picture beyond the edge of its part is a lap that nobody sees."""
APART_MM = 0.5
"""Cut edges so far apart are seen."""


def split_pairs(examination: Examination) -> list[tuple[Item, Item]]:
    """The two halves of every picture that was cut, where both are on parts that lie flat: what lies to the left of the line, and to the
    right."""
    assembly = examination.assembly
    cut = [i for i in assembly.items if i.cut and i.on in assembly.by_id]
    lefts, rights = ([i for i in cut if i.cut_side == side] for side in ("left", "right"))
    return [(a, b) for a in lefts for b in rights if (a.source, a.cut) == (b.source, b.cut)]


def check_seams(examination: Examination) -> Iterator[Finding]:
    """No step and no gap at rest; where the edges come apart is told, so that they are coloured."""
    for one, other in split_pairs(examination):
        mechanism, travel, apart = seam_of(examination, one, other)
        seam = _seams(examination, one)[0]
        parts, where = (one.on, other.on), middle_of(shapely.LineString(seam))
        name = one.title
        length = examination.style.length
        if apart[0] > STEP_MM:
            off = length(float(apart[0]))
            message = f"At rest its two halves are {off} off each other; what is on one part must lie where it lay before it was cut."
            title = f"The picture “{name}” has a step"
            yield _finding("picture-seam", "warn", mechanism, parts, title, message, float(apart[0]), STEP_MM, where, one.id, at_most=True)
        lost = _lost_share(examination, one, other)
        if lost > LOST_SHARE:
            message = (
                f"{100 * lost:.0f} % of it lie beyond the edge of their own part, where the other one is: no paper shows them at rest. "
                "Draw the line along the edge at which the parts meet."
            )
            title = f"The picture “{name}” has a gap"
            yield _finding("picture-seam", "warn", mechanism, parts, title, message, lost, LOST_SHARE, where, one.id, at_most=True)
        seen = np.flatnonzero(apart > APART_MM)
        if len(seen) and apart[0] <= STEP_MM and mechanism:
            at = examination.amount(mechanism, float(travel[seen[0]]))
            message = f"Its cut edges are {length(float(apart.max()))} apart at most, and seen from {at} on: colour them before they are glued."
            yield _finding("picture-edges", "note", mechanism, parts, f"The picture “{name}” opens", message, 0.0, 0.0, where, one.id)


def _finding(rule, severity, mechanism, parts, title, message, measured, required, where, need, *, at_most=False):  # type: ignore[no-untyped-def]
    unit = "share" if required == LOST_SHARE else "mm"
    return Finding(rule, severity, mechanism, parts, title, message, round(measured, 4), required, unit=unit, at_most=at_most, where=where, need=need)


def _seams(examination: Examination, item: Item) -> Array:
    """The line of a half on the card over its own travel, ``(n, m, 2)`` or ``(1, m, 2)``."""
    part = examination.assembly.by_id[item.on]
    seams: Array = apply_pose(examination.poses(part.id), box_of(item, part.outline).lay(np.array(item.cut)))
    return seams


def seam_of(examination: Examination, one: Item, other: Item) -> tuple[str, Array, Array]:
    """The mechanism that parts two halves, its travel ``(n,)``, and how far their cut edges lie apart where they are farthest, ``(n,)`` mm."""
    known = [d.mechanism for d in examination.assembly.drives]
    own = [examination.assembly.by_id[i.on].mechanism for i in (one, other)]
    mechanism = next((m for m in own if m in known), known[0] if known else "")
    lines = [_seams(examination, i) for i in (one, other)]
    count = max(len(line) for line in lines)
    a, b = (line if len(line) == count else np.broadcast_to(line[:1], (count, *line.shape[1:])) for line in lines)
    travel = examination.track(mechanism).travel if mechanism else np.zeros(1)
    return mechanism, travel, np.linalg.norm(a - b, axis=2).max(axis=1)


def _lost_share(examination: Examination, one: Item, other: Item) -> float:
    """The share of a picture that lies on neither of its parts at rest although one of them is there: on the wrong side of where they meet."""
    halves, lost = [], []
    both = shapely.union_all([examination.regions(i.on)[0] for i in (one, other)])
    for item in (one, other):
        part = examination.assembly.by_id[item.on]
        half = transform_regions(laid_outline(item, part.outline), examination.poses(part.id)[:1])[0]
        halves.append(half)
        lost.append(shapely.intersection(shapely.difference(half, examination.regions(item.on)[0]), both))
    return float(shapely.union_all(lost).area / max(shapely.union_all(halves).area, 1e-9))


__all__ = ["check_seams", "seam_of", "split_pairs"]
