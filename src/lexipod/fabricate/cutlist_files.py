"""The cut list as files: JSON, CSV, and a table to read."""

from __future__ import annotations

import csv
from collections.abc import Sequence
from io import StringIO

from lexipod.blanks import Opening
from lexipod.fabricate.cutlist import CutRow, Score
from lexipod.fabricate.cutlist_words import notes_text, openings_text, scores_text, size_text
from lexipod.units import UnitStyle


def cut_list_json(rows: tuple[CutRow, ...]) -> dict[str, object]:
    """The rows as the documented JSON object."""
    return {"format": "lexipod-cutlist/2", "pieces": [_row_json(r) for r in rows]}


def _row_json(r: CutRow) -> dict[str, object]:
    return {
        "blank": r.blank,
        "name": r.name,
        "blanks": list(r.blanks),
        "parts": list(r.parts),
        "stock": r.stock,
        "face": r.face,
        "grain": r.grain_side,
        "grain_words": r.grain,
        "laminated": r.laminated,
        "width": r.width_mm,
        "height": r.height_mm,
        "diameter": r.measure.diameter_mm,
        "inner": r.measure.inner_mm,
        "plies": r.plies,
        "quantity": r.quantity,
        "outline": [] if r.outline is None else [[float(x), float(y)] for x, y in r.outline],
        "holes": [[[float(x), float(y)] for x, y in hole] for hole in r.holes],
        "openings": [_opening_json(o) for o in r.openings],
        "note": r.note,
        "papers": list(r.papers),
        "slits": list(r.slits_mm),
        "scores": [_score_json(s) for s in r.scores],
        "allowances": [{"where": a.where, "amount": a.amount_mm, "reason": a.reason, "why": a.why} for a in r.allowances],
        "punches": [
            {"for": p.name, "nearest": p.punch.id, "off": round(p.punch.width_mm - p.width_mm, 4), "next_up": p.next_up.id if p.next_up else None}
            for p in r.punched
        ],
        "on_mark": not r.why_off,
        "why_off": r.why_off,
        "matters": r.matters,
        "trim_in_place": [{"edge": t.edge, "extra": t.extra_mm, "why": t.why} for t in r.trims],
    }


def _opening_json(o: Opening) -> dict[str, object]:
    return {
        "kind": o.kind,
        "name": o.name,
        "width": o.width_mm,
        "height": o.height_mm,
        "diameter": o.diameter_mm,
        "from_left": o.from_left_mm,
        "from_bottom": o.from_bottom_mm,
        "centre": list(o.centre),
        "turned": o.turned_deg,
        "for": o.passes,
    }


def _score_json(score: Score) -> dict[str, object]:
    out: dict[str, object] = {"along": score.along, "at": score.at_mm, "fold": score.fold}
    out |= {"name": score.name, "runs": score.runs, "order": score.order}
    return out | {"from": list(score.start), "to": list(score.end)}


def cut_list_csv(rows: tuple[CutRow, ...], style: UnitStyle, *, scores_from: str = "left") -> str:
    """The rows as CSV; sizes stand in mm and in the user's own words, both from one value."""
    out = StringIO()
    writer = csv.writer(out, lineterminator="\n")
    head = ["part", "name", "stock", "width_mm", "height_mm", "width", "height", "plies", "quantity", "scores", "note", "openings", "diameter_mm"]
    writer.writerow(head)
    for r in rows:
        diameter = r.measure.diameter_mm
        writer.writerow(
            [
                r.blank,
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
                openings_text(r, style, from_right=scores_from == "right"),
                "" if diameter is None else f"{diameter:.3f}",
            ]
        )
    return out.getvalue()


def cut_list_text(rows: Sequence[CutRow], style: UnitStyle, *, scores_from: str = "left", beside: UnitStyle | None = None) -> str:
    """The rows as a table to read, grouped by stock. ``beside`` is another unit in which each size stands beside."""
    rows = by_stock(rows)
    table = [("piece", "cut", "of", "plies", "make")]
    table += [(r.name, sizes_text(r, style, beside), r.stock_name, str(r.plies), str(r.quantity)) for r in rows]
    widths = [max(len(row[k]) for row in table) for k in range(5)]
    lines = []
    for k, row in enumerate(table):
        if k > 1 and rows[k - 1].stock != rows[k - 2].stock:
            lines.append("")
        lines.append("  ".join(text.ljust(width) for text, width in zip(row, widths, strict=True)).rstrip())
        if k:
            scores = scores_text(rows[k - 1], style, from_right=scores_from == "right")
            openings = openings_text(rows[k - 1], style, from_right=scores_from == "right")
            lines += [f"    {text}" for text in (scores, openings, notes_text(rows[k - 1], style)) if text]
    return "\n".join(lines) + "\n"


def by_stock(rows: Sequence[CutRow]) -> tuple[CutRow, ...]:
    """The rows of each stock together, stocks in the order in which they first come."""
    stocks = list(dict.fromkeys(r.stock for r in rows))
    return tuple(r for stock in stocks for r in rows if r.stock == stock)


def sizes_text(row: CutRow, style: UnitStyle, beside: UnitStyle | None = None) -> str:
    """The size of a row, in a second unit too where one is given."""
    told = size_text(row.measure, style)
    return told if beside is None else f"{told} ({size_text(row.measure, beside)})"
