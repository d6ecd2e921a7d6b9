"""Which panel lies over which where folds lie flat.

Four things decide it. What moves comes to lie where its way brings it: a panel that is above another one just before both lie flat
lies over it. What is glued stays on the face that it is glued to. Nothing lies between two faces that are glued to each other. And
nothing goes through a crease: what lies across one lies over both panels or under both. Where none of them decides, the recipe's own
order does. Orders that contradict each other are told: such a card cannot be folded.
Source: the layer orders of flat folding (origami mathematics), with glue added.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import combinations
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from lexipod.assembly.folding import FlatState, Folding
from lexipod.assembly.panels import Panel
from lexipod.geometry.frames import Array
from lexipod.geometry.space import compose_frames, invert_frame
from lexipod.motion.folds.track import FoldTrack, solve_folds

BESIDE_DEG = 2.0
"""So far from a flat state it is looked which panel comes from above."""
SHRUNK_MM = 0.5
"""Panels lie over one another where something is left of their common place after this is taken off all round."""
LEAST_MM = 1e-3
"""A panel that is no further than this from the other's plane is neither above nor below it."""
CORNERS = 7
"""So many corners of a common place are looked at, and its middle."""
Pair = tuple[str, str]


@dataclass(frozen=True, slots=True)
class Tangle:
    """Layers that contradict each other: ``kind`` is ``passes`` (``panels`` are two, one of which would have to go through the
    other), ``between`` (the first lies between the two others, which are glued to each other),
    ``through`` (the first would go through the crease of the two others), or ``ring`` (each lies on the next)."""

    kind: str
    panels: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Layers:
    """Ranks of the panels from the back (0) to the front, and what contradicts them."""

    rank: dict[str, int]
    tangles: tuple[Tangle, ...]


def order_at(folding: Folding, travel: float) -> dict[str, int]:
    """Rank from the card's back of every panel in the flat state nearest to a travel."""
    if not folding.states:
        return {panel.id: k for k, panel in enumerate(folding.panels)}
    nearest = min(range(len(folding.states)), key=lambda k: abs(folding.states[k].at - travel))
    return lay_flat(folding)[nearest].rank


@lru_cache(maxsize=32)
def lay_flat(folding: Folding) -> tuple[Layers, ...]:
    """The layers of every flat state of a folding, one after the other: what only slides keeps its place among the layers."""
    return lay_together((folding,), [(state,) for state in folding.states])


def lay_together(foldings: Sequence[Folding], states: Sequence[Sequence[FlatState]]) -> tuple[Layers, ...]:
    """The layers of several foldings that lie flat on each other: ``states`` are the flat states in turn, each with one of every
    folding. Pages that they share are one panel. Of a state that one of them does not reach only the recipes' own order is told.
    """
    stack = _Stack.of(foldings)
    out: list[Layers] = []
    before: tuple[_Seen, Layers] | None = None
    for picked in states:
        seen = _look(foldings, picked, stack)
        if seen is None:
            out.append(_as_declared(foldings, picked))
            continue
        made = _lay(stack, seen, before)
        out.append(made)
        before = (seen, made)
    return tuple(out)


def _as_declared(foldings: Sequence[Folding], states: Sequence[FlatState]) -> Layers:
    """The order of the recipes where a state, or the way to it, is not reached."""
    declared: dict[str, int] = {}
    for folding, state in zip(foldings, states, strict=True):
        named = {panel: n for n, panel in enumerate(state.order)}
        declared |= {p.id: named.get(p.id, n - len(folding.panels)) for n, p in enumerate(folding.panels)}
    return Layers({panel: n for n, panel in enumerate(sorted(declared, key=lambda p: declared[p]))}, ())


