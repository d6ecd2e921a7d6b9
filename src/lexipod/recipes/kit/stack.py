"""Collecting the parts of a mechanism while they are stacked."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Joint, Part, Seam
from lexipod.assembly.parts import Role
from lexipod.catalog.stocks import Brad
from lexipod.design.ways import HOLE_GAP_MM
from lexipod.geometry.shapes import circle, pill, scraps_of, split_region
from lexipod.recipes.kit.levels import between
from lexipod.recipes.kit.parameters import Site

Point = tuple[float, float]
LEG_MM = 7.0
TWICE_MM = 1.0
"""What paper is folded round is scored twice from this thickness on; a single score yields so far."""


def disc(centre: Point, radius_mm: float) -> Any:
    """A round region."""
    return shapely.Polygon(circle(centre, radius_mm=max(radius_mm, 0.05), chord_error_mm=0.005 if radius_mm < 8 else 0.02))


def seen_from(part: Part, region: Any) -> Any:
    """A region of the card at home, in the frame of a part that is not turned at home."""
    return shapely.transform(region, lambda xy: xy - np.asarray(part.home[:2]))


def point_from(part: Part, point: Point) -> Point:
    """A point of the card at home, in the frame of a part that is not turned at home."""
    return (point[0] - part.home[0], point[1] - part.home[1])


def on_marks(region: Any, grid_mm: float, *, outwards: bool, keeping: str = "") -> Any:
    """A rectangle sized to marks of the ruler, the next smaller ones or the next larger: about its middle, or with the edge towards
    ``keeping`` (right, left, up, down) left where it is."""
    sizes = []
    x0, y0, x1, y1 = region.bounds
    for size in (x1 - x0, y1 - y0):
        marks = size / grid_mm
        whole = math.ceil(marks - 1e-6) if outwards else math.floor(marks + 1e-6)
        sizes.append(max(1, whole) * grid_mm)
    (width, height), (x, y) = sizes, ((x0 + x1) / 2, (y0 + y1) / 2)
    x = {"right": x1 - width / 2, "left": x0 + width / 2}.get(keeping, x)
    y = {"up": y1 - height / 2, "down": y0 + height / 2}.get(keeping, y)
    return shapely.box(x - width / 2, y - height / 2, x + width / 2, y + height / 2)


@dataclass(slots=True)
class Stack:
    """Parts and joints of one mechanism; ``glue`` joins for good, ``fold`` makes two parts panels of one blank,
    everything else is said by joints."""

    site: Site
    mechanism: str
    parts: list[Part] = field(default_factory=list)
    joints: list[Joint] = field(default_factory=list)
    seams: list[Seam] = field(default_factory=list)

    def add(self, name: str, label: str, role: Role, level: float, region: Any, z: float, thickness: float, **more: Any) -> Part:
        """A part from a region in the card's frame; its own frame has its origin at the region's lower left corner. A rectangle may be
        sized to the ``marks`` of the maker's ruler, "in" or "out", about its middle."""
        marks = more.pop("marks", "")
        if marks:
            region = on_marks(region, self.site.grid_mm, outwards=marks == "out", keeping=more.pop("keeping", ""))
        x, y, _, _ = region.bounds
        outline, holes = split_region(region)
        origin = (x, y)
        part = Part(
            f"{self.mechanism}.{name}",
            label,
            self.mechanism,
            role,
            level,
            more.pop("stock", self.site.stock.id),
            thickness,
            z,
            outline - origin,
            (float(x), float(y), 0.0),
            tuple(h - origin for h in holes),
            scraps=tuple(scrap - origin for scrap in scraps_of(region)),
            **more,
        )
        self.parts.append(part)
        return part

    def glue(self, part: Part, to: str) -> None:
        """Joins a part to another one for good."""
        self.joints.append(Joint(f"{part.id}-glued", "fixed", part.id, to))

    def fold(self, part: Part, base: Part, a: Point, b: Point, *, gap_mm: float = 0.0, name: str = "", order: int = 1) -> None:
        """Part ``part`` is folded over from ``base`` about the line from ``a`` to ``b`` of the card: one blank, scored there. Where what
        lies between is thick (``gap_mm``), it is scored twice."""
        line, grid = (point_from(base, a), point_from(base, b)), self.site.grid_mm
        apart = math.ceil(gap_mm / grid - 1e-6) * grid if gap_mm >= TWICE_MM else 0.0  # a little loose: on a mark
        self.seams.append(Seam(part.id, base.id, line, name or f"{part.name}", apart, order=order))
        self.glue(part, base.id)

    def goes_over(self, part: Part, base: Part) -> None:
        """Part ``part`` lies beside ``base`` in one piece with it."""
        self.seams.append(Seam(part.id, base.id))
        self.glue(part, base.id)

    def pin(self, name: str, a: Part, b: Part, at: Point, *, clearance_mm: float) -> Joint:
        """Part ``a`` turns on part ``b`` about a point of the card."""
        joint = Joint(f"{self.mechanism}.{name}", "pin", a.id, b.id, at_a=point_from(a, at), at_b=point_from(b, at), clearance_mm=clearance_mm)
        self.joints.append(joint)
        return joint

    def brad(
        self,
        name: str,
        label: str,
        at: Point,
        brad: Brad,
        *,
        levels: tuple[float, float],
        heights: tuple[float, float],
        shank_mm: float,
        to: str,
        legs_deg: float = 0.0,
        glides: bool = False,
    ) -> Part:
        """A brad glued (or held fast) to part ``to``: legs on the lower level with their top at the lower height, the head on the
        upper level from the upper height on, and between them the shank, which is returned. Only the head is counted."""
        (low, high), (bottom, top) = levels, heights
        head = self.add(name, label, "fastener", high, disc(at, brad.head_mm / 2), top, brad.head_thickness_mm, stock=brad.id, face="brass")
        passed = between(low, high)
        shank = self.add(
            f"{name}-shank",
            f"{label}'s shank",
            "fastener",
            passed[0],
            disc(at, shank_mm / 2),
            bottom,
            max(top - bottom, 0.1),
            stock=brad.id,
            through=passed[1:],
            quantity=0,
            face="brass",
            pierces_mm=shank_mm + 2 * HOLE_GAP_MM,
        )
        along = np.array([math.cos(math.radians(legs_deg)), math.sin(math.radians(legs_deg))]) * LEG_MM
        legs = self.add(
            f"{name}-legs",
            f"{label}'s legs",
            "fastener",
            low,
            shapely.Polygon(pill(np.asarray(at) - along, np.asarray(at) + along, width_mm=brad.leg_width_mm)),
            bottom - brad.legs_thickness_mm,
            brad.legs_thickness_mm,
            stock=brad.id,
            quantity=0,
            face="brass",
            glides=glides,
        )
        for part, other in ((head, shank.id), (legs, shank.id), (shank, to)):
            self.glue(part, other)
        return shank
