"""Free travel: what stops it, whether that is where it was meant, and gaps on the way.

Reasons: both ends of a travel must be physical stops, never a dead point or a window's edge; parts on one level never touch.
Source: common practice, no source; least distances by the vertex rule (see ``lexipod.motion.clearance``).
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely

from lexipod.assembly import Drive, Part
from lexipod.checks.examination import Examination, mean_width, middle_of
from lexipod.checks.finding import Finding, Severity
from lexipod.geometry.frames import apply_pose
from lexipod.motion import Clearance, Stop, find_shortfall
from lexipod.motion.clearance import find_jointed_pairs

STOP_MARGIN_MM = 0.3
STOP_MARGIN_DEG = 0.5
SAME_HEIGHT_MM = 1e-6


def check_travel(examination: Examination) -> Iterator[Finding]:
    """The designed travel lies inside the free one, with a margin on both sides."""
    for drive in examination.drives:
        free = examination.free_range(drive.mechanism)
        if drive.endless:
            yield from _check_full_turn(examination, drive)
            continue
        wanted_margin = STOP_MARGIN_MM if drive.unit == "mm" else STOP_MARGIN_DEG
        for stop, side in ((free.low, -1), (free.high, 1)):
            meant = drive.end if stop.side == "end" else drive.rest
            margin = (stop.at - meant) * side
            if margin >= wanted_margin - 1e-4 or stop.cause == "none":
                continue
            severity: Severity = "block" if margin < -1e-4 else "warn"
            names = [examination.assembly.part_name(p) for p in stop.parts] or ["linkage", ""]
            told = {
                "slot end": "The {0} reaches the end of its slot in the {1}",
                "contact": "The {0} and the {1} meet",
                "dead point": "The linkage comes to a dead point",
                "path end": "The {0} comes to the end of its path",
            }
            if margin < 0:
                title = f"It stops {examination.style.amount(-margin, drive.unit)} " + ("too early" if stop.side == "end" else "before rest")
            else:
                title = f"The {'end' if stop.side == 'end' else 'rest'} is hard on its stop"
            at, want = (examination.style.amount(v, drive.unit) for v in (stop.at, meant))
            spare = examination.style.amount(wanted_margin, drive.unit)
            message = f"{told[stop.cause].format(*names)} at {at} of travel; you want {want} and {spare} to spare."
            if stop.cause == "dead point":
                message += _why_dead(examination, drive, meant)
            yield Finding(
                "travel",
                severity,
                drive.mechanism,
                stop.parts,
                title,
                message,
                round(margin, 4),
                wanted_margin,
                unit=drive.unit,
                travel=meant,
                where=_place_of(examination, stop),
                need=stop.side,
            )


def _why_dead(examination: Examination, drive: Drive, meant: float) -> str:
    """Which joint comes apart past a dead point, and by how much."""
    missed = find_shortfall(examination.system(drive.mechanism), meant)
    if missed is None or missed.gap_mm < 0.005:
        return ""
    joint = examination.assembly.find_joint(missed.joint)
    name, other = (examination.assembly.part_name(p) for p in (joint.a, joint.b))
    return f" There the {name} is {examination.style.length(missed.gap_mm)} too short to reach the {other}."


def _check_full_turn(examination: Examination, drive: Drive) -> Iterator[Finding]:
    """What goes round and round meets nothing on its way."""
    free = examination.free_range(drive.mechanism)
    for stop, side in ((free.low, -1), (free.high, 1)):
        meant = max(drive.rest, drive.end) if side > 0 else min(drive.rest, drive.end)
        missing = (meant - stop.at) * side
        if stop.cause == "none" or missing <= 1e-4:
            continue
        names = [examination.assembly.part_name(p) for p in stop.parts] or ["linkage", "card"]
        message = f"The {names[0]} and the {names[-1]} meet at {stop.at:.1f}°; it is meant to go all the way round."
        yield Finding(
            "travel",
            "block",
            drive.mechanism,
            stop.parts,
            "It does not go all the way round",
            message,
            round(-missing, 4),
            0.0,
            unit="deg",
            travel=stop.at,
            where=_place_of(examination, stop),
            need=stop.side,
        )
        return


def _place_of(examination: Examination, stop: Stop) -> tuple[float, float] | None:
    """Where it stops, on the card: the end of the path, or the place where the two parts meet."""
    assembly = examination.assembly
    if stop.joint:
        joint = assembly.find_joint(stop.joint)
        if joint.path_b is not None:
            pose = examination.poses(joint.b)[-1 if stop.side == "end" else 0]
            ends = apply_pose(pose, joint.path_b.point_at(np.array(joint.path_b.limits)))
            here = apply_pose(examination.poses(joint.a)[-1 if stop.side == "end" else 0], [joint.at_a])[0]
            x, y = ends[int(np.argmin(np.linalg.norm(ends - here, axis=1)))]
            return (float(x), float(y))
    if len(stop.parts) == 2:
        a, b = (examination.regions(p)[-1 if stop.side == "end" else 0] for p in stop.parts)
        (x, y), _ = shapely.get_coordinates(shapely.shortest_line(a, b))
        return (float(x), float(y))
    return None


def check_stops(examination: Examination) -> Iterator[Finding]:
    """Both ends of the travel are physical stops."""
    for drive in examination.drives:
        if drive.endless:
            continue
        free = examination.free_range(drive.mechanism)
        for stop in (free.low, free.high):
            if stop.is_physical:
                continue
            words = {"slide": ("pulled out", "pushed back"), "turn": ("turned on", "turned back"), "open": ("opened", "shut")}[drive.kind]
            side = words[0 if stop.side == "end" else 1]
            title = "Nothing stops it when it is " + side
            reasons = {
                "none": "it goes on past the searched range",
                "path end": "its path simply ends",
                "dead point": f"the linkage comes to a dead point at {examination.style.amount(stop.at, drive.unit)}",
            }
            message = f"{title}: {reasons[stop.cause]}. A stop must be a part that is strong enough to be pulled against."
            yield Finding(
                "stop",
                "block",
                drive.mechanism,
                (drive.part,),
                title,
                message,
                0.0,
                1.0,
                unit="stop",
                travel=drive.end if stop.side == "end" else drive.rest,
                need=stop.side,
            )


def check_clearances(examination: Examination) -> Iterator[Finding]:
    """Every pair that meets keeps its gap. A part that runs in a slot is judged at home, by the gap to the slot's sides."""
    for clearance in examination.clearances:
        if clearance.kind == "stop" and not _is_jointed(examination, clearance):
            continue
        if clearance.kind in ("joint", "stop"):
            measured, at = float(clearance.gaps[_freest_position(examination, clearance)]), None
        else:
            measured, at = clearance.minimum_mm, clearance.at
        needed = examination.needed_gap(clearance.a, clearance.b)
        if measured >= needed - 1e-6:
            continue
        severity: Severity = "block" if measured < needed / 2 else "warn"
        a, b = (examination.assembly.part_name(p) for p in (clearance.a, clearance.b))
        length = examination.style.telling_apart(measured, needed)
        if measured < 0:
            title, what = f"The {b} and the {a} overlap", f"They share a place {length(-measured)} wide"
        elif measured < 1e-6:
            title, what = f"The {b} touches the {a}", "They touch"
        else:
            title, what = f"The {b} rubs on the {a}", f"They come within {length(measured)} of each other"
        when = f" at {examination.amount(clearance.mechanism, at)} of travel" if at is not None else ""
        message = f"{what}{when}; parts cut by {examination.ways.cutting} want {length(needed)} here."
        yield Finding(
            "clearance",
            severity,
            clearance.mechanism,
            (clearance.a, clearance.b),
            title,
            message,
            round(measured, 4),
            needed,
            travel=at,
            where=_closest(examination, clearance, at),
        )


