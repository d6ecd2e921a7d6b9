"""The second opinion on catch points and free zones: parts as pictures of square cells, moved through 721 positions one by one.

Nothing of the program's sweeps, distances or crossings is used: polygons are filled by Pillow, distances are SciPy's distance transform
and its search tree. What is taken from the program is the assembly and the poses of its parts (checked elsewhere against closed forms).
"""

from __future__ import annotations

import random
from collections import Counter
from dataclasses import dataclass

import numpy as np
from PIL import Image, ImageDraw
from scipy.ndimage import binary_dilation, binary_erosion, distance_transform_edt
from scipy.spatial import ConvexHull, QhullError, cKDTree

from lexipod.building import build_assembly
from lexipod.checks import Examination, find_catch_points
from lexipod.checks.examination import FINE_STEPS
from lexipod.editing.change import change_design
from lexipod.errors import LexipodError
from lexipod.recipes import find_recipe
from tests.zoo import CATALOG, FLAT, card_with

CELL_MM = 0.1
POSITIONS = 721
CURL_MM = 500.0
ROUGH_MM = 0.1
HOLDS_MM = 0.5
COVERED_MM = 1.0
NEAR_MM = 0.1
COVER_NEAR_MM = 0.25


class Grid:
    """A box of square cells; pictures are ``(rows, columns)`` of bool, the first row at the bottom."""

    def __init__(self, low, high, cell=CELL_MM):
        self.low, self.cell = np.asarray(low, float), cell
        self.size = tuple(int(np.ceil(v)) + 1 for v in (np.asarray(high) - low) / cell)

    def fill(self, outline, holes=()):
        """Cells whose middle lies in a polygon."""
        whole = np.zeros(self.size[::-1], dtype=bool)
        rings = [(np.asarray(r) - self.low) / self.cell - 0.5 for r in (outline, *holes)]
        first = np.clip(np.floor(rings[0].min(axis=0)).astype(int) - 1, 0, self.size)
        last = np.clip(np.ceil(rings[0].max(axis=0)).astype(int) + 2, 0, self.size)
        if (last <= first).any():
            return whole
        picture = Image.new("L", tuple(int(v) for v in last - first), 0)
        draw = ImageDraw.Draw(picture)
        for k, ring in enumerate(rings):
            ink = 0 if k else 1
            draw.polygon([tuple(p) for p in ring - first], fill=ink, outline=ink)
        whole[first[1] : last[1], first[0] : last[0]] = np.asarray(picture, dtype=bool)
        return whole

    def cells_of(self, points):
        """Columns and rows of points; what lies outside the box is brought to its rim."""
        at = np.floor((points - self.low) / self.cell).astype(int)
        return np.clip(at, 0, np.asarray(self.size) - 1)

    def middles(self, picture):
        """The middles of the cells that are set, ``(n, 2)``."""
        rows, columns = np.nonzero(picture)
        return self.low + (np.column_stack([columns, rows]) + 0.5) * self.cell


def place(pose, points):
    cos, sin = np.cos(pose[2]), np.sin(pose[2])
    return np.asarray(points) @ np.array([[cos, sin], [-sin, cos]]) + pose[:2]


def unplace(pose, points):
    cos, sin = np.cos(pose[2]), np.sin(pose[2])
    return (np.asarray(points) - pose[:2]) @ np.array([[cos, -sin], [sin, cos]])


def swept_cells(grid, part, poses):
    """Everything that a part lies on at any of the positions."""
    picture = Image.new("L", grid.size, 0)
    draw = ImageDraw.Draw(picture)
    swept = np.zeros(grid.size[::-1], dtype=bool)
    for pose in poses:
        if part.holes:
            swept |= grid.fill(place(pose, part.outline), [place(pose, h) for h in part.holes])
        else:
            ring = (place(pose, part.outline) - grid.low) / grid.cell - 0.5
            draw.polygon([tuple(p) for p in ring], fill=1, outline=1)
    return swept | np.asarray(picture, dtype=bool)


@dataclass
class ZoneVerdict:
    """How a zone compares with the cells: cells it gives away though they are swept, and cells it keeps though they are far from any."""

    given_away: int
    kept_for_nothing: float
    cells: int


