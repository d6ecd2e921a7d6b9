"""Where a piece is cut in two that lap it lies double: that thickness is a part of the card, so that heights and gaps count it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from lexipod.assembly import Joint, Part
from lexipod.building.items import build_items
from lexipod.catalog import Catalog
from lexipod.design import Item
from lexipod.design.sheeting import Lap


def build_laps(laps: Mapping[str, Lap], parts: list[Part], catalog: Catalog) -> tuple[list[Part], list[Joint]]:
    """The second thickness of each lap, behind its part and fixed to it; it is no piece to cut. A panel that folds in space has none, and is not
    lapped."""
    by_id = {p.id: p for p in parts}
    made: list[Part] = []
    joints: list[Joint] = []
    for number, (name, lap) in enumerate(laps.items(), 1):
        carrier = by_id.get(name)
        if carrier is None or carrier.stock not in catalog.stocks:
            continue  # `lap_fault` says why there is none
        (x0, y0), (x1, y1) = carrier.box
        across = lap.along == "width"
        at = (lap.at - float(x1 - x0) / 2, 0.0) if across else (0.0, lap.at - float(y1 - y0) / 2)
        width, height = (lap.over, float(y1 - y0)) if across else (float(x1 - x0), lap.over)
        item = Item(f"lap{number}", "decoration", name, "back", at, width, height, layers=0, stock=carrier.stock)
        thick = carrier.thickness_mm
        found, tied, _ = build_items([item], [*parts, *made], catalog)
        made += [replace(p, item="", quantity=0, name=f"lap of the {carrier.name}", thickness_mm=thick, z_mm=carrier.z_mm - thick) for p in found]
        joints += tied
    return made, joints