def _is_jointed(examination: Examination, clearance: Clearance) -> bool:
    return frozenset((clearance.a, clearance.b)) in find_jointed_pairs(examination.assembly)


def _freest_position(examination: Examination, clearance: Clearance) -> int:
    """The position at which a slot's ends are furthest away: where the gap is widest."""
    return int(np.argmax(clearance.gaps))


def _closest(examination: Examination, clearance: Clearance, at: float | None) -> tuple[float, float]:
    k = _freest_position(examination, clearance) if at is None else int(np.argmin(np.abs(clearance.travel - at)))
    regions = []
    for part_id in (clearance.a, clearance.b):
        part, poses = examination.assembly.by_id[part_id], examination.poses(part_id)
        pose = poses[min(k, len(poses) - 1)]
        regions.append(shapely.transform(part.region, lambda xy, pose=pose: apply_pose(pose, xy)))
    (x, y), _ = shapely.get_coordinates(shapely.shortest_line(*regions))
    return (float(x), float(y))


def check_crossings(examination: Examination) -> Iterator[Finding]:
    """Moving parts of different mechanisms keep clear of each other at every combination of their travels."""
    for crossing in examination.crossings:
        if crossing.minimum_mm >= crossing.needed_mm - 1e-6:
            continue
        a, b = (examination.assembly.by_id[p] for p in (crossing.a, crossing.b))
        severity: Severity = "block" if crossing.minimum_mm < crossing.needed_mm / 2 else "warn"
        length, at = examination.style.telling_apart(crossing.minimum_mm, crossing.needed_mm), crossing.at
        told = " and ".join(f"{examination.amount(m, at[m])} ({m})" for m in at)
        if crossing.minimum_mm < 0:
            what = f"They share a place {length(-crossing.minimum_mm)} wide"
        else:
            what = f"They come within {length(crossing.minimum_mm)} of each other"
        message = f"{what} when the travels are {told}; {length(crossing.needed_mm)} are wanted at every combination."
        yield Finding(
            "crossing",
            severity,
            a.mechanism,
            (a.id, b.id),
            f"The {a.name} and the {b.name} get in each other's way",
            message,
            round(crossing.minimum_mm, 4),
            crossing.needed_mm,
            travel=at[a.mechanism],
            where=_where_crossed(examination, a, b, at),
            also_at=((b.mechanism, at[b.mechanism]),),
        )


