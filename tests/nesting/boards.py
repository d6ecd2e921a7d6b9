"""Random pieces, and layouts looked at by eyes of their own."""

import itertools
import math

import numpy as np
import shapely
from shapely import affinity, ops

from lexipod.nesting import Board, Piece


def at_origin(region):
    x0, y0, _, _ = region.bounds
    return affinity.translate(region, -x0, -y0)


def random_region(chance):
    """A box, disc, star, angle or ring."""
    wide, high = chance.uniform(12, 80), chance.uniform(8, 50)
    kind = chance.integers(0, 5)
    if kind == 0:
        return shapely.box(0, 0, wide, high)
    if kind == 1:
        return at_origin(shapely.Point(0, 0).buffer(min(wide, high) / 2, quad_segs=12))
    if kind == 2:
        angles = np.sort(chance.uniform(0, 2 * math.pi, 9))
        radii = chance.uniform(0.4, 1, 9) * min(wide, high)
        star = shapely.Polygon(np.column_stack([radii * np.cos(angles), radii * np.sin(angles)]))
        return at_origin(star) if star.is_valid and star.area > 40 else shapely.box(0, 0, wide, high)
    if kind == 3:
        return shapely.box(0, 0, wide, 6).union(shapely.box(0, 0, 6, high))
    ring = shapely.Point(0, 0).buffer(wide / 2 + 10, quad_segs=12)
    return at_origin(ring.difference(shapely.Point(0, 0).buffer(wide / 2, quad_segs=12)))


def random_pieces(seed, count, turns=(0, 90, 180, 270)):
    chance = np.random.default_rng(seed)
    return [Piece(f"p{k}", f"p{k}", random_region(chance), turns) for k in range(count)]


def letter(margin=0.0, count=None):
    return Board("letter", shapely.box(0, 0, 215.9, 279.4), margin, count)


def laid_by_hand(layout):
    """Regions of each board, turned and moved by rotation matrices of our own."""
    boards = [[] for _ in layout.boards]
    for spot in layout.spots:
        region = layout.pieces[spot.piece].region
        angle = math.radians(spot.turn)
        cos, sin = round(math.cos(angle)), round(math.sin(angle))
        moved = shapely.transform(region, lambda xy, c=cos, s=sin: np.column_stack([c * xy[:, 0] - s * xy[:, 1], s * xy[:, 0] + c * xy[:, 1]]))
        low = np.array(moved.bounds[:2])
        boards[spot.board].append(shapely.transform(moved, lambda xy, low=low, spot=spot: xy - low + [spot.x_mm, spot.y_mm]))
    return boards


def least_gap(regions):
    """The least distance between any two regions; below 0 where two overlap by more than rounding."""
    worst = math.inf
    for a, b in itertools.combinations(regions, 2):
        worst = min(worst, -1.0 if a.intersection(b).area > 1e-3 else a.distance(b))
    return worst


def cut_up(board, cuts):
    """A board cut by its cuts, one after the other, each right through the part that is put in: the parts, by number."""
    parts = {1: shapely.box(*board)}
    for cut in cuts:
        part = parts.pop(cut.of)
        x0, y0, x1, y1 = part.bounds
        at = cut.at_mm + (x0 if cut.along == "width" else y0)
        line = [(at, y0 - 1), (at, y1 + 1)] if cut.along == "width" else [(x0 - 1, at), (x1 + 1, at)]
        halves = list(ops.split(part, shapely.LineString(line)).geoms)
        axis = 0 if cut.along == "width" else 1
        halves.sort(key=lambda half, axis=axis: half.bounds[axis])
        assert len(halves) == 2, "a cut that does not go through"
        parts[cut.gives[0]], parts[cut.gives[1]] = halves
    return parts