@dataclass(frozen=True, slots=True)
class _Stack:
    """All panels, which body each belongs to, and on which face glued ones lie."""

    panels: tuple[Panel, ...]
    index: dict[str, int]
    bodies: list[str]
    sides: dict[Pair, int]
    glued: tuple[Pair, ...]
    bends: frozenset[frozenset[str]]
    creases: tuple[tuple[int, int, Array], ...]

    @classmethod
    def of(cls, foldings: Sequence[Folding]) -> _Stack:
        panels: dict[str, Panel] = {}
        bodies: dict[str, str] = {}
        sides: dict[Pair, int] = {}
        for folding in foldings:
            pages = {folding.rigid[p.id]: p.id for p in folding.panels if p.base}
            for panel in folding.panels:
                panels.setdefault(panel.id, panel)
                bodies.setdefault(panel.id, pages.get(folding.rigid[panel.id], folding.rigid[panel.id]))
            sides |= glued_sides(folding)
        glued = tuple((j.a, j.b) for f in foldings for j in f.joints if j.kind == "fixed")
        bends = frozenset(pair for f in foldings for pair in f.bends)
        index = {p: k for k, p in enumerate(panels)}
        creases = tuple((index[j.a], index[j.b], np.array(j.at_b)) for f in foldings for j in f.joints if j.kind == "hinge")
        return cls(tuple(panels.values()), index, list(bodies.values()), sides, glued, bends, creases)


@dataclass(frozen=True, slots=True)
class _Seen:
    """Frames ``(p, 3, 4)`` of all panels in a flat state, and those beside it on the ways that lead there."""

    flat: Array
    beside: tuple[Array, ...]
    declared: list[float]


def _look(foldings: Sequence[Folding], states: Sequence[FlatState], stack: _Stack) -> _Seen | None:
    flat = np.zeros((len(stack.panels), 3, 4))
    ways = [np.full((len(stack.panels), 3, 4), np.nan) for _ in (0, 1)]
    declared = [0.0] * len(stack.panels)
    done: set[str] = set()
    for folding, state in zip(foldings, states, strict=True):
        track, asked = _all_looks(folding)
        k = folding.states.index(state)
        at = asked[k]
        if not all(track.reached[look] for look in at if look is not None):
            return None
        stated = _stated(folding, state, track, at[0])
        for panel in folding.panels:
            if panel.id in done:
                continue
            done.add(panel.id)
            i = stack.index[panel.id]
            flat[i] = track.frames[panel.id][at[0]]
            for way, look in zip(ways, at[1:], strict=True):
                if look is not None and track.reached[look]:
                    way[i] = track.frames[panel.id][look]
            declared[i] = stated[panel.id]
    return _Seen(flat, tuple(ways), declared)


@lru_cache(maxsize=32)
def _all_looks(folding: Folding) -> tuple[FoldTrack, tuple[tuple[int, int | None, int | None], ...]]:
    """The folding in every flat state and beside it, and where in the track each is found: flat, before, after."""
    low, high = sorted((folding.drive.rest, folding.drive.end))
    travels: list[float] = []
    asked: list[tuple[int, int | None, int | None]] = []
    for state in folding.states:
        found: list[int | None] = []
        for travel in (state.at, state.at - BESIDE_DEG, state.at + BESIDE_DEG):
            is_there = low - 1e-9 <= travel <= high + 1e-9
            found.append(len(travels) if is_there else None)
            travels += [travel] if is_there else []
        asked.append((found[0] or 0, found[1], found[2]))
    return solve_folds(folding, np.array(travels)), tuple(asked)


@lru_cache(maxsize=32)
def glued_sides(folding: Folding) -> dict[Pair, int]:
    """Of two panels that are glued to each other: on which face of the second the first lies (1: its front), both ways round.

    It is what the recipe's order says in the first flat state that is reached.
    """
    sides: dict[Pair, int] = {}
    if not folding.states:
        return sides
    track, asked = _all_looks(folding)
    for state, at in zip(folding.states, asked, strict=True):
        if not track.reached[at[0]]:
            continue
        rank = _stated(folding, state, track, at[0])
        for a, b in combinations(folding.panels, 2):
            if folding.rigid[a.id] == folding.rigid[b.id]:
                over = 1 if rank[a.id] > rank[b.id] else -1
                sides[a.id, b.id] = over * _facing(track.frames[b.id][at[0]])
                sides[b.id, a.id] = -over * _facing(track.frames[a.id][at[0]])
        return sides
    return sides


