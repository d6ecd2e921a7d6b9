"""What is glued on panels that fold: each item becomes a panel of the same body, so it moves, lies among the layers and is counted as
paper like all else there. Like all panels it moves without thickness, which counts where it lies flat."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Blank, Crease, Folding, FoldJoint, Panel
from lexipod.assembly.blanks import Point
from lexipod.building.items import LEAST_HOLE_MM2, USUAL_FOAM, cut_outline, largest_piece
from lexipod.catalog import FILM, Catalog
from lexipod.design import Item
from lexipod.errors import ParameterError, quoted
from lexipod.geometry.shapes import join_regions, scraps_of, split_region

LEAST_SCORE_MM = 6.0
"""Two halves of a mat that hang together by less would tear apart when it is folded."""
ON_LINE_MM = 1e-3


def with_items(folding: Folding, items: Iterable[Item], catalog: Catalog) -> Folding:
    """The folding with the items that lie on its own panels."""
    for item in items:
        carrier = folding.by_id.get(item.on)
        if carrier is not None and not carrier.base and not item.is_ink:
            folding = _with_item(folding, item, carrier, catalog)
    return folding


def neighbours_of(folding: Folding, panel: str) -> tuple[str, ...]:
    """The panels that a panel hangs together with over a crease of the same piece."""
    pairs = [c.panels for s in folding.sheets for c in s.creases if panel in c.panels]
    return tuple(dict.fromkeys(p for pair in pairs for p in pair if p != panel))


def _with_item(folding: Folding, item: Item, carrier: Panel, catalog: Catalog) -> Folding:
    if item.across:
        return _with_mat_across(folding, item, carrier, catalog)
    side = 1 if item.face == "front" else -1
    outline, holes = split_region(cut_outline(item, carrier.outline, carrier.holes))
    name = f"{folding.mechanism}.item-{item.id}"
    rows: list[tuple[str, str, str, float, int]] = []
    if item.kind in ("pad", "glide"):
        foam = item.stock or USUAL_FOAM
        rows.append((name, f"foam pad {item.id}", foam, item.layers * catalog.foams[foam].thickness_mm, item.layers))
    else:
        if item.kind in ("decoration", "shape") and item.layers:
            tall = item.layers * catalog.foams[USUAL_FOAM].thickness_mm
            rows.append((f"{name}-foam", f"foam under {item.kind} {item.id}", USUAL_FOAM, tall, item.layers))
        stock = item.stock or (FILM if item.kind == "film" else carrier.stock)
        rows.append((name, f"{item.kind} {item.id}", stock, catalog.stocks[stock].caliper_mm, 1))
    below = carrier
    for panel_id, label, stock, tall, plies in rows:
        is_foam = stock in catalog.foams
        face = "foam" if is_foam else "film" if item.kind == "film" else "picture"
        faces = (face, "paper") if side > 0 else ("paper", face)
        made = Panel(panel_id, label, folding.mechanism, panel_id, outline, stock, tall, holes=holes, plies=plies, faces=faces, item=item.id)
        joint = FoldJoint(f"{panel_id}-glued", "fixed", panel_id, below.id, side=side)
        folding = replace(
            folding,
            panels=(*folding.panels, made),
            joints=(*folding.joints, joint),
            sheets=(*folding.sheets, Blank(panel_id, label, stock, outline, (panel_id,), holes=holes, plies=plies)),
        )
        below = made
    return folding


def _with_mat_across(folding: Folding, item: Item, carrier: Panel, catalog: Catalog) -> Folding:
    """A mat over two panels of one piece: cut in one, scored where that piece is, glued to both."""
    sheet = next((s for s in folding.sheets if any({item.on, item.across} == set(c.panels) for c in s.creases)), None)
    if sheet is None:
        beside = [f"{folding.by_id[p].name} ({p})" for p in neighbours_of(folding, item.on) if not folding.by_id[p].base]
        would_do = f"; beside it {'are' if len(beside) > 1 else 'is'} {', '.join(beside)}" if beside else "; it hangs on no fold"
        raise ParameterError(f"items.{item.id}.across", f"{quoted(item.across)} is no panel beside the {carrier.name}{would_do}")
    creases = [c for c in sheet.creases if {item.on, item.across} == set(c.panels)]
    panels = (carrier, folding.by_id[item.across])
    laid = [np.asarray(sheet.laid.get(p.id, _AS_IT_IS), dtype=float) for p in panels]
    regions = [shapely.transform(p.region, lambda xy, m=m: xy @ m[:, :2].T + m[:, 2]) for p, m in zip(panels, laid, strict=True)]
    whole = shapely.buffer(join_regions(regions), -item.border, join_style="mitre", mitre_limit=3.0)
    pieces = [shapely.intersection(whole, r) for r in regions]
    if any(p.area < LEAST_HOLE_MM2 for p in pieces):
        raise ParameterError(f"items.{item.id}", "nothing is left of it inside its border; a narrower one would do")
    pieces = [largest_piece(p) for p in pieces]
    stretches = [(c, a, b) for c in creases for a, b in _inside(c, whole) if all(p.distance(_middle(a, b)) < ON_LINE_MM for p in pieces)]
    if sum(math.dist(a, b) for _, a, b in stretches) < LEAST_SCORE_MM:
        raise ParameterError(f"items.{item.id}.across", "its two halves would not hang together inside its border; lay one on each panel")
    name, label = f"{folding.mechanism}.item-{item.id}", f"mat {item.id}"
    stock = item.stock or carrier.stock
    side = 1 if item.face == "front" else -1
    made, joints = [], []
    for panel, m, piece, own in zip(panels, laid, pieces, (name, f"{name}-across"), strict=True):
        to_panel = np.linalg.inv(m[:, :2])
        outline, holes = split_region(shapely.transform(piece, lambda xy, m=m, back=to_panel: (xy - m[:, 2]) @ back.T))
        face = side if np.linalg.det(m[:, :2]) * np.linalg.det(laid[0][:, :2]) > 0 else -side
        faces = ("picture", "paper") if face > 0 else ("paper", "picture")
        tall = catalog.stocks[stock].caliper_mm
        made.append(Panel(own, label, folding.mechanism, own, outline, stock, tall, holes=holes, faces=faces, item=item.id))
        joints.append(FoldJoint(f"{own}-glued", "fixed", own, panel.id, side=face))
    renamed = {item.on: name, item.across: f"{name}-across"}
    joined = join_regions(pieces)
    outline, holes = split_region(joined)
    scores = [replace(c, start=a, end=b, panels=(renamed[c.panels[0]], renamed[c.panels[1]])) for c, a, b in stretches]
    own_laid = {renamed[p.id]: m for p, m in zip(panels, laid, strict=True) if p.id in sheet.laid}
    note = "fold it with what it is glued to before the glue sets"
    blank = Blank(
        name,
        label,
        stock,
        outline,
        tuple(renamed.values()),
        holes=holes,
        creases=tuple(scores),
        laid=own_laid,
        note=note,
        grain=sheet.grain,
        apart=scraps_of(joined),
    )
    return replace(folding, panels=(*folding.panels, *made), joints=(*folding.joints, *joints), sheets=(*folding.sheets, blank))


_AS_IT_IS = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0))


def _inside(crease: Crease, region: Any) -> list[tuple[Point, Point]]:
    """The stretches of a crease that lie in a region."""
    found = shapely.intersection(shapely.LineString([crease.start, crease.end]), region)
    lines = [shapely.get_coordinates(p) for p in shapely.get_parts(found) if p.geom_type == "LineString" and not p.is_empty]
    return [((float(xy[0, 0]), float(xy[0, 1])), (float(xy[-1, 0]), float(xy[-1, 1]))) for xy in lines]


def _middle(a: Point, b: Point) -> Any:
    return shapely.Point((a[0] + b[0]) / 2, (a[1] + b[1]) / 2)


__all__ = ["neighbours_of", "with_items"]
