"""The cut and score list: what to cut, from what, where to score, in the maker's own unit."""

from __future__ import annotations

import csv
from dataclasses import dataclass
from io import StringIO

from lexipod.assembly import Assembly
from lexipod.catalog import Catalog
from lexipod.fabricate.pieces import Piece, find_pieces
from lexipod.units import UnitStyle


@dataclass(frozen=True, slots=True)
class Score:
    """A score parallel to an edge: ``along`` “width” or “height”, ``at`` mm from the left (or the bottom)."""

    along: str
    at_mm: float
    fold: str


@dataclass(frozen=True, slots=True)
class CutRow:
    """One piece of the list; ``width_mm`` by ``height_mm`` is the box that is cut before openings and notches."""

    piece: str
    name: str
    stock: str
    stock_name: str
    width_mm: float
    height_mm: float
    plies: int
    quantity: int
    scores: tuple[Score, ...]
    openings: int
    note: str


def cut_list(assembly: Assembly, catalog: Catalog) -> tuple[CutRow, ...]:
    """A row for each piece, in the order of :func:`find_pieces`, and one for each kind of brad."""
    rows = [_row(piece, catalog) for piece in find_pieces(assembly)]
    bought = [p for p in assembly.parts if p.role == "fastener" and p.quantity and p.stock in catalog.brads]
    for brad in dict.fromkeys(p.stock for p in bought):
        names = [p.name for p in bought if p.stock == brad]
        size = catalog.brads[brad].head_mm
        rows.append(CutRow(f"brads.{brad}", "brads", brad, catalog.brads[brad].name, size, size, 1, len(names), (), 0, "for " + ", ".join(names)))
    return tuple(rows)


def _row(piece: Piece, catalog: Catalog) -> CutRow:
    width, height = piece.size_mm
    name = catalog.stocks[piece.stock].name if piece.stock in catalog.stocks else catalog.foams[piece.stock].name
    scores = []
    for (x0, y0), (x1, y1), fold in piece.creases:
        if abs(x1 - x0) < 1e-9:
            scores.append(Score("width", x0, fold))
        elif abs(y1 - y0) < 1e-9:
            scores.append(Score("height", y0, fold))
    openings = len(piece.holes) + (1 if len(piece.outline) > 4 else 0)
    return CutRow(piece.id, piece.name, piece.stock, name, width, height, piece.plies, piece.quantity, tuple(scores), openings, piece.note)


def cut_list_json(rows: tuple[CutRow, ...]) -> dict[str, object]:
    """The rows as the documented JSON object."""
    return {
        "format": "lexipod-cutlist/1",
        "pieces": [
            {
                "part": r.piece,
                "name": r.name,
                "stock": r.stock,
                "width": r.width_mm,
                "height": r.height_mm,
                "plies": r.plies,
                "quantity": r.quantity,
                "openings": r.openings,
                "note": r.note,
                "scores": [{"along": s.along, "at": s.at_mm, "fold": s.fold} for s in r.scores],
            }
            for r in rows
        ],
    }


def _scores_text(row: CutRow, style: UnitStyle, *, from_right: bool) -> str:
    parts = []
    for score in row.scores:
        side, length = ("left", row.width_mm) if score.along == "width" else ("bottom", row.height_mm)
        at = score.at_mm
        if from_right:
            side, at = {"left": "right", "bottom": "top"}[side], length - at
        parts.append(f"along the {style.length(length)} side score at {style.length(at)} from the {side} ({score.fold})")
    return "; ".join(parts)


def cut_list_csv(rows: tuple[CutRow, ...], style: UnitStyle, *, scores_from: str = "left") -> str:
    """The rows as CSV; sizes stand in mm and in the user's own words, both from one value."""
    out = StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["part", "name", "stock", "width_mm", "height_mm", "width", "height", "plies", "quantity", "scores", "note"])
    for r in rows:
        writer.writerow(
            [
                r.piece,
                r.name,
                r.stock_name,
                f"{r.width_mm:.3f}",
                f"{r.height_mm:.3f}",
                style.length(r.width_mm),
                style.length(r.height_mm),
                r.plies,
                r.quantity,
                _scores_text(r, style, from_right=scores_from == "right"),
                r.note,
            ]
        )
    return out.getvalue()


def cut_list_text(rows: tuple[CutRow, ...], style: UnitStyle, *, scores_from: str = "left") -> str:
    """The rows as a table to read."""
    table = [("piece", "cut", "of", "plies", "make")]
    table += [(r.name, f"{style.length(r.width_mm)} × {style.length(r.height_mm)}", r.stock_name, str(r.plies), str(r.quantity)) for r in rows]
    widths = [max(len(row[k]) for row in table) for k in range(5)]
    lines = []
    for k, row in enumerate(table):
        lines.append("  ".join(text.ljust(width) for text, width in zip(row, widths, strict=True)).rstrip())
        if k:
            scores = _scores_text(rows[k - 1], style, from_right=scores_from == "right")
            lines += [f"    {text}" for text in (scores, rows[k - 1].note) if text]
    return "\n".join(lines) + "\n"
