"""What is glued on panels that fold: each item becomes a panel of the same body, so it moves, lies among the layers and is counted as
paper like all else there. Like all panels it moves without thickness, which counts where it lies flat."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from lexipod.assembly import Blank, Folding, FoldJoint, Panel
from lexipod.building.items import USUAL_FOAM, cut_outline
from lexipod.catalog import FILM, Catalog
from lexipod.design import Item
from lexipod.geometry.shapes import split_region


def with_items(folding: Folding, items: Iterable[Item], catalog: Catalog) -> Folding:
    """The folding with the items that lie on its own panels."""
    for item in items:
        carrier = folding.by_id.get(item.on)
        if carrier is not None and not carrier.base and not item.is_ink:
            folding = _with_item(folding, item, carrier, catalog)
    return folding


def _with_item(folding: Folding, item: Item, carrier: Panel, catalog: Catalog) -> Folding:
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


__all__ = ["with_items"]
