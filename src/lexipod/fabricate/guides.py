"""Guides at true size: where ink, stamps and pictures go on each part, so that they land where they are read.

A placement sheet for each face with what is seen at every halt, and a corner to stamp in; a mask of what is ever seen, to ink through; and a
sheet with every window of the card, to lay over papers and choose by. Patterned paper has a sheet with the outline of its piece. What is
meant for the back of a part is mirrored, as that face lies before one.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any, Literal

import numpy as np
import shapely

from lexipod.assembly import Panel, Part
from lexipod.catalog import Size
from lexipod.checks import Examination
from lexipod.checks.surfaces import Glimpse, ever_seen, glimpses
from lexipod.design import Item
from lexipod.drawing.display import Drawing, Label, Primitive, Shape, Stroke
from lexipod.fabricate.papers import papers
from lexipod.fabricate.templates import lay_on_pages
from lexipod.geometry.frames import Array
from lexipod.geometry.shapes import rectangle
from lexipod.pictures import laid_outline
from lexipod.pictures.papers import is_paper

Guide = Literal["placing", "mask", "windows"]
LETTER_MM = 2.6
JIG_MM = 7.0
CORNER_MM = 15.0
"""So wide are the two arms of a stamping corner."""
LEAST_MM2 = 4.0
CROSS_MM = 2.5
RIM_MM = 8.0
TRACK_SHARE = 3.0
"""An opening so many times as large as what rides in it is a track, a smaller one a hole."""
LEAST_WINDOW_MM2 = 60.0
"""A hole that is smaller is for a fastener, not to look through."""


def draw_guides(examination: Examination, *, title: str, paper: Size, folder: Path | None = None) -> tuple[Drawing, ...]:
    """All guides of a card on pages of paper."""
    drawn = [(d, shapely.box(*d.box)) for d in guide_sheets(examination, folder)]
    return lay_on_pages(drawn, title=title, paper=paper, layout="single") if drawn else ()


def guide_sheets(examination: Examination, folder: Path | None = None) -> tuple[Drawing, ...]:
    """All guides, each at its own size, without a page; ``folder`` is where the pictures of the design lie."""
    faces = (*placing_sheets(examination), *stamping_corners(examination))
    return (*faces, *papers(examination, folder), *masks(examination), *windows_sheet(examination), *floors(examination))


def placing_sheets(examination: Examination) -> list[Drawing]:
    """A sheet for each face that carries a picture or is seen at only some halts."""
    assembly = examination.assembly
    wanted: dict[tuple[str, str], None] = {}
    for item in assembly.items:
        if item.is_ink and (item.on in assembly.by_id or item.on in assembly.panels):
            wanted[item.on, item.face] = None
    for row in glimpses(examination):
        carrier = _carrier(examination, row.on)
        if carrier is not None and row.on in assembly.moving and _is_paper(examination, carrier):
            wanted[row.on, row.face] = None
    return [_placing(examination, on, face) for on, face in wanted]


def _carrier(examination: Examination, on: str) -> Part | Panel | None:
    return examination.assembly.carriers.get(on)


def _is_paper(examination: Examination, carrier: Part | Panel) -> bool:
    stock = examination.catalog.stocks.get(carrier.stock)
    return stock is not None and not stock.clear and not getattr(carrier, "bought", False)


def _placing(examination: Examination, on: str, face: str) -> Drawing:
    """One face: its outline, what is seen of it at each halt, and what lies there."""
    carrier = _carrier(examination, on)
    assert carrier is not None
    turn = _Face(carrier, is_back=face == "back")
    items: list[Primitive] = [Shape(turn.rings((carrier.outline, *carrier.holes)), "cut", "", on)]
    items += _jig(turn.size)
    named: list[Label] = []
    rows = [g for g in glimpses(examination) if (g.on, g.face) == (on, face)]
    for row in _different(rows):
        for k, piece in enumerate(_pieces(row.region)):
            rings = turn.rings(tuple(shapely.get_coordinates(r)[:-1] for r in (piece.exterior, *piece.interiors)))
            items.append(Shape(rings, "ghost", "", f"{on}:seen"))
            if k == 0:
                named.append(_named(rings, _halt_words(examination, row), "seen"))
                items += _cross(rings)
    for item in examination.assembly.items:
        if (item.on, item.face) == (on, face) and item.is_ink:
            items += _item(item, carrier, turn)
    items += _apart(named)
    words = f"{carrier.name}, {'its back, as you look at it' if face == 'back' else 'front'}"
    items.append(Label((0.0, turn.size[1] + 1.6), f"{words} · this edge up", LETTER_MM, bold=True))
    return Drawing(tuple(items), (0.0, 0.0, *turn.size), words)


def _different(rows: list[Glimpse]) -> list[Glimpse]:
    """Halts at which something else is seen than at those before."""
    kept: list[Glimpse] = []
    for row in rows:
        if all(shapely.symmetric_difference(row.region, other.region).area > LEAST_MM2 for other in kept):
            kept.append(row)
    return kept


class _Face:
    """A face laid down so that it is looked at: the back is turned over from left to right. The lower left corner is at the origin."""

    def __init__(self, carrier: Part | Panel, *, is_back: bool) -> None:
        self.low, self.high = carrier.outline.min(axis=0), carrier.outline.max(axis=0)
        self.is_back = is_back
        self.size = (float(self.high[0] - self.low[0]), float(self.high[1] - self.low[1]))

    def put(self, points: Array) -> Array:
        """Points of the part on the sheet."""
        x = self.high[0] - points[:, 0] if self.is_back else points[:, 0] - self.low[0]
        put: Array = np.column_stack([x, points[:, 1] - self.low[1]])
        return put

    def rings(self, rings: tuple[Array, ...]) -> tuple[Array, ...]:
        return tuple(self.put(r) for r in rings)


def _pieces(region: Any) -> list[Any]:
    pieces = [p for p in shapely.get_parts(region) if p.geom_type == "Polygon" and p.area > LEAST_MM2]
    return sorted(pieces, key=lambda p: -p.area)


def _halt_words(examination: Examination, row: Glimpse) -> str:
    """How a halt is told on a sheet."""
    return f"at {examination.amount(row.mechanism, row.travel)}" if row.mechanism else "seen"


def _item(item: Item, carrier: Part | Panel, turn: _Face) -> list[Primitive]:
    """A picture or greeting as a light outline, with its name; the paper of a piece no further than the piece goes."""
    region = laid_outline(item, carrier.outline)
    if is_paper(item, carrier.outline):
        region = shapely.intersection(region, shapely.Polygon(carrier.outline))
    pieces = _pieces(region) or list(shapely.get_parts(region))[:1]
    out: list[Primitive] = []
    for piece in pieces:
        rings = turn.rings(tuple(shapely.get_coordinates(r)[:-1] for r in (piece.exterior, *piece.interiors)))
        out.append(Shape(rings, "guide", "", f"item:{item.id}"))
    rings = turn.rings((shapely.get_coordinates(region.envelope.exterior)[:-1],))
    out.append(_named(rings, f"{item.id} {item.named.removeprefix('the ')}", f"item:{item.id}"))
    return out


def _named(rings: tuple[Array, ...], words: str, subject: str) -> Label:
    """Words in the middle of the lower side of what they name."""
    low, high = rings[0].min(axis=0), rings[0].max(axis=0)
    return Label((float(low[0] + high[0]) / 2, float(low[1]) + 1.0), words, 2.0, "middle", subject=subject)


def _apart(labels: list[Label]) -> list[Primitive]:
    """Labels that would lie on one another, one over the other."""
    placed: list[Label] = []
    for label in labels:
        x, y = label.at
        while any(abs(x - p.at[0]) < 18.0 and abs(y - p.at[1]) < 2.2 for p in placed):
            y += 2.4
        placed.append(Label((x, y), label.text, label.size_mm, label.anchor, label.bold, label.subject))
    return list(placed)


def _cross(rings: tuple[Array, ...]) -> list[Primitive]:
    """A cross in the middle of what is seen."""
    x, y = (rings[0].min(axis=0) + rings[0].max(axis=0)) / 2
    return [Stroke(np.array([[x - dx, y - dy], [x + dx, y + dy]]), "centre", "middle") for dx, dy in ((CROSS_MM, 0.0), (0.0, CROSS_MM))]


def _jig(size: tuple[float, float]) -> list[Primitive]:
    """A corner and two edges to lay the part against."""
    x, y = size
    left = Stroke(np.array([[0.0, -JIG_MM], [0.0, 0.0], [-JIG_MM, 0.0]]), "registration", "jig")
    right = Stroke(np.array([[x, -JIG_MM], [x, 0.0], [x + JIG_MM, 0.0]]), "registration", "jig")
    up = Stroke(np.array([[-JIG_MM, y], [0.0, y], [0.0, y + JIG_MM]]), "registration", "jig")
    return [left, right, up]


def stamping_corners(examination: Examination) -> list[Drawing]:
    """For each face on which something is stamped or printed a corner of board: the part is pushed into it, and marks along its two inner
    edges say where the middle and the sides of each picture are."""
    faces: dict[tuple[str, str], list[Item]] = {}
    for item in examination.assembly.items:
        carrier = _carrier(examination, item.on)
        if item.is_ink and carrier is not None and not is_paper(item, carrier.outline):
            faces.setdefault((item.on, item.face), []).append(item)
    return [_corner(examination, on, face, items) for (on, face), items in faces.items()]


def _corner(examination: Examination, on: str, face: str, lying: list[Item]) -> Drawing:
    carrier = _carrier(examination, on)
    assert carrier is not None
    turn = _Face(carrier, is_back=face == "back")
    x, y = turn.size
    rim = np.array([(-CORNER_MM, -CORNER_MM), (x, -CORNER_MM), (x, 0.0), (0.0, 0.0), (0.0, y), (-CORNER_MM, y)])
    items: list[Primitive] = [Shape((rim,), "cut", "", f"{on}:corner")]
    for n, item in enumerate(lying):
        box = turn.put(shapely.get_coordinates(laid_outline(item, carrier.outline).envelope.exterior))
        low, high = np.clip(box.min(axis=0), 0.0, (x, y)), np.clip(box.max(axis=0), 0.0, (x, y))
        for axis in (0, 1):
            middle = float(low[axis] + high[axis]) / 2
            for at, deep in ((float(low[axis]), 2.5), (middle, 5.0), (float(high[axis]), 2.5)):
                mark = np.array([[at, 0.0], [at, -deep]])
                items.append(Stroke(mark if axis == 0 else mark[:, ::-1], "centre", f"mark:{item.id}"))
            along = (middle, -7.5 - 2.4 * (n % 3))
            items.append(Label(along if axis == 0 else along[::-1], item.id, 2.0, "middle", subject=f"mark:{item.id}"))
    side = ", its back" if face == "back" else ""
    words = f"stamping corner for the {carrier.name}{side}: push it into the corner, line the stamp up with the marks"
    items.append(Label((-CORNER_MM, y + 1.6), words, 2.2))
    return Drawing(tuple(items), (-CORNER_MM, -CORNER_MM, x, y), words)


def masks(examination: Examination) -> list[Drawing]:
    """For each face of which only a part is ever seen, a sheet with that part cut out, to ink through."""
    out = []
    for row in ever_seen(examination):
        carrier = _carrier(examination, row.on)
        if carrier is None or not _is_paper(examination, carrier) or not 0.02 < row.share < 0.98 or row.on not in examination.assembly.moving:
            continue
        turn = _Face(carrier, is_back=row.face == "back")
        items: list[Primitive] = [Shape((rectangle(-RIM_MM, -RIM_MM, turn.size[0] + RIM_MM, turn.size[1] + RIM_MM),), "cut", "", "mask")]
        for piece in _pieces(row.region):
            rings = turn.rings((shapely.get_coordinates(piece.exterior)[:-1],))
            items.append(Shape(rings, "cut", "", f"{row.on}:ever-seen"))
            islands = turn.rings(tuple(shapely.get_coordinates(h)[:-1] for h in piece.interiors))
            items += [Shape((ring,), "guide", "", f"{row.on}:never-seen") for ring in islands]
        items.append(Shape(turn.rings((carrier.outline,)), "zone", "", row.on))
        words = f"mask of the {carrier.name}{', its back' if row.face == 'back' else ''}: {100 * row.share:.0f} % is ever seen"
        items.append(Label((0.0, turn.size[1] + 2.0), words, 2.2))
        out.append(Drawing(tuple(items), (-RIM_MM, -RIM_MM, turn.size[0] + RIM_MM, turn.size[1] + RIM_MM), words))
    return out


def floors(examination: Examination) -> list[Drawing]:
    """The pieces that fall out of tracks in which something rides that the card's tilt moves: dressed and laid back, each is the floor of its
    track."""
    assembly = examination.assembly
    loose = {d.mechanism for d in assembly.drives if d.by == "gravity"}
    out = []
    for part in assembly.parts:
        if part.role not in ("cover", "base") or examination.is_clear(part):
            continue
        riders = [p for p in assembly.parts if p.mechanism in loose and p.id in assembly.moving and part.level in p.levels]
        for hole in part.region_at_home.interiors:
            piece = shapely.Polygon(hole)
            inside = [r for r in riders if piece.buffer(0.5).contains(r.region_at_home) and piece.area > TRACK_SHARE * r.region_at_home.area]
            if not inside:
                continue
            ring = shapely.get_coordinates(hole)[:-1] - piece.bounds[:2]
            size = (piece.bounds[2] - piece.bounds[0], piece.bounds[3] - piece.bounds[1])
            words = f"falls out of the {part.name}: dress it and lay it back under the {inside[0].name} as the floor of its track"
            items: list[Primitive] = [Shape((ring,), "cut", "", f"floor:{part.id}"), Label((0.0, size[1] + 1.6), words, 2.2)]
            out.append(Drawing(tuple(items), (0.0, 0.0, float(size[0]), float(size[1])), words))
    return out


def windows_sheet(examination: Examination) -> list[Drawing]:
    """A sheet with every window of the card cut out, where it is on the card at rest."""
    card = examination.assembly.card
    holes: list[tuple[Array, str]] = []
    for part in examination.assembly.parts:
        if part.role not in ("cover", "base") or examination.is_clear(part):
            continue
        region = examination.regions(part.id)[0]
        holes += [(shapely.get_coordinates(h)[:-1], part.name) for h in region.interiors if shapely.Polygon(h).area > LEAST_WINDOW_MM2]
    if not holes:
        return []
    items: list[Primitive] = [Shape((rectangle(0.0, 0.0, card.width_mm, card.height_mm),), "cut", "", "windows")]
    items += [Shape((ring,), "cut", "", f"window:{name}") for ring, name in holes]
    words = "every window of the card: lay it over papers and pictures to choose"
    items.append(Label((0.0, card.height_mm + 1.6), words, LETTER_MM))
    return [Drawing(tuple(items), (0.0, 0.0, card.width_mm, card.height_mm), words)]


def side_by_side(sheets: tuple[Drawing, ...], *, gap_mm: float = 14.0) -> Drawing:
    """All sheets in one drawing, one beside the other."""
    items: list[Primitive] = []
    x = gap_mm
    for sheet in sheets:
        items += sheet.shifted(x - sheet.box[0], gap_mm - sheet.box[1]).primitives
        x += sheet.size_mm[0] + gap_mm
    return Drawing(tuple(items), (0.0, 0.0, x, max(s.size_mm[1] for s in sheets) + 2 * gap_mm), "guides")


__all__ = ["draw_guides", "floors", "guide_sheets", "masks", "placing_sheets", "side_by_side", "stamping_corners", "windows_sheet"]
