"""The cut list as pages to print."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence

import numpy as np

from lexipod.catalog import Size
from lexipod.drawing import Drawing, Label, Primitive, Stroke
from lexipod.drawing.words import width_of
from lexipod.fabricate.cutlist import CutRow
from lexipod.fabricate.cutlist_files import by_stock
from lexipod.fabricate.cutlist_words import notes_text, openings_text, scores_text, size_text
from lexipod.units import UnitStyle

MARGIN_MM, HEAD_MM = 14.0, 12.0
LARGE_MM, SMALL_MM, LEADING = 3.6, 2.9, 1.35
BOX_MM = 3.4


def list_pages(rows: Sequence[CutRow], style: UnitStyle, *, title: str, paper: Size, scores_from: str = "left") -> tuple[Drawing, ...]:
    """Pages with a box to tick for each row: what it is called, its size, how many, and below it what is scored, cut out and to be known."""
    room = paper.width_mm - 2 * MARGIN_MM
    blocks: list[tuple[float, list[tuple[float, float, str, float, bool]]]] = []
    stock = ""
    for row in by_stock(rows):
        lines: list[tuple[float, float, str, float, bool]] = []
        down = 0.0
        if row.stock_name != stock:
            stock = row.stock_name
            down += LARGE_MM * LEADING + 1.5
            lines.append((0.0, down, stock, LARGE_MM, True))
        down += LARGE_MM * LEADING
        plies = "" if row.plies == 1 else f", {row.plies} plies"
        lines.append((BOX_MM + 2, down, f"{row.quantity} × {row.name}", LARGE_MM, True))
        lines.append((-1.0, down, f"{size_text(row.measure, style)}{plies}", LARGE_MM, False))
        told = [scores_text(row, style, from_right=scores_from == "right"), openings_text(row, style, from_right=scores_from == "right")]
        for text in (*told, notes_text(row, style)):
            for line in wrapped(text, room - BOX_MM - 2, SMALL_MM):
                down += SMALL_MM * LEADING
                lines.append((BOX_MM + 2, down, line, SMALL_MM, False))
        blocks.append((down + 2.0, lines))
    return _paged(blocks, title, paper)


def wrapped(text: str, width_mm: float, size_mm: float) -> list[str]:
    """Text in lines that are at most so wide."""
    if not text:
        return []
    sign = max(0.2, width_of(text, size_mm) / len(text))
    count = max(8, int(width_mm / sign))
    lines = textwrap.wrap(text, count)
    while any(width_of(line, size_mm) > width_mm for line in lines) and count > 8:
        count -= 2
        lines = textwrap.wrap(text, count)
    return lines


def _paged(blocks: list[tuple[float, list[tuple[float, float, str, float, bool]]]], title: str, paper: Size) -> tuple[Drawing, ...]:
    pages: list[list[Primitive]] = [[]]
    top = paper.height_mm - MARGIN_MM - HEAD_MM
    at = top
    for height, lines in blocks:
        if at - height < MARGIN_MM and at < top:
            pages.append([])
            at = top
        for x, down, text, size, bold in lines:
            if x < 0:
                pages[-1].append(Label((paper.width_mm - MARGIN_MM, at - down), text, size, "right"))
            else:
                pages[-1].append(Label((MARGIN_MM + x, at - down), text, size, bold=bold))
            if size == LARGE_MM and x > 0:
                left, low = MARGIN_MM, at - down - 0.4
                box = np.array([[left, low], [left + BOX_MM, low], [left + BOX_MM, low + BOX_MM], [left, low + BOX_MM], [left, low]])
                pages[-1].append(Stroke(box, "measure", "tick"))
        at -= height
    total = len(pages)
    out = []
    for k, items in enumerate(pages, 1):
        head: list[Primitive] = [
            Label((MARGIN_MM, paper.height_mm - MARGIN_MM - 4), f"{title} · cut list", 4.4, bold=True),
            Label((paper.width_mm - MARGIN_MM, paper.height_mm - MARGIN_MM - 4), f"page {k} of {total}", 3.0, "right"),
        ]
        out.append(Drawing((*head, *items), (0.0, 0.0, paper.width_mm, paper.height_mm), f"{title} · cut list"))
    return tuple(out)
