"""Random cards that fold, alone and in company, and what the program and the second opinion say of them."""

from __future__ import annotations

import numpy as np
import shapely

from lexipod.building import build_assembly
from lexipod.checks import Examination, run_checks
from lexipod.design import Card, Ways
from lexipod.editing.change import add_mechanism, change_design, new_design
from lexipod.errors import LexipodError
from lexipod.motion import solve_folds
from lexipod.recipes import RECIPES
from tests.solid_sheets import LESS_MM, MORE_MM, crossing_pairs, layers_exist, moved, pages_of, pierces, triangles
from tests.zoo import CATALOG, FOLDED

INSIDE = tuple(r for r in FOLDED if RECIPES[r].makes == "inside")
FACE = tuple(r for r in FOLDED if RECIPES[r].makes == "face")
BESIDE = ("strip-slider", "spinner", "window-wheel")
KINDS = (*FOLDED, "two inside", "two on the face", "inside and on the face", "beside a flat one")
STEPS = 37
RULES = ("clearance", "crossing", "layers")


def random_settings(rng, recipe):
    """Up to three measures of a recipe drawn from all that is allowed, and its choices."""
    given = {}
    for p in RECIPES[recipe].parameters:
        if p.choices and rng.random() < 0.5 and p.name != "paper":
            given[p.name] = str(rng.choice(p.choices))
        elif p.kind == "count" and rng.random() < 0.5:
            given[p.name] = str(int(rng.integers(p.minimum, min(p.maximum, 6) + 1)))
    measured = [p for p in RECIPES[recipe].parameters if p.kind in ("length", "angle")]
    for p in rng.choice(len(measured), int(rng.integers(0, 4)), replace=False):
        q = measured[int(p)]
        high = q.maximum if q.kind == "angle" else min(q.maximum, 120.0)
        given[q.name] = f"{rng.uniform(q.minimum, high):.3f}" + ("deg" if q.kind == "angle" else "mm")
    return given


def draw(rng):
    """A kind of card and a design, or no design where the measures did not go together."""
    kind = str(rng.choice(KINDS))
    card = Card(size=str(rng.choice(["na.a2", "na.a7", "iso.a5", "na.sq6"])), fold=str(rng.choice(["left", "top"])))
    names = {
        "two inside": lambda: rng.choice(INSIDE, 2),
        "two on the face": lambda: rng.choice(FACE, 2),
        "inside and on the face": lambda: (rng.choice(["thread-spinner", *INSIDE]), rng.choice(FACE)),
        "beside a flat one": lambda: (rng.choice([*FACE, "thread-spinner"]), rng.choice(BESIDE)),
    }.get(kind, lambda: (kind,))()
    try:
        design = new_design(str(names[0]), CATALOG, card=card, ways=Ways(units="mm"), given=random_settings(rng, str(names[0])))
        for name in names[1:]:
            given = random_settings(rng, str(name)) if str(name) in FOLDED else {}
            design = add_mechanism(design, str(name), CATALOG, given=given)
        if kind == "beside a flat one" and rng.random() < 0.6:
            shift = f"{rng.uniform(-60, 60):.1f} x {rng.uniform(-60, 60):.1f}"
            design = change_design(design, CATALOG, {"m2.shift": shift})
    except LexipodError:
        return kind, None
    return kind, design


def compare(design):
    """``sound``, ``broken`` (both see it), ``missed`` (only the reference does), ``false`` (only the program does), or ``edge``."""
    built = build_assembly(design, CATALOG)
    examination = Examination(built, CATALOG, design.ways, steps=STEPS)
    told = [f for f in run_checks(examination, rules=RULES) if f.severity == "block"]
    own = [f for f in told if f.need == "" or f.need.startswith("beside ") or f.rule == "layers"]
    sure, doubtful = second_opinion(built, examination)
    if sure:
        return ("broken", "") if told else ("missed", f"{sure[:3]} {[m.parameters for m in design.mechanisms]}")
    if own and not doubtful:
        return "false", f"{[(f.title, f.message) for f in own][:2]} {[(m.recipe, m.parameters) for m in design.mechanisms]}"
    return ("edge", "") if own or doubtful else ("sound", "")


