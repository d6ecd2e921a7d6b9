"""The order in which flat pieces in space are painted so that nearer ones cover farther ones.

A piece that lies wholly behind the plane of another one, as seen from the eye, is painted first; so is one in front of whose plane
the other lies wholly. Pieces in one plane go by their layers. A pair that neither test decides is cut: the one at the plane of the
other (after Newell, Newell and Sancha, 1972). Only pieces that overlap on the paper are compared.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import shapely

from lexipod.geometry.frames import Array
from lexipod.geometry.shapes import split_region
from lexipod.geometry.space import apply_frame

PLANE_MM = 0.06
"""Corners nearer to a plane than this count as lying in it."""
TOUCH_MM = 0.02
BY_LAYERS, SURE = 1, 2
MOST_FACETS = 160


@dataclass(frozen=True, eq=False)
class Facet:
    """A flat piece in space: rings ``(n, 2)`` in the frame of its panel, and that frame ``(3, 4)``. ``whole`` is False once it was
    cut."""

    id: str
    rings: tuple[Array, ...]
    frame: Array
    whole: bool = True

    @property
    def corners(self) -> Array:
        """All corners in space, ``(n, 3)``."""
        flat = np.vstack(self.rings)
        return apply_frame(self.frame, np.column_stack([flat, np.zeros(len(flat))]))

    @property
    def normal(self) -> Array:
        """The direction of the panel's front."""
        return np.asarray(self.frame[:, 2])


Above = Callable[["Facet", "Facet"], int]
"""Of two pieces in one plane: 1 when the first is painted over the second, -1 under it, 0 when it does not matter."""


def order_facets(facets: list[Facet], eye: Array, project: Callable[[Array], Array], above: Above, by_layers: Above | None = None) -> list[Facet]:
    """The facets, cut where they must be, from the farthest to the nearest. ``eye`` is a point in space.

    ``above`` decides between pieces in one plane; ``by_layers`` between pairs that go by their layers wherever they are (paper that
    bends and is drawn as a plane), 0 for all others.
    """
    todo = list(facets)
    for _ in range(MOST_FACETS):
        behind, cut = _relations(todo, eye, project, above, by_layers)
        if cut is None or len(todo) >= MOST_FACETS:
            break
        k, at = cut
        pieces = _split(todo[k], todo[at])
        if len(pieces) < 2:
            break
        todo[k : k + 1] = pieces
    return [todo[k] for k in _sorted(behind, todo, eye)]


def _relations(
    facets: list[Facet], eye: Array, project: Callable[[Array], Array], above: Above, by_layers: Above | None
) -> tuple[Any, tuple[int, int] | None]:
    """``behind[i, j]``: facet i is painted before j (for sure, or by layers); and a pair that has to be cut (which, and by whose
    plane), if there is one."""
    corners = [f.corners for f in facets]
    starts = np.concatenate([[0], np.cumsum([len(c) for c in corners])[:-1]]).astype(int)
    every = np.vstack(corners)
    normals = np.array([f.normal for f in facets])
    origins = np.array([f.frame[:, 3] for f in facets])
    towards = np.sign(np.einsum("ij,ij->i", normals, eye - origins))
    normals = normals * np.where(towards == 0, 1.0, towards)[:, None]
    heights = every @ normals.T - np.einsum("ij,ij->i", origins, normals)
    low, high = np.minimum.reduceat(heights, starts, axis=0), np.maximum.reduceat(heights, starts, axis=0)
    paper = project(every)
    box_low, box_high = np.minimum.reduceat(paper, starts, axis=0), np.maximum.reduceat(paper, starts, axis=0)
    apart: Any = ((box_low[:, None] > box_high[None] - TOUCH_MM) | (box_high[:, None] < box_low[None] + TOUCH_MM)).any(axis=2)
    i_behind_j: Any = high <= PLANE_MM
    i_before_j: Any = low >= -PLANE_MM
    flat: Any = np.asarray(i_behind_j & i_before_j)
    edge_on = np.abs(np.einsum("ij,ij->i", normals, eye - origins)).tolist()
    behind = np.zeros((len(facets), len(facets)), dtype=int)
    undecided: list[tuple[int, int]] = []
    for i in range(len(facets)):
        for j in (np.flatnonzero(~apart[i, i + 1 :]) + i + 1).tolist():
            if facets[i].id == facets[j].id:
                continue  # pieces of one panel lie side by side
            forced = by_layers(facets[i], facets[j]) if by_layers else 0
            if forced:
                behind[(i, j) if forced < 0 else (j, i)] = BY_LAYERS
            elif (flat[i, j] or flat[j, i]) and min(edge_on[i], edge_on[j]) > 1e-6:
                side = above(facets[i], facets[j])
                if side:
                    behind[(i, j) if side < 0 else (j, i)] = SURE
            else:
                first, second = i_behind_j[i, j] or i_before_j[j, i], i_before_j[i, j] or i_behind_j[j, i]
                if first and second:
                    continue  # each lies on the far (or each on the near) side of the other: they are nowhere seen over one another
                if first or second:
                    behind[(i, j) if first else (j, i)] = SURE
                    continue
                undecided.append((i, j))
    for i, j in undecided:
        shapes = [shapely.Polygon(paper[starts[k] : starts[k] + len(facets[k].rings[0])]) for k in (i, j)]
        if all(s.is_valid for s in shapes) and shapely.intersection(*shapes).area < 1e-3:
            continue
        return behind, (i, j)
    return behind, None


def _split(facet: Facet, by: Facet) -> list[Facet]:
    """The facet cut at the plane of another one."""
    normal = by.normal @ facet.frame[:, :3]
    offset = float(by.normal @ (facet.frame[:, 3] - by.frame[:, 3]))
    flat = normal[:2]
    size = float(np.linalg.norm(flat))
    if size < 1e-9:
        return [facet]
    foot, along = -offset / size**2 * flat, np.array([-flat[1], flat[0]]) / size
    region = shapely.Polygon(facet.rings[0], facet.rings[1:])
    pieces: list[Facet] = []
    for sign in (1.0, -1.0):
        across = flat / size * sign * 1e4
        half = shapely.Polygon([foot - along * 1e4, foot + along * 1e4, foot + along * 1e4 + across, foot - along * 1e4 + across])
        for part in shapely.get_parts(shapely.intersection(region, half)):
            if part.geom_type == "Polygon" and part.area > 1e-4:
                outline, holes = split_region(part)
                pieces.append(replace(facet, rings=(outline, *holes), whole=False))
    return pieces


def _sorted(behind: Any, facets: list[Facet], eye: Array) -> list[int]:
    """A topological order. Where it goes round in a ring, what is only held back by its layers goes first, then the farthest. Ties go
    by the order given."""
    waiting, sure = (behind > 0).sum(axis=0), (behind == SURE).sum(axis=0)
    left = set(range(len(facets)))
    far = [float(np.linalg.norm(f.corners.mean(axis=0) - eye)) for f in facets]
    out = []
    while left:
        ready = [k for k in left if waiting[k] == 0]
        k = min(ready) if ready else min(left, key=lambda n: (sure[n] > 0, -far[n], n))
        out.append(k)
        left.remove(k)
        waiting = waiting - (behind[k] > 0)
        sure = sure - (behind[k] == SURE)
        waiting[k] = 0
    return out
