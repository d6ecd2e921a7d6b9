"""Pictures and greetings as shapes on the parts that carry them."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
import shapely

from lexipod.assembly import Assembly, Panel, Part
from lexipod.design import Design, Item
from lexipod.drawing.display import Shape
from lexipod.errors import LexipodError
from lexipod.geometry.frames import Array
from lexipod.geometry.shapes import rings_of
from lexipod.pictures import Picture, box_of, ink_of, laid_outline, load_picture
from lexipod.pictures.laying import missing_font, set_greeting

MIXED = "art:#b9b2a4"
"""The fill of a photograph where pixels cannot be shown."""
MOST_KEPT = 400
_DRAWN: dict[Any, tuple[Shape, ...]] = {}


def draw_art(item: Item, picture: Picture | None, part: Part | Panel) -> tuple[Shape, ...]:
    """The item's colours on its part, in the part's frame, clipped to the part. The same part gets the same shapes, so that whoever
    paints them can keep what was made of them."""
    key = (item, picture, part.outline.tobytes(), tuple(h.tobytes() for h in part.holes))
    known = _DRAWN.get(key)
    if known is None:
        if len(_DRAWN) > MOST_KEPT:
            _DRAWN.clear()
        known = _DRAWN[key] = tuple(_draw(item, picture, part.outline, part.region, part.id))
    return known


def _draw(item: Item, picture: Picture | None, outline: Array, within: Any, subject: str) -> list[Shape]:
    shapes = [Shape(rings, "", f"art:{colour}", subject) for region, colour in ink_of(item, picture, outline) if (rings := _rings(region, within))]
    if picture is not None and picture.pixels:
        quad = box_of(item, outline).corners
        rings = _rings(laid_outline(item, outline) if item.cut else shapely.Polygon(quad), within)
        if rings:
            shapes.append(Shape(rings, "", MIXED, subject, picture.pixels, quad))
    return shapes


def _rings(region: Any, within: Any) -> tuple[Array, ...]:
    region = region if region.is_valid else shapely.make_valid(region)
    kept = region if within.contains(region) else shapely.intersection(region, within)
    return rings_of(kept)


def pictures_of(
    design: Design, assembly: Assembly, folder: Path | None, *, without: Mapping[str, str] | None = None
) -> tuple[dict[str, tuple[Shape, ...]], tuple[str, ...]]:
    """What is drawn on each part or panel, in their frames, and a sentence for each item that could not be laid. That on the back of
    one is under its id with “:back” behind it; that of a shape is on the part that it is. Sources that are not to be read (``without``) have
    the sentence that stands for them instead."""
    shapes: dict[str, tuple[Shape, ...]] = {}
    faults = []
    for item in (i for i in design.items if i.is_ink or i.source):
        carrier = assembly.carriers.get(item.on)
        if carrier is None:
            faults.append(f"{item.named} is meant for {item.on}, which is not on this card")
            continue
        if without and item.source in without:
            faults.append(without[item.source])
            continue
        try:
            picture = load_picture(item.source, folder) if item.source else None
            if picture is not None and not item.proportion:
                item = msgspec.structs.replace(item, proportion=picture.proportion)
            on, drawn = _shapes_of(item, picture, carrier, assembly)
            faults += _letter_faults(item)
            shapes[on] = shapes.get(on, ()) + drawn
        except LexipodError as error:
            faults.append(str(error))
    return shapes, tuple(faults)


def _letter_faults(item: Item) -> list[str]:
    """What of a greeting cannot be set as it was meant."""
    if item.kind != "greeting":
        return []
    why = missing_font(item)
    if why:
        return [f"{item.named} is set in the usual letters: {why}"]
    lost = set_greeting(item).missing
    return [f"{item.named} wants letters that its font has not: {lost}"] if lost else []


def _shapes_of(item: Item, picture: Picture | None, carrier: Part | Panel, assembly: Assembly) -> tuple[str, tuple[Shape, ...]]:
    """On what an item is drawn, and how."""
    if item.is_ink:
        return (f"{item.on}:back" if item.face == "back" else item.on), draw_art(item, picture, carrier)
    own = f"{carrier.mechanism}.item-{item.id}"
    part = assembly.by_id.get(own)
    if part is None:  # what lies on a panel is a panel in the same frame
        return (f"{own}:back" if item.face == "back" else own), draw_art(item, picture, carrier)
    corner = np.asarray(laid_outline(item, carrier.outline).bounds[:2])
    drawn = _draw(item, picture, carrier.outline, shapely.transform(part.region, lambda xy: xy + corner), own)
    return own, tuple(s.mapped(lambda ring: ring - corner) for s in drawn)


__all__ = ["draw_art", "pictures_of"]
