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
from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding, Severity
from lexipod.checks.holding import border_reach, holding_of, most_sag, part_sag
from lexipod.geometry.frames import Array, apply_pose, invert_pose, relative_pose, transform_regions

ROUGH_MM = 0.1
"""What cut edges stand off each other even where they lie close: so much sag does no harm (our own judgement)."""
LARGEST_STEP_MM = 1.0
HALVINGS = 5
HELD_AT = 5
SLIDES_MM = 0.01
HOLDS_MM = 0.5
"""Less of an overlap holds nothing: it is looked at that much before two parts meet, or after they part (our own judgement)."""
FAR_MM = 1e6
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
    sheets = [p for p in assembly.parts if p.role != "fastener" and p.role != "spacer"]
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
            crossed = [c for scene in _scenes(examination, lower, upper) for c in _crossed(scene, lower, upper, gap)]
            if crossed:
                yield max(crossed, key=lambda c: (c.blocks, c.sag_mm))


@dataclass(frozen=True, slots=True)
class _Scene:
    """One mechanism that moves; another one may be ``held`` at a position of its travel, all others are at rest."""

    examination: Examination
    moving: str
    held: tuple[str, int] = ("", 0)

    def poses(self, part: Part) -> Array:
        """Poses of a part ``(n, 3)`` while the mechanism moves; ``(1, 3)`` for what does not."""
        poses = self.examination.poses(part.id)
        if len(poses) == 1 or part.mechanism == self.moving:
            return poses
        still = self._position(part, 0)
        return poses[still : still + 1]

    def region(self, part: Part, step: int) -> Any:
        """The region of a part on the card at a position of the mechanism's travel."""
        regions = self.examination.regions(part.id)
        return regions[min(self._position(part, step), len(regions) - 1)]

    def _position(self, part: Part, step: int) -> int:
        """Where on its own travel a part is while the mechanism is at ``step``."""
        return step if part.mechanism == self.moving else self.held[1] if part.mechanism == self.held[0] else 0

    def travel(self, step: int) -> float:
        """The travel at a position."""
        travel = self.examination.track(self.moving).travel
        return float(travel[min(step, len(travel) - 1)])

    @property
    def also_at(self) -> tuple[tuple[str, float], ...]:
        """Where the other mechanism is held."""
        name, position = self.held
        return ((name, float(self.examination.track(name).travel[position])),) if name else ()


def _scenes(examination: Examination, lower: Part, upper: Part) -> Iterator[_Scene]:
    """How two parts are looked at: of two that different mechanisms move, each while the other one is held at some of its positions."""
    moving = [p for p in (lower, upper) if len(examination.poses(p.id)) > 1]
    if len({p.mechanism for p in moving}) < 2:
        mover = moving[0] if moving else lower
        if examination.assembly.drive_of(mover.mechanism) is not None:
            yield _Scene(examination, mover.mechanism)
        return
    for one, other in (moving, moving[::-1]):
        poses, box = examination.poses(other.id), examination.swept_box(one.id)
        for position in np.unique(np.linspace(0, len(poses) - 1, HELD_AT).round().astype(int)).tolist():
            corners = apply_pose(poses[position], other.outline)
            if (corners.min(axis=0) <= box[2:]).all() and (corners.max(axis=0) >= box[:2]).all():
                yield _Scene(examination, one.mechanism, (other.mechanism, position))


def _crossed(scene: _Scene, lower: Part, upper: Part, gap: float) -> Iterator[CatchPoint]:
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


@dataclass(frozen=True, eq=False)
class _Crossings:
    """Moments at which border points of ``part`` cross the border of ``other``: which ``points`` (part frame), ``where`` they are just outside
    it (frame of the other), in which ``step``; the poses a little ``before`` they meet (or after they part), and how far both are from what
    holds them."""

    part: Part
    other: Part
    gap: float
    poses: Array
    target: Any
    points: Array
    where: Array
    step: NDArray[np.int64]
    before: Array
    reach_part: Array
    reach_other: Array

    def sags(self, shared: Array) -> Array:
        """How far both sag together where what they share is ``shared`` away, ``(n,)``."""
        return part_sag(self.part, np.minimum(self.reach_part, shared)) + part_sag(self.other, np.minimum(self.reach_other, shared))

    def only(self, picked: NDArray[np.bool_]) -> _Crossings:
        """Some of them."""
        rows = {n: getattr(self, n)[picked] for n in ("points", "where", "step", "before", "reach_part", "reach_other")}
        return replace(self, **rows)


@dataclass(frozen=True, eq=False)
class _Moments:
    """Between which positions (``step`` and the next of ``count``) border points (``which``) of one part pass the border of the other, and
    whether they leave it or come in."""

    step: NDArray[np.int64]
    which: NDArray[np.int64]
    leaves: NDArray[np.bool_]
    count: int

    def only(self, picked: NDArray[np.bool_]) -> _Moments:
        """Some of them."""
        return _Moments(self.step[picked], self.which[picked], self.leaves[picked], self.count)

    def at(self, out: int) -> NDArray[np.int64]:
        """Positions just outside (``out`` 0), one farther out (1), just inside (-1), one deeper in (-2)."""
        return np.clip(np.where(self.leaves, self.step + 1 + out, self.step - out), 0, self.count - 1)


