"""What is cut out of a blank: windows, slots, slits and holes inside it, notches in its rim."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import shapely

from lexipod.assembly import Assembly, Blank, Part
from lexipod.blanks.measures import diameter_of, is_boxy, smallest_box
from lexipod.geometry.frames import Array

Kind = Literal["window", "slot", "slit", "hole", "notch", "corner"]
PUNCHED_MM = 9.0
"""A round opening up to this is a punched hole."""
SLIT_MM = 1.2
"""What is narrower is cut as one line and called a slit."""
SLENDER = 3.0
LEAST_MM2 = 0.2
SLIVER_MM = 0.02
FILLED = 0.4
"""An opening is for what fills this much of its narrower side."""


@dataclass(frozen=True, eq=False)
class Opening:
    """One opening of a blank, in the blank's frame with its lower left corner at the origin. ``width_mm`` by ``height_mm`` is the
    smallest box round it (a slit is a line, straight or not), turned by ``turned_deg``; ``from_left_mm`` and ``from_bottom_mm`` lead to
    the near edges of an upright one and to the ``centre`` of any other. ``passes`` is the part that goes through it."""

    kind: Kind
    name: str
    outline: Array
    width_mm: float
    height_mm: float
    diameter_mm: float | None
    from_left_mm: float
    from_bottom_mm: float
    centre: tuple[float, float]
    turned_deg: float = 0.0
    passes: str = ""


def find_openings(blank: Blank, assembly: Assembly) -> tuple[Opening, ...]:
    """All openings of a blank that lies at the origin: those inside it from the left, then notches and corners of its rim."""
    inside = [_opening(blank, assembly, hole) for hole in blank.holes] + [_slit(line) for line in blank.slits]
    return (*sorted(inside, key=lambda o: (round(o.from_left_mm, 3), round(o.from_bottom_mm, 3))), *_notches(blank))


def _opening(blank: Blank, assembly: Assembly, hole: Array) -> Opening:
    diameter = diameter_of(hole)
    width, height, angle = smallest_box(hole)
    low, high = hole.min(axis=0), hole.max(axis=0)
    centre = (low + high) / 2 if diameter or not angle else shapely.get_coordinates(shapely.oriented_envelope(shapely.Polygon(hole)).centroid)[0]
    if diameter:
        kind: Kind = "hole" if diameter <= PUNCHED_MM else "window"
    elif min(width, height) < SLIT_MM:
        kind = "slit"
    else:
        kind = "slot" if max(width, height) >= SLENDER * min(width, height) else "window"
    passing = _what_passes(blank, assembly, hole)
    if passing is not None and kind == "window":
        kind = "slot" if diameter is None else "hole"
    name = kind if passing is None else f"{kind} for the {passing.name}".removesuffix("'s shank")
    upright = diameter is None and not angle
    left, bottom = (low if upright else centre).tolist()
    return Opening(
        kind,
        name,
        hole,
        width,
        height,
        diameter,
        left,
        bottom,
        (float(centre[0]), float(centre[1])),
        angle,
        "" if passing is None else passing.id,
    )


def _slit(line: Array) -> Opening:
    (x0, y0), (x1, y1) = line.min(axis=0), line.max(axis=0)
    centre = (float(x0 + x1) / 2, float(y0 + y1) / 2)
    return Opening("slit", "slit", line, float(x1 - x0), float(y1 - y0), None, float(x0), float(y0), centre)


def _what_passes(blank: Blank, assembly: Assembly, hole: Array) -> Part | None:
    """The part that goes through an opening: at rest it lies in it, and takes room in the opening's level."""
    for panel in blank.panels:
        part, to_blank = assembly.by_id.get(panel), blank.laid.get(panel)
        if part is None or to_blank is None:
            continue
        back = np.linalg.inv(to_blank[:, :2])
        in_part = shapely.Polygon((hole - to_blank[:, 2]) @ back.T)
        if not part.region.intersects(in_part.exterior):
            continue
        x, y, turn = part.home
        cos, sin = np.cos(turn), np.sin(turn)
        on_card = shapely.transform(in_part, lambda xy: xy @ np.array([[cos, sin], [-sin, cos]]) + (x, y))  # noqa: B023
        room = shapely.buffer(on_card, 0.05)
        for other in assembly.parts:
            fits = min(other.size_mm) >= FILLED * min(np.ptp(hole, axis=0))
            if fits and other.id != part.id and part.level in other.levels and other.region_at_home.within(room):
                return other
    return None


def _notches(blank: Blank) -> list[Opening]:
    """What is missing of the box at the rim of a blank that is a rectangle but for that."""
    whole: Any = shapely.Polygon(blank.outline)
    if diameter_of(blank.outline) or not is_boxy(whole):
        return []
    width, height = blank.size_mm
    missing = shapely.difference(shapely.box(0, 0, width, height), whole)
    missing = missing.buffer(-SLIVER_MM, join_style="mitre").buffer(SLIVER_MM, join_style="mitre")  # where a drawn curve meets its tangent
    gaps = [g for g in shapely.get_parts(missing) if g.geom_type == "Polygon"]
    found = [_notch(gap, width, height) for gap in gaps if gap.area >= LEAST_MM2]
    return sorted(found, key=lambda o: (round(o.from_left_mm, 3), round(o.from_bottom_mm, 3)))


def _notch(gap: Any, width: float, height: float) -> Opening:
    x0, y0, x1, y1 = gap.bounds
    sides = [name for name, at in (("bottom", y0 < 1e-4), ("top", y1 > height - 1e-4), ("left", x0 < 1e-4), ("right", x1 > width - 1e-4)) if at]
    kind: Kind = "corner" if len(sides) > 1 else "notch"
    outline = shapely.get_coordinates(gap.exterior)[:-1]
    name = f"{kind} at the {' '.join(sides)}"
    return Opening(kind, name, outline, x1 - x0, y1 - y0, None, x0, y0, ((x0 + x1) / 2, (y0 + y1) / 2))


@dataclass(frozen=True, slots=True)
class Corners:
    """How the corners of a blank are cut: all four with one ``radius_mm``, or ``cut_mm`` taken off straight along both sides."""

    radius_mm: float = 0.0
    cut_mm: float = 0.0


def find_corners(openings: tuple[Opening, ...]) -> Corners | None:
    """What is common to all four corners; None where they are square or differ."""
    corners = [o for o in openings if o.kind == "corner"]
    sizes = [v for o in corners for v in (o.width_mm, o.height_mm)]
    if len(corners) != 4 or max(sizes) - min(sizes) > 0.05:
        return None
    area, size = sum(shapely.Polygon(o.outline).area for o in corners) / 4, sum(sizes) / 8
    radius, cut = math.sqrt(area / (1 - math.pi / 4)), math.sqrt(2 * area)
    if 0.8 * radius < size < 1.02 * radius:  # a drawn arc leaves its tangent late
        return Corners(radius_mm=radius)
    return Corners(cut_mm=cut) if 0.95 * cut < size < 1.05 * cut else None
