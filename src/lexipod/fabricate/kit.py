"""What to have for so many cards: sheets, foam, film, brads, thread, magnets, glue, envelopes, with counts and cost."""

from __future__ import annotations

import csv
import math
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from io import StringIO

import numpy as np
import shapely

from lexipod.assembly import Assembly
from lexipod.catalog import Catalog, Price
from lexipod.closing.card import close_card
from lexipod.fabricate.sheeting import LaidSheet, Sheets
from lexipod.units import UnitStyle

THREAD_ENDS_MM = 60.0
FROM_SHELF = "from the shelf"
"""What is said of an off-cut."""
TAPE_MM = 6.0
"""The usual narrow tape: what glue covers is told as a length of it too."""


@dataclass(frozen=True, slots=True)
class KitRow:
    """One thing to have: ``count`` of a ``unit`` (“sheet”, “piece”, “mm” of thread or roll, “mm2” of glue). ``each`` is what one costs, None where
    the catalog has no price."""

    item: str
    name: str
    kind: str
    unit: str
    count: float
    each: float | None
    note: str = ""

    @property
    def cost(self) -> float | None:
        return None if self.each is None else round(self.count * self.each, 2)


@dataclass(frozen=True, eq=False)
class Kit:
    """Everything for a batch."""

    copies: int
    rows: tuple[KitRow, ...]

    @property
    def total(self) -> float:
        """What all rows with a price cost."""
        return round(sum(r.cost or 0.0 for r in self.rows), 2)

    @property
    def without_price(self) -> tuple[str, ...]:
        return tuple(r.name for r in self.rows if r.each is None)


def make_kit(assembly: Assembly, catalog: Catalog, sheets: Sheets) -> Kit:
    """The kit for the copies that the sheets were laid for."""
    copies = sheets.sheeting.copies
    rows = [*_sheet_rows(sheets, catalog), *_bought_rows(assembly, catalog, copies), *_soft_rows(assembly, catalog, copies)]
    return Kit(copies, tuple(rows))


def _sheet_rows(sheets: Sheets, catalog: Catalog) -> Iterator[KitRow]:
    groups: dict[tuple[str, str, str], list[LaidSheet]] = {}
    for sheet in sheets.sheets:
        groups.setdefault((sheet.lot.stock, sheet.lot.colour, sheet.sheet), []).append(sheet)
    for (stock, colour, size_id), group in groups.items():
        named = catalog.stocks[stock].name if stock in catalog.stocks else catalog.foams[stock].name
        name = f"{named}{f', {colour}' if colour else ''}"
        kind, price = catalog.kind_of(stock), catalog.prices.get(stock)
        if size_id in catalog.offcuts:
            yield KitRow(stock, f"{name}, off-cut {catalog.offcuts[size_id].name}", kind, "piece", len(group), 0.0, FROM_SHELF)
            continue
        size = catalog.sheets[size_id]
        if size.roll:
            used = math.ceil(sum(max(region.bounds[3] for _, _, region in s.pieces) + s.board.margin_mm for s in group))
            yield KitRow(stock, f"{name}, {size.name}", kind, "mm", used, _per_area(price, catalog, size.width_mm), "length of the roll that is used")
            continue
        count = sum(s.lot.plies for s in group)
        yield KitRow(stock, f"{name}, {size.name}", kind, "sheet", count, _per_area(price, catalog, size.width_mm * size.height_mm))


def _per_area(price: Price | None, catalog: Catalog, area_mm2: float) -> float | None:
    """What so much of a stock costs; ``area_mm2`` of a roll is that of one mm of it."""
    if price is None:
        return None
    of = catalog.sheets.get(price.of)
    return price.each if of is None else price.each * area_mm2 / (of.width_mm * of.height_mm)


def _bought_rows(assembly: Assembly, catalog: Catalog, copies: int) -> Iterator[KitRow]:
    counted: Counter[str] = Counter()
    for part in assembly.parts:
        if part.quantity and ((part.role == "fastener" and part.stock in catalog.brads) or (part.bought and part.stock in catalog.weights)):
            counted[part.stock] += part.quantity if part.bought and part.stock in catalog.weights else 1
    for item, count in counted.items():
        found = catalog.brads.get(item) or catalog.weights[item]
        yield KitRow(item, found.name, "fastener" if item in catalog.brads else "weight", "piece", count * copies, _each(catalog, item))
    closing = close_card(assembly)
    if closing is not None and closing.magnets:
        across, thick = closing.magnet_mm
        name = f"disc magnet {across:g} × {thick:g} mm"
        yield KitRow("magnet", name, "magnet", "piece", 2 * len(closing.magnets) * copies, _each(catalog, "magnet"), "kept from small children")
    if assembly.card.envelope is not None:
        envelope = catalog.find_envelope(assembly.card.envelope)
        yield KitRow(envelope.id, envelope.name, "envelope", "piece", copies, _each(catalog, envelope.id))


