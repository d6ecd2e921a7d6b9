"""The card's own parts: back and front of a folded card with its inner card, the one panel of the other bases, the doors of a gate card.

Source: an inner card stands back at the outer edges and not at the fold; the doors of a gate card meet in the middle, and their scores
are as far apart as what lies between is high (common practice, no source).
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import CardFrame, Joint, Part, Seam
from lexipod.assembly.card_frame import GATES, card_region
from lexipod.geometry.frames import apply_pose
from lexipod.geometry.shapes import circle, region_from, scraps_of, split_region
from lexipod.recipes.kit.stack import TWICE_MM

GATE_GAP_MM = 1.0
"""What the two doors leave between each other, so that they shut."""
HOLE_LAND_MM = 2.0
INNER_BACK, INNER_FRONT = 0.3, 0.6
"""Levels of the inner card, between the card's two pages."""


def tag_hole(card: CardFrame) -> Any:
    """The hole at the middle of the top edge, as a region in the card's frame; empty without one."""
    if card.hole_mm <= 0:
        return shapely.Polygon()
    below = card.hole_from_mm or 1.5 * card.hole_mm
    return region_from(circle((card.width_mm / 2, card.height_mm - below), radius_mm=card.hole_mm / 2))


def clear_of_card(card: CardFrame, region: Any) -> Any:
    """A sheet on the card, kept as far from cut corners as from the edges, and clear of a tag's hole up to its own top edge."""
    if card.corners_mm > 0:
        x0, y0, x1, y1 = region.bounds
        back = max(0.0, min(x0, y0, card.width_mm - x1, card.height_mm - y1))
        region = shapely.intersection(region, card_region(card, card.front_box).buffer(-back, join_style="mitre"))
    hole = tag_hole(card)
    if hole.is_empty or not shapely.intersects(region, hole.buffer(HOLE_LAND_MM)):
        return region
    x0, y0, x1, _ = hole.bounds
    return shapely.difference(region, shapely.box(x0 - HOLE_LAND_MM, y0 - HOLE_LAND_MM, x1 + HOLE_LAND_MM, card.height_mm + 1))


def base_parts(card: CardFrame, openings: Sequence[Any]) -> tuple[list[Part], list[Joint], list[Seam]]:
    """Back, inner card and front of a folded card, or the one panel of the other bases; ``openings`` are cut from the front."""
    t, home = card.caliper_mm, (0.0, 0.0, 0.0)
    parts, joints, seams = [], [], []
    whole = (0.0, 0.0, card.width_mm, card.height_mm)

    def sheet(name: str, label: str, level: float, z: float, region: Any) -> Part:
        outline, holes = split_region(region)
        return Part(f"card.{name}", label, "card", "base", level, card.stock, t, z, outline, home, holes, face="card")

    folded, z = card.base == "folded", 0.0
    if folded:
        parts.append(sheet("back", "card back", 0, 0.0, card_region(card, whole)))
        joints.append(Joint("card.closed", "fixed", "card.front", "card.back"))
        z = t
    if card.inner_mm is not None:
        back, front = (_inset(card, box, card.inner_mm) for box in (whole, card.front_box))
        parts.append(sheet("inner-back", "inner card", INNER_BACK, z, shapely.box(*back)))
        inner = sheet("inner-front", "inner card's front", INNER_FRONT, z + t, shapely.box(*front))
        parts.append(cut_openings(inner, openings))
        joints += [Joint("card.inner-back-glued", "fixed", "card.inner-back", "card.back")]
        joints += [Joint("card.inner-front-glued", "fixed", "card.inner-front", "card.front")]
        ends = ((0.0, back[1]), (0.0, back[3])) if card.fold == "left" else ((back[0], card.height_mm), (back[2], card.height_mm))
        seams.append(Seam("card.inner-front", "card.inner-back", ends, "fold of the inner card"))
        z += 2 * t
    label = {"folded": "card front", "gate": "middle of the card"}.get(card.base, card.base)
    region = shapely.difference(card_region(card, card.front_box), tag_hole(card))
    parts.append(cut_openings(sheet("front", label, 1, z, region), openings))
    return parts, joints, seams


def _inset(card: CardFrame, box: tuple[float, float, float, float], by: float) -> tuple[float, float, float, float]:
    """A page less a border at its three outer edges; none at the fold."""
    x0, y0, x1, y1 = box
    return (x0, y0 + by, x1 - by, y1 - by) if card.fold == "left" else (x0 + by, y0 + by, x1 - by, y1)


def gate_parts(card: CardFrame, stack_mm: float, grid_mm: float) -> tuple[list[Part], list[Joint]]:
    """The two doors of a gate card as they lie open beside (or above and below) its middle. They are scored twice, as far apart as what
    lies between middle and doors is high (``stack_mm``)."""
    if card.base != "gate":
        return [], []
    gap = math.ceil(stack_mm / grid_mm - 1e-6) * grid_mm if stack_mm >= TWICE_MM else 0.0
    w, h, t = card.width_mm, card.height_mm, card.caliper_mm
    long = math.floor(((w if card.fold == "left" else h) - GATE_GAP_MM) / 2 / grid_mm + 1e-6) * grid_mm
    boxes = {
        "left": ((-gap - long, 0, -gap, h), (w + gap, 0, w + gap + long, h)),
        "top": ((0, h + gap, w, h + gap + long), (0, -gap - long, w, -gap)),
    }[card.fold]
    labels = {"left": ("left door", "right door"), "top": ("upper door", "lower door")}[card.fold]
    parts = []
    for name, label, box in zip(GATES, labels, boxes, strict=True):
        outline, _ = split_region(shapely.box(*box))
        origin = outline.min(axis=0)
        parts.append(Part(name, label, "card", "base", 1, card.stock, t, 0.0, outline - origin, (*origin.tolist(), 0.0), face="card"))
    return parts, [Joint(f"{p.id}-hinged", "fixed", p.id, "card.front") for p in parts]


def cut_openings(part: Part, openings: Iterable[Any]) -> Part:
    """The part with regions (in the card's frame at home) taken out; the largest piece stays, what falls off are its scraps."""
    cut = shapely.unary_union(list(openings)) if openings else None
    if cut is None or cut.is_empty:
        return part
    left = shapely.difference(part.region_at_home, cut)
    outline, holes = split_region(left)
    x, y, turn = part.home
    back = np.array([-x, -y, 0.0]) if turn == 0 else None
    if back is None:
        raise ValueError(f"{part.id}: openings are cut before a part is turned")
    scraps = tuple(apply_pose(back, scrap) for scrap in scraps_of(left))
    return replace(part, outline=apply_pose(back, outline), holes=tuple(apply_pose(back, h) for h in holes), scraps=(*part.scraps, *scraps))