def _stated(folding: Folding, state: FlatState, track: FoldTrack, at: int) -> dict[str, float]:
    """Ranks as the recipe states them; what is glued on a known face lies next to what it is glued to."""
    named = {panel: n for n, panel in enumerate(state.order)}
    rank = {p.id: float(named.get(p.id, n - len(folding.panels))) for n, p in enumerate(folding.panels)}
    step = 0.5
    for joint in (j for j in folding.joints if j.side):
        rank[joint.a] = rank[joint.b] + step * joint.side * _facing(track.frames[joint.b][at])
        step *= 0.9
    return rank


def _facing(frame: Array) -> int:
    """1 for a panel that lies with its front up."""
    return 1 if frame[2, 2] > 0 else -1


def _lay(stack: _Stack, seen: _Seen, before: tuple[_Seen, Layers] | None) -> Layers:
    names = [p.id for p in stack.panels]
    laid = np.array([shapely.transform(p.region, lambda xy, f=f: xy @ f[:2, :2].T + f[:2, 3]) for p, f in zip(stack.panels, seen.flat, strict=True)])
    first, second = _meeting(laid)
    places = shapely.buffer(shapely.intersection(laid[first], laid[second]), -SHRUNK_MM, join_style="mitre")
    real = ~shapely.is_empty(places)
    first, second, places = first[real], second[real], places[real]
    signs = [_above(places, seen.flat, way, first, second) for way in seen.beside]
    tangles: list[Tangle] = []
    over: dict[tuple[int, int], bool] = {}
    for n, (a, b) in enumerate(zip(first.tolist(), second.tolist(), strict=True)):
        if stack.bodies[a] == stack.bodies[b]:
            side = stack.sides.get((names[a], names[b]))
            if side is not None:
                over[a, b] = side * _facing(seen.flat[b]) > 0
            continue
        told = [] if frozenset((names[a], names[b])) in stack.bends else [int(s[n]) for s in signs if s[n]]
        if len(set(told)) > 1:
            tangles.append(Tangle("passes", (names[a], names[b])))
        if told:
            over[a, b] = told[0] > 0
        elif before is not None and _still(before[0].flat, seen.flat, a, b):
            over[a, b] = before[1].rank[names[a]] > before[1].rank[names[b]]
    above = {(a, b) if up else (b, a) for (a, b), up in over.items()}  # the first of each pair lies over the second
    at = {(a, b): place for a, b, place in zip(first.tolist(), second.tolist(), places, strict=True)}
    glued = [(stack.index[a], stack.index[b]) for a, b in stack.glued]
    shrunk = shapely.buffer(laid, -SHRUNK_MM, join_style="mitre")
    faces = [f for f in _glued_faces(at, shrunk, glued) if not stack.bodies[f[0]] == stack.bodies[f[1]] == stack.bodies[f[2]]]
    folds, flats = _crossed_creases(stack, seen.flat, shrunk)
    faces += [(c, a, b, "through") for a, b, c in folds]
    contrary = _keep_clear(above, faces, flats)
    order, ring = _rank(list(range(len(names))), above, seen.declared)
    if not ring:
        order, more = _move_out(order, above, faces, flats, seen.declared)
        contrary += more
    tangles += [Tangle(kind, tuple(names[k] for k in found)) for kind, *found in contrary]
    if ring:
        tangles.append(Tangle("ring", tuple(names[k] for k in ring)))
    return Layers({names[k]: n for n, k in enumerate(order)}, tuple(tangles))


def _meeting(laid: NDArray[np.object_]) -> tuple[NDArray[np.int_], NDArray[np.int_]]:
    """Pairs of regions whose boxes meet."""
    boxes = shapely.bounds(laid)
    a, b = np.triu_indices(len(laid), 1)
    apart = (boxes[a, :2] >= boxes[b, 2:]).any(axis=1) | (boxes[b, :2] >= boxes[a, 2:]).any(axis=1)
    return a[~apart], b[~apart]


