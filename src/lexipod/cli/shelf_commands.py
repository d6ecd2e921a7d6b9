"""Commands on the shelf: what is there, what is to be bought, what a make takes."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

import msgspec

from lexipod.catalog import Catalog
from lexipod.cli.answers import print_json
from lexipod.cli.record_actions import add_actions, open_store, run_action
from lexipod.cli.sheet_commands import asked_design
from lexipod.design import write_bytes_atomically
from lexipod.errors import ParameterError
from lexipod.fabricate.kit import amount_text
from lexipod.records import shelf
from lexipod.records.making import now_text


def _shelf_list(options: argparse.Namespace, catalog: Catalog) -> int:
    with open_store(options) as store:
        rows = shelf.things(store)
    if options.json:
        print_json({"format": "lexipod-shelf/1", "things": [msgspec.to_builtins(t) for t in rows], "offcuts": len(catalog.offcuts)})
        return 0
    for t in rows:
        low = "  RUNS LOW" if t.runs_low else ""
        print(f"{t.id}: {t.count:g} {t.unit}{'' if t.count == 1 else 's'} of {t.name}{f', {t.place}' if t.place else ''}{low}")
    for o in catalog.offcuts.values():
        print(f"{o.id}: {o.count} × off-cut {o.name} of {o.stock}")
    if not rows and not catalog.offcuts:
        print("the shelf is empty; put something on it with “shelf set ITEM --count N”")
    return 0


def _shelf_set(options: argparse.Namespace, catalog: Catalog) -> int:
    kind, name, unit = shelf.known_item(options.item, catalog)
    with open_store(options) as store:
        old = next((t for t in shelf.things(store) if t.id == (options.as_id or options.item)), None)
        values: dict[str, Any] = {"id": options.as_id or options.item, "item": options.item, "name": name, "kind": kind, "unit": unit}
        if old is not None:
            values |= msgspec.structs.asdict(old)
        for field in ("count", "low", "place", "price", "unit"):
            value = getattr(options, field)
            if value is not None:
                values[field] = value
        try:
            shelf.put_thing(store, shelf.Thing(**values))
        except (TypeError, ValueError) as error:
            raise ParameterError("shelf", str(error)) from error
    return 0


def _shelf_remove(options: argparse.Namespace, catalog: Catalog) -> int:
    with open_store(options) as store:
        shelf.remove_thing(store, options.id)
    return 0


def _shelf_need(options: argparse.Namespace, catalog: Catalog) -> int:
    """Status 1 where something is to be bought."""
    design = asked_design(options, catalog)
    kit, _ = shelf.count_kit(design, catalog)
    with open_store(options) as store:
        short = shelf.find_short(store, kit)
    if options.json:
        print_json({"format": "lexipod-need/1", "copies": kit.copies, "short": [msgspec.to_builtins(s) | {"missing": s.missing} for s in short]})
    else:
        style = design.ways.style()
        for s in short:
            print(f"to buy: {amount_text(s.missing, s.unit, style)} of {s.name} ({amount_text(s.there, s.unit, style)} there)")
        if not short:
            print(f"all that {kit.copies} cards need is on the shelf")
    return 1 if short else 0


def _shelf_take(options: argparse.Namespace, catalog: Catalog) -> int:
    kit, used = shelf.count_kit(asked_design(options, catalog), catalog)
    with open_store(options) as store:
        make = store.get(options.make)
        short = shelf.take_kit(store, kit, make.id, at=now_text())
        shelf.take_offcuts(catalog, used)
        low = [t for t in shelf.things(store) if t.runs_low]
    for s in short:
        print(f"short: {s.missing:g} {s.unit} of {s.name}")
    for t in low:
        print(f"runs low: {t.name}, {t.count:g} left")
    return 0


def _shelf_return(options: argparse.Namespace, catalog: Catalog) -> int:
    with open_store(options) as store:
        given = shelf.give_back(store, store.get(options.id).id)
    print(f"{given} things are back on the shelf" if given else "that make took nothing")
    return 0


def _shelf_export(options: argparse.Namespace, catalog: Catalog) -> int:
    with open_store(options) as store:
        write_bytes_atomically(shelf.shelf_csv(store).encode(), options.to)
    return 0


def _shelf_import(options: argparse.Namespace, catalog: Catalog) -> int:
    with open_store(options) as store:
        brought = shelf.import_shelf(store, options.file)
    print(f"{brought} things on the shelf now are as the file says")
    return 0


def _add_shelf(parser: argparse.ArgumentParser) -> None:
    action = add_actions(parser)
    action("list", "What is there.", _shelf_list).add_argument("--json", action="store_true")
    put = action("set", "Puts something there, or says how much is left.", _shelf_set, "item")
    put.add_argument("--count", type=float, metavar="N")
    put.add_argument("--low", type=float, metavar="N", help="below so many it is said to run out")
    put.add_argument("--place", metavar="TEXT")
    put.add_argument("--price", type=float)
    put.add_argument("--unit", choices=shelf.UNITS)
    put.add_argument("--as", dest="as_id", metavar="ID", help="an id of its own, where there are several of an item")
    action("remove", "Takes something off.", _shelf_remove, "id")
    for name, does, act in (
        ("need", "What is to be bought for a card or a batch. Status 1: something.", _shelf_need),
        ("take", "Takes the kit for a make.", _shelf_take),
    ):
        sub = action(name, does, act, "file")
        sub.add_argument("--copies", type=int, metavar="N")
        if name == "need":
            sub.add_argument("--json", action="store_true")
        else:
            sub.add_argument("--make", required=True, metavar="ID")
    action("return", "Puts back what a make took.", _shelf_return, "id")
    action("export", "The shelf as CSV.", _shelf_export).add_argument("--to", type=Path, required=True, metavar="OUT.csv")
    action("import", "The shelf from CSV.", _shelf_import, "file")


ROWS: tuple[Any, ...] = (("shelf", "What is in stock.", "lexipod shelf need fog.lexipod --copies 25", run_action, _add_shelf, False),)
