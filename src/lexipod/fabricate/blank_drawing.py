"""One blank at true size, with its scores, its marks, and what it is: inside it where there is room, else beside it with a line."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
import shapely

from lexipod.assembly import Assembly, Blank
from lexipod.blanks import find_marks, measure_blank
from lexipod.catalog import Catalog
from lexipod.drawing.display import Drawing, Label, Primitive, Shape, Stroke
from lexipod.drawing.words import ASCENT, DESCENT, width_of
from lexipod.fabricate.cutlist_words import size_text
from lexipod.geometry.frames import Array
from lexipod.units import UnitStyle

SIZES_MM = (3.2, 2.7, 2.3, 1.9)
LEADING = 1.3
AIR_MM = 0.8
"""How far words stay from every line that is cut or scored; ``EASY_MM`` further where there is room for it."""
EASY_MM = 4.0
BESIDE_MM, LONG_MM = 3.0, 90.0
"""How far off the words beside a piece are; a thin piece from so long on has them above it."""
PRICK_MM = 1.6
MARK_MM = 1.7
GRID = 23
Box = tuple[float, float, float, float]


Face = Literal["both", "front", "back"]


def draw_blank(
    blank: Blank, assembly: Assembly, catalog: Catalog, style: UnitStyle, *, face: Face = "both", beside: bool = True, name: str = ""
) -> Drawing:
    """One blank at the origin; the box holds the blank alone, words and their line may lie beside it (see :func:`reach_of`), unless they may
    not: then a number from the blank's id stands in it where there is room. ``face`` takes the marks of one face alone; for its back give
    the blank turned over. ``name`` stands for its own."""
    width, height = blank.size_mm
    items: list[Primitive] = [Shape((blank.outline, *blank.holes), "cut", "", blank.id)]
    items += [Stroke(np.array([c.start, c.end]), c.fold, blank.id) for c in blank.creases]
    items += [Stroke(slit, "cut", blank.id) for slit in blank.slits]
    lines = [shapely.LinearRing(r) for r in (blank.outline, *blank.holes)]
    lines += [shapely.LineString([c.start, c.end]) for c in blank.creases] + [shapely.LineString(slit) for slit in blank.slits]
    room = shapely.difference(shapely.Polygon(blank.outline, blank.holes), shapely.union_all(lines).buffer(AIR_MM))
    caption = _caption(blank, catalog, style)
    caption[0] = name or caption[0]
    marks, named = _marks(blank, assembly, room, face)
    items += marks
    clear = shapely.difference(room, shapely.union_all(named).buffer(AIR_MM))
    block = _place(caption, clear.buffer(-EASY_MM), sizes=SIZES_MM[:1]) or _place(caption, clear) or _place(caption, room)
    if block is None and not beside:
        block = _place([caption[0]], clear) or _place([blank.id], room, sizes=(1.9, 1.5))
    items += block if block is not None else (_beside(blank, caption) if beside else [])
    return Drawing(tuple(items), (0.0, 0.0, width, height), blank.name)


def _caption(blank: Blank, catalog: Catalog, style: UnitStyle) -> list[str]:
    stock = catalog.stocks[blank.stock].name if blank.stock in catalog.stocks else catalog.foams[blank.stock].name
    plies = "" if blank.plies == 1 else f", {blank.plies} plies"
    return [blank.name, size_text(measure_blank(blank), style), f"{stock}{plies}"]


def _marks(blank: Blank, assembly: Assembly, room: Any, face: Face) -> tuple[list[Primitive], list[Any]]:
    """Points to prick and places to pencil, with their names where these fit in; and the regions that they take."""
    items: list[Primitive] = []
    taken: list[Any] = []
    places: list[tuple[Array, str, str]] = [(outline, name, "glue" if "glue" in name.lower() else "art") for outline, name in blank.guides]
    for mark in find_marks(blank, assembly):
        if face != "both" and mark.kind == "glue" and mark.face != "front":
            continue  # of a blank that is turned over, the front is its back
        if mark.kind == "glue":
            places.append((mark.points, mark.name if mark.face == "front" else f"{mark.name}, behind", "glue"))
            continue
        x, y = mark.points[0]
        for dx, dy in ((PRICK_MM, 0.0), (0.0, PRICK_MM)):
            items.append(Stroke(np.array([[x - dx, y - dy], [x + dx, y + dy]]), "registration", blank.id))
        taken.append(shapely.Point(x, y).buffer(PRICK_MM))
    for outline, name, pen in places:
        items.append(Shape((outline,), pen, "", blank.id))
        inside = shapely.difference(shapely.intersection(shapely.Polygon(outline).buffer(-AIR_MM / 2), room), shapely.union_all(taken))
        words = _place([name], inside, sizes=(MARK_MM,), bold=False)
        if words is not None:
            items += words
            taken.append(shapely.box(*label_box(words[0])))
    return items, taken


def _place(lines: list[str], room: Any, *, sizes: tuple[float, ...] = SIZES_MM, bold: bool = True) -> list[Label] | None:
    """The lines centred in the room, as large as they fit, near its middle; None where they do not."""
    if room.is_empty:
        return None
    x0, y0, x1, y1 = room.bounds
    for size in sizes:
        wide = max(width_of(text, size, bold=bold and k == 0) for k, text in enumerate(lines)) / 2
        tall = ((len(lines) - 1) * LEADING + ASCENT + DESCENT) * size / 2
        if x1 - x0 < 2 * wide or y1 - y0 < 2 * tall:
            continue
        x, y = np.meshgrid(np.linspace(x0 + wide, x1 - wide, GRID), np.linspace(y0 + tall, y1 - tall, GRID))
        shapely.prepare(room)
        fits = shapely.contains(room, shapely.box(x - wide, y - tall, x + wide, y + tall))
        if not fits.any():
            continue
        off = np.where(fits, np.hypot(x - (x0 + x1) / 2, y - (y0 + y1) / 2), np.inf)
        row, column = np.unravel_index(int(np.argmin(off)), off.shape)
        top = float(y[row, column]) + tall - ASCENT * size
        at = [(float(x[row, column]), top - k * LEADING * size) for k in range(len(lines))]
        return [Label(spot, text, size, "middle", bold=bold and k == 0) for k, (spot, text) in enumerate(zip(at, lines, strict=True))]
    return None


def _beside(blank: Blank, caption: list[str]) -> list[Primitive]:
    """The words to the right of a piece, or over a long thin one, with a line to it."""
    (width, height), size = blank.size_mm, 2.2
    text = f"{blank.name} · {caption[1]}, {caption[2]}"
    at = (width + BESIDE_MM, height / 2 - ASCENT * size / 2) if width < LONG_MM else (0.0, height + BESIDE_MM)
    start = (at[0] - 0.5, height / 2) if width < LONG_MM else (3.0, at[1] - DESCENT * size - 0.2)
    outline = shapely.LinearRing(blank.outline)
    end = shapely.get_coordinates(shapely.shortest_line(outline, shapely.Point(start)))[0]
    return [Label(at, text, size, "left", subject=blank.id), Stroke(np.array([start, end]), "guide", blank.id)]


def label_box(label: Label) -> Box:
    """The room that a line of text takes."""
    wide = width_of(label.text, label.size_mm, bold=label.bold)
    left = label.at[0] - {"left": 0.0, "middle": wide / 2, "right": wide}[label.anchor]
    return (left, label.at[1] - DESCENT * label.size_mm, left + wide, label.at[1] + ASCENT * label.size_mm)


def reach_of(drawing: Drawing) -> Box:
    """The box round everything that is drawn, words and lines beside a piece included."""
    boxes = [drawing.box]
    for item in drawing.primitives:
        if isinstance(item, Label):
            boxes.append(label_box(item))
        elif isinstance(item, Stroke):
            boxes.append((*item.points.min(axis=0), *item.points.max(axis=0)))
    low, high = np.min([b[:2] for b in boxes], axis=0), np.max([b[2:] for b in boxes], axis=0)
    return (float(low[0]), float(low[1]), float(high[0]), float(high[1]))
