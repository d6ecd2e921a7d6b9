"""True-size templates: pieces on pages of paper, tiled where a piece is larger, with rulers to check the printer by."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
import shapely

from lexipod.assembly import Assembly, Blank
from lexipod.blanks import find_blanks
from lexipod.catalog import Catalog, Size
from lexipod.drawing.display import Drawing, Label, Primitive, Shape, Stroke
from lexipod.geometry.frames import Array
from lexipod.units import MM_PER_INCH, UnitStyle

MARGIN_MM = 10.0
HEAD_MM = 9.0
FOOT_MM = 15.0
GAP_MM = 6.0
LONG_MM = 90.0
"""A thin piece from so long on has its name above it, a shorter one beside it."""
TILE_OVERLAP_MM = 10.0
Layout = Literal["combined", "single"]


@dataclass(frozen=True, slots=True)
class _Paper:
    """The page and the room on it for pieces."""

    name: str
    width: float
    height: float

    @property
    def room(self) -> tuple[float, float]:
        return self.width - 2 * MARGIN_MM, self.height - 2 * MARGIN_MM - HEAD_MM - FOOT_MM

    @property
    def corner(self) -> tuple[float, float]:
        return MARGIN_MM, MARGIN_MM + FOOT_MM


def draw_blank(blank: Blank, catalog: Catalog, style: UnitStyle) -> Drawing:
    """One blank at the origin with its scores and what it is; the box holds the blank alone."""
    width, height = blank.size_mm
    items: list[Primitive] = [Shape((blank.outline, *blank.holes), "cut", "", blank.id)]
    items += [Stroke(np.array([c.start, c.end]), c.fold, blank.id) for c in blank.creases]
    items += [Stroke(slit, "cut", blank.id) for slit in blank.slits]
    for outline, name in blank.guides:
        items.append(Shape((outline,), "zone", "", blank.id))
        left, top = float(outline[:, 0].min()), float(outline[:, 1].max())
        items.append(Label((left + 0.8, top - 2.4), name, 1.9, subject=blank.id))
    lines = _caption(blank, catalog, style)
    size = min(3.2, max(1.6, height * 0.18))
    if width > 24 and height > 7 * size:
        x, y = _label_place(blank, lines, size)
        items += [Label((x, y - k * 1.35 * size), text, size, "middle", bold=k == 0, subject=blank.id) for k, text in enumerate(lines)]
    else:
        outside = (width + 1.2, height / 2 - 0.8) if width < LONG_MM else (0.0, height + 1.2)
        items.append(Label(outside, f"{blank.name} · {lines[1]}", 2.2, subject=blank.id))
    return Drawing(tuple(items), (0.0, 0.0, width, height), blank.name)


def _caption(blank: Blank, catalog: Catalog, style: UnitStyle) -> list[str]:
    width, height = blank.size_mm
    stock = catalog.stocks[blank.stock].name if blank.stock in catalog.stocks else catalog.foams[blank.stock].name
    plies = "" if blank.plies == 1 else f", {blank.plies} plies"
    return [blank.name, f"{style.length(width)} × {style.length(height)}", f"{stock}{plies}"]


def _label_place(blank: Blank, lines: list[str], size: float) -> tuple[float, float]:
    """Where the words have most room: in the middle if they fit there, else beside openings and scores."""
    region = shapely.Polygon(blank.outline, blank.holes)
    guides = [shapely.Polygon(outline) for outline, _ in blank.guides]
    free = shapely.difference(region, shapely.unary_union(guides)) if guides else region
    if shapely.maximum_inscribed_circle(free, tolerance=0.5).length > size * 3:
        region = free
    for crease in blank.creases:
        region = shapely.difference(region, shapely.LineString([crease.start, crease.end]).buffer(1.0))
    for slit in blank.slits:
        region = shapely.difference(region, shapely.LineString(slit).buffer(1.0))
    half_width, half_height = max(len(t) for t in lines) * size * 0.27, size * len(lines) * 0.75
    x, y = (float(v) for v in shapely.get_coordinates(region.envelope.centroid)[0])
    if not shapely.box(x - half_width, y - half_height, x + half_width, y + half_height).within(region):
        x, y = (float(v) for v in shapely.get_coordinates(shapely.maximum_inscribed_circle(region, tolerance=0.5))[0])
    return x, y + size * (len(lines) - 1) * 0.6


def draw_pieces(assembly: Assembly, catalog: Catalog, style: UnitStyle, *, title: str, only: str | None = None) -> Drawing:
    """All pieces, or those of one mechanism, on one sheet as large as it takes, for cutting machines and the web."""
    drawings = [draw_blank(p, catalog, style) for p in find_blanks(assembly) if only in (None, p.mechanism)]
    width = max(1.2 * max(_claim(d)[0] for d in drawings), math.sqrt(sum(_claim(d)[0] * _claim(d)[1] for d in drawings) * 1.3))
    placed = _pack([_claim(d) for d in drawings], (width, 1e5))[0]
    items: list[Primitive] = []
    top = 0.0
    for k, (x, y) in placed.items():
        items += drawings[k].shifted(x + GAP_MM, y + GAP_MM).primitives
        top = max(top, y + _claim(drawings[k])[1])
    return Drawing(tuple(items), (0.0, 0.0, width + GAP_MM, top + GAP_MM), title)


def _claim(drawing: Drawing) -> tuple[float, float]:
    """Room that a piece takes on a page, its gap and an outside caption included."""
    width, height = drawing.size_mm
    beside = any(isinstance(i, Label) and i.at[0] > width for i in drawing.primitives)
    above = any(isinstance(i, Label) and i.at[1] > height for i in drawing.primitives)
    return width + GAP_MM + (34.0 if beside else 0.0), height + GAP_MM + (4.0 if above else 0.0)


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
    assembly: Assembly, catalog: Catalog, style: UnitStyle, *, title: str, paper: Size, layout: Layout = "combined"
) -> tuple[Drawing, ...]:
    """Template pages on ``paper``. Each page carries a 100 mm and a 4 in ruler; pieces larger than a page are tiled."""
    upright = _Paper(paper.name, paper.width_mm, paper.height_mm)
    lying = _Paper(paper.name, paper.height_mm, paper.width_mm)
    contents: list[tuple[_Paper, list[Primitive], str]] = []
    small: dict[str, list[Drawing]] = {"upright": [], "lying": []}
    for piece in find_blanks(assembly):
        drawing = draw_blank(piece, catalog, style)
        width, height = _claim(drawing)
        for page in (upright, lying):
            if width - GAP_MM <= page.room[0] and height - GAP_MM <= page.room[1]:
                break
        else:
            contents += _tiles(drawing, upright if drawing.size_mm[0] <= drawing.size_mm[1] else lying)
            continue
        if layout == "combined":
            small["upright" if page is upright else "lying"].append(drawing)
        else:
            x = page.corner[0] + (page.room[0] - drawing.size_mm[0]) / 2
            y = page.corner[1] + (page.room[1] - drawing.size_mm[1]) / 2
            contents.append((page, list(drawing.shifted(x, y).primitives), drawing.title))
    for page, group in ((lying, small["lying"]), (upright, small["upright"])):
        for places in _pack([_claim(d) for d in group], page.room) if group else ():
            items: list[Primitive] = []
            for k, (x, y) in places.items():
                items += group[k].shifted(x + page.corner[0], y + page.corner[1]).primitives
            contents.append((page, items, ", ".join(group[k].title for k in places)))
    total = len(contents)
    return tuple(_page(page, items, f"{title} · {what}", k + 1, total) for k, (page, items, what) in enumerate(contents))


def _page(paper: _Paper, items: list[Primitive], head: str, number: int, total: int) -> Drawing:
    top = paper.height - MARGIN_MM
    shown = head if len(head) <= 90 else head[:89] + "…"
    frame: list[Primitive] = [
        Label((MARGIN_MM, top - 4), shown, 3.6, bold=True),
        Label((paper.width - MARGIN_MM, top - 4), f"page {number} of {total}", 3.0, "right"),
        Label((paper.width - MARGIN_MM, MARGIN_MM), f"{paper.name}, print at 100 %", 2.6, "right"),
    ]
    return Drawing((*frame, *_rulers(), *items), (0.0, 0.0, paper.width, paper.height), head)


def _rulers() -> list[Primitive]:
    """A 100 mm and a 4 in ruler: if one measures wrong, so does the template."""
    items: list[Primitive] = []
    for y, length, step, labels, name in (
        (MARGIN_MM + 6.5, 100.0, 10.0, [f"{k * 10}" for k in range(11)], "mm"),
        (MARGIN_MM, 4 * MM_PER_INCH, MM_PER_INCH / 4, [str(k // 4) if k % 4 == 0 else "" for k in range(17)], "in"),
    ):
        items.append(Stroke(np.array([[MARGIN_MM, y], [MARGIN_MM + length, y]]), "measure", f"ruler.{name}"))
        for k, text in enumerate(labels):
            x = MARGIN_MM + k * step
            items.append(Stroke(np.array([[x, y], [x, y + (1.8 if text else 1.1)]]), "measure", f"ruler.{name}.tick"))
            if text:
                items.append(Label((x, y + 2.3), text, 2.2, "middle"))
        items.append(Label((MARGIN_MM + length + 2.5, y), name, 2.6))
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
            tile = f", tile {chr(65 + row)}{column + 1} of {chr(64 + counts[1])}{counts[0]}"
            name = drawing.title + (tile if counts != [1, 1] else "")
            pages.append((paper, list(moved.primitives), name))
    return pages


def _clip(item: Primitive, window: object) -> list[Primitive]:
    if isinstance(item, Label):
        return [item] if shapely.Point(item.at).within(window) else []
    lines: list[Array] = [item.points] if isinstance(item, Stroke) else [np.vstack([r, r[:1]]) for r in item.rings]
    out: list[Primitive] = []
    for line in lines:
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
