"""Laid sheets in words and as JSON: the order of cuts, why a piece found no sheet."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from lexipod.catalog import Catalog
from lexipod.fabricate.sheeting import CutPiece, LaidSheet, Sheets
from lexipod.geometry.shapes import split_region
from lexipod.nesting import Board
from lexipod.units import UnitStyle


def why_unplaced(piece: CutPiece, whole: Board, catalog: Catalog, style: UnitStyle) -> str:
    """Why no sheet takes a piece, the largest of them neither, and what would."""
    width, height = piece.blank.size_mm
    least, most = sorted((width, height))
    room = sorted(v - 2 * whole.margin_mm for v in whole.size_mm)
    size = f"it is {style.length(width)} × {style.length(height)}, the sheet leaves {style.length(room[0])} × {style.length(room[1])}"
    kind = catalog.kind_of(piece.lot.stock)
    larger = [
        s
        for s in catalog.sheets.values()
        if (not s.of or s.of == kind) and s.width_mm - 2 * whole.margin_mm >= least and s.height_mm - 2 * whole.margin_mm >= most
    ]
    if least <= room[0] + 1e-6 and most <= room[1] + 1e-6:
        return f"{size}, but its grain or pattern must run the other way; let the grain go, or take a larger sheet"
    named = f"take {min(larger, key=lambda s: s.width_mm * s.height_mm).name}" if larger else "no sheet in the catalog is large enough"
    return f"{size}; {named}, or cut it in two that lap"


def sheets_json(sheets: Sheets, catalog: Catalog, style: UnitStyle) -> dict[str, object]:
    """The sheets as the documented JSON object."""
    return {
        "format": "lexipod-sheets/1",
        "copies": sheets.sheeting.copies,
        "cuts": sheets.sheeting.cuts,
        "use": round(sheets.use, 4),
        "sheets": [_sheet_json(s) for s in sheets.sheets],
        "unplaced": [{"part": p.blank.id, "copy": p.copy, "why": why_unplaced(p, board, catalog, style)} for p, board in sheets.unplaced],
    }


def _sheet_json(sheet: LaidSheet) -> dict[str, object]:
    width, height = sheet.size_mm
    out: dict[str, object] = {
        "stock": sheet.lot.stock,
        "colour": sheet.lot.colour,
        "plies": sheet.lot.plies,
        "sheet": sheet.sheet,
        "number": sheet.number,
        "width": round(width, 4),
        "height": round(height, 4),
        "use": round(sheet.use, 4),
        "pieces": [{"part": p.blank.id, "copy": p.copy, "number": p.number, "turn": spot.turn, **_rings(region)} for p, spot, region in sheet.pieces],
        "offcut": None if sheet.offcut is None else [round(float(v), 4) for v in sheet.offcut.bounds],
    }
    if sheet.cuts is not None:
        named = {p.name: p.blank.id for p, _, _ in sheet.pieces}
        out["cuts"] = [
            {
                "cut": c.of,
                "along": c.along,
                "at": round(c.at_mm, 4),
                "gives": list(c.gives),
                "kept": [named.get(k, "") for k in c.kept],
            }
            for c in sheet.cuts
        ]
    return out


def _rings(region: Any) -> dict[str, object]:
    outline, holes = split_region(region)
    return {
        "polygon": [[round(float(x), 4), round(float(y), 4)] for x, y in outline],
        "holes": [[[round(float(x), 4), round(float(y), 4)] for x, y in ring] for ring in holes],
    }


def cuts_told(sheet: LaidSheet, style: UnitStyle) -> Iterator[str]:
    """The cuts of a sheet in words, in order: what is put in, and where the stop is set."""
    named = {p.name: p.blank.name for p, _, _ in sheet.pieces}
    for k, cut in enumerate(sheet.cuts or (), 1):
        edge = "left edge" if cut.along == "width" else "lower edge"
        what = "the sheet" if cut.of == 1 else f"part {cut.of}"
        freed = [f"part {n}{f' is the {named[name]}' if name else ''}" for n, name in zip(cut.gives, cut.kept, strict=True)]
        yield f"{k}. {what}, its {edge} at the stop, stop at {style.length(cut.at_mm)}: {', '.join(freed)}"
