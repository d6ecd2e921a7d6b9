"""Pieces to cut. What is folded from one sheet is one piece, the card's two pages among them; every other part is a piece of its own."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import shapely

from lexipod.assembly import Allowance, Assembly, Crease, Folding, Part, ScoredSheet
from lexipod.closing.card import Closing, close_card
from lexipod.geometry.frames import Array
from lexipod.geometry.shapes import circle, rectangle, region_from, split_region

Point = tuple[float, float]
SAME_MM = 0.02


@dataclass(frozen=True, eq=False)
class Piece:
    """A piece in its own frame, lower left corner at the origin. ``parts`` are the assembly parts that it carries.

    ``slits`` are cuts inside it, ``guides`` are places on it that are not cut: where something is glued, drawn or stamped, each with
    what it is for. ``grain`` is the way its grain should run, ``allowances`` what its measures were changed by.
    """

    id: str
    name: str
    stock: str
    outline: Array
    holes: tuple[Array, ...] = ()
    creases: tuple[Crease, ...] = ()
    plies: int = 1
    quantity: int = 1
    parts: tuple[str, ...] = ()
    mechanism: str = ""
    note: str = ""
    guides: tuple[tuple[Array, str], ...] = ()
    grain: str = ""
    allowances: tuple[Allowance, ...] = ()
    slits: tuple[Array, ...] = ()

    @property
    def size_mm(self) -> tuple[float, float]:
        width, height = self.outline.max(axis=0) - self.outline.min(axis=0)
        return float(width), float(height)


def find_pieces(assembly: Assembly) -> tuple[Piece, ...]:
    """All pieces of the card, the card itself first, then from the back to the front."""
    pieces = []
    closing = close_card(assembly)
    if "card.back" in assembly.by_id:
        pieces.append(_hemmed(_folded_card(assembly), assembly, closing))
    for part in assembly.parts:
        if part.id == "card.back" or (part.id == "card.front" and "card.back" in assembly.by_id):
            continue
        if part.role != "fastener" and part.quantity:
            pieces.append(_own_piece(assembly, part))
    pieces += [_folded_sheet(f.mechanism, sheet, find_slits(f, sheet)) for f in assembly.foldings for sheet in f.sheets]
    pieces += [_folded_sheet("card", sheet) for sheet in (closing.sheets if closing is not None else ())]
    return tuple(pieces)


def find_slits(folding: Folding, sheet: ScoredSheet) -> tuple[Array, ...]:
    """Lines ``(n, 2)`` in the sheet's frame along which it is cut inside: edges of its panels that are neither rim nor crease."""
    edges = shapely.union_all([folding.by_id[p].region.boundary for p in sheet.panels if p in folding.by_id])
    kept = [shapely.LinearRing(ring) for ring in (sheet.outline, *sheet.holes)]
    kept += [shapely.LineString([c.start, c.end]) for c in sheet.creases]
    cut = shapely.difference(edges, shapely.union_all(kept).buffer(SAME_MM, cap_style="flat", join_style="mitre"))
    if cut.is_empty:
        return ()
    lines = shapely.get_parts(shapely.line_merge(cut) if cut.geom_type != "LineString" else cut)
    return tuple(shapely.get_coordinates(line) for line in lines if line.length > 10 * SAME_MM)


def _folded_sheet(mechanism: str, sheet: ScoredSheet, slits: tuple[Array, ...] = ()) -> Piece:
    """A sheet of something that folds, its front up, its panels laid open."""
    origin = sheet.outline.min(axis=0)
    creases = tuple(replace(c, start=_moved(c.start, origin), end=_moved(c.end, origin)) for c in sheet.creases)
    return Piece(
        sheet.id,
        sheet.name,
        sheet.stock,
        sheet.outline - origin,
        tuple(hole - origin for hole in sheet.holes),
        creases,
        sheet.plies,
        sheet.quantity,
        sheet.panels,
        mechanism,
        sheet.note,
        tuple((outline - origin, name) for outline, name in sheet.guides),
        sheet.grain,
        sheet.allowances,
        tuple(slit - origin for slit in slits),
    )