def _where_crossed(examination: Examination, a: Part, b: Part, at: dict[str, float]) -> tuple[float, float]:
    laid = []
    for part in (a, b):
        travel = examination.track(part.mechanism).travel
        laid.append(examination.regions(part.id)[int(np.argmin(np.abs(travel - at[part.mechanism])))])
    (x, y), _ = shapely.get_coordinates(shapely.shortest_line(*laid))
    return float(x), float(y)


def check_crowded(examination: Examination) -> Iterator[Finding]:
    """What is glued down by one mechanism, or put on by hand, does not lie where something else already is."""
    assembly = examination.assembly
    still = [p for p in assembly.parts if p.id not in assembly.moving and p.id not in ("card.back", "card.front")]
    for i, a in enumerate(still):
        for b in still[i + 1 :]:
            if not _may_crowd(a, b):
                continue
            shared = shapely.intersection(a.region_at_home, b.region_at_home)
            if shared.area <= 0.5:
                continue
            owner = b if a.mechanism == "card" else a
            width = float(mean_width(shared))
            which = "move what was put on" if a.item or b.item else "move one of the two mechanisms"
            message = f"They want the same place, about {examination.style.length(width)} wide; {which}."
            yield Finding(
                "crowded",
                "block",
                owner.mechanism,
                (a.id, b.id),
                f"The {a.name} and the {b.name} lie on each other",
                message,
                round(-width, 4),
                0.0,
                where=middle_of(shared),
            )


def _may_crowd(a: Part, b: Part) -> bool:
    """Whether two parts that stand still could want one place: those of different mechanisms that share a level, and whatever was put on by
    hand with all that lies at its height (its own foam aside)."""
    if a.item or b.item:
        return a.item != b.item and a.z_mm < b.top_mm - SAME_HEIGHT_MM and b.z_mm < a.top_mm - SAME_HEIGHT_MM
    return a.mechanism != b.mechanism and a.shares_room(b)
