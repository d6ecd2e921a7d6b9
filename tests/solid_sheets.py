"""A second opinion on what folds, written apart: triangles against triangles, points in solids, layers as an integer programme.

It takes from the program only what a card is (panels, joints, glue, poses) and shares no way of judging with it. Sheets are cut into
triangles and made a little smaller; two of them go through each other when an edge of one pierces a triangle of the other. Layers
are whole numbers that a solver for mixed integer programmes must find; the solver says whether there are any.
"""

from __future__ import annotations

from itertools import combinations

import numpy as np
import shapely
from scipy.optimize import Bounds, LinearConstraint, milp

LESS_MM, MORE_MM = 0.25, 0.75
"""Sheets are made smaller by so much; where the two do not agree it is on the edge, and nothing is said."""
ALMOST_FLAT_DEG = 1.0


def triangles(region, smaller):
    """Triangles ``(m, 3, 3)`` of a region made smaller all round, at z = 0."""
    shrunk = shapely.buffer(region, -smaller, join_style="mitre")
    found = []
    for part in shapely.get_parts(shrunk):
        if part.geom_type == "Polygon" and part.area > 1e-6:
            for tri in shapely.get_parts(shapely.constrained_delaunay_triangles(part)):
                found.append(np.asarray(tri.exterior.coords)[:3])
    if not found:
        return np.zeros((0, 3, 3))
    flat = np.array(found)
    return np.concatenate([flat, np.zeros((*flat.shape[:2], 1))], axis=2)


def moved(points, frame):
    return np.einsum("ij,...j->...i", frame[:, :3], points) + frame[:, 3]


def pierces(one, two):
    """Whether an edge of one triangle mesh goes through a triangle of the other: signed volumes of tetrahedra."""
    for a, b in ((one, two), (two, one)):
        if not len(a) or not len(b):
            return False
        p = a.reshape(-1, 3)
        q = a[:, [1, 2, 0]].reshape(-1, 3)
        t0, t1, t2 = b[:, 0], b[:, 1], b[:, 2]
        normal = np.cross(t1 - t0, t2 - t0)
        normal = normal / np.linalg.norm(normal, axis=1, keepdims=True)
        dp = np.einsum("ebi,bi->eb", p[:, None] - t0[None], normal)
        dq = np.einsum("ebi,bi->eb", q[:, None] - t0[None], normal)
        e, k = np.nonzero((dp * dq < 0) & (np.abs(dp) > 0.1) & (np.abs(dq) > 0.1))
        if not len(e):
            continue

        def volume(x, y, z, w):
            return np.einsum("ni,ni->n", np.cross(y - x, z - x), w - x)

        s = [np.sign(volume(p[e], q[e], u[k], v[k])) for u, v in ((t0, t1), (t1, t2), (t2, t0))]
        if ((s[0] == s[1]) & (s[1] == s[2])).any():
            return True
    return False


def pages_of(folding):
    return {folding.rigid[p.id] for p in folding.panels if p.base}


def crossing_pairs(folds, tracks, asked):
    """Pairs of panels that go through each other at any position: (sure, doubtful). ``asked(f, a, g, b)`` says which are compared."""
    sure, doubtful = set(), set()
    meshes = {}
    for smaller in (LESS_MM, MORE_MM):
        for f in folds:
            for p in f.panels:
                meshes[f.mechanism, p.id, smaller] = triangles(p.region, smaller)
    everything = [(f, t, p) for f, t in zip(folds, tracks, strict=True) for p in f.panels]
    for (f, tf, a), (g, tg, b) in combinations(everything, 2):
        if not asked(f, a, g, b):
            continue
        (ma, ra), (mb, rb) = (((p.outline.min(axis=0) + p.outline.max(axis=0)) / 2, np.linalg.norm(np.ptp(p.outline, axis=0)) / 2) for p in (a, b))
        met = {LESS_MM: False, MORE_MM: False}
        for k in range(len(tf.travel)):
            if not (tf.reached[k] and tg.reached[k]):
                continue
            fa, fb = tf.frames[a.id][k], tg.frames[b.id][k]
            if np.linalg.norm(moved(np.append(ma, 0.0), fa) - moved(np.append(mb, 0.0), fb)) > ra + rb:
                continue
            if abs(fa[:, 2] @ fb[:, 2]) > np.cos(np.radians(0.5)):
                continue
            for smaller in met:
                if not met[smaller] and pierces(moved(meshes[f.mechanism, a.id, smaller], fa), moved(meshes[g.mechanism, b.id, smaller], fb)):
                    met[smaller] = True
            if met[MORE_MM]:
                break
        if met[MORE_MM]:
            sure.add((a.id, b.id))
        elif met[LESS_MM]:
            doubtful.add((a.id, b.id))
    return sure, doubtful


