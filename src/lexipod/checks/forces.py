"""Forces: guides that jam, pulls that buckle, wobble, and whether there is something to take hold of.

Sources: the drawer rule from statics (a moment F e taken up by two contacts N L; it slides while 2 mu N < F, so L > 2 mu e);
Euler's column (any handbook of strength of materials); wobble by similar triangles.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Arc, Bent, Driven, Grasped, Guided, Pushed, Reached, Segment, Steady
from lexipod.checks.examination import Examination, extent, middle_of
from lexipod.checks.finding import Finding, Severity
from lexipod.checks.rubbing import friction_between
from lexipod.geometry.frames import Array, apply_pose
from lexipod.mechanics import euler_load_n, least_guide_mm, tip_deflection_mm
from lexipod.motion import measure_play

JAM_MARGIN = 1.5
BUCKLING_MARGIN = 2.0
BUCKLING_LENGTH_FACTOR = 1.0
LARGEST_WOBBLE_MM = 2.0
TAB_SHARE = 0.1


def guided_lengths(examination: Examination, need: Guided | Pushed) -> tuple[Array, Array]:
    """Over the travel: how long the part lies between its guides, and how far it stands past their mouth, ``(n,)`` each."""
    ranges = np.array([examination.extents(g, need.along)[0] for g in need.guides if g in examination.assembly.by_id])
    low, high = ranges[:, 0].max(), ranges[:, 1].min()
    if isinstance(need, Guided) and need.in_line:
        low, high = ranges[:, 0].min(), ranges[:, 1].max()
    ends = examination.extents(need.part, need.along)
    inside = np.maximum(0.0, np.minimum(ends[:, 1], high) - np.maximum(ends[:, 0], low))
    return inside, np.maximum(0.0, ends[:, 1] - high)


def guide_friction(examination: Examination, need: Guided) -> float:
    """The highest friction of a part on any of its guides."""
    by_id = examination.assembly.by_id
    rubbed = [friction_between(examination.catalog, examination.ways, by_id[need.part], by_id[g]) for g in need.guides if g in by_id]
    return max(rubbed, default=examination.ways.friction)


def check_jam(examination: Examination) -> Iterator[Finding]:
    """The guide stays long enough for a pull beside its middle, at every position."""
    for need in (n for n in examination.assembly.needs if isinstance(n, Guided)):
        inside, _ = guided_lengths(examination, need)
        k = int(np.argmin(inside))
        jams = least_guide_mm(guide_friction(examination, need), need.offset_mm)
        required, measured = JAM_MARGIN * jams, float(inside[k])
        if measured >= required - 1e-6:
            continue
        severity: Severity = "block" if measured <= jams else "warn"
        part, length = examination.assembly.by_id[need.part], examination.style.telling_apart(measured, required)
        title = f"The {part.name} jams in its guide" if severity == "block" else f"The {part.name} may jam in its guide"
        message = (
            f"At the end of the pull {length(measured)} of it are guided. Pulled {length(need.offset_mm)} beside its middle it jams "
            f"below {length(jams)}; {length(required)} run well."
        )
        yield Finding(
            "jam",
            severity,
            need.mechanism,
            (need.part, *need.guides),
            title,
            message,
            round(measured, 4),
            round(required, 4),
            travel=float(examination.track(need.mechanism).travel[k]),
            where=middle_of(examination.regions(need.part)[k]),
            need=need.id,
        )


def check_wobble(examination: Examination) -> Iterator[Finding]:
    """The play of a guide does not let the pull wag too much."""
    for need in (n for n in examination.assembly.needs if isinstance(n, Guided)):
        inside, past = guided_lengths(examination, need)
        if need.play_mm <= 0 or (inside <= 0).any():
            continue
        wobble = need.play_mm / 2 + past * need.play_mm / inside
        k = int(np.argmax(wobble))
        measured = float(wobble[k])
        if measured <= LARGEST_WOBBLE_MM + 1e-6:
            continue
        part, length = examination.assembly.by_id[need.part], examination.style.telling_apart(measured, LARGEST_WOBBLE_MM)
        tilt = math.degrees(math.atan(need.play_mm / float(inside[k])))
        message = (
            f"With {length(need.play_mm)} of play over {length(float(inside[k]))} of guide its end wags by {length(measured)} "
            f"({tilt:.1f}°); {length(LARGEST_WOBBLE_MM)} are hardly noticed."
        )
        yield Finding(
            "wobble",
            "warn",
            need.mechanism,
            (need.part, *need.guides),
            f"The {part.name} wobbles",
            message,
            round(measured, 4),
            LARGEST_WOBBLE_MM,
            at_most=True,
            travel=float(examination.track(need.mechanism).travel[k]),
            where=middle_of(examination.regions(need.part)[k]),
            need=need.id,
        )
    yield from check_steady(examination)


def free_lengths(examination: Examination, need: Pushed) -> Array:
    """Over the travel: how long a pull is between the mouth of its guides and the fingers that push it back, ``(n,)``.

    Nobody pushes a long pull by its far end: one takes hold of it close to the card's edge and pushes in steps, so no more than a grip
    counts beyond the edge.
    """
    _, past = guided_lengths(examination, need)
    card = examination.assembly.card
    corners = np.array([(0.0, 0.0), (card.width_mm, 0.0), (0.0, card.height_mm), (card.width_mm, card.height_mm)])
    beyond = np.maximum(0.0, examination.extents(need.part, need.along)[:, 1] - float((corners @ np.asarray(need.along)).max()))
    return past - np.maximum(0.0, beyond - examination.ways.push_grip)


def check_buckling(examination: Examination) -> Iterator[Finding]:
    """The pull can be pushed back without folding up. One that folds up is held shorter, so this is never more than a thing to watch."""
    for need in (n for n in examination.assembly.needs if isinstance(n, Pushed)):
        free = free_lengths(examination, need)
        k = int(np.argmax(free))
        part = examination.assembly.by_id[need.part]
        stock = examination.catalog.stocks[part.stock]
        if free[k] <= 1.0:
            continue
        load = euler_load_n(
            stock.modulus_mpa, width_mm=need.width_mm, thickness_mm=part.thickness_mm, length_mm=float(free[k]), factor=BUCKLING_LENGTH_FACTOR
        )
        required = BUCKLING_MARGIN * examination.ways.push_force
        if load >= required - 1e-6:
            continue
        length = examination.style.length
        plies = "one ply" if part.plies == 1 else f"{part.plies} plies"
        title = "Pushing back buckles the pull" if load < examination.ways.push_force else "Pushing back may buckle the pull"
        message = (
            f"Held {length(examination.ways.push_grip)} beyond the card's edge, a free length of {length(float(free[k]))} in {plies} gives way at "
            f"{load:.2f} N; moving it takes about {examination.ways.push_force:.1f} N, and {required:.1f} N are safe. In shorter steps it holds."
        )
        yield Finding(
            "buckling",
            "warn",
            need.mechanism,
            (need.part,),
            title,
            message,
            round(load, 4),
            round(required, 4),
            unit="N",
            travel=float(examination.track(need.mechanism).travel[k]),
            where=middle_of(examination.regions(need.part)[k]),
            need=need.id,
        )


def check_reach(examination: Examination) -> Iterator[Finding]:
    """A fingertip finds enough of the pull at rest, of a dial or wheel at every position."""
    for need in (n for n in examination.assembly.needs if isinstance(n, Reached | Grasped)):
        part = examination.assembly.by_id[need.part]
        if isinstance(need, Reached):
            grips = examination.place(part, need.grip)
            grips = grips[:1] if need.when == "rest" else grips
        else:
            grips = np.asarray(shapely.intersection(examination.regions(part.id), need.place))
        stride = max(1, len(grips) // 12)
        picks = sorted({*range(0, len(grips), stride), len(grips) - 1})
        covers = examination.union(need.covers)
        open_mm = [_free_length(grips[k], covers[min(k, len(covers) - 1)], need.along, at_tip=isinstance(need, Reached)) for k in picks]
        worst = int(np.argmin(open_mm))
        measured, travel = open_mm[worst], examination.track(need.mechanism).travel
        if measured >= need.reach_mm - 1e-3:
            continue
        length = examination.style.telling_apart(measured, need.reach_mm)
        severity: Severity = "block" if measured < need.reach_mm / 2 else "warn"
        when = "At rest" if picks[worst] == 0 else f"At {examination.amount(need.mechanism, float(travel[picks[worst]]))}"
        message = f"{when} {length(measured)} of the {part.name} can be got hold of; a fingertip wants {length(need.reach_mm)}."
        where = middle_of(grips[picks[worst]]) if not grips[picks[worst]].is_empty else middle_of(examination.regions(part.id)[0])
        yield Finding(
            "reach",
            severity,
            need.mechanism,
            (need.part,),
            "There is too little to take hold of",
            message,
            round(measured, 4),
            need.reach_mm,
            travel=float(travel[picks[worst]]),
            where=where,
            need=need.id,
        )


def _free_length(grip: Any, cover: Any, along: tuple[float, float], *, at_tip: bool) -> float:
    """How much of the grip lies open along a direction; at its tip, or anywhere."""
    if grip.is_empty:
        return 0.0
    free, tip = shapely.difference(grip, cover), extent(grip, along)[1]
    pieces = [p for p in shapely.get_parts(free) if not p.is_empty and (not at_tip or extent(p, along)[1] >= tip - 0.01)]
    return max((extent(p, along)[1] - extent(p, along)[0] for p in pieces), default=0.0)


def check_steady(examination: Examination) -> Iterator[Finding]:
    """The play of holes and guides does not show at the tip or in the picture."""
    for need in (n for n in examination.assembly.needs if isinstance(n, Steady)):
        wag, tilt = play_of(examination, need)
        k = int(np.argmax(wag))
        measured = float(wag[k])
        if measured <= need.most_mm + 1e-6:
            continue
        part, length = examination.assembly.by_id[need.part], examination.style.telling_apart(measured, need.most_mm)
        travel = float(examination.track(need.mechanism).travel[k])
        message = (
            f"The play of its holes and guides lets {need.what} wag by {length(measured)} to each side (and tilt by {tilt[k]:.1f}°) at "
            f"{examination.amount(need.mechanism, travel)}; {length(need.most_mm)} are hardly noticed."
        )
        where = apply_pose(examination.poses(part.id)[k], [need.at])[0]
        yield Finding(
            "wobble",
            "warn",
            need.mechanism,
            (need.part,),
            f"{need.what[:1].upper()}{need.what[1:]} wobbles",
            message,
            round(measured, 4),
            need.most_mm,
            at_most=True,
            travel=travel,
            where=(float(where[0]), float(where[1])),
            need=need.id,
        )


def play_of(examination: Examination, need: Steady) -> tuple[Array, Array]:
    """How far the point wags (mm) and its part tilts (degrees) over the travel, ``(n,)`` each."""
    return measure_play(examination.system(need.mechanism), examination.track(need.mechanism), examination.assembly.by_id[need.part], need.at)


def check_bending(examination: Examination) -> Iterator[Finding]:
    """A long tab does not give way under the finger that pushes it sideways or lifts it off."""
    for need in (n for n in examination.assembly.needs if isinstance(n, Bent)):
        part = examination.assembly.by_id[need.part]
        stock = examination.catalog.stocks[part.stock]
        force = examination.ways.push_force
        bends = tip_deflection_mm(
            force * TAB_SHARE, stock.modulus_mpa, width_mm=need.width_mm, thickness_mm=part.thickness_mm, length_mm=need.length_mm
        )
        if bends <= need.most_mm + 1e-6:
            continue
        length = examination.style.length
        plies = "one ply" if part.plies == 1 else f"{part.plies} plies"
        message = (
            f"Its tab of {length(need.length_mm)} in {plies} gives way by {length(bends)} under a light finger; up to "
            f"{length(need.most_mm)} it feels firm. Plies count with the third power."
        )
        yield Finding(
            "bending",
            "warn",
            need.mechanism,
            (need.part,),
            f"The tab of the {part.name} is limp",
            message,
            round(bends, 4),
            need.most_mm,
            at_most=True,
            where=middle_of(examination.regions(part.id)[0]),
            need=need.id,
        )


def pressure_angles(examination: Examination, need: Driven) -> Array:
    """Angle (degrees) between the push and the way it moves, over the travel, ``(n,)``: 0 pushes fully, 90 not at all.

    Source: pressure angle, any text on the theory of mechanisms; 90 degrees less the transmission angle.
    """
    point = examination.point_on(need.point or need.joint)
    joint = examination.assembly.find_joint(need.joint)
    path = np.zeros_like(point)
    if isinstance(joint.path_b, Segment):
        path[:] = apply_pose(examination.poses(joint.b) * (0.0, 0.0, 1.0), [joint.path_b.direction])[:, 0]
    elif isinstance(joint.path_b, Arc):
        spoke = point - apply_pose(examination.poses(joint.b), [joint.path_b.centre])[:, 0]
        path = np.column_stack([-spoke[:, 1], spoke[:, 0]])
    round_about = np.column_stack([-(point[:, 1] - need.about[1]), point[:, 0] - need.about[0]]) if need.about else path
    push = point - examination.point_on(need.push_from) if need.push_from else path
    cos = np.abs(np.sum(push * round_about, axis=1))
    length = np.linalg.norm(push, axis=1) * np.linalg.norm(round_about, axis=1)
    return np.degrees(np.arccos(np.clip(cos / np.maximum(length, 1e-12), 0.0, 1.0)))


def check_driven(examination: Examination) -> Iterator[Finding]:
    """A link or pull pushes mostly the way that it moves things."""
    for need in (n for n in examination.assembly.needs if isinstance(n, Driven)):
        angles = pressure_angles(examination, need)
        k = int(np.argmax(angles))
        measured = float(angles[k])
        if measured <= need.most_deg + 1e-6:
            continue
        travel = float(examination.track(need.mechanism).travel[k])
        severity: Severity = "block" if measured > (90 + need.most_deg) / 2 else "warn"
        message = (
            f"At {examination.amount(need.mechanism, travel)} {need.what} is pushed {measured:.0f}° beside the way it can go; up to "
            f"{need.most_deg:.0f}° it runs well, at 90° it is a dead point."
        )
        where = examination.point_on(need.point or need.joint)[k]
        yield Finding(
            "push",
            severity,
            need.mechanism,
            (examination.assembly.find_joint(need.joint).a,),
            "It is pushed askew",
            message,
            round(measured, 3),
            need.most_deg,
            unit="deg",
            at_most=True,
            travel=travel,
            where=(float(where[0]), float(where[1])),
            need=need.id,
        )
