"""The order of runs: scores before cuts, inner before outer, with short ways between."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import shapely

from lexipod.geometry.frames import Array
from lexipod.plotting.runs import Run

PASSES = 4
ROUNDS = 6
LONGEST_TURN = 40
"""At most so many runs in a row are taken the other way round."""
INSIDE_MM = 1e-3


def order_runs(runs: Sequence[Run], start: tuple[float, float] = (0.0, 0.0)) -> list[Run]:
    """All runs, each once, from where it is begun: the nearest that may come next is taken, then single runs are moved to where they cost
    less way. The same runs always give the same order."""
    done: list[Run] = []
    at = np.asarray(start, dtype=float)
    for tool in ("score", "cut"):
        group = [r for r in runs if r.tool == tool]
        if not group:
            continue
        inside = _what_lies_inside(group) if tool == "cut" else [set() for _ in group]
        found = _nearest_first(group, inside, at)
        for _ in range(ROUNDS):
            before = lifted_mm([group[k].begun_at(b) for k, b in found], (float(at[0]), float(at[1])))
            found = _begun_anew(_turned_round(_moved(found, group, inside, at), group, inside, at), group, at)
            if lifted_mm([group[k].begun_at(b) for k, b in found], (float(at[0]), float(at[1]))) > before - 1e-6:
                break
        done += [group[k].begun_at(begin) for k, begin in found]
        at = done[-1].path[-1]
    return done


def lifted_mm(runs: Sequence[Run], start: tuple[float, float] = (0.0, 0.0)) -> float:
    """The way with the tool lifted, from the start to the first run and between runs."""
    way, at = 0.0, np.asarray(start, dtype=float)
    for run in runs:
        way += float(np.linalg.norm(run.path[0] - at))
        at = run.path[-1]
    return way


def _what_lies_inside(runs: Sequence[Run]) -> list[set[int]]:
    """For each run, the runs that lie inside it and must come first."""
    lines = np.array([shapely.LineString(r.path) for r in runs], dtype=object)
    rings = np.array([shapely.Polygon(r.points) if r.closed and len(r.points) > 2 else shapely.Polygon() for r in runs], dtype=object)
    tree = shapely.STRtree(lines)
    inside: list[set[int]] = [set() for _ in runs]
    grown = shapely.buffer(rings, INSIDE_MM)
    outer, inner = tree.query(grown, predicate="contains")
    for a, b in zip(outer.tolist(), inner.tolist(), strict=True):
        if a != b and not (runs[b].closed and rings[b].area >= rings[a].area):
            inside[a].add(b)
    return inside


def _begins(run: Run, at: Array) -> tuple[int, float]:
    """Where a run is begun best from a place, and how far that is."""
    points = run.points if run.closed else run.points[[0, -1]]
    ways = np.linalg.norm(points - at, axis=1)
    k = int(np.argmin(ways))
    return k, float(ways[k])


def _nearest_first(runs: Sequence[Run], inside: list[set[int]], at: Array) -> list[tuple[int, int]]:
    left = set(range(len(runs)))
    open_inside = [set(s) for s in inside]
    around: list[list[int]] = [[] for _ in runs]
    for outer, inner in enumerate(inside):
        for k in inner:
            around[k].append(outer)
    ready = {k for k in left if not open_inside[k]}
    boxes = np.array([[*r.points.min(axis=0), *r.points.max(axis=0)] for r in runs])
    found: list[tuple[int, int]] = []
    while ready:
        names = np.array(sorted(ready))
        low, high = boxes[names, :2], boxes[names, 2:]
        bound = np.linalg.norm(np.maximum(0, np.maximum(low - at, at - high)), axis=1)
        best: tuple[float, int, int] | None = None
        for position in np.argsort(bound, kind="stable"):
            if best is not None and bound[position] >= best[0]:
                break
            k = int(names[position])
            begin, way = _begins(runs[k], at)
            if best is None or way < best[0] - 1e-12:
                best = way, k, begin
        assert best is not None
        _, k, begin = best
        found.append((k, begin))
        ready.discard(k)
        at = runs[k].begun_at(begin).path[-1]
        for outer in around[k]:
            open_inside[outer].discard(k)
            if not open_inside[outer]:
                ready.add(outer)
    return found


def _moved(found: list[tuple[int, int]], runs: Sequence[Run], inside: list[set[int]], start: Array) -> list[tuple[int, int]]:
    """Single runs moved to where they shorten the way, as long as what lies inside still comes first."""
    for _ in range(PASSES):
        ends = np.array([[runs[k].begun_at(b).path[0], runs[k].begun_at(b).path[-1]] for k, b in found])
        better = False
        for i in range(len(found)):
            place = {k: p for p, (k, _) in enumerate(found)}
            k = found[i][0]
            first = max((place[inner] for inner in inside[k]), default=-1) + 1
            last = min((place[o] for o, inner in enumerate(inside) if k in inner), default=len(found)) if inside else len(found)
            before = ends[i - 1, 1] if i else start
            after = ends[i + 1, 0] if i + 1 < len(found) else None
            saved = np.linalg.norm(ends[i, 0] - before)
            if after is not None:
                saved += np.linalg.norm(after - ends[i, 1]) - np.linalg.norm(after - before)
            heads = np.vstack([start, ends[:, 1]])
            cost = np.linalg.norm(heads - ends[i, 0], axis=1)
            cost[:-1] += np.linalg.norm(ends[:, 0] - ends[i, 1], axis=1) - np.linalg.norm(ends[:, 0] - heads[:-1], axis=1)
            cost[[i, i + 1]] = np.inf
            cost[:first] = np.inf
            cost[last + 1 :] = np.inf
            j = int(np.argmin(cost))
            if cost[j] < saved - 1e-6:
                row, end = found.pop(i), ends[i].copy()
                ends = np.delete(ends, i, axis=0)
                j -= j > i
                found.insert(j, row)
                ends = np.insert(ends, j, end, axis=0)
                better = True
        if not better:
            break
    return found


def _begun_anew(found: list[tuple[int, int]], runs: Sequence[Run], start: Array) -> list[tuple[int, int]]:
    """The same order, each run begun where the way to it and on from it is shortest."""
    out = list(found)
    at = start
    for i, (k, _) in enumerate(out):
        run = runs[k]
        following = runs[out[i + 1][0]].begun_at(out[i + 1][1]).path[0] if i + 1 < len(out) else None
        if run.closed:
            ways = np.linalg.norm(run.points - at, axis=1)
            if following is not None:
                ways = ways + np.linalg.norm(run.points - following, axis=1)
            begin = int(np.argmin(ways))
        else:
            ends = run.points[[0, -1]]
            ways = np.linalg.norm(ends - at, axis=1)
            if following is not None:
                ways = ways + np.linalg.norm(ends[::-1] - following, axis=1)
            begin = int(np.argmin(ways))
        out[i] = (k, begin)
        at = run.begun_at(begin).path[-1]
    return out


def _turned_round(found: list[tuple[int, int]], runs: Sequence[Run], inside: list[set[int]], start: Array) -> list[tuple[int, int]]:
    """Stretches of the order taken the other way round where that shortens the way and nothing comes before what lies inside it."""
    for _ in range(PASSES):
        better = False
        ends = np.array([[runs[k].begun_at(b).path[0], runs[k].begun_at(b).path[-1]] for k, b in found])
        for i in range(len(found) - 1):
            before = ends[i - 1, 1] if i else start
            met = {found[i][0]}
            for j in range(i + 1, min(len(found), i + LONGEST_TURN)):
                k = found[j][0]
                if inside[k] & met:
                    break
                met.add(k)
                old = math.dist(before, ends[i, 0])
                new = math.dist(before, ends[j, 1])
                if j + 1 < len(found):
                    old += math.dist(ends[j, 1], ends[j + 1, 0])
                    new += math.dist(ends[i, 0], ends[j + 1, 0])
                if new < old - 1e-6:
                    found[i : j + 1] = [(n, b if runs[n].closed else 1 - b) for n, b in reversed(found[i : j + 1])]
                    ends[i : j + 1] = ends[i : j + 1][::-1, ::-1]
                    better = True
                    break
        if not better:
            break
    return found
