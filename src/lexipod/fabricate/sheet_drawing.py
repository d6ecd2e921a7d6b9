"""A laid sheet at true size: its edge, its pieces with scores and marks, on either face."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import shapely

from lexipod.assembly import Assembly, Blank
from lexipod.blanks import find_marks
from lexipod.catalog import Catalog
from lexipod.drawing import Drawing, Label, Primitive, Shape, Stroke
from lexipod.fabricate.blank_drawing import draw_blank
from lexipod.fabricate.sheeting import CutPiece, LaidSheet, Sheets
from lexipod.geometry.frames import Array
from lexipod.nesting import Spot
from lexipod.units import UnitStyle

TRIAL_COLOURS = ("#f2d7c4", "#cfe0ea", "#dde6c8", "#eadcf0", "#f4e7b2", "#d9d4cc", "#c8e3dc", "#f0cfd6")
"""One colour a part in a trial, light enough to write on."""


def draw_sheet(
    sheet: LaidSheet, assembly: Assembly, catalog: Catalog, style: UnitStyle, *, face: str = "front", trial: bool = False, cuts: bool = True
) -> Drawing:
    """One sheet in its own frame: the origin is its lower left corner. ``face`` “back” shows it turned over like a page: mirrored, with what
    is marked behind. A ``trial`` has one colour a part."""
    width, height = sheet.size_mm
    items: list[Primitive] = []
    outline = shapely.get_coordinates(sheet.board.region.exterior)[:-1]
    items.append(Shape((_over(outline, width) if face == "back" else outline,), "edge", "", "sheet"))
    colours = _colours(sheet) if trial else {}
    for piece, spot, _ in sheet.pieces:
        items += draw_placed(piece, spot, assembly, catalog, style, width=width if face == "back" else None, fill=colours.get(piece.blank.id, ""))
    if cuts and face == "front" and sheet.cuts:
        items += _steps(sheet)
    return Drawing(tuple(items), (0.0, 0.0, width, height), sheet_title(sheet, face))


def sheet_title(sheet: LaidSheet, face: str = "front") -> str:
    """What a sheet is called."""
    return f"{sheet.title}{', back' if face == 'back' else ''}"


def draw_placed(
    piece: CutPiece, spot: Spot, assembly: Assembly, catalog: Catalog, style: UnitStyle, *, width: float | None = None, fill: str = ""
) -> list[Primitive]:
    """A piece where it lies, its words upright; on the back of a sheet that is ``width`` wide it is seen from behind."""
    blank, x, y = turned_blank(piece.blank, spot.turn), spot.x_mm, spot.y_mm
    if width is not None:
        x = width - x - blank.size_mm[0]
        blank = turned_over(blank)
    several = piece.copy > 1 or piece.number > 1
    name = f"{blank.name} ({piece.copy}.{piece.number})" if several else blank.name
    drawing = draw_blank(blank, assembly, catalog, style, face="back" if width is not None else "both", beside=False, name=name)
    found = list(drawing.shifted(x, y).primitives)
    if fill:
        first = found[0]
        assert isinstance(first, Shape)
        found[0] = replace(first, fill=f"art:{fill}")
    return found


def turned_blank(blank: Blank, turn: int) -> Blank:
    """A blank turned by quarters, its box at the origin."""
    if not turn:
        return blank.at_origin()
    cos, sin = round(math.cos(math.radians(turn))), round(math.sin(math.radians(turn)))
    return blank.moved(np.array([[cos, -sin, 0.0], [sin, cos, 0.0]], dtype=float)).at_origin()


def turned_over(blank: Blank) -> Blank:
    """A blank as it is seen from behind: mirrored, its mountains valleys; what is marked on its front is left out."""
    mirrored = blank.moved(np.array([[-1.0, 0.0, 0.0], [0.0, 1.0, 0.0]])).at_origin()
    swapped = tuple(replace(c, fold="valley" if c.fold == "mountain" else "mountain") for c in mirrored.creases)
    return replace(mirrored, creases=swapped, guides=())


def is_worked_behind(sheet: LaidSheet, assembly: Assembly) -> bool:
    """Whether something is marked on the back of a piece of this sheet."""
    return any(mark.kind == "glue" and mark.face == "back" for p, _, _ in sheet.pieces for mark in find_marks(p.blank, assembly))


def _over(points: Array, width: float) -> Array:
    mirrored: Array = (points * [-1.0, 1.0] + [width, 0.0])[::-1]
    return mirrored


def _colours(sheet: LaidSheet) -> dict[str, str]:
    names = list(dict.fromkeys(p.blank.id for p, _, _ in sheet.pieces))
    return {name: TRIAL_COLOURS[k % len(TRIAL_COLOURS)] for k, name in enumerate(names)}


def _steps(sheet: LaidSheet) -> list[Primitive]:
    """The cuts of a trimmer, numbered in their order, from edge to edge of what is being cut."""
    items: list[Primitive] = []
    for k, cut in enumerate(sheet.cuts or (), 1):
        x0, y0, x1, y1 = cut.box
        if cut.along == "width":
            ends, at = [[x0 + cut.at_mm, y0], [x0 + cut.at_mm, y1]], (x0 + cut.at_mm + 0.8, y1 - 3.2)
        else:
            ends, at = [[x0, y0 + cut.at_mm], [x1, y0 + cut.at_mm]], (x1 - 4.2, y0 + cut.at_mm + 0.8)
        items += [Stroke(np.array(ends), "step", "cuts"), Label(at, str(k), 2.6, "left", bold=True, subject="cuts")]
    return items


def draw_sheets(
    sheets: Sheets, assembly: Assembly, catalog: Catalog, style: UnitStyle, *, face: str = "both", trial: bool = False
) -> tuple[Drawing, ...]:
    """Every sheet; with “both” faces the back follows where something is marked on it."""
    found: list[Drawing] = []
    for sheet in sheets.sheets:
        if face in ("both", "front"):
            found.append(draw_sheet(sheet, assembly, catalog, style, trial=trial))
        if face == "back" or (face == "both" and is_worked_behind(sheet, assembly)):
            found.append(draw_sheet(sheet, assembly, catalog, style, face="back", trial=trial))
    return tuple(found)