def judge_zone(examination, zone, clearance_mm, height_mm, *, cell=0.25):
    """A zone on the front of a part that does not move, against the swept cells grown by the clearance."""
    assembly = examination.assembly
    part = assembly.by_id[zone.part]
    low, high = part.outline.min(axis=0) - 2, part.outline.max(axis=0) + 2
    grid = Grid(low, high, cell)
    swept = np.zeros(grid.size[::-1], dtype=bool)
    still = np.zeros_like(swept)
    for other in assembly.parts:
        if other.id == part.id or other.z_mm >= part.top_mm + height_mm - 1e-6 or other.top_mm <= part.top_mm + 1e-6:
            continue
        poses = [unpose(part.home, pose) for pose in examination.poses(other.id)]
        if assembly.bodies[other.id] == assembly.bodies[part.id]:
            if other.mechanism != "card" or other.role not in ("base", "cover"):
                still |= swept_cells(grid, other, poses[:1])
        else:
            swept |= swept_cells(grid, other, poses)
    free = np.zeros_like(swept)
    for piece in getattr(zone.free, "geoms", [zone.free]):
        if not piece.is_empty:
            free |= grid.fill(np.asarray(piece.exterior.coords), [np.asarray(r.coords) for r in piece.interiors])
    sheet = grid.fill(part.outline, part.holes)
    away = distance_transform_edt(~swept) * cell if swept.any() else np.full(swept.shape, 1e3)
    away_still = distance_transform_edt(~still) * cell if still.any() else np.full(swept.shape, 1e3)
    rim = distance_transform_edt(np.pad(sheet, 1))[1:-1, 1:-1] * cell
    inside = free & ~binary_erosion(free, iterations=1)
    still = binary_erosion(still, iterations=1)
    given_away = int((free & ~inside & ((away < clearance_mm - 1.5 * cell) | (still & (away_still < cell)))).sum())
    clear = sheet & (rim > 1.0 + 2 * cell) & (away > clearance_mm + 2 * cell + 0.1) & (away_still > 2 * cell)
    return ZoneVerdict(given_away, float((clear & ~free).sum()) / max(1, int(sheet.sum())), int(sheet.sum()))


def unpose(outer, inner):
    """A pose seen from another one."""
    point = unplace(np.asarray(outer), np.asarray(inner[:2])[None])[0]
    return np.array([point[0], point[1], inner[2] - outer[2]])


