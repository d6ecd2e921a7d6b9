"""The edge of the card: a cut along a line over it, heights magnified, so that one layer of foam or two is seen."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np
import shapely

from lexipod.assembly import Assembly
from lexipod.drawing.display import Drawing, Primitive, Shape, Stroke
from lexipod.geometry.frames import Array, transform_regions

Axis = Literal["x", "y"]


@dataclass(frozen=True, slots=True)
class EdgeBar:
    """What the cut meets of one part: from ``start`` to ``end`` along the cut, from ``low`` to ``high`` in height (mm)."""

    part: str
    start: float
    end: float
    low: float
    high: float


def find_edge_bars(
    assembly: Assembly, poses: Mapping[str, Array], *, axis: Axis, at_mm: float, only: Collection[str] | None = None
) -> tuple[EdgeBar, ...]:
    """What a cut meets of all parts, or of ``only`` some. ``axis`` “y” cuts from bottom to top at x = ``at_mm``, “x” from left
    to right at y."""
    reach = 3 * max(assembly.card.width_mm, assembly.card.height_mm)
    line = shapely.LineString([(at_mm, -reach), (at_mm, reach)] if axis == "y" else [(-reach, at_mm), (reach, at_mm)])
    column = 1 if axis == "y" else 0
    bars = []
    for part in assembly.parts:
        if only is not None and part.id not in only:
            continue
        pose = poses.get(part.id)
        region = transform_regions(part.region, np.asarray(part.home if pose is None else pose))[0]
        cut = shapely.intersection(line, region)
        for piece in shapely.get_parts(cut):
            if piece.geom_type == "LineString" and piece.length > 1e-6:
                along = shapely.get_coordinates(piece)[:, column]
                bars.append(EdgeBar(part.id, float(along.min()), float(along.max()), part.z_mm, part.top_mm))
    return tuple(bars)


def draw_edge(assembly: Assembly, bars: tuple[EdgeBar, ...], *, axis: Axis, magnify: float) -> Drawing:
    """The bars as a drawing: along the cut true to scale, heights magnified."""
    length = assembly.card.height_mm if axis == "y" else assembly.card.width_mm
    top = max((p.top_mm for p in assembly.parts), default=1.0) * magnify
    shapes: list[Primitive] = []
    for bar in bars:
        part = assembly.by_id[bar.part]
        corners = np.array([[bar.start, bar.low], [bar.end, bar.low], [bar.end, bar.high], [bar.start, bar.high]])
        shapes.append(Shape((corners * (1.0, magnify),), "outline", part.face, part.id))
        if part.plies > 1:
            for k in range(1, part.plies):
                height = (bar.low + (bar.high - bar.low) * k / part.plies) * magnify
                shapes.append(Stroke(np.array([[bar.start, height], [bar.end, height]]), "guide", part.id))
    left = min([0.0, *(b.start for b in bars)])
    right = max([length, *(b.end for b in bars)])
    return Drawing(tuple(shapes), (left, 0.0, right, top), "Edge")
