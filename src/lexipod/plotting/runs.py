"""The lines of a drawing that a tool runs along."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
import shapely

from lexipod.drawing.display import Drawing, Shape, Stroke
from lexipod.drawing.pens import layer_of
from lexipod.geometry.frames import Array

Tool = Literal["score", "cut"]
SAME_MM = 0.05
"""Two cut lines nearer than this are one: a shared edge is cut once."""


@dataclass(frozen=True, eq=False)
class Run:
    """One line: ``points`` ``(n, 2)`` in mm, the last one not repeated where it is ``closed``; ``subject`` is the piece."""

    tool: Tool
    points: Array
    closed: bool
    subject: str = ""

    @property
    def path(self) -> Array:
        """The points in the order they are run along, the first one again at the end where it is closed."""
        return np.vstack([self.points, self.points[:1]]) if self.closed else self.points

    @property
    def length_mm(self) -> float:
        return float(np.linalg.norm(np.diff(self.path, axis=0), axis=1).sum())

    def begun_at(self, index: int) -> Run:
        """A closed run that begins at another of its points; an open one from its other end for any index but 0."""
        if not index:
            return self
        return replace(self, points=np.roll(self.points, -index, axis=0) if self.closed else self.points[::-1])


def runs_of(drawing: Drawing) -> tuple[Run, ...]:
    """Scores and cuts of a drawing, in the order they are drawn. Where outlines share an edge, or lie as good as on each other, the shared
    stretch is one run."""
    runs = [*_runs(drawing)]
    cuts = [r for r in runs if r.tool == "cut"]
    if not _share_edges(cuts):
        return tuple(runs)
    merged = shapely.line_merge(shapely.union_all([shapely.set_precision(shapely.LineString(r.path), SAME_MM / 5) for r in cuts]))
    lines = [shapely.get_coordinates(line) for line in shapely.get_parts(merged) if line.length > SAME_MM]
    made = [Run("cut", line[:-1] if _is_ring(line) else line, _is_ring(line)) for line in lines]
    return (*(r for r in runs if r.tool == "score"), *made)


def _is_ring(line: Array) -> bool:
    return bool(np.allclose(line[0], line[-1])) and len(line) > 3


def _runs(drawing: Drawing) -> Iterator[Run]:
    for item in drawing.primitives:
        if not isinstance(item, Shape | Stroke):
            continue
        layer = layer_of(item.pen)
        if layer not in ("cut", "perforate", "score-valley", "score-mountain"):
            continue
        tool: Tool = "score" if layer.startswith("score") else "cut"
        if isinstance(item, Stroke):
            yield Run(tool, item.points, False, item.subject)
        else:
            for ring in item.rings:
                yield Run(tool, ring, True, item.subject)


def _share_edges(cuts: list[Run]) -> bool:
    lines = np.array([shapely.LineString(r.path) for r in cuts], dtype=object)
    if len(lines) < 2:
        return False
    tree = shapely.STRtree(lines)
    a, b = tree.query(lines, predicate="dwithin", distance=SAME_MM)
    return any(i < j and shapely.intersection(lines[i].buffer(SAME_MM), lines[j]).length > 4 * SAME_MM for i, j in zip(a, b, strict=True))