class CatchJudge:
    """Judges one ordered pair: the border cells of ``part`` against ``other``, each as cells in its own frame."""

    def __init__(self, examination, part, other, cell=CELL_MM, covered_mm=COVERED_MM):
        self.examination, self.part, self.other, self.cell, self.covered_mm = examination, part, other, cell, covered_mm
        self.held = examination.once("cells of the second opinion", dict)
        self.gap = max(self._height(), ROUGH_MM)
        self._piles = None

    def cells_of(self, part):
        """A part as cells, filled once."""
        key = part.id, self.cell
        if key not in self.held:
            self.held[key] = _Cells(part, self.cell)
        return self.held[key]

    def _height(self):
        low, high = sorted((self.part, self.other), key=lambda p: p.z_mm)
        return high.z_mm - low.top_mm

    def rho(self, part):
        return CURL_MM * part.plies**2 if part.role in ("base", "moving", "cover", "decoration") else np.inf

    def held_cells(self, grid, part):
        """Cells of a part where it is glued to something against it, with its pins and slots as points."""
        assembly = self.examination.assembly
        own = grid.fill(part.outline, part.holes)
        held = np.zeros_like(own)
        if part.id in ("card.front", "card.back"):
            return own, []
        glued = {j.b if j.a == part.id else j.a for j in assembly.joints if j.kind == "fixed" and part.id in (j.a, j.b)}
        points = []
        for other in assembly.parts:
            if other.id == part.id or assembly.bodies[other.id] != assembly.bodies[part.id] or (other.item and other.role == "decoration"):
                continue
            touches = abs(other.z_mm - part.top_mm) < 0.05 or abs(part.z_mm - other.top_mm) < 0.05
            touches = touches or (other.id in glued and part.mechanism != "card")
            beside = other.level == part.level and abs(other.z_mm - part.z_mm) < 0.05
            if not (touches or beside):
                continue
            pose = unpose(part.home, other.home)
            cells = grid.fill(place(pose, other.outline), [place(pose, h) for h in other.holes])
            if (cells & own).any():
                held |= cells & own
            elif beside and distance_transform_edt(~cells)[own].min(initial=99) * grid.cell < 0.5:
                held |= cells
        for joint in assembly.joints:
            if joint.kind != "fixed" and joint.a == part.id:
                points.append(joint.at_a)
            elif joint.kind != "fixed" and joint.b == part.id and joint.path_b is None:
                points.append(joint.at_b)
            elif joint.kind != "fixed" and joint.b == part.id:
                points += list(joint.path_b.point_at(np.linspace(*joint.path_b.limits, 200)))
        for zone in assembly.zones:
            if zone.part == part.id and zone.kind == "held":
                held |= grid.fill(zone.polygon)
        return held, points

    def reaches(self, part, spots):
        """How far points of a part's frame are from where it is held (half of it where that lies all round)."""
        if part.id not in self.held:
            grid = Grid(part.outline.min(axis=0) - 3.0, part.outline.max(axis=0) + 3.0, 0.25)
            held, points = self.held_cells(grid, part)
            known = [grid.middles(held)] if held.any() else []
            known += [np.asarray(points, float)] if points else []
            everything = np.concatenate(known) if known else None
            self.held[part.id] = None if everything is None else (cKDTree(everything), _hull_of(everything))
        if self.held[part.id] is None:
            return np.full(len(spots), np.inf)
        tree, hull = self.held[part.id]
        away = np.maximum(0.0, tree.query(spots)[0] - 0.18)
        return away if hull is None else np.where((spots @ hull[:, :2].T + hull[:, 2] <= 0.5).all(axis=1), away / 2, away)

    def worst(self):
        """The greatest sag where the border of the part crosses the other's, less nothing: ``(sag, gap)``; None where none crosses.

        Both parts are filled as cells once, each in its own frame; at every position the border points are looked up in the other's cells.
        """
        part, other = self.part, self.other
        a, b = self.examination.poses(part.id), self.examination.poses(other.id)
        if len(a) == 1 and len(b) == 1:
            return None
        count = max(len(a), len(b))
        here, there = (p[np.minimum(np.arange(count), len(p) - 1)] for p in (a, b))
        border = _border_points(part)
        far = self.reaches(part, border)
        all_other = self.reaches(other, _border_points(other))
        most_other = _sag_of(all_other, self.rho(other)).max()
        risky = _sag_of(far, self.rho(part)) + most_other > self.gap
        if not risky.any():
            return None
        border, far = border[risky], far[risky]
        cells = self.cells_of(other)
        seen = np.array([unplace(y, place(x, border)) for x, y in zip(here, there, strict=True)])
        now = _settled(cells.where(seen.reshape(-1, 2)).reshape(seen.shape[:2]))
        moment, which = np.nonzero(now[1:] != now[:-1])
        if not len(moment):
            return None
        leaves = now[moment, which]
        moment = np.where(leaves, moment + 1, moment)
        back = max(1, int(HOLDS_MM / max(1e-9, np.linalg.norm(np.diff(seen, axis=0), axis=2).max())))
        behind = np.clip(np.where(leaves, moment + back, moment - back), 0, count - 1)
        held_other = self.reaches(other, seen[moment, which])
        beside = _to_neighbour(border, now, behind, which)
        most = _sag_of(np.minimum(far[which], beside), self.rho(part)) + _sag_of(np.minimum(held_other, beside), self.rho(other))
        events = np.flatnonzero(most > self.gap)
        least = np.full(count, -np.inf)
        np.maximum.at(least, moment[events], most[events])
        worst = 0.0
        for k in np.argsort(-least):
            if least[k] <= worst:
                break
            mine = events[moment[events] == k]
            mine = mine[~self._covered(place(here[k], border[which[mine]]), k)]
            if len(mine):
                shared = np.empty(len(mine))
                for j in np.unique(behind[mine]):
                    then = behind[mine] == j
                    shared[then] = self._to_shared(border[which[mine[then]]], here[j], there[j], cells)
                reaches = (np.minimum(far[which[mine]], shared), np.minimum(held_other[mine], shared))
                sags = _sag_of(reaches[0], self.rho(part)) + _sag_of(reaches[1], self.rho(other))
                worst = max(worst, float(sags.max()))
        return worst, self.gap

    def _to_shared(self, spots, here, there, cells):
        """How far points of the part are from what it shares with the other one at a position: the nearest place of either border that
        lies in the other's cells. Looked at half a millimetre before two meet or after they part: less holds nothing."""
        if self._piles is None:
            self._piles = self._with_glued(self.part, self.other), self._with_glued(self.other, self.part)
        mine, theirs = ([(self.cells_of(p), pose, place(pose, _border_points(p))) for p, pose in pile] for pile in self._piles)
        rim = [np.empty((0, 2))]
        for a, pose_a, border_a in mine:
            for b, pose_b, border_b in theirs:
                under = unplace(here, place(there, border_b))
                rim.append(border_a[b.holds(unplace(pose_b, unplace(there, place(here, border_a))))])
                rim.append(under[a.holds(unplace(pose_a, under))])
        rim = np.concatenate(rim)
        if not len(rim):
            return np.full(len(spots), np.inf)
        return np.maximum(0.0, cKDTree(rim).query(spots)[0] - 0.8 * self.cell)

    def _with_glued(self, part, other):
        """The part and the sheets glued to it between it and the other one, each with its pose in the part's frame."""
        assembly = self.examination.assembly
        low, high = (part.top_mm, other.z_mm) if other.z_mm >= part.top_mm - 1e-6 else (other.top_mm, part.z_mm)
        glued = {j.a for j in assembly.joints if j.kind == "fixed" and j.b == part.id}
        between = [p for p in assembly.parts if p.id in glued and p.z_mm >= low - 1e-6 and p.top_mm <= high + 1e-6]
        sheets = [p for p in between if p.role in ("moving", "decoration")]
        return [(part, np.zeros(3)), *((p, unpose(part.home, p.home)) for p in sheets)]

    def _covered(self, spots, k):
        """Whether a third part lies between the two at places of the card, and so far round them as counts."""
        low, high = sorted((self.part, self.other), key=lambda p: p.z_mm)
        covered = np.zeros(len(spots), dtype=bool)
        for third in self.examination.assembly.parts:
            if third.id in (low.id, high.id) or third.z_mm < low.top_mm - 1e-6 or third.top_mm > high.z_mm + 1e-6:
                continue
            poses = self.examination.poses(third.id)
            seen = unplace(poses[min(k, len(poses) - 1)], spots)
            around = np.concatenate([seen + self.covered_mm * np.array(d) for d in ((1, 0), (-1, 0), (0, 1), (0, -1))])
            covered |= self.cells_of(third).holds(around).reshape(4, -1).all(axis=0)
        return covered


