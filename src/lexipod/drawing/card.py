"""The card from the front, as paper: parts from the back to the front, and what is hidden behind them in dashes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Assembly, Part
from lexipod.drawing.cues import draw_cue
from lexipod.drawing.display import Drawing, Primitive, Shape, Stroke
from lexipod.geometry.frames import Array, apply_pose, transform_regions
from lexipod.geometry.shapes import region_from, split_region


@dataclass(frozen=True, eq=False)
class PartLayer:
    """What one part looks like, in its own frame: ``front`` as paper, ``behind`` over everything as hidden edges.

    ``over`` are parts that lie under it wherever they cross; that may go round in a ring, so no order of drawing is right alone.
    """

    part: str
    front: tuple[Primitive, ...]
    behind: tuple[Primitive, ...] = ()
    over: tuple[str, ...] = ()


def part_layer(assembly: Assembly, part: Part, art: tuple[Shape, ...] = ()) -> PartLayer:
    """The layer of one part; ``art`` holds shapes in its frame."""
    rings = (part.outline, *part.holes)
    front: list[Primitive] = [Shape(rings, _pen(part), part.face, part.id)]
    front += [Stroke(np.array(s.line), "hidden", part.id) for s in assembly.seams if s.b == part.id and s.line]
    if art:
        front += [*art, Shape(rings, _pen(part), "", part.id)]
    front += [item for cue in assembly.cues if cue.part == part.id for item in draw_cue(cue)]
    behind: tuple[Primitive, ...] = ()
    if is_hidden(assembly, part):
        behind = (Shape(rings if part.face == "foam" else (part.outline,), "hidden", "hatch" if part.face == "foam" else "", part.id),)
    return PartLayer(part.id, tuple(front), behind, part.over)


def seen_parts(assembly: Assembly) -> list[Part]:
    """The parts that are seen from the front, from the back to the front."""
    return sorted((p for p in assembly.parts if p.id != "card.back"), key=lambda p: p.z_mm)


def part_layers(assembly: Assembly, *, art: Mapping[str, tuple[Shape, ...]] | None = None) -> tuple[PartLayer, ...]:
    """A layer for each part that is seen, from the back to the front."""
    return tuple(part_layer(assembly, part, (art or {}).get(part.id, ())) for part in seen_parts(assembly))


def draw_card(assembly: Assembly, poses: Mapping[str, Array], *, art: Mapping[str, tuple[Shape, ...]] | None = None, hidden: bool = True) -> Drawing:
    """The card with every part at its pose ``(3,)`` (at home where none is given).

    With ``hidden`` the edges that lie behind other parts are drawn over them in dashes, spacers hatched.
    """
    front: list[Primitive] = []
    behind: list[Primitive] = []
    drawn: set[str] = set()
    for layer in part_layers(assembly, art=art):
        pose = poses.get(layer.part)
        pose = np.asarray(assembly.by_id[layer.part].home if pose is None else pose, dtype=float)
        laid = [item.mapped(partial(apply_pose, pose)) for item in layer.front]
        front += _cut_back(laid, _region_over(assembly, layer.part, poses, seen=drawn))
        drawn.add(layer.part)
        behind += [item.mapped(partial(apply_pose, pose)) for item in layer.behind] if hidden else []
    card = assembly.card
    box = shapely.unary_union([shapely.box(0, 0, card.width_mm, card.height_mm), *(door.region_at_home for door in assembly.gates)]).bounds
    return Drawing((*front, *behind), box, card.title)


def _region_over(assembly: Assembly, part_id: str, poses: Mapping[str, Array], *, seen: set[str]) -> Any:
    """What lies over a part although it was drawn before it."""
    above = [p for p in assembly.parts if part_id in p.over and p.id in seen]
    laid = [transform_regions(p.region, np.asarray(p.home if poses.get(p.id) is None else poses[p.id]))[0] for p in above]
    return shapely.union_all(laid) if laid else shapely.Polygon()


def _cut_back(items: list[Primitive], above: Any) -> list[Primitive]:
    """Shapes without what lies over them."""
    if above.is_empty:
        return items
    out: list[Primitive] = []
    for item in items:
        if not isinstance(item, Shape) or len(item.rings) == 0:
            out.append(item)
            continue
        left = shapely.difference(region_from(item.rings[0], item.rings[1:]), above)
        for piece in shapely.get_parts(left):
            if piece.geom_type == "Polygon" and piece.area > 1e-9:
                outline, holes = split_region(piece)
                out.append(replace(item, rings=(outline, *holes)))
    return out


def _pen(part: Part) -> str:
    return "moving" if part.role in ("moving", "decoration") else "outline"


def is_hidden(assembly: Assembly, part: Part) -> bool:
    """Whether the part lies behind something that is meant to cover it; sheets that stand past their cover do not count."""
    if part.face == "foam":
        return True
    covers = [p for p in assembly.parts if p.role == "cover" and p.level > part.level]
    return part.mechanism != "card" and any(
        part.role == "moving" or shapely.box(*c.region_at_home.bounds).contains(part.region_at_home) for c in covers
    )
