"""Blanks that are cut in two that lap, since no sheet or machine takes them whole."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Assembly, Blank
from lexipod.design.sheeting import Lap
from lexipod.geometry.frames import Array
from lexipod.geometry.shapes import split_region

FAR_MM = 5000.0
NEAR_SCORE_MM = 2.0
SQUARE_MM2 = 0.05


def lapped(blank: Blank, assembly: Assembly) -> tuple[Blank, ...]:
    """The blank itself, or the two blanks that it is cut as; one whose lap cannot be made stays whole (`lap_fault` says why)."""
    found = _lap_of(blank, assembly)
    if found is None or lap_fault(blank, assembly):
        return (blank,)
    part, lap = found
    halves = _halves(blank, assembly, part, lap)
    return tuple(_half(blank, region, number, lap) for number, region in enumerate(halves, 1))


def lap_fault(blank: Blank, assembly: Assembly) -> str:
    """Why a blank cannot be lapped where it was asked for; empty where it can, or where nothing was asked."""
    found = _lap_of(blank, assembly)
    if found is None:
        return ""
    part, lap = found
    if part not in assembly.by_id:
        return "it folds in space, where its double thickness is not counted"
    if assembly.by_id[part].face == "foam":
        return "foam is laid edge to edge, not lapped"
    strip = _strip(blank, assembly, part, lap)
    inside = shapely.intersection(strip, blank.region)
    if inside.geom_type != "Polygon" or inside.interiors or inside.area < SQUARE_MM2:
        return "the lap lies over an opening, or off the piece"
    if abs(inside.area - inside.minimum_rotated_rectangle.area) > SQUARE_MM2 + 0.002 * inside.area:
        return "the piece is not straight on both sides of the lap"
    lines = [shapely.LineString([c.start, c.end]) for c in blank.creases] + [shapely.LineString(s) for s in blank.slits]
    if any(line.distance(strip) < NEAR_SCORE_MM for line in lines):
        return f"a score or slit runs through the lap, or within {NEAR_SCORE_MM:g} mm of it"
    if any(shapely.Polygon(g).intersects(strip) and "glue" in name.lower() for g, name in blank.guides):
        return "something is glued there"
    if any(half.geom_type != "Polygon" for half in _halves(blank, assembly, part, lap)):
        return "it would fall into more than two pieces"
    return ""


def _lap_of(blank: Blank, assembly: Assembly) -> tuple[str, Lap] | None:
    return next(((panel, assembly.laps[panel]) for panel in blank.panels if panel in assembly.laps), None)


def _box_of(assembly: Assembly, part: str) -> tuple[float, float, float, float]:
    region = assembly.by_id[part].region if part in assembly.by_id else assembly.panels[part].region
    return tuple(float(v) for v in region.bounds)  # type: ignore[return-value]


def _band(blank: Blank, assembly: Assembly, part: str, lap: Lap, low: float, high: float) -> Any:
    """What lies between two distances from the left (or the bottom) of a part, in the blank's frame."""
    x0, y0, _, _ = _box_of(assembly, part)
    if lap.along == "width":
        corners = np.array([(x0 + low, -FAR_MM), (x0 + high, -FAR_MM), (x0 + high, FAR_MM), (x0 + low, FAR_MM)])
    else:
        corners = np.array([(-FAR_MM, y0 + low), (FAR_MM, y0 + low), (FAR_MM, y0 + high), (-FAR_MM, y0 + high)])
    to_blank: Array = blank.laid.get(part, np.eye(2, 3))
    return shapely.Polygon(corners @ to_blank[:, :2].T + to_blank[:, 2])


def _strip(blank: Blank, assembly: Assembly, part: str, lap: Lap) -> Any:
    return _band(blank, assembly, part, lap, lap.at - lap.over / 2, lap.at + lap.over / 2)


def _halves(blank: Blank, assembly: Assembly, part: str, lap: Lap) -> tuple[Any, Any]:
    below = _band(blank, assembly, part, lap, -FAR_MM, lap.at + lap.over / 2)
    above = _band(blank, assembly, part, lap, lap.at - lap.over / 2, FAR_MM)
    return shapely.intersection(blank.region, below), shapely.intersection(blank.region, above)


def _half(blank: Blank, region: Any, number: int, lap: Lap) -> Blank:
    outline, holes = split_region(region)
    near = shapely.buffer(region, 1e-6)
    told = f"part {number} of 2, glued on the other over {lap.over:g} mm"
    return replace(
        blank,
        id=f"{blank.id}-lap{number}",
        name=f"{blank.name}, part {number}",
        outline=outline,
        holes=holes,
        creases=tuple(c for c in blank.creases if near.covers(shapely.LineString([c.start, c.end]))),
        slits=tuple(s for s in blank.slits if near.covers(shapely.LineString(s))),
        guides=tuple((g, name) for g, name in blank.guides if near.covers(shapely.Polygon(g))),
        trims=tuple(t for t in blank.trims if (t.edge in ("left", "bottom")) == (number == 1)),
        allowances=(),
        note=f"{blank.note}; {told}" if blank.note else told,
    )


__all__ = ["lap_fault", "lapped"]