class _Cells:
    """A part as cells in its own frame."""

    def __init__(self, part, cell):
        self.grid = Grid(part.outline.min(axis=0) - 5 * cell, part.outline.max(axis=0) + 5 * cell, cell)
        self.picture = self.grid.fill(part.outline, part.holes)
        self.surely = np.where(binary_erosion(self.picture), 1, np.where(binary_dilation(self.picture), -1, 0)).astype(np.int8)

    def holds(self, points):
        """Whether each point lies in a cell that is set."""
        columns, rows = self.grid.cells_of(points).T
        return self.picture[rows, columns]

    def where(self, points):
        """1 for points within the cells, 0 for those outside, -1 for those within a cell of the border, which are neither."""
        columns, rows = self.grid.cells_of(points).T
        return self.surely[rows, columns]


def _settled(where):
    """Whether points are inside at each position ``(n, points)``: what is neither stays what it was, so that an edge that slides along an edge
    does not cross it."""
    known = np.where(where >= 0, np.arange(len(where))[:, None], 0)
    latest = np.maximum.accumulate(known, axis=0)
    return np.take_along_axis(where, latest, axis=0) == 1


def _sag_of(reach, rho):
    """The sagitta of an arc; nothing for what does not curl."""
    return reach**2 / (2 * rho) if np.isfinite(rho) else np.zeros(len(reach))