def layers_exist(folds, states, solve):
    """Whether whole numbers can be given to the panels such that every pair lies as its way brings it, glued faces stay the same, and
    nothing lies between glued faces or goes through a crease. None where a state is not reached."""
    panels, flat, near, body = {}, {}, {}, {}
    glued, creases, told = [], [], {}
    for f, state in zip(folds, states, strict=True):
        low, high = sorted((f.drive.rest, f.drive.end))
        ways = [t for t in (state.at - ALMOST_FLAT_DEG, state.at + ALMOST_FLAT_DEG) if low - 1e-9 <= t <= high + 1e-9]
        first = f.states[0]
        track = solve(f, np.array([state.at, *ways, first.at]))
        if not track.reached.all():
            return None
        pages = pages_of(f)
        page = {f.rigid[p.id]: p.id for p in f.panels if p.base}
        for p in f.panels:
            if p.id in panels:
                continue
            panels[p.id] = p
            flat[p.id] = track.frames[p.id][0]
            near[p.id] = {round(t - state.at, 3): track.frames[p.id][1 + n] for n, t in enumerate(ways)}
            body[p.id] = page.get(f.rigid[p.id], f.rigid[p.id]) if f.rigid[p.id] in pages else f.rigid[p.id]
        place = {p: float(k) for k, p in enumerate(first.order)}
        for j in f.joints:  # what is stuck on a panel lies on that side of it
            if j.kind == "fixed" and f.by_id[j.a].item and j.b in place:
                place[j.a] = place[j.b] + 0.5 * j.side * np.sign(track.frames[j.b][-1][2, 2])
        for a, b in combinations(f.panels, 2):
            if f.rigid[a.id] == f.rigid[b.id]:
                ra, rb = (place.get(p.id, f.panels.index(p) - 99) for p in (a, b))
                turned = np.sign(track.frames[b.id][-1][2, 2]) * np.sign(track.frames[b.id][0][2, 2])
                told[a.id, b.id] = (1 if ra > rb else -1) * turned
        glued += [(j.a, j.b) for j in f.joints if j.kind == "fixed"]
        creases += [(j.a, j.b, np.array(j.at_b)) for j in f.joints if j.at_b is not None]
    bends = {pair for f in folds for pair in f.bends}
    names = list(panels)
    seen = {p: shapely.affinity.affine_transform(panels[p].region, [*flat[p][0, :2], *flat[p][1, :2], *flat[p][:2, 3]]) for p in names}
    small = {p: shapely.buffer(seen[p], -0.6, join_style="mitre") for p in names}
    n = len(names)
    rows, lower, between = [], [], []

    def over(a, b):
        row = np.zeros(n)
        row[names.index(a)], row[names.index(b)] = 1, -1
        rows.append(row)
        lower.append(1.0)

    rng = np.random.default_rng(1)
    for a, b in combinations(names, 2):
        common = shapely.intersection(small[a], small[b])
        if common.area < 1.0:
            continue
        if body[a] == body[b]:
            if (a, b) in told:
                over(a, b) if told[a, b] > 0 else over(b, a)
            continue
        if frozenset((a, b)) in bends:
            continue
        for way in set(near[a]) & set(near[b]):
            gaps = []
            x0, y0, x1, y1 = common.bounds
            for x, y in rng.uniform((x0, y0), (x1, y1), (60, 2)):
                heights = []
                for p in (a, b):  # the vertical line through (x, y) meets the plane of the panel there
                    m = near[p][way]
                    normal = m[:, 2]
                    z = m[2, 3] - (normal[0] * (x - m[0, 3]) + normal[1] * (y - m[1, 3])) / normal[2]
                    u, v = m[:, 0] @ (np.array([x, y, z]) - m[:, 3]), m[:, 1] @ (np.array([x, y, z]) - m[:, 3])
                    heights.append(z if panels[p].region.contains(shapely.Point(u, v)) else None)
                if None not in heights:
                    gaps.append(heights[0] - heights[1])
            gaps = np.array([g for g in gaps if abs(g) > 2e-3])
            if len(gaps):
                over(a, b) if gaps[np.argmax(np.abs(gaps))] > 0 else over(b, a)
    for a, b in glued:
        common = shapely.intersection(small[a], small[b])
        for c in names:
            if c not in (a, b) and not body[a] == body[b] == body[c] and shapely.intersection(common, small[c]).area > 1.5:
                between.append((c, a, b))
    same = []
    for a, b, ends in creases:
        line = shapely.LineString([moved(e, flat[b])[:2] for e in ends])
        on_edge = panels[b].region.exterior.distance(shapely.Point(ends[:, :2].mean(axis=0))) < 0.4 or any(
            r.distance(shapely.Point(ends[:, :2].mean(axis=0))) < 0.4 for r in panels[b].region.interiors
        )
        for c in names:
            if c in (a, b) or body[a] == body[b] or shapely.intersection(small[c], line).length < 1.5:
                continue
            flat_open = on_edge and flat[a][2, 2] * flat[b][2, 2] > 0
            (same if flat_open else between).append((c, a, b))
    # Of three panels c is on the same side of a and b: one yes-or-no for each.
    most = float(n)
    extra = len(between) + len(same)
    matrix = [np.concatenate([r, np.zeros(extra)]) for r in rows]
    floor = list(lower)
    for k, (c, a, b) in enumerate([*between, *same]):
        for side in (a, b):
            row = np.zeros(n + extra)
            row[names.index(c)], row[names.index(side)], row[n + k] = 1, -1, 2 * most
            matrix.append(row)  # yes 0: c over; then r_c - r_s >= 1
            floor.append(1.0)
            back = np.zeros(n + extra)
            back[names.index(c)], back[names.index(side)], back[n + k] = -1, 1, -2 * most
            matrix.append(back)  # yes 1: c under
            floor.append(1.0 - 2 * most)
    if not matrix:
        return True
    answer = milp(
        np.zeros(n + extra),
        constraints=LinearConstraint(np.array(matrix), lb=np.array(floor)),
        integrality=np.ones(n + extra),
        bounds=Bounds(np.zeros(n + extra), np.concatenate([np.full(n, most), np.ones(extra)])),
        options={"time_limit": 5.0},
    )
    return None if answer.status == 1 else bool(answer.success)
