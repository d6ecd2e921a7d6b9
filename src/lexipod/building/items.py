"""What the maker glues on besides the mechanisms' own parts, as parts of the card; and corners that are rounded."""

from __future__ import annotations

import math
from collections.abc import Container, Iterable, Sequence
from dataclasses import replace
from typing import Any

import shapely

from lexipod.assembly import Handle, Joint, Part
from lexipod.catalog import FILM, Catalog
from lexipod.design import Item
from lexipod.errors import ChoiceError, ParameterError
from lexipod.geometry.frames import Array, apply_pose
from lexipod.geometry.shapes import split_region
from lexipod.pictures import laid_outline

USUAL_FOAM = "foam-2"
LEAST_HOLE_MM2 = 2.0
"""A hole of a cut-out shape that is smaller is not cut."""
PAD_INSET_MM = 1.5
"""The foam under a decoration stays this far inside its edge, so that it is not seen."""


def round_corners(part: Part, radius_mm: float) -> Part:
    """The part with its outward corners rounded, as far as its narrowest place allows."""
    holes = shapely.unary_union([shapely.Polygon(h) for h in part.holes]) if part.holes else shapely.Polygon()
    outer = shapely.Polygon(part.outline)
    radius = min(radius_mm, 0.49 * float(min(part.size_mm)))
    while radius > 0.2:
        rounded = outer.buffer(-radius, join_style="mitre").buffer(radius, quad_segs=8)
        if rounded.geom_type == "Polygon" and rounded.area > 0.6 * outer.area:
            outline, cut = split_region(shapely.difference(rounded, holes))
            return replace(part, outline=outline, holes=cut)
        radius /= 2
    return part


def build_items(items: Iterable[Item], parts: list[Part], catalog: Catalog, panels: Container[str] = ()) -> tuple[list[Part], list[Joint], list[str]]:
    """Parts and joints of the items on parts that are there, and the ids of items that lie neither on those nor on one of ``panels``."""
    made: list[Part] = []
    joints: list[Joint] = []
    strays: list[str] = []
    by_id = {p.id: p for p in parts}
    for item in items:
        if item.is_ink:
            strays += [] if item.on in by_id or item.on in panels else [item.id]
            continue
        if item.stock:
            table = catalog.foams if item.kind in ("pad", "glide") else catalog.stocks
            if item.stock not in table:
                raise ParameterError(
                    f"items.{item.id}.stock", str(ChoiceError("foam" if table is catalog.foams else "stock", item.stock, sorted(table)))
                )
        carrier = by_id.get(item.on)
        if carrier is None:
            strays += [] if item.on in panels else [item.id]
            continue
        if item.across:
            raise ParameterError(f"items.{item.id}.across", f"the {carrier.name} hangs on no fold that a mat can lie across; lay one on each side")
        for part, joint in _parts_of(item, carrier, [*parts, *made], catalog):
            made.append(part)
            joints.append(joint)
            by_id[part.id] = part
    return made, joints, strays


def item_handles(items: Iterable[Item], parts: list[Part]) -> list[Handle]:
    """A handle in the middle of every item that is there, which moves it on its part."""
    found = []
    by_item = {p.item: p for p in parts if p.item and not p.id.endswith("-foam")}
    for item in items:
        part = by_item.get(item.id)
        if part is None:
            continue
        x, y = apply_pose(part.home, [(part.box[0] + part.box[1]) / 2])[0]
        turn = part.home[2]
        ways = ((math.cos(turn), math.sin(turn)), (-math.sin(turn), math.cos(turn)))
        at = (float(x), float(y))
        found.append(
            Handle(part.mechanism, f"item.{item.id}.at", f"{item.kind} {item.id}", at, ways[0], 1.0, (at, at), stations=("fit",), cross=ways[1])
        )
    return found


def item_region(item: Item, carrier: Part) -> Any:
    """Where an item lies on its part, in that part's frame: one piece, the largest where its outline has several."""
    return cut_outline(item, carrier.outline, carrier.holes)


def cut_outline(item: Item, outline: Array, holes: Sequence[Array]) -> Any:
    """What is cut for an item on something with such an outline and openings: a mat has openings larger by its border. ``ParameterError``
    where nothing is left."""
    region = laid_outline(item, outline)
    if item.kind == "mat" and holes:
        region = shapely.difference(region, shapely.union_all([shapely.Polygon(h).buffer(item.border, join_style="mitre") for h in holes]))
    if region.is_empty:
        raise ParameterError(f"items.{item.id}", "nothing is left of it inside its border; a narrower one would do")
    return largest_piece(region)