def _to_neighbour(border, now, moment, which):
    """For border points ``which`` at positions ``moment``, how far the border points next to them in their order are that lie in the other
    part's cells: the area that both share is no farther."""
    count = len(border)
    order = np.where(now, np.arange(count), -1)
    before = np.maximum.accumulate(order, axis=1)[moment, which]
    order = np.where(now, np.arange(count), count)
    after = np.minimum.accumulate(order[:, ::-1], axis=1)[:, ::-1][moment, which]
    to_before = np.where(before >= 0, np.linalg.norm(border[np.maximum(before, 0)] - border[which], axis=1), np.inf)
    to_after = np.where(after < count, np.linalg.norm(border[np.minimum(after, count - 1)] - border[which], axis=1), np.inf)
    return np.minimum(to_before, to_after)


def judge_catches(examination, cell=CELL_MM):
    """For every two parts that pass over each other: the sag, the height between, and the thickness of the one that is caught on."""
    assembly = examination.assembly
    moving, found = set(assembly.moving), {}
    sheets = [p for p in assembly.parts if p.role not in ("fastener", "spacer")]
    for i, one in enumerate(sheets):
        for two in sheets[i + 1 :]:
            if assembly.bodies[one.id] == assembly.bodies[two.id] or not {one.id, two.id} & moving or one.shares_room(two):
                continue
            if min(one.top_mm, two.top_mm) > max(one.z_mm, two.z_mm) + 1e-6:
                continue
            told = judge_pair(examination, one, two, cell)
            if told is not None:
                found[frozenset((one.id, two.id))] = told
    return found


def judge_pair(examination, one, two, cell=CELL_MM, *, covered_mm=COVERED_MM):
    """The worse of both directions as sag, height and thickness; None where nothing crosses. ``covered_mm`` of a third part all round hide a
    crossing."""
    judged = [(CatchJudge(examination, a, b, cell, covered_mm).worst(), b.thickness_mm) for a, b in ((one, two), (two, one))]
    told = [(*worst, thickness) for worst, thickness in judged if worst is not None]
    return max(told, key=lambda row: (row[0] > row[1] + row[2], row[0])) if told else None


def compare_catches(design, *, positions=POSITIONS, cell=CELL_MM):
    """How many pairs the program and the cells judge alike, missed, alarmed for nothing, or lie near a limit; and in words what differs."""
    fine, sharp = examined(design, positions), examined(design, FINE_STEPS)
    cells = judge_catches(fine, cell)
    ours = {frozenset((c.part, c.other)): (c.sag_mm, c.gap_mm, c.past_mm) for c in find_catch_points(sharp)}
    count, words = Counter(), []
    for pair in cells.keys() | ours.keys():
        told, seen = (severity_of(*rows[pair]) if pair in rows else "none" for rows in (ours, cells))
        if told == "none" and seen == "none":
            count["pairs without"] += 1
        elif (told == "block") == (seen == "block"):
            count["alike"] += 1
            count["blocks"] += seen == "block"
        elif _is_near(fine, pair, cells.get(pair), ours.get(pair), cell):
            count["near a limit"] += 1
        else:
            kind = "missed" if seen == "block" else "false alarms"
            count[kind] += 1
            words.append(f"{kind}: {sorted(pair)} cells {cells.get(pair)} ours {ours.get(pair)}")
    return count, words


def _is_near(fine, pair, seen, told, cell):
    """Whether the two opinions differ by a tenth of a millimetre of sag, or by how well a third part covers the place."""
    if seen and told and min(abs(v[0] - v[1] - v[2]) for v in (seen, told)) < NEAR_MM:
        return True
    one, two = (fine.assembly.by_id[p] for p in sorted(pair))
    ours = told is not None and severity_of(*told) == "block"
    for covered in (COVERED_MM - COVER_NEAR_MM, COVERED_MM + COVER_NEAR_MM):
        again = judge_pair(fine, one, two, cell, covered_mm=covered)
        if (again is not None and severity_of(*again) == "block") == ours:
            return True
    return False


