"""Several folds inside one card: what each cuts out for itself is cut out of all that the others line the pages with.

Each brings an inner card of its own, glued into the pages; another one's halves rise through it, and a window of the front goes
through it. So the inner card of each gets openings where another one's moves, a little larger than that.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import shapely

from lexipod.assembly import Folding, Panel
from lexipod.assembly.model import Piece
from lexipod.geometry.shapes import scraps_of, split_region
from lexipod.geometry.space import compose_frames, invert_frame
from lexipod.recipes.kit.folds import scores_on

AROUND_MM = 1.0
"""An opening is larger all round than what rises through it."""


def share_pages(pieces: Sequence[Piece]) -> list[Piece]:
    """The pieces, those inside the card opened for each other. Raises ``ValueError`` where nothing is left of an inner card."""
    inside = [p.folding for p in pieces if p.folding is not None and p.folding.kind == "inside"]
    if len(inside) < 2:
        return list(pieces)
    out: list[Piece] = []
    for piece in pieces:
        folding = piece.folding
        if folding is None or folding.kind != "inside":
            out.append(piece)
            continue
        cut = shapely.union_all([_laid_into(folding, other, region) for other in inside if other is not folding for region in _needs_open(other)])
        holes = shapely.union_all([_laid_into(folding, other, hole) for other in inside if other is not folding for hole in _page_holes(other)])
        out.append(replace(piece, folding=_opened(folding, cut, holes)))
    return out


def _lines_page(folding: Folding, panel: Panel) -> bool:
    """Whether a panel is part of a sheet that lines a page, others of whose panels move."""
    pages = {folding.rigid[p.id] for p in folding.panels if p.base}
    return not panel.base and folding.rigid[panel.id] in pages and panel.sheet.endswith(".inner")


def _needs_open(folding: Folding) -> list[Any]:
    """What of its inner card rises."""
    lining = {p.sheet for p in folding.panels if _lines_page(folding, p)}
    return [shapely.buffer(p.region, AROUND_MM, join_style="mitre") for p in folding.panels if p.sheet in lining and not _lines_page(folding, p)]


def _page_holes(folding: Folding) -> list[Any]:
    """Windows in the pages."""
    return [shapely.Polygon(hole) for p in folding.panels if p.base for hole in p.holes]


def _laid_into(folding: Folding, other: Folding, region: Any) -> Any:
    """A region of another folding's open spread in the frame of this one's."""
    frame = compose_frames(invert_frame(folding.ground_pose), other.ground_pose)
    return shapely.transform(region, lambda xy: xy @ frame[:2, :2].T + frame[:2, 3])


def _opened(folding: Folding, cut: Any, holes: Any) -> Folding:
    both = shapely.union(cut, holes)
    panels: list[Panel] = []
    sheets = {sheet.id: sheet for sheet in folding.sheets}
    for panel in folding.panels:
        taken = holes if panel.base else both if _lines_page(folding, panel) else None
        if taken is None or taken.is_empty or not shapely.intersects(panel.region, taken):
            panels.append(panel)
            continue
        outline, rings = split_region(shapely.difference(panel.region, taken))
        panels.append(replace(panel, outline=outline, holes=rings))
    for name in {p.sheet for p in folding.panels if _lines_page(folding, p)}:
        sheet = sheets[name]
        whole = shapely.difference(sheet.region, shapely.intersection(both, _lined(folding, name)))
        outline, rings = split_region(whole)
        creases = tuple(part for crease in sheet.creases for part in scores_on(crease, shapely.buffer(whole, 1e-6)))
        sheets[name] = replace(sheet, outline=outline, holes=rings, creases=creases, apart=scraps_of(whole))
    return replace(folding, panels=tuple(panels), sheets=tuple(sheets.values()))


def _lined(folding: Folding, sheet: str) -> Any:
    """Where a sheet lines the pages."""
    return shapely.union_all([shapely.buffer(p.region, 1e-6) for p in folding.panels if p.sheet == sheet and _lines_page(folding, p)])


__all__ = ["share_pages"]