def largest_piece(region: Any) -> Any:
    """The largest piece of a region, without what is too small to be cut."""
    pieces = [p for p in shapely.get_parts(region) if p.geom_type == "Polygon"]
    piece = max(pieces, key=lambda p: p.area)
    return shapely.Polygon(piece.exterior, [h for h in piece.interiors if shapely.Polygon(h).area > LEAST_HOLE_MM2])


def _parts_of(item: Item, carrier: Part, parts: list[Part], catalog: Catalog) -> list[tuple[Part, Joint]]:
    """The piece itself, and under a raised decoration its foam."""
    region = item_region(item, carrier)
    on_front = item.face == "front"
    base = carrier.top_mm if on_front else carrier.z_mm
    name = f"{carrier.mechanism}.item-{item.id}"
    rows = []
    if item.kind in ("pad", "glide"):
        foam = item.stock or _foam_under(parts)
        tall = item.layers * catalog.foams[foam].thickness_mm
        label = "foam pad" if item.kind == "pad" else "glide pad"
        rows.append((name, f"{label} {item.id}", "spacer", region, tall, foam, item.layers, 0.0))
    else:
        lift = 0.0
        if item.kind in ("decoration", "shape") and item.layers:
            foam = _foam_under(parts)
            lift = item.layers * catalog.foams[foam].thickness_mm
            inner = largest_piece(region.buffer(-min(PAD_INSET_MM, 0.25 * min(item.width, item.height)), join_style="mitre"))
            rows.append((f"{name}-foam", f"foam under {item.kind} {item.id}", "spacer", inner, lift, foam, item.layers, 0.0))
        usual = FILM if item.kind == "film" else carrier.stock if carrier.stock in catalog.stocks else "card-300"
        stock = item.stock or usual
        rows.append((name, f"{item.kind} {item.id}", "decoration", region, catalog.stocks[stock].caliper_mm, stock, 1, lift))
    made = []
    below = carrier
    for part_id, label, role, shape, tall, stock, plies, lift in rows:
        z = base + lift if on_front else base - lift - tall
        level, through = _levels(carrier, parts, z, z + tall, on_front=on_front)
        outline, holes = split_region(shape)
        x, y, _, _ = shape.bounds
        home = apply_pose(carrier.home, [(x, y)])[0]
        face = "foam" if role == "spacer" else "film" if item.kind == "film" else "paper"
        part = Part(
            part_id,
            label,
            carrier.mechanism,
            role,  # type: ignore[arg-type]
            level,
            stock,
            tall,
            z,
            outline - (x, y),
            (float(home[0]), float(home[1]), carrier.home[2]),
            holes=tuple(h - (x, y) for h in holes),
            plies=plies,
            through=through,
            face=face,
            glides=item.kind == "glide",
            item=item.id,
        )
        made.append((part, Joint(f"{part_id}-glued", "fixed", part_id, below.id)))
        below = part
        parts = [*parts, part]
    return made


def _foam_under(parts: list[Part]) -> str:
    """The foam that the card uses already; the usual one where there is none."""
    return next((p.stock for p in parts if p.role == "spacer" and p.stock.startswith("foam")), USUAL_FOAM)


def _levels(carrier: Part, parts: list[Part], low: float, high: float, *, on_front: bool) -> tuple[float, tuple[float, ...]]:
    """The level of something glued on a part, and those in which it takes room besides: those of everything at its height.

    Its own lies half way between what is wholly under it and what is wholly over it, so that it is drawn in its place and shares its
    level with nothing.
    """
    at_height = {p.level for p in parts if p.id != carrier.id and p.z_mm < high - 1e-6 and p.top_mm > low + 1e-6}
    under = [p.level for p in parts if p.top_mm <= low + 1e-6]
    over = [p.level for p in parts if p.z_mm >= high - 1e-6]
    bottom, top = max(under, default=carrier.level - 1.0), min(over, default=carrier.level + 1.0)
    if on_front:
        bottom = max(bottom, carrier.level)
        top = min((k for k in over if k > bottom), default=bottom + 1.0)
    else:
        top = min(top, carrier.level)
        bottom = max((k for k in under if k < top), default=top - 1.0)
    return (bottom + top) / 2, tuple(sorted(at_height))
