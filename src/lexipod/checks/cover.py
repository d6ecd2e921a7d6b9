"""What is seen and what is hidden, and what holds what.

Reasons: at rest the surprise is covered entirely, at the end it is shown entirely; slots, foam and raw edges are hidden at
every position; a strip is held behind both edges of its slot; paper round a slot must be wide enough to hold.
Source: common practice, no source.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely

from lexipod.assembly import Caught, Covered, Held, Land, Shown, Under
from lexipod.checks.examination import Examination, apart_margin, cover_margin, extent, mean_width, middle_of
from lexipod.checks.finding import Finding, Severity
from lexipod.geometry.frames import Array

LEAST_HELD_MM = 1.0
"""What must be left of a strip behind its slot's edge when knife and hand have erred, whatever lap was wished for (a judgement)."""
SLIVER_MM = 1.0
"""A strip of the surprise that shows, or stays covered, and is no wider is to be watched; it spoils nothing."""
LEAST_LAND_MM = 1.0
"""Paper beside an opening that is narrower tears in use."""


def covered_profile(examination: Examination, need: Covered) -> Array:
    """How far the region stays inside what covers it, over the travel, ``(n,)`` or ``(1,)``; negative where it is seen."""
    targets = examination.place(examination.assembly.by_id[need.part], need.region)
    return cover_margin(targets, examination.union(need.by))


def check_covered(examination: Examination) -> Iterator[Finding]:
    """Openings are covered at every position by what lies behind them."""
    for need in (n for n in examination.assembly.needs if isinstance(n, Covered)):
        profile = covered_profile(examination, need)
        k = int(np.argmin(profile > profile.min() + 1e-9))
        worst = float(profile[k])
        if worst >= need.lap_mm - 1e-6:
            continue
        travel = examination.track(need.mechanism).travel
        at = float(travel[k]) if len(profile) > 1 else None
        length = examination.style.length
        names = " and ".join(examination.assembly.part_name(p) for p in need.by)
        if worst < 0:
            title = f"Something shows through {need.what}"
            when = "" if at is None else f"at {examination.amount(need.mechanism, at)} of travel "
            message = f"{when[:1].upper()}{when[1:]}{'a' if when else 'A'} strip about {length(-worst)} wide is not covered by {names}."
        else:
            title = f"{need.what[:1].upper()}{need.what[1:]} is only just covered"
            message = f"{names[:1].upper()}{names[1:]} reach {length(worst)} past {need.what}; {length(need.lap_mm)} hide it from the side too."
        target = examination.place(examination.assembly.by_id[need.part], need.region)
        cover = examination.union(need.by)
        open_part = shapely.difference(target[min(k, len(target) - 1)], cover[min(k, len(cover) - 1)])
        where = middle_of(open_part) if not open_part.is_empty else middle_of(target[min(k, len(target) - 1)])
        yield Finding(
            "slot-hidden",
            "block" if worst < 0 and need.holds else "warn",  # else it is ugly, and moves all the same
            need.mechanism,
            (need.part, *need.by),
            title,
            message,
            round(worst, 4),
            need.lap_mm,
            travel=at,
            where=where,
            need=need.id,
        )


def shown_covers(examination: Examination, need: Shown) -> tuple[str, ...]:
    """Parts in front of the one that carries the region, through which one does not see."""
    base = examination.assembly.by_id[need.part]
    return tuple(
        p.id
        for p in examination.assembly.parts
        if (p.level > base.level or base.id in p.over) and p.role != "spacer" and p.id != base.id and not examination.is_clear(p)
    )