def second_opinion(built, examination):
    """What the reference finds broken, and what it doubts."""
    sure, doubtful = [], []
    folds = built.foldings
    pages = {f.mechanism: pages_of(f) for f in folds}

    def own(f, p):
        return f.rigid[p.id] not in pages[f.mechanism]

    def asked_within(f, a, g, b):
        if f.rigid[a.id] == f.rigid[b.id] or (a.base and b.base) or a.spins or b.spins:
            return False
        return frozenset((a.id, b.id)) not in f.bends

    def asked_between(f, a, g, b):
        return f is not g and not a.base and not b.base and (own(f, a) or own(g, b))

    for f in folds:
        track = solve_folds(f, np.linspace(f.drive.rest, f.drive.end, STEPS))
        found, maybe = crossing_pairs([f], [track], asked_within)
        sure += [("through", *p) for p in found]
        doubtful += list(maybe)
        for state in f.states:
            exist = layers_exist([f], [state], solve_folds)
            if exist is False:
                sure.append(("layers", f.mechanism, state.name))
    inside = [f for f in folds if f.kind == "inside"]
    if len(inside) == 2:
        travel = np.linspace(0.0, min(f.drive.end for f in inside), STEPS)
        tracks = [solve_folds(f, travel) for f in inside]
        found, maybe = crossing_pairs(inside, tracks, asked_between)
        sure += [("between", *p) for p in found]
        doubtful += list(maybe)
        balls, near = ball_hits(inside, tracks)
        sure += balls
        doubtful += near
        for s in inside[0].states:
            for t in inside[1].states:
                if s.name == t.name and layers_exist(inside, [s, t], solve_folds) is False:
                    sure.append(("layers together", s.name))
    face = [f for f in folds if f.kind == "face"]
    for f in inside:
        for g in face:
            balls, near = balls_before_face(built, f, g, own)
            sure += balls
            doubtful += near
    if len(face) == 2:
        hits, near = any_two(face, own)
        sure += hits
        doubtful += near
    for f in folds if "card.front" in built.by_id else ():
        if f.kind == "face":
            hits, near = points_in_parts(built, examination, f, own)
        else:
            hits, near = balls_and_parts(built, examination, f)
        sure += hits
        doubtful += near
    return sure, doubtful


def spinners(f):
    """Panels on a thread, from which opening on they spin, and the air they want."""
    needs = [n for n in f.needs if type(n).__name__ == "SpinsFree"]
    for panel in {n.panel for n in needs}:
        yield f.by_id[panel], max(n.since for n in needs if n.panel == panel), max(n.gap_mm for n in needs if n.panel == panel)


def sphere(centre, radius):
    """Points all over a ball."""
    k = np.arange(400) + 0.5
    polar, turn = np.arccos(1 - 2 * k / 400), np.pi * (1 + 5**0.5) * k
    return centre + radius * np.column_stack([np.cos(turn) * np.sin(polar), np.sin(turn) * np.sin(polar), np.cos(polar)])


def inside_points(region, step=2.0, smaller=0.75):
    """A grid of points of a region, a little inside it."""
    shrunk = shapely.buffer(region, -smaller)
    if shrunk.is_empty:
        return np.zeros((0, 3))
    x0, y0, x1, y1 = shrunk.bounds
    xy = np.stack(np.meshgrid(np.arange(x0, x1 + step, step), np.arange(y0, y1 + step, step)), axis=-1).reshape(-1, 2)
    xy = np.vstack([xy, shapely.get_coordinates(shrunk)])
    xy = xy[shapely.covers(shrunk, shapely.points(xy))]
    return np.column_stack([xy, np.zeros(len(xy))])


def ball_hits(folds, tracks):
    """What comes into the ball that a panel on a thread takes: points of the other panels nearer to its middle than its half width."""
    sure, near = [], []
    for (f, tf), (g, tg) in (((folds[0], tracks[0]), (folds[1], tracks[1])), ((folds[1], tracks[1]), (folds[0], tracks[0]))):
        for panel, since, air in spinners(f):
            low, high = panel.outline.min(axis=0), panel.outline.max(axis=0)
            radius = float(np.max(high - low)) / 2
            for k in np.flatnonzero((tf.travel >= since - 1e-9) & tf.reached & tg.reached):
                centre = moved(np.append((low + high) / 2, 0.0), tf.frames[panel.id][k])
                for other in g.panels:
                    if other.base:
                        continue
                    points = inside_points(other.region, 1.0, 0.01)
                    away = np.linalg.norm(moved(points, tg.frames[other.id][k]) - centre, axis=1).min(initial=np.inf)
                    if away < radius + air - 1.0:
                        sure.append(("ball", panel.id, other.id))
                    elif away < radius + air + 1.0:
                        near.append(("ball", panel.id, other.id))
    return sure, near


def balls_before_face(built, f, g, own):
    """What folds on the front and comes into the ball of what spins in a window of it: points of its panels near the ball's middle."""
    sure, near = [], []
    shut = solve_folds(f, np.array([f.posted_at]))
    track = solve_folds(g, np.linspace(g.drive.rest, g.drive.end, STEPS))
    for panel, _, air in spinners(f):
        low, high = panel.outline.min(axis=0), panel.outline.max(axis=0)
        centre = moved(np.append((low + high) / 2, 0.0), shut.frames[panel.id][0]) * (1, 1, 0)
        radius = float(np.max(high - low)) / 2
        for other in (p for p in g.panels if own(g, p)):
            points = inside_points(other.region, 1.0, 0.01)
            away = min(np.linalg.norm(moved(points, m) - centre, axis=1).min(initial=np.inf) for m in track.frames[other.id][track.reached])
            (sure if away < radius + air - 1.5 else near if away < radius + air + 1.5 else []).append(("ball", panel.id, other.id))
    return sure, near


