"""Sheets for patterned paper: the outline of a piece on the picture of its paper, upright as one looks at it, at true size."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Panel, Part
from lexipod.blanks.alike import common_name
from lexipod.checks import Examination
from lexipod.design import Item
from lexipod.drawing.display import Drawing, Label, Primitive, Shape, Stroke
from lexipod.errors import LexipodError
from lexipod.geometry.shapes import rectangle
from lexipod.pictures import box_of, load_picture
from lexipod.pictures.papers import is_paper, on_paper

ARROW_MM = 6.0
SAME_MM = 0.05
LIGHT = 0.35
"""So strong is the paper printed under the outline."""

Group = tuple[Item, Part | Panel, Any, list[str]]


def papers(examination: Examination, folder: Path | None = None) -> list[Drawing]:
    """A sheet for each picture that is the paper of its piece; pieces that take the same motif from the same paper have one together."""
    assembly = examination.assembly
    groups: list[Group] = []
    for item in assembly.items:
        carrier = assembly.carriers.get(item.on)
        if carrier is None or not is_paper(item, carrier.outline):
            continue
        outline, *holes = (on_paper(item, carrier.outline, ring) for ring in (carrier.outline, *carrier.holes))
        piece = shapely.Polygon(outline, holes)
        for first, _, other, names in groups:
            if (first.source, first.width, first.height) == (item.source, item.width, item.height) and _is_same(piece, other):
                names.append(carrier.name)
                break
        else:
            groups.append((item, carrier, piece, [carrier.name]))
    return [_sheet(*group, folder) for group in groups]


def _is_same(one: Any, other: Any) -> bool:
    return bool(shapely.symmetric_difference(one, other).area < SAME_MM * one.length)


def _sheet(item: Item, carrier: Part | Panel, piece: Any, names: list[str], folder: Path | None) -> Drawing:
    """One paper with the outline of what is cut from it."""
    box = box_of(item, carrier.outline)
    rings = tuple(shapely.get_coordinates(r)[:-1] for r in (piece.exterior, *piece.interiors))
    items: list[Primitive] = _motif(item, box.width, box.height, folder)
    items.append(Shape((rectangle(0.0, 0.0, box.width, box.height),), "guide", "", f"paper:{item.id}"))
    items.append(Shape(rings, "cut", "", f"piece:{item.id}"))
    x, y = shapely.get_coordinates(piece.centroid)[0]
    items.append(Stroke(np.array([[x, y - ARROW_MM], [x, y + ARROW_MM]]), "centre", "up"))
    items += [Stroke(np.array([[x + side * 1.5, y + ARROW_MM - 2.5], [x, y + ARROW_MM]]), "centre", "up") for side in (-1.0, 1.0)]
    many = f"{len(names)} pieces, the same place of the paper in each: {common_name(names)}" if len(names) > 1 else names[0]
    words = f"{many}, cut from {item.named.removeprefix('the ').replace('picture', 'paper', 1)} · this edge of the paper up"
    low, high = np.minimum(rings[0].min(axis=0), 0.0), np.maximum(rings[0].max(axis=0), (box.width, box.height))
    items.append(Label((float(low[0]), float(high[1]) + 1.6), words, 2.2))
    return Drawing(tuple(items), (float(low[0]), float(low[1]), float(high[0]), float(high[1])), words)


def _motif(item: Item, width: float, height: float, folder: Path | None) -> list[Primitive]:
    """The paper itself, light; nothing where its file cannot be read (which is told with the card)."""
    try:
        picture = load_picture(item.source, folder)
    except LexipodError:
        return []
    scale = np.array([width / picture.width, height / picture.height])
    subject = f"motif:{item.id}"
    if picture.pixels:
        corners = rectangle(0.0, 0.0, width, height)
        return [Shape((corners,), "", "", subject, picture.pixels, corners)]
    drawn: list[Primitive] = []
    for region, colour in picture.regions:
        for part in (p for p in shapely.get_parts(region) if p.geom_type == "Polygon" and not p.is_empty):
            rings = tuple(shapely.get_coordinates(r)[:-1] * scale for r in (part.exterior, *part.interiors))
            drawn.append(Shape(rings, "", f"art:{_lighter(colour)}", subject))
    return drawn


def _lighter(colour: str) -> str:
    mixed = (round(255 - LIGHT * (255 - int(colour[k : k + 2], 16))) for k in (1, 3, 5))
    return "#" + "".join(f"{v:02x}" for v in mixed) + colour[7:9]


__all__ = ["papers"]
