"""Catch points: an edge or corner that leaves another part and comes back, lands on it, or hooks into an opening of it.

Reason: paper is not flat. A border point that is far from everything that holds it down sags by its curl; where the sag is more than
the height between the two parts, it comes back on the wrong side of the other one's edge.
Source: common practice, no source, for what catches; what holds a border and how far it sags is in ``lexipod.checks.holding``.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from lexipod.assembly import Assembly, Part
from lexipod.checks.crossings import (
    HALVINGS,
    Crossings,
    Moments,
    Scene,
    a_little_back,
    close_enough,
    contains,
    find_moments,
    find_scenes,
    lay_each,
    narrow_down,
    way_to_next_inside,
)
from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding, Severity
from lexipod.checks.holding import Holding, border_reach, holding_of, most_sag, part_sag
from lexipod.geometry.frames import Array, apply_pose, invert_pose, relative_pose, transform_regions
from lexipod.motion.memory import Memory, key_of

ROUGH_MM = 0.1
"""What cut edges stand off each other even where they lie close: so much sag does no harm (our own judgement)."""
SLIDES_MM = 0.01
MOST_LOOKED_AT = 60
COVERED_BY_MM = 1.0


@dataclass(frozen=True, slots=True)
class CatchPoint:
    """One border point of ``part`` that crosses the border of ``other``: at which ``travel`` and where on the card, how far both are from
    what holds them (``h_part_mm``, ``h_other_mm``; infinite where nothing does), how far they sag together, the height between, and the
    thickness that must be passed as well to come on the wrong side (``past_mm``). ``also_at`` are the travels of other mechanisms."""

    part: str
    other: str
    mechanism: str
    travel: float
    where: tuple[float, float]
    h_part_mm: float
    h_other_mm: float
    sag_mm: float
    gap_mm: float
    past_mm: float
    how: str
    also_at: tuple[tuple[str, float], ...] = ()

    @property
    def matters(self) -> bool:
        """Whether it may rub at least."""
        return self.sag_mm > self.gap_mm + 1e-6

    @property
    def blocks(self) -> bool:
        """Whether it comes on the wrong side."""
        return self.sag_mm > self.gap_mm + self.past_mm


def find_catch_points(examination: Examination) -> tuple[CatchPoint, ...]:
    """The worst catch point of every two parts of which one passes the other's border, whether it matters or not."""
    return examination.once("catch points", lambda: tuple(_all_pairs(examination)))


def _all_pairs(examination: Examination) -> Iterator[CatchPoint]:
    assembly = examination.assembly
    bodies, moving = assembly.bodies, set(assembly.moving)
    boxes = {p.id: examination.swept_box(p.id) for p in assembly.parts}
    sheets = [p for p in assembly.parts if p.role != "fastener" and p.role != "spacer" and p not in assembly.gates]
    for i, low in enumerate(sheets):
        for high in sheets[i + 1 :]:
            if bodies[low.id] == bodies[high.id] or not {low.id, high.id} & moving or low.shares_room(high):
                continue
            lower, upper = (low, high) if low.top_mm <= high.z_mm + 1e-6 else (high, low)
            gap = max(upper.z_mm - lower.top_mm, ROUGH_MM)
            if upper.z_mm - lower.top_mm < -1e-6:
                continue
            a, b = boxes[lower.id], boxes[upper.id]
            if (a[:2] > b[2:]).any() or (b[:2] > a[2:]).any():
                continue
            if most_sag(examination, lower) + most_sag(examination, upper) <= gap:
                continue
            crossed = [c for scene in find_scenes(examination, lower, upper) for c in _crossed(scene, lower, upper, gap)]
            if crossed:
                yield max(crossed, key=lambda c: (c.blocks, c.sag_mm))


def _crossed(scene: Scene, lower: Part, upper: Part, gap: float) -> Iterator[CatchPoint]:
    """The worst crossing of either part's border points, and the worst first meeting."""
    for found in (_worst(scene, lower, upper, gap), _worst(scene, upper, lower, gap), _first_meeting(scene, lower, upper, gap)):
        if found is not None:
            yield found