def _still(before: Array, now: Array, a: int, b: int) -> bool:
    """Whether two panels lie towards each other as in the flat state before, but for a shift in their plane."""
    was, is_now = (compose_frames(invert_frame(f[b]), f[a]) for f in (before, now))
    return bool(np.abs(was[:, 2] - is_now[:, 2]).max() < 1e-6 and abs(was[2, 3] - is_now[2, 3]) < 1e-6)


def _above(places: NDArray[np.object_], flat: Array, way: Array, first: NDArray[np.int_], second: NDArray[np.int_]) -> NDArray[np.int_]:
    """Whether the first panel of each pair is above (1) or below (-1) the second in their common place when both are nearly flat; 0
    where neither, or where nothing is known."""
    xy = shapely.get_coordinates(shapely.point_on_surface(places))[:, None]
    corners, owner = shapely.get_coordinates(places, return_index=True)
    count = np.bincount(owner, minlength=len(places))
    picks = (np.cumsum(count) - count)[:, None] + (np.arange(CORNERS) * count[:, None]) // CORNERS
    xy = np.concatenate([xy, corners[picks]], axis=1)
    points = np.concatenate([xy, np.zeros((*xy.shape[:2], 1))], axis=2)
    moved = compose_frames(invert_frame(way[second]), compose_frames(way[first], invert_frame(flat[first])))
    seen = np.einsum("mij,mkj->mki", moved[..., :3], points)[..., 2] + moved[:, None, 2, 3]
    seen *= np.where(flat[second, 2, 2] > 0, 1.0, -1.0)[:, None]
    furthest = np.take_along_axis(seen, np.abs(seen).argmax(axis=1)[:, None], axis=1)[:, 0]
    return np.where(np.abs(np.nan_to_num(furthest)) < LEAST_MM, 0, np.sign(np.nan_to_num(furthest))).astype(int)


Faces = tuple[int, int, int, str]
"""A panel that must not come between two others, and what it is called when it does."""


def _glued_faces(places: Mapping[tuple[int, int], Any], shrunk: NDArray[np.object_], glued: Sequence[tuple[int, int]]) -> list[Faces]:
    """Whatever lies where two panels are glued to each other."""
    faces: list[Faces] = []
    for a, b in glued:
        place = places.get((a, b), places.get((b, a)))
        if place is None:
            continue
        kept = shapely.area(shapely.intersection(shrunk, place)) > SHRUNK_MM
        faces += [(c, a, b, "between") for c in np.flatnonzero(kept).tolist() if c not in (a, b)]
    return faces


def _crossed_creases(stack: _Stack, flat: Array, shrunk: NDArray[np.object_]) -> tuple[list[tuple[int, int, int]], list[tuple[int, int, int]]]:
    """Panels that lie across a crease: those of creases that are folded over (or where one panel is hinged on the face of the other),
    and those of creases that lie flat open."""
    folded: list[tuple[int, int, int]] = []
    opened: list[tuple[int, int, int]] = []
    for a, b, ends in stack.creases:
        frame = flat[b]
        line = shapely.LineString((ends @ frame[:, :3].T + frame[:, 3])[:, :2])
        crossed = np.flatnonzero(shapely.length(shapely.intersection(shrunk, line)) > SHRUNK_MM).tolist()
        on_edge = shapely.distance(stack.panels[b].region.boundary, shapely.Point(ends[:, :2].mean(axis=0))) < SHRUNK_MM
        found = opened if on_edge and _facing(flat[a]) == _facing(frame) else folded
        if stack.bodies[a] != stack.bodies[b]:
            found += [(a, b, c) for c in crossed if c not in (a, b)]
    return folded, opened