def check_shown(examination: Examination) -> Iterator[Finding]:
    """What is revealed is hidden at rest and free at the end, or the other way round where it closes."""
    for need in (n for n in examination.assembly.needs if isinstance(n, Shown)):
        base = examination.assembly.by_id[need.part]
        target = examination.place(base, need.region)
        covers = shown_covers(examination, need)
        shut, clear = (-1, 0) if need.closes else (0, -1)
        at_rest, at_end = (examination.union_at(covers, k) for k in (shut, clear))
        when = ("at the end", "At rest") if need.closes else ("at rest", "At the end")
        travel, length = examination.track(need.mechanism).travel, examination.style.length
        where = middle_of(target[0])
        hidden = float(cover_margin(target[shut], at_rest)[0])
        if need.hidden_at_rest and hidden < need.lap_mm - 1e-6:
            severity: Severity = "block" if hidden < -SLIVER_MM else "warn"
            if hidden < 0:
                title, text = f"The surprise shows {when[0]}", f"About {length(-hidden)} of {need.what} stand past what covers it at rest."
            else:
                title = "The surprise is only just covered"
                text = f"What covers it reaches {length(hidden)} past {need.what}; {length(need.lap_mm)} allow for a crooked cut."
            yield Finding(
                "reveal-rest",
                severity,
                need.mechanism,
                (need.part,),
                title,
                text,
                round(hidden, 4),
                need.lap_mm,
                travel=float(travel[shut]),
                where=where,
                need=need.id,
            )
        shown = float(apart_margin(target[clear], at_end)[0])
        if shown < need.lap_mm - 1e-6:
            severity = "block" if shown < -SLIVER_MM else "warn"
            share = 100 * float(shapely.intersection(target[clear], at_end).area / max(target[clear].area, 1e-9))
            if shown < 0:
                title = "The surprise is not fully shown"
                text = f"{when[1]} {share:.0f} % of {need.what} are still covered."
            else:
                title = "The surprise is only just free"
                text = f"{when[1]} the cover stops {length(shown)} beside {need.what}; {length(need.lap_mm)} look right."
            yield Finding(
                "reveal-end",
                severity,
                need.mechanism,
                (need.part,),
                title,
                text,
                round(shown, 4),
                need.lap_mm,
                travel=float(travel[clear]),
                where=where,
                need=need.id,
            )


def check_under(examination: Examination) -> Iterator[Finding]:
    """Spacers and backings lie under the sheet that hides them."""
    for need in (n for n in examination.assembly.needs if isinstance(n, Under)):
        part, cover = (examination.assembly.by_id[p] for p in (need.part, need.cover))
        outer = shapely.Polygon(shapely.get_coordinates(cover.region_at_home.exterior))
        margin = float(cover_margin(part.region_at_home, outer)[0])
        if margin >= need.lap_mm - 1e-6:
            continue
        length = examination.style.length
        if margin < 0:
            title = f"The {part.name} shows beside the {cover.name}"
            message = f"It stands out of the {cover.name} by about {length(-margin)}."
        else:
            title = f"The {part.name} lies right at the {cover.name}'s edge"
            message = f"It lies {length(margin)} inside the {cover.name}; {length(need.lap_mm)} keep it from being seen."
        outside = shapely.difference(part.region_at_home, outer)
        yield Finding(
            "spacer-shows",
            "warn",  # it is ugly, and moves all the same
            need.mechanism,
            (need.part, need.cover),
            title,
            message,
            round(margin, 4),
            need.lap_mm,
            where=middle_of(outside if not outside.is_empty else part.region_at_home),
            need=need.id,
        )


def check_land(examination: Examination) -> Iterator[Finding]:
    """Paper round an opening is wide enough."""
    for need in (n for n in examination.assembly.needs if isinstance(n, Land)):
        part, length = examination.assembly.by_id[need.part], examination.style.length
        margin = float(cover_margin(need.region, need.outer)[0])
        for other in need.others:
            margin = min(margin, float(apart_margin(need.region, other)[0]))
        if margin >= need.land_mm - 1e-6:
            continue
        severity: Severity = "block" if margin < min(LEAST_LAND_MM, need.land_mm / 2) else "warn"
        if margin <= 0:
            title = f"{need.what[:1].upper()}{need.what[1:]} runs out of the {part.name}"
            message = f"It stands past the paper of the {part.name} by about {length(-margin)}."
        else:
            title = f"Little paper is left beside {need.what}"
            message = f"Between {need.what} and the nearest edge {length(margin)} of the {part.name} are left; {length(need.land_mm)} hold."
        where = middle_of(examination.place(part, need.region)[0])
        yield Finding("land", severity, need.mechanism, (need.part,), title, message, round(margin, 4), need.land_mm, where=where, need=need.id)