def _with_film(examination: Examination, part: Part, other: Part) -> Any:
    """A part's region with what is glued to it between it and the other one (a film, a leader), in its own frame."""
    assembly = examination.assembly
    low, high = (part.top_mm, other.z_mm) if other.z_mm >= part.top_mm - 1e-6 else (other.top_mm, part.z_mm)
    mates = examination.once(("mates", part.id), lambda: _mates(assembly, part))
    films = tuple(p for p in mates if p.z_mm >= low - 1e-6 and p.top_mm <= high + 1e-6)
    if not films:
        return part.region

    def joined() -> Any:
        poses = [relative_pose(np.asarray(part.home), np.asarray(film.home)) for film in films]
        laid = [shapely.transform(f.region, lambda xy, pose=pose: apply_pose(pose, xy)) for f, pose in zip(films, poses, strict=True)]
        return shapely.union_all([part.region, *laid])

    return examination.once(("with film", part.id, tuple(f.id for f in films)), joined)


def _mates(assembly: Assembly, part: Part) -> tuple[Part, ...]:
    """Sheets that are glued to a part."""
    glued = {j.a for j in assembly.joints if j.kind == "fixed" and j.b == part.id}
    return tuple(p for p in assembly.parts if p.id in glued and p.role not in ("spacer", "fastener", "base", "cover"))


def _worst(scene: Scene, part: Part, other: Part, gap: float) -> CatchPoint | None:
    """The border point of ``part`` that sags most where it crosses the border of ``other``."""
    examination = scene.examination
    most_other = most_sag(examination, other)
    points, reach = border_reach(examination, part)
    near = part_sag(part, reach) + most_other > gap
    if not near.any():
        return None
    poses = relative_pose(scene.poses(other), scene.poses(part))
    target, moved, holding = _with_film(examination, other, part), _with_film(examination, part, other), holding_of(examination, other)
    films = [b"" if film is p.region else shapely.to_wkb(film) for film, p in ((target, other), (moved, part))]
    paper = (part.plies, part.role, other.plies, other.role)
    key = (part.shape, other.shape, key_of(poses), key_of(reach), holding.key, *films, paper, gap, most_other)

    def find() -> tuple[Crossings, Array] | None:
        found = _find_crossings(part, other, poses, points[near], reach[near], target, holding, gap, most_other)
        return None if found is None else (found, _shared_ways(found, moved))

    known = _CROSSINGS.once(key, find)
    return None if known is None else _judge(scene, replace(known[0], part=part, other=other, target=target), known[1])


_CROSSINGS: Memory[tuple[Crossings, Array] | None] = Memory(3000)


def _shared_ways(found: Crossings, moved: Any) -> Array:
    """How far each crossing is from the area that the two parts share a little before, ``(n,)``; infinite where they share none."""
    before, back = np.unique(found.before, axis=0, return_inverse=True)
    common = shapely.intersection(transform_regions(moved, before), found.target)
    shared = shapely.distance(shapely.points(lay_each(found.before, found.points)), common[back])
    return np.nan_to_num(np.asarray(shared), nan=np.inf)


def _find_crossings(
    part: Part, other: Part, poses: Array, points: Array, reach: Array, target: Any, held: Holding, gap: float, most_other: float
) -> Crossings | None:
    """Moments at which border points ``points`` of ``part``, ``reach`` from what holds them, cross the border of ``other`` (with its film:
    ``target``) and may sag past it."""
    if len(poses) < 2 or np.ptp(poses, axis=0).max() < 1e-9:
        return None
    picks = close_enough(poses, part.middle_and_reach[1])
    poses = poses[picks]
    laid = apply_pose(poses, points)
    inside = contains(other.region, laid)
    moments = find_moments(inside)
    if target is not other.region and len(moments.step):
        # Where a film or a leader goes on past the edge nothing comes under it there; the film's own edge is looked at on its own.
        moments = moments.only(~contains(target, laid[moments.at(0), moments.which]))
    if not len(moments.step):
        return None
    # The next border point that lies over the other part is at least as far as the area that both share.
    beside = way_to_next_inside(points, inside[moments.at(1)], moments.which)
    risky = part_sag(part, np.minimum(reach[moments.which], beside)) + np.minimum(part_sag(other, beside), most_other) > gap
    risky[risky] = _goes_in(other, laid, moments.only(risky))
    if not risky.any():
        return None
    moments = moments.only(risky)
    which = moments.which
    outer, inner = narrow_down(other, points[which], poses[moments.at(0)], poses[moments.at(-1)])
    here = lay_each(outer, points[which])
    reach_other = np.minimum(held.reach(here), held.reach(lay_each(inner, points[which])))
    before = a_little_back(outer, poses[moments.at(1)], part.middle_and_reach[1])
    found = Crossings(part, other, gap, poses, target, points[which], here, picks[moments.step], before, reach[which], reach_other)
    risky = found.sags(beside[risky]) > gap
    return found.only(risky) if risky.any() else None