def _find_moments(inside: NDArray[np.bool_]) -> _Moments:
    """All of them, from whether points are inside at each position, ``(positions, points)``."""
    step, which = np.nonzero(inside[1:] != inside[:-1])
    return _Moments(step, which, inside[step, which], len(inside))


def _worst(scene: _Scene, part: Part, other: Part, gap: float) -> CatchPoint | None:
    """The border point of ``part`` that sags most where it crosses the border of ``other``."""
    examination = scene.examination
    most_other = most_sag(examination, other)
    points, reach = border_reach(examination, part)
    near = part_sag(part, reach) + most_other > gap
    poses = relative_pose(scene.poses(other), scene.poses(part))
    if not near.any() or len(poses) < 2 or np.ptp(poses, axis=0).max() < 1e-9:
        return None
    picks = _close_enough(poses, part.middle_and_reach[1])
    target, points, reach, poses = _with_film(examination, other, part), points[near], reach[near], poses[picks]
    laid = apply_pose(poses, points)
    inside = _contains(other.region, laid)
    moments = _find_moments(inside)
    if target is not other.region and len(moments.step):
        # Where a film or a leader goes on past the edge nothing comes under it there; the film's own edge is looked at on its own.
        moments = moments.only(~_contains(target, laid[moments.at(0), moments.which]))
    if not len(moments.step):
        return None
    # The next border point that lies over the other part is at least as far as the area that both share.
    beside = _to_next_inside(points, inside[moments.at(1)], moments.which)
    risky = part_sag(part, np.minimum(reach[moments.which], beside)) + np.minimum(part_sag(other, beside), most_other) > gap
    risky[risky] = _goes_in(other, laid, moments.only(risky))
    if not risky.any():
        return None
    moments, held = moments.only(risky), holding_of(examination, other)
    which = moments.which
    outer, inner = _narrowed(other, points[which], poses[moments.at(0)], poses[moments.at(-1)])
    here = _laid_each(outer, points[which])
    reach_other = np.minimum(held.reach(here), held.reach(_laid_each(inner, points[which])))
    before = _a_little_back(outer, poses[moments.at(1)], part.middle_and_reach[1])
    found = _Crossings(part, other, gap, poses, target, points[which], here, picks[moments.step], before, reach[which], reach_other)
    risky = found.sags(beside[risky]) > gap
    return _judge(scene, found.only(risky)) if risky.any() else None


def _goes_in(other: Part, laid: Array, moments: _Moments) -> NDArray[np.bool_]:
    """Whether points go in further than rounding: what slides along an edge is now on this side of it, now on that."""
    depths = [shapely.distance(shapely.points(laid[moments.at(out), moments.which]), other.region.boundary) for out in (-1, -2)]
    return np.asarray(np.maximum(*depths) > SLIDES_MM)


def _narrowed(other: Part, points: Array, outer: Array, inner: Array) -> tuple[Array, Array]:
    """Poses ``(n, 3)`` just before and just after each point crosses the border, by halving the step in which it does."""
    for _ in range(HALVINGS):
        middle = (outer + inner) / 2
        inside = _contains(other.region, _laid_each(middle, points))[:, None]
        outer, inner = np.where(inside, outer, middle), np.where(inside, middle, inner)
    return outer, inner


def _laid_each(poses: Array, points: Array) -> Array:
    """Each point ``(n, 2)`` seen from outside at its own pose ``(n, 3)``."""
    return apply_pose(poses, points[:, None])[:, 0]


def _a_little_back(poses: Array, farther: Array, reach_mm: float) -> Array:
    """Poses ``(n, 3)`` moved towards others by what an overlap must have to hold, or all the way where that is nearer."""
    change = farther - poses
    way = np.linalg.norm(change[:, :2], axis=1) + reach_mm * np.abs(change[:, 2])
    return np.asarray(poses + np.minimum(1.0, HOLDS_MM / np.maximum(way, 1e-9))[:, None] * change)


def _contains(target: Any, points: Array) -> NDArray[np.bool_]:
    """Which points ``(..., 2)`` lie in a region: only those in its box are asked one by one."""
    shapely.prepare(target)
    left, bottom, right, top = target.bounds
    x, y = points[..., 0], points[..., 1]
    inside = np.asarray((x >= left) & (x <= right) & (y >= bottom) & (y <= top))
    inside[inside] = shapely.contains_xy(target, x[inside], y[inside])
    return inside


def _close_enough(poses: Array, reach_mm: float) -> NDArray[np.int64]:
    """Positions, the first and the last among them, between which nothing goes further than a millimetre where that can be had."""
    way = np.linalg.norm(np.diff(poses[:, :2], axis=0), axis=1) + reach_mm * np.abs(np.diff(poses[:, 2]))
    stride = max(1, int(LARGEST_STEP_MM / max(float(way.max()), 1e-9)))
    return np.unique(np.r_[0 : len(poses) : stride, len(poses) - 1])


