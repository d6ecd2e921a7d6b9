"""Holes for what goes through: a brad's shank has one in every layer that it passes, also in those that it holds."""

from __future__ import annotations

from dataclasses import replace

import shapely

from lexipod.assembly import Part
from lexipod.geometry.frames import apply_pose, invert_pose
from lexipod.geometry.shapes import circle, scraps_of, split_region


def pierce(parts: list[Part]) -> list[Part]:
    """The parts, with a hole wherever a shank would go through their paper at home; openings that are there already stay as they are."""
    shanks = [p for p in parts if p.pierces_mm]
    return [_pierced(part, shanks) for part in parts] if shanks else parts


def _pierced(part: Part, shanks: list[Part]) -> Part:
    if part.role == "fastener" or not part.quantity:
        return part
    region = part.region
    for shank in shanks:
        if part.level not in shank.levels:
            continue
        middle = apply_pose(shank.home, (shank.box[0] + shank.box[1])[None] / 2)
        at = apply_pose(invert_pose(part.home), middle)[0]
        radius = shank.pierces_mm / 2
        if shapely.contains_xy(region, *at):  # else there is an opening already, and whether it is wide enough is for the checks
            region = shapely.difference(region, shapely.Polygon(circle(at, radius_mm=radius)))
    if region is part.region or region.is_empty:
        return part
    outline, holes = split_region(region)
    return replace(part, outline=outline, holes=holes, scraps=(*part.scraps, *scraps_of(region)))