def severity_of(sag, gap, thickness):
    """What a catch point is judged as."""
    return "none" if sag <= gap + 1e-6 else "block" if not np.isfinite(sag) or sag > gap + thickness else "warn"


def _border_points(part, step=0.4):
    """Points all along the border, every 0.4 mm."""
    found = []
    for ring in (part.outline, *part.holes):
        for start, end in zip(ring, np.roll(ring, -1, axis=0), strict=True):
            count = max(1, int(np.ceil(np.linalg.norm(end - start) / step)))
            found.append(start + (end - start) * (np.arange(count) / count)[:, None])
    return np.concatenate(found)


def _hull_of(points):
    """The sides of the convex hull of some points as ``(n, 3)``: outward direction and offset; None where they lie on a line."""
    try:
        return ConvexHull(points).equations
    except (QhullError, ValueError):
        return None


def random_design(seed):
    """A flat mechanism with some of its measures changed, perhaps a large decoration that stands out of what carries it, and perhaps one
    where something comes by, buildable. About every third catches somewhere."""
    rng = random.Random(seed)
    while True:
        design = card_with(rng.choice(FLAT))
        try:
            design = design.with_parameters("m1", _other_measures(rng, design.mechanisms[0]))
            for k, make in enumerate((_large_decoration, _in_the_way)):
                if rng.random() < 0.8:
                    design = change_design(design, CATALOG, {f"item.i{k}": make(rng, design)})
            examined(design, 5).clearances  # noqa: B018
            return design
        except (LexipodError, ValueError):
            continue


def _other_measures(rng, mechanism):
    """Some lengths up to a half longer or a third shorter, some plies fewer, another foam."""
    values = {}
    for parameter in find_recipe(mechanism.recipe).parameters:
        old = mechanism.parameters[parameter.name]
        if parameter.kind == "length" and rng.random() < (0.5 if "picture" in parameter.name else 0.1):
            values[parameter.name] = round(min(parameter.maximum, max(parameter.minimum, old * rng.uniform(0.7, 1.6))), 2)
        elif "plies" in parameter.name and rng.random() < 0.5:
            values[parameter.name] = max(1, int(old) - 1)
        elif parameter.name == "foam" and rng.random() < 0.5:
            values["foam"] = rng.choice(["foam-1", "foam-1", "foam-2", "foam-3"])
    return values


def _sheets(built):
    return [p for p in built.parts if p.role in ("moving", "cover", "decoration", "base") and p.id != "card.back"]


def _large_decoration(rng, design):
    """Something flat, glued with one end on any sheet that moves."""
    built = build_assembly(design, CATALOG)
    carrier = rng.choice([p for p in _sheets(built) if p.id in built.moving])
    wide, high = rng.uniform(15, 120), rng.uniform(15, 120)
    low, top = carrier.box
    x, y = (rng.uniform(low[k] - 0.45 * size, top[k] + 0.45 * size) for k, size in enumerate((wide, high)))
    return f"decoration on {carrier.id} front {wide:.1f}x{high:.1f}mm at {x:.1f}x{y:.1f}mm layers 0"


def _in_the_way(rng, design):
    """Something flat on any sheet where the border of something that moves comes by."""
    examination = examined(design, 9)
    built = examination.assembly
    comer = rng.choice([p for p in _sheets(built) if p.id in built.moving])
    carrier = rng.choice([p for p in _sheets(built) if built.bodies[p.id] != built.bodies[comer.id]])
    poses = examination.poses(comer.id)
    spot = place(poses[rng.randrange(1, len(poses))], comer.outline[rng.randrange(len(comer.outline))][None])
    x, y = unplace(np.asarray(carrier.home), spot)[0]
    wide, high = rng.uniform(10, 50), rng.uniform(10, 50)
    x, y = x + rng.uniform(-0.5, 0.5) * wide, y + rng.uniform(-0.5, 0.5) * high
    return f"decoration on {carrier.id} front {wide:.1f}x{high:.1f}mm at {x:.1f}x{y:.1f}mm layers {rng.choice([0, 0, 1])}"


def examined(design, positions=POSITIONS):
    return Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=positions)