def any_two(face, own):
    """Two folds on the face, each at any position: the triangles of one against those of the other; flat ones by points."""
    sure, near = [], []
    f, g = face
    tracks = [solve_folds(x, np.linspace(x.drive.rest, x.drive.end, 13)) for x in face]
    for a in (p for p in f.panels if own(f, p)):
        for b in (p for p in g.panels if own(g, p)):
            hit = {LESS_MM: False, MORE_MM: False}
            for i in np.flatnonzero(tracks[0].reached):
                for j in np.flatnonzero(tracks[1].reached):
                    fa, fb = tracks[0].frames[a.id][i], tracks[1].frames[b.id][j]
                    for smaller in hit:
                        if hit[smaller]:
                            continue
                        flat = abs(fa[2, 2]) > 1 - 1e-9 and abs(fb[2, 2]) > 1 - 1e-9
                        if flat and abs(fa[2, 3]) < 1e-6 and abs(fb[2, 3]) < 1e-6:
                            points = inside_points(a.region, 2.0, smaller)
                            back = (moved(points, fa) - fb[:, 3]) @ fb[:, :3]
                            hit[smaller] = bool(shapely.contains_xy(shapely.buffer(b.region, -smaller), back[:, 0], back[:, 1]).any())
                        elif not flat:
                            hit[smaller] = pierces(moved(triangles(a.region, smaller), fa), moved(triangles(b.region, smaller), fb))
                if hit[MORE_MM]:
                    break
            if hit[MORE_MM]:
                return [("face", a.id, b.id)], []
            if hit[LESS_MM]:
                near.append(("face", a.id, b.id))
    return sure, near


def points_in_parts(built, examination, f, own):
    """Points of the panels on their way that lie in the room of a flat part at any of its positions."""
    sure, near = [], []
    front = built.by_id["card.front"].top_mm
    track = solve_folds(f, np.linspace(f.drive.rest, f.drive.end, STEPS))
    laid = [shapely.transform(p.region, lambda xy, m=track.frames[p.id][0]: xy @ m[:2, :2].T + m[:2, 3]) for p in f.panels if own(f, p)]
    footprint = shapely.buffer(shapely.union_all(laid), -0.5)
    still = [p for p in built.parts if p.id not in built.moving and p.top_mm > front + 1e-6]
    base = max((p.top_mm for p in still if shapely.covers(p.region_at_home, footprint)), default=front)
    thick = sum(p.thickness_mm for p in f.panels if own(f, p))
    for part in built.parts:
        if part.id in ("card.front", "card.back", "card.inner") or part.top_mm <= base + 1e-6:
            continue
        places = examination.regions(part.id)
        low, high = part.z_mm - base, part.top_mm - base
        for p in (q for q in f.panels if own(f, q)):
            for smaller, found in ((1.0, sure), (0.0, near)):
                points = inside_points(p.region, 2.0, smaller)
                world = (
                    moved(points[None], np.eye(3, 4)) if not len(points) else np.stack([moved(points, m) for m in track.frames[p.id][track.reached]])
                )
                flat_room = low < thick
                bottom = min(low, 0.0) if flat_room and smaller == 0.0 else (min(low, 0.0) if low < 0.3 else low)
                inside = (world[..., 2] > bottom - 1e-9) & (world[..., 2] < high - (0.05 if smaller else -0.05))
                xy = world[..., :2][inside]
                if len(xy) and any(shapely.contains_xy(shapely.buffer(r, -smaller), xy[:, 0], xy[:, 1]).any() for r in places):
                    found.append(("part", p.id, part.id))
                    break
    return sure, near


def balls_and_parts(built, examination, f):
    """Flat parts on the front that come into the ball of what spins in its window: points of the ball in the room of the part."""
    sure, near = [], []
    front = built.by_id["card.front"].top_mm
    shut = solve_folds(f, np.array([f.posted_at]))
    for panel, _, air in spinners(f):
        low, high = panel.outline.min(axis=0), panel.outline.max(axis=0)
        centre = moved(np.append((low + high) / 2, 0.0), shut.frames[panel.id][0]) * (1, 1, 0)
        radius = float(np.max(high - low)) / 2
        for part in built.parts:
            if part.id in ("card.front", "card.back", "card.inner") or part.top_mm <= front:
                continue
            for away, found in ((air - 1.0, sure), (air + 1.0, near)):
                ball = np.vstack([sphere(centre, r) for r in np.linspace(1.0, radius + away, 12)])
                room = (ball[:, 2] >= part.z_mm - front - 1e-9) & (ball[:, 2] <= part.top_mm - front + 1.0)
                if any(shapely.contains_xy(r, ball[room, 0], ball[room, 1]).any() for r in examination.regions(part.id)):
                    found.append(("ball", panel.id, part.id))
                    break
    return sure, near
