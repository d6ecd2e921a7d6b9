"""The second opinion on catch points and free zones: parts as pictures of square cells, moved through 721 positions one by one.

Nothing of the program's sweeps, distances or crossings is used: polygons are filled by Pillow, distances are SciPy's distance transform
and its search tree. What is taken from the program is the assembly and the poses of its parts (checked elsewhere against closed forms).
"""

from __future__ import annotations

import random
from dataclasses import dataclass

import numpy as np
from PIL import Image, ImageDraw
from scipy.ndimage import binary_erosion, distance_transform_edt
from scipy.spatial import cKDTree

from lexipod.checks import Examination
from lexipod.errors import LexipodError
from lexipod.recipes import build_assembly, find_recipe
from lexipod.recipes.change import change_design
from tests.zoo import CATALOG, FLAT, card_with

CELL_MM = 0.1
POSITIONS = 721
CURL_MM = 500.0
ROUGH_MM = 0.1


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
    swept = np.zeros(grid.size[::-1], dtype=bool)
    for pose in poses:
        swept |= grid.fill(place(pose, part.outline), [place(pose, h) for h in part.holes])
    return swept


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
    """Judges one ordered pair: the border cells of ``part`` against ``other``, both as cells in the part's frame."""

    def __init__(self, examination, part, other, cell=CELL_MM):
        self.examination, self.part, self.other, self.cell = examination, part, other, cell
        self.gap = max(self._height(), ROUGH_MM)

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
        margin = 3.0
        grid = Grid(part.outline.min(axis=0) - margin, part.outline.max(axis=0) + margin, 0.25)
        held, points = self.held_cells(grid, part)
        known = [grid.middles(held)] if held.any() else []
        known += [np.asarray(points, float)] if points else []
        if not known:
            return np.full(len(spots), np.inf)
        everything = np.concatenate(known)
        away = cKDTree(everything).query(spots)[0]
        away = np.maximum(0.0, away - 0.18)
        return np.where(_inside_hull(everything, spots), away / 2, away)

    def worst(self):
        """The greatest sag where the border of the part crosses the other's, less nothing: ``(sag, gap)``; None where none crosses."""
        part, other = self.part, self.other
        a, b = self.examination.poses(part.id), self.examination.poses(other.id)
        if len(a) == 1 and len(b) == 1:
            return None
        count = max(len(a), len(b))
        poses = [unpose(a[min(k, len(a) - 1)], b[min(k, len(b) - 1)]) for k in range(count)]
        border = _border_points(part)
        far = self.reaches(part, border)
        sag_part = far**2 / (2 * self.rho(part)) if np.isfinite(self.rho(part)) else 0 * np.nan_to_num(far)
        all_other = self.reaches(other, _border_points(other))
        most_other = all_other.max() ** 2 / (2 * self.rho(other)) if np.isfinite(self.rho(other)) else 0.0
        risky = sag_part + most_other > self.gap
        if not risky.any():
            return None
        border, far = border[risky], far[risky]
        grid = Grid(border.min(axis=0) - 1, border.max(axis=0) + 1, self.cell)
        spots = grid.cells_of(border)
        own = grid.fill(part.outline, part.holes)
        before, worst = None, None
        last = None
        for k, pose in enumerate(poses):
            picture = grid.fill(place(pose, other.outline), [place(pose, h) for h in other.holes])
            now = picture[spots[:, 1], spots[:, 0]]
            if before is not None and (now != before).any():
                for which, (cells, seen_from) in ((now & ~before, last), (before & ~now, (picture, pose))):
                    if which.any():
                        bare = ~self._covered(place(a[min(k, len(a) - 1)], border[which]), k)
                        if not bare.any():
                            continue
                        found = self._sag(border[which][bare], far[which][bare], cells & own, grid, seen_from)
                        if worst is None or found > worst:
                            worst = found
            before, last = now, (picture, pose)
        return None if worst is None else (worst, self.gap)

    def _covered(self, spots, k):
        """Whether a third part lies between the two at places of the card, and a millimetre round them."""
        low, high = sorted((self.part, self.other), key=lambda p: p.z_mm)
        covered = np.zeros(len(spots), dtype=bool)
        for third in self.examination.assembly.parts:
            if third.id in (low.id, high.id) or third.z_mm < low.top_mm - 1e-6 or third.top_mm > high.z_mm + 1e-6:
                continue
            poses = self.examination.poses(third.id)
            seen = unplace(poses[min(k, len(poses) - 1)], spots)
            around = np.concatenate([seen + d for d in ((1, 0), (-1, 0), (0, 1), (0, -1))])
            covered |= _is_inside(third, around).reshape(4, -1).all(axis=0)
        return covered

    def _sag(self, spots, far, common, grid, pose):
        """The greatest sag of some border points, with what both parts share at that position counted as holding."""
        held_other = self.reaches(self.other, unplace(pose, spots))
        if common.any():
            rim = common & ~binary_erosion(common)
            shared = np.maximum(0.0, cKDTree(grid.middles(rim)).query(spots)[0] - 0.8 * self.cell)
        else:
            shared = np.full(len(spots), np.inf)
        total = np.zeros(len(spots))
        for part, reach in ((self.part, np.minimum(far, shared)), (self.other, np.minimum(held_other, shared))):
            if np.isfinite(self.rho(part)):
                total = total + reach**2 / (2 * self.rho(part))
        return float(total.max())