def _moved(point: Point, origin: Array) -> Point:
    return (float(point[0] - origin[0]), float(point[1] - origin[1]))


def _own_piece(assembly: Assembly, part: Part) -> Piece:
    origin = part.outline.min(axis=0)
    creases = tuple(
        Crease(f"score {k + 1}", _moved(a, origin), _moved(b, origin), "valley" if kind == "valley" else "mountain", (part.id, part.id))
        for k, (a, b, kind) in enumerate(part.creases)
    )
    guides = tuple(
        (z.polygon - origin, z.name) for z in assembly.zones if z.part == part.id and z.kind in ("art", "glue") and z.polygon is not part.outline
    )
    return Piece(
        part.id,
        part.name,
        part.stock,
        part.outline - origin,
        tuple(h - origin for h in part.holes),
        creases,
        part.plies,
        part.quantity,
        (part.id,),
        part.mechanism,
        part.note,
        guides,
    )


def _folded_card(assembly: Assembly) -> Piece:
    """The sheet laid open with its outside up: the front on the right of the back, or below it for a fold at the top."""
    card, front = assembly.card, assembly.by_id["card.front"]
    width, height = card.width_mm, card.height_mm
    if card.fold == "left":
        sheet, shift, ends = rectangle(0, 0, 2 * width, height), (width, 0.0), ((width, 0.0), (width, height))
    else:
        sheet, shift, ends = rectangle(0, 0, width, 2 * height), (0.0, 0.0), ((0.0, height), (width, height))
    crease = Crease("fold", *ends, "mountain", ("card.back", "card.front"))
    outline, holes = sheet, tuple(h + shift for h in front.holes)
    if len(front.outline) != 4 or front.holes:
        panel = region_from(front.outline + shift, holes)
        whole = shapely.box(shift[0], shift[1], shift[0] + width, shift[1] + height)
        outline, holes = split_region(shapely.difference(region_from(sheet), shapely.difference(whole, panel)))
    return Piece(
        "card.sheet", "card", card.stock, outline, holes, (crease,), 1, 1, ("card.front", "card.back"), "card", "scored and folded; outside up"
    )


def _hemmed(piece: Piece, assembly: Assembly, closing: Closing | None) -> Piece:
    """The card's sheet with a hem at both free edges: longer by it, scored at both edges, the magnets' places mirrored about the fold."""
    if closing is None or not closing.hem_mm:
        return piece
    hem, card = closing.hem_mm, assembly.card
    axis = 0 if card.fold == "left" else 1
    shift = np.array([hem, 0.0]) if axis == 0 else np.array([0.0, hem])
    width, height = piece.size_mm
    long = height if axis == 0 else width
    ends = (0.0, hem, hem + (width if axis == 0 else height), 2 * hem + (width if axis == 0 else height))
    laid = [shapely.box(a, 0, b, long) if axis == 0 else shapely.box(0, a, long, b) for a, b in ((ends[0], ends[1]), (ends[2], ends[3]))]
    outline, holes = split_region(shapely.union_all([region_from(piece.outline + shift, [h + shift for h in piece.holes]), *laid]))
    lines = [((at, 0.0), (at, long)) if axis == 0 else ((0.0, at), (long, at)) for at in (ends[1], ends[2])]
    hems = tuple(Crease(f"hem-{k + 1}", a, b, "mountain", ("card.back", "card.front"), order=2) for k, (a, b) in enumerate(lines))
    creases = tuple(replace(c, start=_moved(c.start, -shift), end=_moved(c.end, -shift)) for c in piece.creases)
    radius = closing.magnet_mm[0] / 2
    guides = [*piece.guides]
    for x, y in closing.magnets:
        if axis == 0:
            places = ((hem + card.width_mm + x, y), (hem + card.width_mm - x, y))
        else:
            places = ((x, hem + y), (x, hem + 2 * card.height_mm - y))
        guides += [(circle(at, radius_mm=radius), "magnet, on the back") for at in places]
    note = f"{piece.note}; hems folded inwards over the magnets and glued: try the poles in pairs before the glue sets"
    return replace(piece, outline=outline, holes=holes, creases=(*creases, *hems), guides=tuple(guides), note=note)