def _to_next_inside(points: Array, inside: NDArray[np.bool_], which: NDArray[np.int64]) -> Array:
    """For some border points ``which`` of one part, each with the row of ``inside`` of its position: how far the next border point is that
    lies over the other part then, ``(n,)``; a great length where there is none."""
    away = np.linalg.norm(points[:, None] - points[None], axis=2)
    return np.asarray(np.where(inside, away[which], FAR_MM).min(axis=1))


def _judge(scene: _Scene, found: _Crossings) -> CatchPoint | None:
    """The crossing that sags most, once the area that the two parts share a little before has been counted as holding both."""
    part, other, poses = found.part, found.other, found.poses
    before, back = np.unique(found.before, axis=0, return_inverse=True)
    moved = transform_regions(_with_film(scene.examination, part, other), before)
    shared = shapely.distance(shapely.points(_laid_each(found.before, found.points)), shapely.intersection(moved, found.target)[back])
    shared = np.nan_to_num(np.asarray(shared), nan=np.inf)
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
    scene: _Scene,
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


def _first_meeting(scene: _Scene, lower: Part, upper: Part, gap: float) -> CatchPoint | None:
    """Where two parts that lay beside each other come over one another, or part again: there they share nothing, and it may be anywhere
    along their borders. Either may catch on the other, so only the thinner one must be passed."""
    examination = scene.examination
    poses = relative_pose(scene.poses(lower), scene.poses(upper))
    if len(poses) < 2:
        return None
    picks = _close_enough(poses, upper.middle_and_reach[1])
    poses = poses[picks]
    inner = examination.once(("inner point", upper.id), lambda: shapely.get_coordinates(upper.region.representative_point()))
    if _contains(lower.region, apply_pose(poses, inner)[:, 0]).all():
        return None
    over = shapely.intersects(lower.region, transform_regions(upper.region, poses))
    worst: CatchPoint | None = None
    for step in np.flatnonzero(over[1:] != over[:-1]).tolist():
        apart, meeting = (poses[step], poses[step + 1]) if over[step + 1] else (poses[step + 1], poses[step])
        for _ in range(HALVINGS):
            middle = (apart + meeting) / 2
            apart, meeting = (apart, middle) if shapely.intersects(lower.region, transform_regions(upper.region, middle)[0]) else (middle, meeting)
        low, high = shapely.get_coordinates(shapely.shortest_line(lower.region, transform_regions(upper.region, apart)[0]))
        # A film or leader of the one may lie over the other already: it holds both as far as it is from there.
        led = shapely.intersection(_with_film(examination, lower, upper), transform_regions(_with_film(examination, upper, lower), apart)[0])
        away = np.inf if led.is_empty else float(shapely.distance(led, shapely.Point(low)))
        reach_low = np.minimum(away, holding_of(examination, lower).reach(low[None]))
        reach_high = np.minimum(away, holding_of(examination, upper).reach(apply_pose(invert_pose(apart), high[None])))
        sag = float((part_sag(lower, reach_low) + part_sag(upper, reach_high))[0])
        if sag <= gap or (worst is not None and sag <= worst.sag_mm):
            continue
        position = int(picks[step])
        place = _on_card(scene, lower, low, position)
        if _lies_between(scene, lower, upper, place, position):
            continue
        heights = (sag, gap, min(lower.thickness_mm, upper.thickness_mm))
        how = "lands" if over[step + 1] else "comes back"
        if reach_low[0] > reach_high[0]:
            worst = _told(scene, lower, upper, position, place, (reach_low[0], reach_high[0]), heights, how)
        else:
            worst = _told(scene, upper, lower, position, place, (reach_high[0], reach_low[0]), heights, how)
    return worst


def _on_card(scene: _Scene, other: Part, spot: Array, step: int) -> Array:
    poses = scene.poses(other)
    return apply_pose(poses[min(step, len(poses) - 1)], spot[None])[0]


def _lies_between(scene: _Scene, part: Part, other: Part, place: Array, step: int) -> bool:
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
        at = _amount(examination, catch.mechanism, catch.travel)
        if np.isfinite(catch.sag_mm):
            support = f"There it is {length(catch.h_part_mm)} from what holds it (the {other.name} {length(catch.h_other_mm)})"
            message = f"{support}: paper curls by about {length(catch.sag_mm)} over that, and between them are {length(max(catch.gap_mm, 0.0))}."
        else:
            message = "Nothing holds it there, so it may come back on the wrong side."
        for name, travel in catch.also_at:
            message += f" The travel of {name} is then {_amount(examination, name, travel)}."
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


def _amount(examination: Examination, mechanism: str, travel: float) -> str:
    drive = examination.assembly.drive_of(mechanism)
    return f"{travel:.0f}°" if drive is not None and drive.unit == "deg" else examination.style.length(travel)


__all__ = ["CatchPoint", "check_catching", "find_catch_points"]