def _goes_in(other: Part, laid: Array, moments: Moments) -> NDArray[np.bool_]:
    """Whether points go in further than rounding: what slides along an edge is now on this side of it, now on that."""
    depths = [shapely.distance(shapely.points(laid[moments.at(out), moments.which]), other.region.boundary) for out in (-1, -2)]
    return np.asarray(np.maximum(*depths) > SLIDES_MM)


def _judge(scene: Scene, found: Crossings, shared: Array) -> CatchPoint | None:
    """The crossing that sags most, once the area that the two parts share a little before (``shared`` away) is counted as holding both."""
    part, other, poses = found.part, found.other, found.poses
    sags = found.sags(shared)
    for k in np.argsort(-sags)[:MOST_LOOKED_AT]:
        step, spot = int(found.step[k]), found.where[k]
        place = _on_card(scene, other, spot, step)
        if _lies_between(scene, part, other, place, step):
            continue
        at_rest = apply_pose(poses[0], found.points[k][None])[0]
        how = _how(other, spot, was_over=bool(shapely.contains_xy(found.target, *at_rest)))
        reaches = min(found.reach_part[k], shared[k]), min(found.reach_other[k], shared[k])
        return _told(scene, part, other, step, place, reaches, (sags[k], found.gap, other.thickness_mm), how)
    return None


def _told(
    scene: Scene,
    part: Part,
    other: Part,
    step: int,
    place: Array,
    reaches: tuple[float, float],
    heights: tuple[float, float, float],
    how: str,
) -> CatchPoint:
    """A catch point in plain numbers; ``heights`` are sag, gap, and the thickness to be passed."""
    (x, y), (h_part, h_other), (sag, gap, past) = place, reaches, heights
    where = (round(float(x), 4), round(float(y), 4))
    reach = (float(h_part), float(h_other))
    return CatchPoint(part.id, other.id, scene.moving, scene.travel(step), where, *reach, float(sag), gap, past, how, scene.also_at)


def _first_meeting(scene: Scene, lower: Part, upper: Part, gap: float) -> CatchPoint | None:
    """Where two parts that lay beside each other come over one another, or part again: there they share nothing, and it may be anywhere
    along their borders. Either may catch on the other, so only the thinner one must be passed."""
    examination = scene.examination
    poses = relative_pose(scene.poses(lower), scene.poses(upper))
    if len(poses) < 2:
        return None
    worst: CatchPoint | None = None
    for position, comes, apart, low, high in _MEETINGS.once((lower.shape, upper.shape, key_of(poses)), lambda: _find_meetings(lower, upper, poses)):
        # A film or leader of the one may lie over the other already: it holds both as far as it is from there.
        led = shapely.intersection(_with_film(examination, lower, upper), transform_regions(_with_film(examination, upper, lower), apart)[0])
        away = np.inf if led.is_empty else float(shapely.distance(led, shapely.Point(low)))
        reach_low = np.minimum(away, holding_of(examination, lower).reach(low[None]))
        reach_high = np.minimum(away, holding_of(examination, upper).reach(apply_pose(invert_pose(apart), high[None])))
        sag = float((part_sag(lower, reach_low) + part_sag(upper, reach_high))[0])
        if sag <= gap or (worst is not None and sag <= worst.sag_mm):
            continue
        place = _on_card(scene, lower, low, position)
        if _lies_between(scene, lower, upper, place, position):
            continue
        heights = (sag, gap, min(lower.thickness_mm, upper.thickness_mm))
        how = "lands" if comes else "comes back"
        if reach_low[0] > reach_high[0]:
            worst = _told(scene, lower, upper, position, place, (reach_low[0], reach_high[0]), heights, how)
        else:
            worst = _told(scene, upper, lower, position, place, (reach_high[0], reach_low[0]), heights, how)
    return worst


_MEETINGS: Memory[list[tuple[int, bool, Array, Array, Array]]] = Memory(3000)


