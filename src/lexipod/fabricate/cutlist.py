"""The cut and score list: what to cut, from what, where to score, in the maker's own unit."""

from __future__ import annotations

import csv
from dataclasses import dataclass
from io import StringIO

import shapely

from lexipod.assembly import Allowance, Assembly, Crease
from lexipod.catalog import Catalog
from lexipod.closing.card import close_card
from lexipod.fabricate.pieces import Piece, find_pieces
from lexipod.units import UnitStyle

WHOLE_MM = 0.05


@dataclass(frozen=True, slots=True)
class Score:
    """A score parallel to an edge: ``along`` “width” or “height”, ``at`` mm from the left (or the bottom). One that slants is
    ``along`` “slant”, its left end ``at``. ``start`` and ``end`` are its ends on the piece; ``is_whole`` when it goes all across.

    ``fold`` is mountain or valley as seen from the piece's front; a *free* one is worked until limp. ``order`` is the step at which
    it is folded.
    """

    along: str
    at_mm: float
    fold: str
    name: str = ""
    runs: str = "crisp"
    order: int = 1
    start: tuple[float, float] = (0.0, 0.0)
    end: tuple[float, float] = (0.0, 0.0)
    is_whole: bool = True


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
    grain: str = ""
    allowances: tuple[Allowance, ...] = ()
    slits_mm: tuple[float, ...] = ()


def cut_list(assembly: Assembly, catalog: Catalog) -> tuple[CutRow, ...]:
    """A row for each piece, in the order of :func:`find_pieces`, and one for each kind of brad."""
    rows = [_row(piece, catalog) for piece in find_pieces(assembly)]
    bought = [p for p in assembly.parts if p.role == "fastener" and p.quantity and p.stock in catalog.brads]
    for brad in dict.fromkeys(p.stock for p in bought):
        names = [p.name for p in bought if p.stock == brad]
        size = catalog.brads[brad].head_mm
        rows.append(CutRow(f"brads.{brad}", "brads", brad, catalog.brads[brad].name, size, size, 1, len(names), (), 0, "for " + ", ".join(names)))
    closing = close_card(assembly)
    if closing is not None and closing.magnets:
        across, thick = closing.magnet_mm
        note = f"{thick:g} mm thick, in pairs: one on each page at the same height"
        rows.append(
            CutRow("card.magnets", "magnets", "magnet", f"disc magnet {across:g} mm", across, across, 1, 2 * len(closing.magnets), (), 0, note)
        )
    return tuple(rows)


def _row(piece: Piece, catalog: Catalog) -> CutRow:
    width, height = piece.size_mm
    name = catalog.stocks[piece.stock].name if piece.stock in catalog.stocks else catalog.foams[piece.stock].name
    scores = tuple(sorted((_score(c, piece.size_mm) for c in piece.creases), key=lambda s: (s.along, s.at_mm)))
    openings = len(piece.holes) + (1 if len(piece.outline) > 4 else 0)
    return CutRow(
        piece.id,
        piece.name,
        piece.stock,
        name,
        width,
        height,
        piece.plies,
        piece.quantity,
        scores,
        openings,
        piece.note,
        piece.grain,
        piece.allowances,
        tuple(round(float(shapely.LineString(slit).length), 4) for slit in piece.slits),
    )


def _score(crease: Crease, size: tuple[float, float]) -> Score:
    (x0, y0), (x1, y1) = crease.start, crease.end
    named = (crease.fold, crease.name, crease.runs, crease.order, crease.start, crease.end)
    if abs(x1 - x0) < 1e-9:
        return Score("width", x0, *named, abs(y1 - y0) > size[1] - WHOLE_MM)
    if abs(y1 - y0) < 1e-9:
        return Score("height", y0, *named, abs(x1 - x0) > size[0] - WHOLE_MM)
    return Score("slant", min(x0, x1), *named, False)


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
                "grain": r.grain,
                "slits": list(r.slits_mm),
                "scores": [_score_json(s) for s in r.scores],
                "allowances": [{"where": a.where, "amount": a.amount_mm, "reason": a.reason, "why": a.why} for a in r.allowances],
            }
            for r in rows
        ],
    }


def _score_json(score: Score) -> dict[str, object]:
    out: dict[str, object] = {"along": score.along, "at": score.at_mm, "fold": score.fold}
    out |= {"name": score.name, "runs": score.runs, "order": score.order}
    return out | {"from": list(score.start), "to": list(score.end)}


def scores_text(row: CutRow, style: UnitStyle, *, from_right: bool = False) -> str:
    """The scores as they are spoken: along which side, at which places from its end, and which way each is folded. Where one does
    not go all across, from where to where; a slanting one by its two ends."""
    told = []
    for along in ("width", "height"):
        side, length = ("left", row.width_mm) if along == "width" else ("bottom", row.height_mm)
        places = [(length - s.at_mm if from_right else s.at_mm, s) for s in row.scores if s.along == along]
        if from_right:
            side = {"left": "right", "bottom": "top"}[side]
            places.reverse()
        if places:
            at, first = places[0]
            spoken = [f"{style.length(at)} from the {side} ({_folded(first, style)})"]
            spoken += [f"{style.length(at)} ({_folded(score, style)})" for at, score in places[1:]]
            told.append(f"along the {style.length(length)} side score at " + ", ".join(spoken))
    for score in row.scores:
        if score.along == "slant":
            ends = [f"{style.length(x)} from the left and {style.length(y)} up" for x, y in (score.start, score.end)]
            told.append(f"slanting, score from {ends[0]} to {ends[1]} ({_folded(score, style)})")
    if len({s.order for s in row.scores}) > 1:
        in_turn = sorted(row.scores, key=lambda s: s.order)
        told.append("fold in this order: " + ", ".join(dict.fromkeys(s.name.replace("-", " ") for s in in_turn)))
    return "; ".join(told)


def _folded(score: Score, style: UnitStyle) -> str:
    told = score.fold if score.runs == "crisp" else f"{score.fold}, runs free"
    if score.is_whole or score.along == "slant":
        return told
    axis, ends = (1, "up") if score.along == "width" else (0, "from the left")
    low, high = sorted((score.start[axis], score.end[axis]))
    return f"{told}, only from {style.length(low)} to {style.length(high)} {ends}"


def notes_text(row: CutRow, style: UnitStyle) -> str:
    """What else is to be known: the grain, and what a measure was changed by, with the reason."""
    told = [row.note] if row.note else []
    if row.slits_mm:
        told.append("cut inside, after scoring: " + ", ".join(style.length(slit) for slit in row.slits_mm))
    if row.grain:
        told.append(f"grain {row.grain}")
    told += [
        f"{a.where} {'+' if a.amount_mm >= 0 else '−'}{style.length(abs(a.amount_mm))} for {_REASONS[a.reason]}: {a.why}" for a in row.allowances
    ]
    return "; ".join(told)


_REASONS = {"creep": "creep", "crease": "the crease", "gap": "a gap", "band": "the way round"}


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
                scores_text(r, style, from_right=scores_from == "right"),
                notes_text(r, style),
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
            scores = scores_text(rows[k - 1], style, from_right=scores_from == "right")
            lines += [f"    {text}" for text in (scores, notes_text(rows[k - 1], style)) if text]
    return "\n".join(lines) + "\n"