def _soft_rows(assembly: Assembly, catalog: Catalog, copies: int) -> Iterator[KitRow]:
    thread = sum(_thread_mm(assembly))
    if thread:
        yield KitRow("thread", "thread", "thread", "mm", math.ceil(thread * copies), _each(catalog, "thread"))
    glue = glue_mm2(assembly)
    if glue >= 1.0:
        tape = math.ceil(glue * copies / TAPE_MM / 100) / 10
        note = f"or about {tape:g} m of tape {TAPE_MM:g} mm wide; foam sticks by itself"
        yield KitRow("glue", "glued area", "glue", "mm2", math.ceil(glue * copies), _each(catalog, "glue"), note)


def _each(catalog: Catalog, item: str) -> float | None:
    price = catalog.prices.get(item)
    return None if price is None else price.each


def _thread_mm(assembly: Assembly) -> Iterator[float]:
    """What each thread is cut to: its length in the window with both ends to hold and to glue."""
    for folding in assembly.foldings:
        for joint in folding.joints:
            if joint.id.endswith("thread") and joint.at_b is not None:
                yield float(np.linalg.norm(np.subtract(*joint.at_b))) + THREAD_ENDS_MM


def glue_mm2(assembly: Assembly) -> float:
    """The area that is glued on one card: parts that are fixed to each other where they lie on each other, plies of laminated parts, and
    the zones for glue of what folds. Foam sticks by itself."""
    area = 0.0
    folded = {p.id for f in assembly.foldings for p in f.panels}
    for joint in assembly.joints:
        if joint.kind != "fixed" or joint.a in folded or joint.b in folded:
            continue
        a, b = assembly.by_id.get(joint.a), assembly.by_id.get(joint.b)
        if a is None or b is None or "foam" in (a.face, b.face) or "fastener" in (a.role, b.role) or not (a.quantity and b.quantity):
            continue
        area += float(shapely.intersection(a.region_at_home, b.region_at_home).area)
    area += sum(
        (p.plies - 1) * p.quantity * float(p.region.area) for p in assembly.parts if p.plies > 1 and p.face != "foam" and p.role != "fastener"
    )
    area += sum(float(shapely.Polygon(z.polygon).area) for z in assembly.zones if z.kind == "glue" and z.part in folded)
    return area


def kit_json(kit: Kit) -> dict[str, object]:
    """The kit as the documented JSON object; lengths in mm, areas in mm2."""
    rows = [
        {"item": r.item, "name": r.name, "kind": r.kind, "unit": r.unit, "count": round(r.count, 3), "each": r.each, "cost": r.cost, "note": r.note}
        for r in kit.rows
    ]
    return {"format": "lexipod-kit/1", "copies": kit.copies, "rows": rows, "total": kit.total, "without_price": list(kit.without_price)}


def amount_text(count: float, unit: str, style: UnitStyle) -> str:
    """So many of a unit, so long or so large, in the maker's words.

    >>> amount_text(1, "sheet", UnitStyle("mm")), amount_text(3, "piece", UnitStyle("mm")), amount_text(80, "mm", UnitStyle("mm"))
    ('1 sheet', '3 pieces', '80 mm')
    """
    if unit == "mm2":
        return style.area(count)
    if unit == "mm":
        return style.length(count)
    return f"{count:g} {unit}{'' if count == 1 else 's'}"


def kit_text(kit: Kit, style: UnitStyle) -> str:
    """The kit as a table to read."""
    table = [("to have", "how much", "cost")]
    table += [(r.name, amount_text(r.count, r.unit, style), "—" if r.cost is None else f"{r.cost:.2f}") for r in kit.rows]
    table.append((f"for {kit.copies} card{'' if kit.copies == 1 else 's'}", "", f"{kit.total:.2f}"))
    widths = [max(len(row[k]) for row in table) for k in range(3)]
    lines = [f"{a.ljust(widths[0])}  {b.ljust(widths[1])}  {c.rjust(widths[2])}".rstrip() for a, b, c in table]
    notes = [f"  {r.name}: {r.note}" for r in kit.rows if r.note]
    if kit.without_price:
        notes.append(f"  no price in the catalog: {', '.join(kit.without_price)}")
    return "\n".join([*lines, *notes]) + "\n"


def kit_csv(kit: Kit) -> str:
    """The kit as CSV."""
    out = StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["item", "name", "kind", "unit", "count", "each", "cost", "note"])
    for r in kit.rows:
        each, cost = ("" if v is None else f"{v:.4f}" for v in (r.each, r.cost))
        writer.writerow([r.item, r.name, r.kind, r.unit, f"{r.count:g}", each, cost, r.note])
    return out.getvalue()