def _find_meetings(lower: Part, upper: Part, poses: Array) -> list[tuple[int, bool, Array, Array, Array]]:
    """Where the upper part comes over the lower one or leaves it again: the position, whether it comes, the pose just apart, and the points
    of lower and upper part that meet (in the frame of the lower)."""
    picks = close_enough(poses, upper.middle_and_reach[1])
    poses = poses[picks]
    inner = shapely.get_coordinates(upper.region.representative_point())
    if contains(lower.region, apply_pose(poses, inner)[:, 0]).all():
        return []
    over, found = shapely.intersects(lower.region, transform_regions(upper.region, poses)), []
    for step in np.flatnonzero(over[1:] != over[:-1]).tolist():
        apart, meeting = (poses[step], poses[step + 1]) if over[step + 1] else (poses[step + 1], poses[step])
        for _ in range(HALVINGS):
            middle = (apart + meeting) / 2
            apart, meeting = (apart, middle) if shapely.intersects(lower.region, transform_regions(upper.region, middle)[0]) else (middle, meeting)
        low, high = shapely.get_coordinates(shapely.shortest_line(lower.region, transform_regions(upper.region, apart)[0]))
        found.append((int(picks[step]), bool(over[step + 1]), apart, low, high))
    return found


def _on_card(scene: Scene, other: Part, spot: Array, step: int) -> Array:
    poses = scene.poses(other)
    return apply_pose(poses[min(step, len(poses) - 1)], spot[None])[0]


def _lies_between(scene: Scene, part: Part, other: Part, place: Array, step: int) -> bool:
    """Whether a third part lies between the two where they cross, so that neither can come to the other's wrong side."""
    low, high = sorted((part, other), key=lambda p: p.z_mm)
    spot = shapely.Point(place)
    for third in scene.examination.assembly.parts:
        if third.id in (part.id, other.id) or third.z_mm < low.top_mm - 1e-6 or third.top_mm > high.z_mm + 1e-6:
            continue
        region = scene.region(third, step)
        if shapely.contains(region, spot) and shapely.distance(spot, region.boundary) >= COVERED_BY_MM:
            return True
    return False


def _how(other: Part, spot: Array, *, was_over: bool) -> str:
    """How it catches: it hooks into an opening, leaves and comes back, or lands on what it was beside."""
    if other.holes and shapely.distance(shapely.Point(spot), shapely.Polygon(other.outline).exterior) > 0.5:
        near = [h for h in other.holes if shapely.distance(shapely.Polygon(h), shapely.Point(spot)) < 1.0]
        if near:
            return "hooks"
    return "comes back" if was_over else "lands"


def check_catching(examination: Examination) -> Iterator[Finding]:
    """Edges that pass edges of a neighbouring level lie close enough to what holds them."""
    assembly, length = examination.assembly, examination.style.length
    for catch in find_catch_points(examination):
        if not catch.matters:
            continue
        part, other = assembly.by_id[catch.part], assembly.by_id[catch.other]
        severity: Severity = "block" if catch.blocks else "warn"
        words = {
            "hooks": f"hooks into an opening of the {other.name}",
            "comes back": f"leaves the {other.name} and comes back",
            "lands": f"lands on the {other.name}",
        }[catch.how]
        verb = "catches" if severity == "block" else "may rub"
        at = examination.amount(catch.mechanism, catch.travel)
        if np.isfinite(catch.sag_mm):
            support = f"There it is {length(catch.h_part_mm)} from what holds it (the {other.name} {length(catch.h_other_mm)})"
            message = f"{support}: paper curls by about {length(catch.sag_mm)} over that, and between them are {length(max(catch.gap_mm, 0.0))}."
        else:
            message = "Nothing holds it there, so it may come back on the wrong side."
        for name, travel in catch.also_at:
            message += f" The travel of {name} is then {examination.amount(name, travel)}."
        yield Finding(
            "catch",
            severity,
            catch.mechanism,
            (part.id, other.id),
            f"An edge of the {part.name} {verb}: at {at} it {words}",
            message,
            round(min(catch.sag_mm, 99.0), 4),
            round(max(catch.gap_mm, 0.0), 4),
            at_most=True,
            travel=catch.travel,
            where=catch.where,
            also_at=catch.also_at,
        )