def _is_inside(part, spots):
    """Points in a polygon with holes, by the number of edges to their right."""
    inside = np.zeros(len(spots), dtype=bool)
    for ring in (part.outline, *part.holes):
        x0, y0 = ring.T[:, :, None]
        x1, y1 = np.roll(ring, -1, axis=0).T[:, :, None]
        x, y = spots.T
        crosses = (y0 > y) != (y1 > y)
        with np.errstate(divide="ignore", invalid="ignore"):
            right = x < (x1 - x0) * (y - y0) / (y1 - y0) + x0
        inside ^= (crosses & right).sum(axis=0) % 2 == 1
    return inside


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
            told = [
                (w[0], w[1], b.thickness_mm) for a, b in ((one, two), (two, one)) if (w := CatchJudge(examination, a, b, cell).worst()) is not None
            ]
            if told:
                found[frozenset((one.id, two.id))] = max(told)
    return found


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


def _inside_hull(points, spots):
    """Whether spots lie in the convex hull of some points, or within half a millimetre of it."""
    from scipy.spatial import ConvexHull, QhullError

    try:
        hull = ConvexHull(points)
    except (QhullError, ValueError):
        return np.zeros(len(spots), dtype=bool)
    return (spots @ hull.equations[:, :2].T + hull.equations[:, 2] <= 0.5).all(axis=1)


def random_design(seed):
    """A flat mechanism with some of its lengths changed and perhaps something glued on, buildable."""
    rng = random.Random(seed)
    while True:
        recipe = rng.choice(FLAT)
        design = card_with(recipe)
        values = {}
        for parameter in find_recipe(recipe).parameters:
            if parameter.kind == "length" and rng.random() < (0.5 if "picture" in parameter.name else 0.1):
                old = design.mechanisms[0].parameters[parameter.name]
                values[parameter.name] = round(min(parameter.maximum, max(parameter.minimum, old * rng.uniform(0.7, 1.6))), 2)
        if rng.random() < 0.6:
            values["foam"] = rng.choice(["foam-1", "foam-2", "foam-3"]) if any(p.name == "foam" for p in find_recipe(recipe).parameters) else None
        try:
            changed = design.with_parameters("m1", {k: v for k, v in values.items() if v is not None})
            built = build_assembly(changed, CATALOG)
            if rng.random() < 0.8:
                carrier = rng.choice([p for p in built.parts if p.role in ("moving", "cover", "decoration", "base") and p.id != "card.back"])
                at = f"{rng.uniform(-30, 30):.1f}x{rng.uniform(-40, 40):.1f}mm"
                size = f"{rng.uniform(8, 70):.1f}x{rng.uniform(8, 70):.1f}mm"
                changed = change_design(changed, CATALOG, {"item.i1": f"decoration on {carrier.id} front {size} at {at} layers {rng.choice([0, 1])}"})
            Examination(build_assembly(changed, CATALOG), CATALOG, changed.ways, steps=5).clearances  # noqa: B018
            return changed
        except (LexipodError, ValueError):
            continue


def examined(design, positions=POSITIONS):
    return Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=positions)
