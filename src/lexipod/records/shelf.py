"""The shelf: what is there, how much of it, where it lies and what it costs."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import msgspec

from lexipod.building import build_assembly
from lexipod.catalog import Catalog, Offcut
from lexipod.catalog.book import keep_offcuts
from lexipod.design import Design
from lexipod.fabricate.kit import FROM_SHELF, Kit, KitRow, make_kit
from lexipod.fabricate.sheeting import Sheets, lay_sheets
from lexipod.records.store import LogError, Store

CSV_FIELDS = ("id", "item", "name", "kind", "unit", "count", "low", "place", "price", "outline")
UNITS = ("sheet", "piece", "mm", "mm2", "roll")
CLOSE = 1e-6


class Thing(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Something on the shelf. ``item`` is its id in the catalog (a stock, foam, brad, sheet …), ``unit`` what is counted; below ``low`` it is
    said to run out. An off-cut has its outline (mm)."""

    id: str
    item: str
    name: str
    kind: str = "paper"
    unit: str = "sheet"
    count: float = 0.0
    low: float = 0.0
    place: str = ""
    price: float | None = None
    outline: tuple[tuple[float, float], ...] = ()

    def __post_init__(self) -> None:
        if not self.id or not self.item:
            raise ValueError("a thing on the shelf has an id, and says what it is")
        if self.unit not in UNITS:
            raise ValueError(f"{self.id}: what is counted is one of {', '.join(UNITS)}, not “{self.unit}”")
        for told, value in (("count", self.count), ("low", self.low), ("price", self.price or 0.0)):
            if not 0 <= value < 1e9:
                raise ValueError(f"{self.id}: {told} is 0 or more, not {value:g}")

    @property
    def runs_low(self) -> bool:
        return self.count < self.low - CLOSE


class Short(msgspec.Struct, frozen=True):
    """What a kit asks for that the shelf has not: the row, how much is there, how much is missing."""

    item: str
    name: str
    unit: str
    wanted: float
    there: float

    @property
    def missing(self) -> float:
        return max(0.0, self.wanted - self.there)


def things(store: Store) -> list[Thing]:
    """Everything on the shelf, by kind and name."""
    out = []
    for row in store.rows("SELECT id, item, name, kind, unit, count, low, place, price, outline FROM shelf ORDER BY kind, name, id"):
        outline = tuple((float(x), float(y)) for x, y in json.loads(row[9] or "[]"))
        out.append(Thing(*row[:9], outline))  # type: ignore[call-arg]
    return out


def known_item(item: str, catalog: Catalog) -> tuple[str, str, str]:
    """Kind, name and unit of a catalog entry; any other word is a thing of its own."""
    if item in catalog.stocks:
        return catalog.kind_of(item), catalog.stocks[item].name, "sheet"
    if item in catalog.foams:
        return "foam", catalog.foams[item].name, "sheet"
    if item in catalog.brads:
        return "fastener", catalog.brads[item].name, "piece"
    if item in catalog.weights:
        return "weight", catalog.weights[item].name, "piece"
    if item in catalog.envelopes:
        return "envelope", catalog.envelopes[item].name, "piece"
    return ("thread", item, "mm") if item == "thread" else ("other", item, "piece")


def put_thing(store: Store, thing: Thing) -> None:
    """A thing as it is now, in place of one of its id."""
    put_things(store, [thing])


def put_things(store: Store, rows: Sequence[Thing]) -> None:
    """Things as they are now, each in place of one of its id; all of them or none."""
    with store.changing():
        for thing in rows:
            _put(store, thing)


def _put(store: Store, thing: Thing) -> None:
    outline = json.dumps(thing.outline) if thing.outline else ""
    values = (thing.id, thing.item, thing.name, thing.kind, thing.unit, thing.count, thing.low, thing.place, thing.price, outline)
    store.run("INSERT OR REPLACE INTO shelf VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)", values)


def remove_thing(store: Store, thing_id: str) -> None:
    """Takes a thing off; ``LogError`` where it is not there."""
    with store.changing():
        if store.run("DELETE FROM shelf WHERE id = ?", (thing_id,)) == 0:
            raise LogError(f"there is no {thing_id} on the shelf")


def wants(kit: Kit) -> list[KitRow]:
    """The rows of a kit that are taken from the shelf: glue is not counted, off-cuts are a list of their own."""
    return [r for r in kit.rows if r.unit != "mm2" and r.count > 0 and r.note != FROM_SHELF]


def find_short(store: Store, kit: Kit) -> list[Short]:
    """What is to be bought for a kit, beyond what the shelf has."""
    have = _have(things(store))
    rows = [Short(r.item, r.name, r.unit, r.count, have.get((r.item, r.unit), 0.0)) for r in wants(kit)]
    return [s for s in rows if s.missing > CLOSE]


