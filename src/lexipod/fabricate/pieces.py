"""Pieces to cut. The card's two panels are one scored sheet; every other part is a piece of its own."""

from __future__ import annotations

from dataclasses import dataclass

import shapely

from lexipod.assembly import Assembly, Part
from lexipod.geometry.frames import Array
from lexipod.geometry.shapes import rectangle, region_from, split_region

Crease = tuple[tuple[float, float], tuple[float, float], str]


@dataclass(frozen=True, eq=False)
class Piece:
    """A piece in its own frame, lower left corner at the origin. ``parts`` are the assembly parts that it carries.

    ``guides`` are places on it that are not cut: where something is glued, drawn or stamped, each with what it is for.
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

    @property
    def size_mm(self) -> tuple[float, float]:
        width, height = self.outline.max(axis=0) - self.outline.min(axis=0)
        return float(width), float(height)


def find_pieces(assembly: Assembly) -> tuple[Piece, ...]:
    """All pieces of the card, the card itself first, then from the back to the front."""
    pieces = []
    if "card.back" in assembly.by_id:
        pieces.append(_folded_card(assembly))
    for part in assembly.parts:
        if part.id == "card.back" or (part.id == "card.front" and "card.back" in assembly.by_id):
            continue
        if part.role != "fastener" and part.quantity:
            pieces.append(_own_piece(assembly, part))
    return tuple(pieces)


def _own_piece(assembly: Assembly, part: Part) -> Piece:
    origin = part.outline.min(axis=0)
    creases = tuple(((a[0] - origin[0], a[1] - origin[1]), (b[0] - origin[0], b[1] - origin[1]), kind) for a, b, kind in part.creases)
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
    crease: Crease
    if card.fold == "left":
        sheet, shift, crease = rectangle(0, 0, 2 * width, height), (width, 0.0), ((width, 0.0), (width, height), "mountain")
    else:
        sheet, shift, crease = rectangle(0, 0, width, 2 * height), (0.0, 0.0), ((0.0, height), (width, height), "mountain")
    outline, holes = sheet, tuple(h + shift for h in front.holes)
    if len(front.outline) != 4 or front.holes:
        panel = region_from(front.outline + shift, holes)
        whole = shapely.box(shift[0], shift[1], shift[0] + width, shift[1] + height)
        outline, holes = split_region(shapely.difference(region_from(sheet), shapely.difference(whole, panel)))
    return Piece(
        "card.sheet", "card", card.stock, outline, holes, (crease,), 1, 1, ("card.front", "card.back"), "card", "scored and folded; outside up"
    )
