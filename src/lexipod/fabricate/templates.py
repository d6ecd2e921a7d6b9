"""True-size templates: pieces on pages of paper, tiled where a piece is larger, with rulers to check the printer by."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np
import shapely

from lexipod.assembly import Assembly, Blank
from lexipod.blanks import find_blanks, lying_square
from lexipod.catalog import Catalog, Size
from lexipod.drawing.display import Drawing, Label, Primitive, Shape, Stroke
from lexipod.errors import ChoiceError, ParameterError
from lexipod.fabricate.blank_drawing import draw_blank, label_box, reach_of
from lexipod.geometry.frames import Array
from lexipod.geometry.shapes import region_of_rings, rings_of
from lexipod.units import MM_PER_INCH, UnitStyle

MARGIN_MM = 10.0
HEAD_MM = 9.0
FOOT_MM = 15.0
GAP_MM = 6.0
EDGE_MM = 5.0
"""What every printer leaves white."""
HEAD_LETTERS = 90
RULER_MM = (112.0, 14.0)
TILE_OVERLAP_MM = 10.0
Layout = Literal["combined", "single"]


@dataclass(frozen=True, slots=True)
class _Paper:
    """The page and the room on it for pieces."""

    name: str
    width: float
    height: float
    is_filled: bool = False

    @property
    def room(self) -> tuple[float, float]:
        return self.width - 2 * MARGIN_MM, self.height - 2 * MARGIN_MM - HEAD_MM - FOOT_MM

    @property
    def whole(self) -> tuple[float, float]:
        """The room where a piece fills the page, so that nothing is written beside it."""
        return self.width - 2 * EDGE_MM, self.height - 2 * EDGE_MM

    @property
    def corner(self) -> tuple[float, float]:
        return MARGIN_MM, MARGIN_MM + FOOT_MM


def draw_pieces(
    assembly: Assembly, catalog: Catalog, style: UnitStyle, *, title: str, only: str | None = None, blanks: tuple[str, ...] = ()
) -> Drawing:
    """All pieces, those of one mechanism, or some ``blanks`` by id, on one sheet as large as it takes, for cutting machines and the web."""
    chosen = _chosen(_lying_square(assembly), blanks)
    drawings = [draw_blank(b, assembly, catalog, style) for b in chosen if only in (None, b.mechanism)]
    claims = [_claim(d) for d in drawings]
    width = max(1.2 * max(c[0] for c in claims), math.sqrt(sum(c[0] * c[1] for c in claims) * 1.3))
    placed = _pack(claims, (width, 1e5))[0]
    items: list[Primitive] = []
    top = 0.0
    for k, (x, y) in placed.items():
        items += _at(drawings[k], x + GAP_MM, y + GAP_MM)
        top = max(top, y + claims[k][1])
    return Drawing(tuple(items), (0.0, 0.0, width + GAP_MM, top + GAP_MM), title)


def _chosen(blanks: list[Blank], names: tuple[str, ...]) -> list[Blank]:
    """The blanks of these ids, all where none is named; ``ChoiceError`` for an id that there is not."""
    known = [b.id for b in blanks]
    for name in names:
        if name not in known:
            raise ChoiceError("piece", name, known)
    return [b for b in blanks if not names or b.id in names]


def _lying_square(assembly: Assembly) -> list[Blank]:
    return [lying_square(blank) for blank in find_blanks(assembly)]


def _claim(drawing: Drawing) -> tuple[float, float]:
    """Room that a piece takes on a page, its gap and what is written beside it included."""
    x0, y0, x1, y1 = reach_of(drawing)
    return x1 - x0 + GAP_MM, y1 - y0 + GAP_MM


def _at(drawing: Drawing, x: float, y: float) -> tuple[Primitive, ...]:
    """What is drawn, its lower left corner at a place of the page."""
    x0, y0, _, _ = reach_of(drawing)
    return drawing.shifted(x - x0, y - y0).primitives


def _pack(sizes: list[tuple[float, float]], room: tuple[float, float]) -> list[dict[int, tuple[float, float]]]:
    """Places of boxes on as many pages as it takes, none turned (grain and patterns stay), page by page."""
    import rectpack

    packer = rectpack.newPacker(rotation=False, sort_algo=rectpack.SORT_AREA)
    for k, (width, height) in enumerate(sizes):
        packer.add_rect(math.ceil(width * 100), math.ceil(height * 100), rid=k)
    packer.add_bin(int((room[0] + GAP_MM) * 100 + 1), int((room[1] + GAP_MM) * 100 + 1), count=len(sizes))
    packer.pack()
    pages: dict[int, dict[int, tuple[float, float]]] = {}
    for page, x, y, _, _, k in packer.rect_list():
        pages.setdefault(page, {})[k] = (x / 100, y / 100)
    return [dict(sorted(pages[p].items())) for p in sorted(pages)]


def draw_template_pages(
    assembly: Assembly, catalog: Catalog, style: UnitStyle, *, title: str, paper: Size, layout: Layout = "combined", only: tuple[str, ...] = ()
) -> tuple[Drawing, ...]:
    """Template pages on ``paper``. Each page carries a 100 mm and a 4 in ruler; pieces larger than a page are tiled."""
    blanks = _chosen(_lying_square(assembly), only)
    drawn = [(draw_blank(b, assembly, catalog, style), b.region) for b in blanks]
    return lay_on_pages(drawn, title=title, paper=paper, layout=layout)


def lay_on_pages(drawn: Sequence[tuple[Drawing, Any]], *, title: str, paper: Size, layout: Layout = "combined") -> tuple[Drawing, ...]:
    """Drawings at true size on pages of ``paper``, each with the region in which the rulers may lie where it fills its page."""
    upright = _Paper(paper.name, paper.width_mm, paper.height_mm)
    lying = _Paper(paper.name, paper.height_mm, paper.width_mm)
    contents: list[tuple[_Paper, list[Primitive], str]] = []
    small: dict[str, list[Drawing]] = {"upright": [], "lying": []}
    for drawing, region in drawn:
        width, height = (v - GAP_MM for v in _claim(drawing))
        fitting = next((page for page in (upright, lying) if width <= page.room[0] and height <= page.room[1]), None)
        filled = next((page for page in (upright, lying) if width <= page.whole[0] and height <= page.whole[1]), None)
        if fitting is None:
            written = None if filled is None else _rulers_inside(region, drawing)
            if filled is None or written is None:
                contents += _tiles(drawing, upright if drawing.size_mm[0] <= drawing.size_mm[1] else lying)
            else:
                page = replace(filled, is_filled=True)
                contents.append((page, list(_at(written, (page.width - width) / 2, (page.height - height) / 2)), drawing.title))
        elif layout == "combined":
            small["upright" if fitting is upright else "lying"].append(drawing)
        else:
            corner = (fitting.corner[0] + (fitting.room[0] - width) / 2, fitting.corner[1] + (fitting.room[1] - height) / 2)
            contents.append((fitting, list(_at(drawing, *corner)), drawing.title))
    for page, group in ((lying, small["lying"]), (upright, small["upright"])):
        for places in _pack([_claim(d) for d in group], page.room) if group else ():
            items: list[Primitive] = []
            for k, (x, y) in places.items():
                items += _at(group[k], x + page.corner[0], y + page.corner[1])
            contents.append((page, items, ", ".join(group[k].title for k in places)))
    total = len(contents)
    return tuple(_page(page, items, f"{title} · {what}", k + 1, total) for k, (page, items, what) in enumerate(contents))


def sheet_pages(drawings: Sequence[Drawing], *, title: str, paper: Size | None = None) -> tuple[Drawing, ...]:
    """Laid sheets as pages of their own size, to be printed on the stock itself; with a ``paper`` that is smaller, each over several pages
    with crosses, a map of the tiles, and rulers."""
    pages: list[Drawing] = []
    contents: list[tuple[_Paper, list[Primitive], str]] = []
    for drawing in drawings:
        if paper is None or (drawing.size_mm[0] <= paper.width_mm + 0.5 and drawing.size_mm[1] <= paper.height_mm + 0.5):
            pages.append(drawing)
            continue
        upright = _Paper(paper.name, paper.width_mm, paper.height_mm)
        lying = _Paper(paper.name, paper.height_mm, paper.width_mm)
        contents += min([_tiles(drawing, page) for page in (upright, lying)], key=lambda tiles: len(list(tiles)))
    total = len(contents)
    return (*pages, *(_page(page, items, f"{title} · {what}", k + 1, total) for k, (page, items, what) in enumerate(contents)))


CHECK_MM = 100.0


def check_print(paper: Size) -> Drawing:
    """One page with a ruler across, a ruler up, and a square with its diagonals: measured once for each printer."""
    if min(paper.width_mm, paper.height_mm) < CHECK_MM + 3 * MARGIN_MM:
        raise ParameterError("--sheet", f"{paper.name} is too small for rulers of 100 mm")
    low = (paper.width_mm - CHECK_MM) / 2, (paper.height_mm - CHECK_MM) / 2
    high = low[0] + CHECK_MM, low[1] + CHECK_MM
    corners = np.array([low, (high[0], low[1]), high, (low[0], high[1])])
    items: list[Primitive] = [
        Shape((corners,), "cut", "", "check.square"),
        Stroke(corners[[0, 2]], "guide", "check.diagonal"),
        Stroke(corners[[1, 3]], "guide", "check.diagonal"),
    ]
    for k in range(11):
        length = 4.0 if k % 5 == 0 else 2.5
        items.append(Stroke(np.array([[low[0] + 10 * k, low[1]], [low[0] + 10 * k, low[1] - length]]), "measure", "check.tick"))
        items.append(Stroke(np.array([[low[0], low[1] + 10 * k], [low[0] - length, low[1] + 10 * k]]), "measure", "check.tick"))
    middle = paper.width_mm / 2
    told = (
        "Print this page at 100 %. Measure the square across and up.",
        "Both should be 100 mm (3 15/16 in and 0.4 mm over). Enter what you measured once:",
        "every page for this printer is corrected from then on. The diagonals must be equal.",
    )
    items += [Label((middle, high[1] + 22 - 5.5 * k), line, 3.6, "middle", bold=k == 0) for k, line in enumerate(told)]
    items += [Label((middle, low[1] - 9), "across", 3.2, "middle"), Label((low[0] - 6, high[1] + 2), "up", 3.2, "right")]
    return Drawing(tuple(items), (0.0, 0.0, paper.width_mm, paper.height_mm), "Check print")


def _rulers_inside(region: Any, drawing: Drawing) -> Drawing | None:
    """A piece that fills its page, with the rulers inside it where nothing else is drawn; None where they find no room."""
    taken = [shapely.box(*label_box(i)) for i in drawing.primitives if isinstance(i, Label)]
    taken += [shapely.LineString(i.points) for i in drawing.primitives if isinstance(i, Stroke)]
    taken += [shapely.LinearRing(r) for i in drawing.primitives if isinstance(i, Shape) for r in i.rings]
    room = shapely.difference(region, shapely.union_all(taken).buffer(2.0))
    x0, y0, x1, y1 = room.bounds
    for y in np.arange(y0 + 1.0, y1 - RULER_MM[1], 3.0):
        for x in np.arange(x0 + 1.0, x1 - RULER_MM[0], 3.0):
            if room.contains(shapely.box(x, y, x + RULER_MM[0], y + RULER_MM[1])):
                return replace(drawing, primitives=(*drawing.primitives, *_rulers((x + 1.0, y + 1.0))))
    return None


def _page(paper: _Paper, items: list[Primitive], head: str, number: int, total: int) -> Drawing:
    if paper.is_filled:
        return Drawing(tuple(items), (0.0, 0.0, paper.width, paper.height), head)
    top = paper.height - MARGIN_MM
    frame: list[Primitive] = [
        Label((MARGIN_MM, top - 4), _short_head(head), 3.6, bold=True),
        Label((paper.width - MARGIN_MM, top - 4), f"page {number} of {total}", 3.0, "right"),
        Label((paper.width - MARGIN_MM, MARGIN_MM), f"{paper.name}, print at 100 %", 2.6, "right"),
    ]
    return Drawing((*frame, *_rulers(), *items), (0.0, 0.0, paper.width, paper.height), head)


def _short_head(head: str) -> str:
    """A heading that fits its page; which tile it is stays in it."""
    if len(head) <= HEAD_LETTERS:
        return head
    said, tile, which = head.rpartition(", tile ") if ", tile " in head else (head, "", "")
    return f"{said[: HEAD_LETTERS - 1 - len(tile + which)]}…{tile}{which}"


def _rulers(corner: tuple[float, float] = (MARGIN_MM, MARGIN_MM)) -> list[Primitive]:
    """A 100 mm and a 4 in ruler: if one measures wrong, so does the template."""
    items: list[Primitive] = []
    left, bottom = corner
    for y, length, step, labels, name in (
        (bottom + 6.5, 100.0, 10.0, [f"{k * 10}" for k in range(11)], "mm"),
        (bottom, 4 * MM_PER_INCH, MM_PER_INCH / 4, [str(k // 4) if k % 4 == 0 else "" for k in range(17)], "in"),
    ):
        items.append(Stroke(np.array([[left, y], [left + length, y]]), "measure", f"ruler.{name}"))
        for k, text in enumerate(labels):
            x = left + k * step
            items.append(Stroke(np.array([[x, y], [x, y + (1.8 if text else 1.1)]]), "measure", f"ruler.{name}.tick"))
            if text:
                items.append(Label((x, y + 2.3), text, 2.2, "middle"))
        items.append(Label((left + length + 2.5, y), name, 2.6))
    return items


def _tiles(drawing: Drawing, paper: _Paper) -> list[tuple[_Paper, list[Primitive], str]]:
    """A piece over several pages that overlap, with crosses that must meet when they are laid together."""
    room = paper.room
    counts, steps = [], []
    for size, space in zip(drawing.size_mm, room, strict=True):
        count = max(1, math.ceil((size - TILE_OVERLAP_MM) / (space - TILE_OVERLAP_MM)))
        counts.append(count)
        steps.append(0.0 if count == 1 else (size - space) / (count - 1))
    pages = []
    for row in range(counts[1]):
        for column in range(counts[0]):
            x0, y0 = column * steps[0], row * steps[1]
            window = shapely.box(x0, y0, x0 + room[0], y0 + room[1])
            items = [clipped for item in drawing.primitives for clipped in _clip(item, window)]
            items += _crosses(counts, steps, room, (x0, y0))
            moved = Drawing(tuple(items), drawing.box).shifted(paper.corner[0] - x0, paper.corner[1] - y0)
            if counts != [1, 1]:
                moved = replace(moved, primitives=(*moved.primitives, *_map_of_tiles(counts, (row, column), paper)))
            tile = f", tile {chr(65 + row)}{column + 1} of {chr(64 + counts[1])}{counts[0]}"
            name = drawing.title + (tile if counts != [1, 1] else "")
            pages.append((paper, list(moved.primitives), name))
    return pages


def _map_of_tiles(counts: list[int], here: tuple[int, int], paper: _Paper) -> list[Primitive]:
    """A small map of all tiles as they are laid together, this one hatched; in the foot, beside the rulers."""
    across, up = counts
    side = min(4.0, 22.0 / across, (FOOT_MM - 5.0) / up)
    left, bottom = paper.width - MARGIN_MM - across * side, MARGIN_MM + 3.6
    items: list[Primitive] = []
    for row in range(up):
        for column in range(across):
            x, y = left + column * side, bottom + row * side
            ring = np.array([[x, y], [x + side, y], [x + side, y + side], [x, y + side]])
            items.append(Shape((ring,), "guide", "art:#77726a" if (row, column) == here else "", "tiles"))
    return items


def _clip(item: Primitive, window: object) -> list[Primitive]:
    if isinstance(item, Label):
        return [item] if shapely.Point(item.at).within(window) else []
    out: list[Primitive] = []
    if isinstance(item, Shape) and (item.fill or item.pixels):
        seen = rings_of(shapely.intersection(region_of_rings(item.rings), window))
        out += [replace(item, rings=seen, pen="")] if seen else []
    lines: list[Array] = [item.points] if isinstance(item, Stroke) else [np.vstack([r, r[:1]]) for r in item.rings]
    for line in lines if item.pen else ():
        for piece in shapely.get_parts(shapely.line_merge(shapely.intersection(shapely.LineString(line), window))):
            if piece.geom_type == "LineString" and piece.length > 1e-6:
                out.append(Stroke(shapely.get_coordinates(piece), item.pen, item.subject))
    return out


def _crosses(counts: list[int], steps: list[float], room: tuple[float, float], corner: tuple[float, float]) -> list[Primitive]:
    """Registration crosses in the middle of each overlap, at the same spot of the piece on every tile that shows it."""
    spots = []
    xs = [(k * steps[0] + room[0] + (k + 1) * steps[0]) / 2 for k in range(counts[0] - 1)]
    ys = [(k * steps[1] + room[1] + (k + 1) * steps[1]) / 2 for k in range(counts[1] - 1)]
    for x in xs:
        spots += [(x, k * steps[1] + share * room[1]) for k in range(counts[1]) for share in (0.08, 0.92)]
    for y in ys:
        spots += [(k * steps[0] + share * room[0], y) for k in range(counts[0]) for share in (0.08, 0.92)]
    items: list[Primitive] = []
    for x, y in spots:
        if corner[0] + 2 < x < corner[0] + room[0] - 2 and corner[1] + 2 < y < corner[1] + room[1] - 2:
            for dx, dy in ((3.0, 0.0), (0.0, 3.0)):
                items.append(Stroke(np.array([[x - dx, y - dy], [x + dx, y + dy]]), "registration", "registration"))
    return items
