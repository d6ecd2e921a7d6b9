"""Folds lying flat, and what only a formula tells: outlines, what is hidden and shown, laps, flaps, scores and layers.

Reason: a card goes into its envelope flat, and what is seen in each flat state is what the reader came for. Source: common
practice, no source, but for the bounds, each of which says its own reason.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely

from lexipod.assembly import Bound, Folding, GlueFlap, LapsAt, SeenAt
from lexipod.checks.examination import Examination, apart_margin, cover_margin, middle_of
from lexipod.checks.finding import Finding
from lexipod.closing.stacked import laid_flat
from lexipod.geometry.space import apply_frame
from lexipod.motion import order_at

EDGE_MM = 1e-4
THICK_SPINE_MM = 1.6
SCORE_MM = 0.2


def check_flat_outline(examination: Examination) -> Iterator[Finding]:
    """In every flat state in which the card counts as closed, all of it lies inside the card's outline."""
    card = examination.assembly.card
    for folding in examination.assembly.foldings:
        for state in folding.states:
            if not state.closed:
                continue
            track = examination.fold_at(folding.mechanism, np.array([state.at]))
            if not track.reached[0]:
                continue
            for panel in folding.panels:
                if panel.stands_out or panel.base:
                    continue
                corners = apply_frame(track.frames[panel.id][0], panel.corners)[:, :2]
                past = np.concatenate([-corners, corners - (card.width_mm, card.height_mm)], axis=1).max(axis=1)
                worst = int(np.argmax(past))
                if past[worst] <= EDGE_MM:
                    continue
                over, tip = float(past[worst]), corners[worst]
                yield Finding(
                    "outline",
                    "block",
                    folding.mechanism,
                    (panel.id,),
                    f"The {panel.name} stands out of the closed card",
                    f"Lying flat ({state.name}) it stands {examination.style.length(over)} out of the card's outline.",
                    round(over, 4),
                    0.0,
                    at_most=True,
                    travel=state.at,
                    where=(round(float(tip[0]), 4), round(float(tip[1]), 4)),
                    need=state.name,
                )


def check_on_the_way(examination: Examination) -> Iterator[Finding]:
    """What leaves the card at some opening although it lies inside when flat is told."""
    card = examination.assembly.card
    for folding in examination.assembly.foldings:
        if folding.kind != "inside":
            continue
        track = examination.fold_track(folding.mechanism)
        along, long = (1, card.height_mm) if card.fold == "left" else (0, card.width_mm)
        for panel in folding.panels:
            if panel.base or panel.stands_out:
                continue
            where = apply_frame(track.frames[panel.id], panel.corners)[..., along]
            past = np.maximum(-where.min(axis=1), where.max(axis=1) - long)
            worst = int(np.argmax(past))
            if past[worst] <= 0.5 or past[0] > EDGE_MM:
                continue
            at = examination.amount(folding.mechanism, float(track.travel[worst]))
            yield Finding(
                "stands-out",
                "note",
                folding.mechanism,
                (panel.id,),
                f"The {panel.name} leaves the card on its way",
                f"At {at} it reaches {examination.style.length(float(past[worst]))} past the end of the gutter.",
                round(float(past[worst]), 4),
                0.0,
                at_most=True,
                travel=float(track.travel[worst]),
            )


def check_seen(examination: Examination) -> Iterator[Finding]:
    """What must be hidden in a flat state is covered; what must be shown lies free."""
    for folding in examination.assembly.foldings:
        for need in folding.needs:
            if not isinstance(need, SeenAt):
                continue
            margin, place = seen_margin(examination, folding, need)
            if margin >= need.lap_mm - 1e-6:
                continue
            length = examination.style.length
            rule = "reveal-rest" if abs(need.at - folding.drive.rest) < 1e-9 else "reveal-end"
            if need.hidden:
                title = f"{need.what[:1].upper()}{need.what[1:]} is not covered"
                told = f"{length(-margin)} of it are seen" if margin < 0 else f"it is covered with only {length(margin)} to spare"
            else:
                title = f"{need.what[:1].upper()}{need.what[1:]} is not all shown"
                told = f"{length(-margin)} of it are covered" if margin < 0 else f"only {length(margin)} are left beside it"
            yield Finding(
                rule,
                "block" if margin < -0.05 else "warn",
                need.mechanism,
                (need.panel, *need.by),
                title,
                f"At {examination.amount(need.mechanism, need.at)} {told}; {length(need.lap_mm)} are wanted.",
                round(margin, 4),
                need.lap_mm,
                travel=need.at,
                where=place,
                need=need.id,
            )


def seen_margin(examination: Examination, folding: Folding, need: SeenAt) -> tuple[float, tuple[float, float]]:
    """How well a region is covered, or how free it lies (mm; below 0 the mean width of what fails), and where it is."""
    track = examination.fold_at(folding.mechanism, np.array([need.at]))
    target = laid_flat(need.region, track.frames[need.panel][0])
    rank = order_at(folding, need.at)
    covers = [p for p in need.by if need.hidden or rank[p] > rank[need.panel]]
    union = shapely.union_all([laid_flat(folding.by_id[p].region, track.frames[p][0]) for p in covers])
    if not track.reached[0] or target.is_empty:
        return 0.0, (0.0, 0.0)
    if need.hidden:
        return float(cover_margin(target, union)[0]), middle_of(target)
    return (float("inf") if union.is_empty else float(apart_margin(target, union)[0])), middle_of(target)