def _keep_clear(above: set[tuple[int, int]], faces: Sequence[Faces], flats: Sequence[tuple[int, int, int]]) -> list[tuple[Any, ...]]:
    """Adds what follows: nothing comes between ``faces``, and what lies across an open crease lies over both sides or under both. What
    does not is given back: the kind, and the panels."""
    found: dict[tuple[Any, ...], None] = {}
    changed = True
    while changed:
        changed = False
        for c, a, b, kind in faces:
            if (a, b) not in above and (b, a) not in above:
                continue
            upper, lower = (a, b) if (a, b) in above else (b, a)
            if (upper, c) in above and (c, lower) in above:
                found[kind, c, upper, lower] = None
                continue
            for known, follows in (((upper, c), (lower, c)), ((c, lower), (c, upper))):
                if known in above and follows not in above and follows[::-1] not in above:
                    above.add(follows)
                    changed = True
        for a, b, c in flats:
            for one, other in ((a, b), (b, a)):
                for known, follows in (((c, one), (c, other)), ((one, c), (other, c))):
                    if known in above and follows[::-1] in above:
                        found["through", c, a, b] = None
                    elif known in above and follows not in above:
                        above.add(follows)
                        changed = True
    return list(found)


def _move_out(
    order: list[int], above: set[tuple[int, int]], faces: Sequence[Faces], flats: Sequence[tuple[int, int, int]], declared: Sequence[float]
) -> tuple[list[int], list[tuple[Any, ...]]]:
    """What a recipe's order leaves between two faces that nothing may come between is moved over both or under both; what cannot be
    is told."""
    stuck: list[tuple[Any, ...]] = []
    names, known = list(range(len(order))), set(above)
    while True:
        rank = {k: n for n, k in enumerate(order)}
        caught = [f for f in faces if min(rank[f[1]], rank[f[2]]) < rank[f[0]] < max(rank[f[1]], rank[f[2]])]
        caught = [f for f in caught if (f[3], *_upper_first(f, rank)) not in stuck and not _is_known(f, known)]
        if not caught:
            return order, stuck
        c, upper, lower = _upper_first(caught[0], rank)
        for way in ((c, upper), (lower, c)):
            tried = known | {way, *({(upper, lower)} if (lower, upper) not in known else ())}
            if _keep_clear(tried, faces, flats):
                continue
            moved, ring = _rank(names, tried, declared)
            if not ring:
                order, known = moved, tried
                break
        else:
            stuck.append((caught[0][3], c, upper, lower))


def _upper_first(face: Faces, rank: Mapping[int, int]) -> tuple[int, int, int]:
    c, a, b, _ = face
    return (c, a, b) if rank[a] > rank[b] else (c, b, a)


def _is_known(face: Faces, above: set[tuple[int, int]]) -> bool:
    """Whether the panel is known to lie between the two, which is told already."""
    c, a, b, _ = face
    return ((a, c) in above and (c, b) in above) or ((b, c) in above and (c, a) in above)


def _rank(names: list[int], above: set[tuple[int, int]], declared: Sequence[float]) -> tuple[list[int], tuple[int, ...]]:
    """The panels from the back to the front: as declared, where nothing speaks against it. Also a ring, if there is one."""
    waits: dict[int, set[int]] = {n: set() for n in names}
    for high, low in above:
        waits[high].add(low)
    order: list[int] = []
    ring: tuple[int, ...] = ()
    left = sorted(names, key=lambda n: declared[n])
    while left:
        ready = next((n for n in left if not waits[n] & set(left)), None)
        if ready is None:
            ring = ring or _find_ring(left, waits)
            ready = left[0]
        order.append(ready)
        left.remove(ready)
    return order, ring


def _find_ring(left: list[int], waits: Mapping[int, set[int]]) -> tuple[int, ...]:
    """Panels each of which lies on the next one, round in a ring."""
    way = [left[0]]
    while True:
        lower = min(waits[way[-1]] & set(left))
        if lower in way:
            return tuple(way[way.index(lower) :])
        way.append(lower)


__all__ = ["Layers", "Tangle", "glued_sides", "lay_flat", "lay_together", "order_at"]
