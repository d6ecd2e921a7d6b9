"""The edge of the card: a cut along a line over it, heights magnified, so that one layer of foam or two is seen."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import shapely

from lexipod.assembly import Assembly, Folding
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
    line = _cut_line(axis, at_mm, reach)
    bars = []
    for part in assembly.parts:
        if only is not None and part.id not in only:
            continue
        pose = poses.get(part.id)
        region = transform_regions(part.region, np.asarray(part.home if pose is None else pose))[0]
        bars += [EdgeBar(part.id, start, end, part.z_mm, part.top_mm) for start, end in _met(line, region, axis)]
    return tuple(bars)


def find_fold_bars(
    folding: Folding, frames: Mapping[str, Array], heights: Mapping[str, tuple[float, float]], *, axis: Axis, at_mm: float
) -> tuple[EdgeBar, ...]:
    """What the same cut meets of panels that lie flat: where they are by ``frames`` ``(3, 4)``, in their ``heights``."""
    bars: list[EdgeBar] = []
    for panel in folding.panels:
        frame = frames.get(panel.id)
        if frame is None or panel.id not in heights:
            continue
        region = shapely.transform(panel.region, lambda xy, frame=frame: xy @ frame[:2, :2].T + frame[:2, 3])
        low, high = heights[panel.id]
        bars += [EdgeBar(panel.id, start, end, low, high) for start, end in _met(_cut_line(axis, at_mm, 3e3), region, axis)]
    return tuple(bars)


def _cut_line(axis: Axis, at_mm: float, reach: float) -> Any:
    return shapely.LineString([(at_mm, -reach), (at_mm, reach)] if axis == "y" else [(-reach, at_mm), (reach, at_mm)])


def _met(line: Any, region: Any, axis: Axis) -> list[tuple[float, float]]:
    """The stretches of a cut that lie in a region."""
    column = 1 if axis == "y" else 0
    met = []
    for piece in shapely.get_parts(shapely.intersection(line, region)):
        if piece.geom_type == "LineString" and piece.length > 1e-6:
            along = shapely.get_coordinates(piece)[:, column]
            met.append((float(along.min()), float(along.max())))
    return met


def draw_edge(assembly: Assembly, bars: tuple[EdgeBar, ...], *, axis: Axis, magnify: float) -> Drawing:
    """The bars as a drawing: along the cut true to scale, heights magnified."""
    length = assembly.card.height_mm if axis == "y" else assembly.card.width_mm
    top = max([1.0, *(p.top_mm for p in assembly.parts), *(b.high for b in bars)]) * magnify
    shapes: list[Primitive] = []
    for bar in bars:
        part = assembly.by_id.get(bar.part)
        panel = assembly.panels.get(bar.part)
        face, plies = (part.face, part.plies) if part else (panel.faces[0], panel.plies) if panel else ("paper", 1)
        corners = np.array([[bar.start, bar.low], [bar.end, bar.low], [bar.end, bar.high], [bar.start, bar.high]])
        shapes.append(Shape((corners * (1.0, magnify),), "outline", face, bar.part))
        for k in range(1, plies):
            height = (bar.low + (bar.high - bar.low) * k / plies) * magnify
            shapes.append(Stroke(np.array([[bar.start, height], [bar.end, height]]), "guide", bar.part))
    left = min([0.0, *(b.start for b in bars)])
    right = max([length, *(b.end for b in bars)])
    return Drawing(tuple(shapes), (left, 0.0, right, top), "Edge")
