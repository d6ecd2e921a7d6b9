"""Folds blanks like paper: it knows the outline, the scores and the slits of a blank, and nothing of the parts they came from.

What lies between two scores close to each other goes round an edge and takes no room in the plane, so it is taken out first. Then the
blank is cut apart along its scores into faces; each face is laid over the one that it hangs on by a reflection, in front of it or behind.
"""

from dataclasses import dataclass, replace

import numpy as np
import shapely
import shapely.affinity
import shapely.ops

FAR_MM = 1e4


@dataclass
class Face:
    """A face of a blank: ``flat`` as it is cut, ``to_plane`` the map from there, ``is_turned`` whether its back is up, ``height`` in plies."""

    flat: object
    to_plane: np.ndarray
    is_turned: bool
    height: int

    @property
    def folded(self):
        m = self.to_plane
        return shapely.transform(self.flat, lambda xy: xy @ m[:, :2].T + m[:, 2])


def fold_up(blank, root):
    """The faces of a blank, folded; ``root`` is a point of the face that stays where it is, its front up."""
    blank, root = without_walls(blank, np.asarray(root, dtype=float))
    flats = cut_apart(blank)
    first = next(k for k, f in enumerate(flats) if f.covers(shapely.Point(root)))
    folded = {first: Face(flats[first], np.eye(2, 3), False, 0)}
    waiting = [(c, shapely.LineString([c.start, c.end])) for c in blank.creases]
    while waiting:
        left = []
        for crease, line in waiting:
            near = [k for k, f in enumerate(flats) if f.boundary.intersection(line.buffer(1e-3)).length > 0.5 * line.length]
            known = [k for k in near if k in folded]
            if not known:
                left.append((crease, line))
                continue
            for k in near:
                if k not in folded:
                    folded[k] = _over(folded[known[0]], flats[k], crease)
        if len(left) == len(waiting):
            break
        waiting = left
    return list(folded.values())


def cut_apart(blank):
    """The faces between scores and slits, as polygons."""
    whole = shapely.Polygon(blank.outline, blank.holes)
    lines = [shapely.affinity.scale(shapely.LineString([c.start, c.end]), 1 + 1e-5, 1 + 1e-5) for c in blank.creases]
    lines += [shapely.LineString(_a_little_longer(np.asarray(slit, dtype=float))) for slit in blank.slits]
    knife = shapely.union_all([*lines, whole.boundary], grid_size=1e-6)  # ends that touch a line are on it
    return [f for f in shapely.ops.polygonize(knife) if whole.covers(f.representative_point())]


def _a_little_longer(line, by=1e-5):
    """A cut that crosses what it ends at, as a knife does."""
    (a, b), (y, z) = line[:2], line[-2:]
    return np.vstack([a + (a - b) / np.linalg.norm(a - b) * by, line[1:-1], z + (z - y) / np.linalg.norm(z - y) * by])


def without_walls(blank, root):
    """The blank without the strips between twin scores, and where ``root`` is then: what lies beyond each is moved up to the first."""
    while True:
        twin = next(((a, b) for a in blank.creases for b in blank.creases if b.name == f"{a.name}, second"), None)
        if twin is None:
            return blank, root
        blank, root = _closed_up(blank, *twin, root)


def _closed_up(blank, first, second, root):
    start, end = np.array(first.start), np.array(first.end)
    along = (end - start) / np.linalg.norm(end - start)
    side = np.array([-along[1], along[0]])
    gap = float((np.array(second.start) - start) @ side)
    away, gap = (side, gap) if gap > 0 else (-side, -gap)
    wall = shapely.Polygon([first.start, first.end, second.end, second.start])
    beyond = shapely.Polygon([start + away * gap + along * s * FAR_MM + away * o * FAR_MM for s, o in ((-1, 0), (1, 0), (1, 1), (-1, 1))])

    def shifted(point):
        point = np.array(point, dtype=float)
        return point - away * gap if (point - start) @ away > gap / 2 else point

    whole = shapely.Polygon(blank.outline, blank.holes)
    rest = shapely.difference(whole, wall.buffer(1e-7, join_style="mitre"))
    kept, moved = shapely.difference(rest, beyond), shapely.affinity.translate(shapely.intersection(rest, beyond), *(-away * gap))
    joined = shapely.union(kept.buffer(1e-6, join_style="mitre"), moved.buffer(1e-6, join_style="mitre")).buffer(-1e-6, join_style="mitre")
    creases = [c for c in blank.creases if c is not second]
    closed = replace(
        blank,
        outline=np.array(joined.exterior.coords)[:-1],
        holes=tuple(np.array(r.coords)[:-1] for r in joined.interiors),
        creases=tuple(replace(c, start=tuple(shifted(c.start)), end=tuple(shifted(c.end))) for c in creases),
        slits=tuple(np.array([shifted(p) for p in slit]) for slit in blank.slits),
    )
    return closed, shifted(root)


def _over(base, flat, crease):
    start, end = np.asarray(crease.start, dtype=float), np.asarray(crease.end, dtype=float)
    along = (end - start) / np.linalg.norm(end - start)
    side = np.array([-along[1], along[0]])
    turn = np.eye(2) - 2 * np.outer(side, side)
    mirror = np.column_stack([turn, start - turn @ start])
    m = base.to_plane
    laid = np.column_stack([m[:, :2] @ mirror[:, :2], m[:, :2] @ mirror[:, 2] + m[:, 2]])
    front = (crease.fold == "valley") != base.is_turned
    return Face(flat, laid, not base.is_turned, base.height + (1 if front else -1))