def check_held(examination: Examination) -> Iterator[Finding]:
    """A moving part reaches behind both edges of its slot."""
    for need in (n for n in examination.assembly.needs if isinstance(n, Held)):
        part, cover = (examination.assembly.by_id[p] for p in (need.part, need.cover))
        opening = examination.place(cover, need.opening)[0]
        low, high = extent(opening, need.across)
        ends = examination.extents(need.part, need.across)
        overlap = float(min((low - ends[:, 0]).min(), (ends[:, 1] - high).min()))
        wanted = max(need.overlap_mm, LEAST_HELD_MM + examination.ways.needed_gap_mm())
        if overlap >= wanted - 1e-6:
            continue
        length = examination.style.length
        title = f"The {part.name} slips out of the slot" if overlap <= 0.5 else f"The {part.name} is barely held behind the slot"
        message = f"It reaches {length(max(overlap, 0.0))} behind the slot's edges; {length(wanted)} are wanted on both sides."
        severity: Severity = "block" if overlap < LEAST_HELD_MM - 1e-6 else "warn"
        yield Finding(
            "held",
            severity,
            need.mechanism,
            (need.part, need.cover),
            title,
            message,
            round(overlap, 4),
            wanted,
            where=middle_of(opening),
            need=need.id,
        )
    yield from check_caught(examination)


def check_caught(examination: Examination) -> Iterator[Finding]:
    """A disc or washer is wider than the track it holds in, so that it cannot come through."""
    for need in (n for n in examination.assembly.needs if isinstance(n, Caught)):
        part, cover = (examination.assembly.by_id[p] for p in (need.part, need.cover))
        sides = shapely.get_coordinates(shapely.minimum_rotated_rectangle(part.region))
        narrow = float(min(np.linalg.norm(sides[1] - sides[0]), np.linalg.norm(sides[2] - sides[1])))
        wide = float(2 * shapely.maximum_inscribed_circle(need.opening, tolerance=0.1).length)
        overlap = (narrow - wide) / 2
        if overlap >= need.overlap_mm - 0.05:
            continue
        length = examination.style.length
        title = f"The {part.name} comes through its track" if overlap <= 0 else f"The {part.name} is barely wider than its track"
        message = f"It is {length(narrow)} wide and the opening in the {cover.name} {length(wide)}; {length(need.overlap_mm)} on each side hold it."
        severity: Severity = "block" if overlap < min(LEAST_HELD_MM, need.overlap_mm / 2) - 1e-6 else "warn"
        yield Finding(
            "held",
            severity,
            need.mechanism,
            (need.part, need.cover),
            title,
            message,
            round(overlap, 4),
            need.overlap_mm,
            where=middle_of(examination.regions(need.part)[0]),
            need=need.id,
        )


def seen_share(examination: Examination, need: Shown) -> Array:
    """Share of the region that is free, over the travel, ``(n,)``."""
    free = free_region(examination, need)
    return np.asarray(shapely.area(free)) / max(need.region.area, 1e-9)


def free_region(examination: Examination, need: Shown) -> Array:
    """What is seen of the region over the travel, ``(n,)`` regions in the card's frame."""
    free = examination.uncovered(examination.assembly.by_id[need.part], need.region, shown_covers(examination, need))
    return np.broadcast_to(free, examination.track(need.mechanism).travel.shape)


def free_opening(examination: Examination, need: Shown, travel: float) -> tuple[float, float]:
    """At one travel: the area that is seen (mm2), and the diameter of the largest circle in it (mm)."""
    k = int(np.argmin(np.abs(examination.track(need.mechanism).travel - travel)))
    target = examination.place(examination.assembly.by_id[need.part], need.region)
    free = shapely.difference(target[min(k, len(target) - 1)], examination.union_at(shown_covers(examination, need), k))
    pieces = [p for p in shapely.get_parts(free) if p.geom_type == "Polygon" and p.area > 1e-6]
    return float(free.area), max((2 * shapely.maximum_inscribed_circle(p, tolerance=0.01).length for p in pieces), default=0.0)


__all__ = ["check_caught", "check_covered", "check_held", "check_land", "check_shown", "check_under", "covered_profile", "mean_width", "seen_share"]