def _have(on_shelf: Sequence[Thing]) -> dict[tuple[str, str], float]:
    have: dict[tuple[str, str], float] = {}
    for thing in on_shelf:
        if not thing.outline:
            have[(thing.item, thing.unit)] = have.get((thing.item, thing.unit), 0.0) + thing.count
    return have


def take_kit(store: Store, kit: Kit, make_id: str, *, at: str = "") -> list[Short]:
    """Takes a kit off the shelf for a make, as far as it is there; once for each make. What was short comes back."""
    short = find_short(store, kit)
    with store.changing():
        if has_taken(store, make_id):
            raise LogError("this make took its kit from the shelf already")
        for row in wants(kit):
            left = row.count
            for thing in things(store):
                if thing.outline or (thing.item, thing.unit) != (row.item, row.unit) or left <= CLOSE:
                    continue
                taken = min(left, thing.count)
                left -= taken
                store.run("UPDATE shelf SET count = ? WHERE id = ?", (thing.count - taken, thing.id))
                store.run("INSERT INTO takings VALUES (?, ?, ?, ?)", (make_id, thing.id, taken, at))
    return short


def has_taken(store: Store, make_id: str) -> bool:
    """Whether a make took its kit."""
    return bool(store.rows("SELECT 1 FROM takings WHERE make = ?", (make_id,)))


def give_back(store: Store, make_id: str) -> int:
    """Puts back what a make took; how many things."""
    with store.changing():
        rows = store.rows("SELECT item, count FROM takings WHERE make = ?", (make_id,))
        for thing_id, count in rows:
            store.run("UPDATE shelf SET count = count + ? WHERE id = ?", (count, thing_id))
        store.run("DELETE FROM takings WHERE make = ?", (make_id,))
    return len(rows)


def count_kit(design: Design, catalog: Catalog) -> tuple[Kit, list[str]]:
    """What the copies of a design need, laid on sheets as it says, and the off-cuts that this uses."""
    assembly = build_assembly(design, catalog)
    sheets = lay_sheets(assembly, catalog, design)
    return make_kit(assembly, catalog, sheets), offcuts_used(sheets, catalog)


def offcuts_used(sheets: Sheets, catalog: Catalog) -> list[str]:
    """The off-cuts on which pieces of a batch were laid, by id, each as often as it was used."""
    return [s.sheet for s in sheets.sheets if s.sheet in catalog.offcuts]


def take_offcuts(catalog: Catalog, used: Sequence[str], folder: Path | None = None) -> list[Offcut]:
    """The off-cuts of the catalog less those that were used; written back where any were."""
    left = [replace(o, count=max(0, o.count - list(used).count(o.id))) for o in catalog.offcuts.values()]
    left = [o for o in left if o.count > 0]
    if used:
        keep_offcuts(left, folder)
    return left


def shelf_csv(store: Store) -> str:
    """The shelf as CSV; it can be read back."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(CSV_FIELDS)
    for t in things(store):
        outline = " ".join(f"{x:g},{y:g}" for x, y in t.outline)
        price = "" if t.price is None else f"{t.price:g}"
        writer.writerow([t.id, t.item, t.name, t.kind, t.unit, f"{t.count:g}", f"{t.low:g}", t.place, price, outline])
    return out.getvalue()


def import_shelf(store: Store, path: Path) -> int:
    """Things of a CSV file as they are now, all of them or none; how many. ``LogError`` where it cannot be read."""
    try:
        text = path.read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError) as error:
        raise LogError(f"{path}: cannot be read ({error})") from error
    rows = read_shelf_csv(text, path)
    put_things(store, rows)
    return len(rows)


def read_shelf_csv(text: str, source: object) -> list[Thing]:
    """Things of a CSV; ``LogError`` names the row at fault."""
    out: list[Thing] = []
    try:
        rows = list(csv.DictReader(io.StringIO(text)))
    except csv.Error as error:
        raise LogError(f"{source}: is no CSV that can be read ({error})") from error
    if not rows or not {"item", "count"} <= set(rows[0]):
        raise LogError(f"{source}: a shelf has the columns {', '.join(CSV_FIELDS)}")
    for number, row in enumerate(rows, 2):
        try:
            values = {k: v for k, v in row.items() if k in CSV_FIELDS and v}
            outline = tuple((float(x), float(y)) for x, y in (p.split(",") for p in values.pop("outline", "").split()))
            count, low = (float(values.pop(k, 0.0)) for k in ("count", "low"))
            price = float(values.pop("price")) if "price" in values else None
            values.setdefault("id", values.get("item", ""))
            values.setdefault("name", values["id"])
            out.append(Thing(**values, count=count, low=low, price=price, outline=outline))
        except (TypeError, ValueError) as error:
            raise LogError(f"{source}, row {number}: {error}; nothing was changed") from error
    return out