def check_laps(examination: Examination) -> Iterator[Finding]:
    """What swings free of its cover comes back behind it: it must still lap it where it ends."""
    for folding in examination.assembly.foldings:
        for need in folding.needs:
            if not isinstance(need, LapsAt):
                continue
            track = examination.fold_at(folding.mechanism, np.array([need.at]))
            if not track.reached[0]:
                continue
            target = laid_flat(need.region, track.frames[need.panel][0])
            common = shapely.intersection(target, laid_flat(folding.by_id[need.over].region, track.frames[need.over][0]))
            lap = 0.0 if common.is_empty else float(2 * shapely.maximum_inscribed_circle(common, tolerance=0.05).length)
            if lap >= need.lap_mm:
                continue
            other, length = folding.by_id[need.over].name, examination.style.telling_apart(lap, need.lap_mm)
            yield Finding(
                "catch",
                "warn",
                need.mechanism,
                (need.panel, need.over),
                f"{need.what[:1].upper()}{need.what[1:]} may come back behind the {other}",
                f"Opened all the way it laps the {other} by {length(lap)}; {length(need.lap_mm)} keep it in front.",
                round(lap, 4),
                need.lap_mm,
                travel=need.at,
                where=middle_of(target),
                need=need.id,
            )


def check_flaps(examination: Examination) -> Iterator[Finding]:
    """Glued places are wide enough, and no score runs through them."""
    for folding in examination.assembly.foldings:
        sheets = {sheet.id: sheet for sheet in folding.sheets}
        for need in folding.needs:
            if not isinstance(need, GlueFlap):
                continue
            panel = folding.by_id[need.panel]
            wide = 0.0 if need.region.is_empty else float(2 * shapely.maximum_inscribed_circle(need.region, tolerance=0.05).length)
            if wide < need.width_mm - 0.05:
                length = examination.style.telling_apart(wide, need.width_mm)
                yield Finding(
                    "flap",
                    "block" if wide < need.width_mm * 0.5 else "warn",
                    need.mechanism,
                    (panel.id,),
                    f"{need.what[:1].upper()}{need.what[1:]} is narrow for glue",
                    f"It is {length(wide)} wide; {length(need.width_mm)} hold.",
                    round(wide, 4),
                    need.width_mm,
                    need=need.id,
                )
            sheet = sheets.get(panel.sheet)
            inner = need.region.buffer(-SCORE_MM)
            scored = [c.name for c in (sheet.creases if sheet else ()) if shapely.LineString([c.start, c.end]).intersects(inner)]
            if scored:
                yield Finding(
                    "flap",
                    "block",
                    need.mechanism,
                    (panel.id,),
                    f"{need.what[:1].upper()}{need.what[1:]} lies over a score",
                    f"Glue over the score ({', '.join(scored)}) stops the fold.",
                    1.0,
                    0.0,
                    "",
                    at_most=True,
                    need=f"{need.id}.score",
                )


def check_bounds(examination: Examination) -> Iterator[Finding]:
    """Measures against the limits that formulas give."""
    for needs in (examination.assembly.needs, *(f.needs for f in examination.assembly.foldings)):
        for need in needs:
            found = bound_finding(examination, need) if isinstance(need, Bound) else None
            if found is not None:
                yield found


def bound_finding(examination: Examination, need: Bound) -> Finding | None:
    """What a bound says when it is broken; None while it holds."""
    missing = need.measured - need.required if need.at_most else need.required - need.measured
    if missing <= 1e-6:
        return None
    show = examination.style.telling_apart(need.measured, need.required) if need.unit == "mm" else (lambda v: f"{v:g} {need.unit}")
    side = "at most" if need.at_most else "at least"
    return Finding(
        need.rule,
        need.severity,
        need.mechanism,
        need.parts,
        need.title,
        need.why if not need.unit else f"It is {show(need.measured)}; {side} {show(need.required)} will do. {need.why}",
        need.measured,
        need.required,
        need.unit,
        at_most=need.at_most,
        need=need.id,
    )


def check_spine(examination: Examination) -> Iterator[Finding]:
    """A thick inside opens the card's fold: it is scored twice."""
    card = examination.assembly.card
    inside = [f for f in examination.assembly.foldings if f.kind == "inside"]
    thick = sum(max(top for _, top in examination.stack_heights(f).values()) for f in inside) - 2 * card.caliper_mm * len(inside)
    if thick <= THICK_SPINE_MM:
        return
    owner, length = inside[0].mechanism, examination.style.length
    yield Finding(
        "spine",
        "note",
        owner,
        ("card.front", "card.back"),
        "Much lies between the pages at the spine",
        f"{length(thick)} of paper lie between the pages: score the card twice, {length(thick + card.caliper_mm)} apart.",
        round(thick, 4),
        THICK_SPINE_MM,
        at_most=True,
    )
