"""Holes for what goes through: a brad's shank has one in every layer that it passes, also in those that it holds."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import shapely

from lexipod.assembly import Part
from lexipod.geometry.frames import Array, apply_pose, invert_pose
from lexipod.geometry.shapes import circle, scraps_of, split_region

APART_MM = 0.01
"""A hole that is no nearer to any border than this is just one hole more."""


def pierce(parts: list[Part]) -> list[Part]:
    """The parts, with a hole wherever a shank would go through their paper at home; openings that are there already stay as they are."""
    shanks = [p for p in parts if p.pierces_mm]
    return [_pierced(part, shanks) for part in parts] if shanks else parts


def _pierced(part: Part, shanks: list[Part]) -> Part:
    if part.role == "fastener" or not part.quantity:
        return part
    region, punched = part.region, list[Array]()
    for shank in shanks:
        if part.level not in shank.levels:
            continue
        middle = apply_pose(shank.home, (shank.box[0] + shank.box[1])[None] / 2)
        at = apply_pose(invert_pose(part.home), middle)[0]
        radius = shank.pierces_mm / 2
        if not shapely.contains_xy(region, *at) or any(shapely.contains_xy(shapely.Polygon(p), *at) for p in punched):
            continue  # there is an opening already, and whether it is wide enough is for the checks
        hole = circle(at, radius_mm=radius)
        alone = region is part.region and all(np.linalg.norm(at - p, axis=1).min() > radius + APART_MM for p in punched)
        if alone and shapely.distance(region.boundary, shapely.Point(at)) > radius + APART_MM:
            punched.append(hole[::-1])
        else:
            region = shapely.difference(region, shapely.Polygon(hole))
    if region is part.region:
        return replace(part, holes=(*part.holes, *punched)) if punched else part
    for ring in punched:
        region = shapely.difference(region, shapely.Polygon(ring))
    if region.is_empty:
        return part
    outline, holes = split_region(region)
    return replace(part, outline=outline, holes=holes, scraps=(*part.scraps, *scraps_of(region)))
