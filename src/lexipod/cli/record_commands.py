"""Commands on what was made: the log, the shelf, the maker's own errors."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import Any

import msgspec

from lexipod.building import build_assembly
from lexipod.catalog import Catalog
from lexipod.checks import Examination, run_checks
from lexipod.cli.answers import print_json
from lexipod.design import Design, write_bytes_atomically, write_design
from lexipod.errors import ChoiceError, ParameterError, quoted
from lexipod.fabricate.kit import Kit, make_kit
from lexipod.fabricate.sheeting import lay_sheets
from lexipod.pipeline import open_design
from lexipod.planning.model import Asked
from lexipod.planning.plan import make_plan
from lexipod.records import backup, shelf
from lexipod.records.calibration import bins, calibrate
from lexipod.records.learning import Learned, learn_all, learned_text, own_errors
from lexipod.records.makes import KINDS, RAN, RAN_WORDS, Make, Measure
from lexipod.records.making import begin_make, compare_makes, now_text, said_last, write_design_of
from lexipod.records.photographs import keep_photograph
from lexipod.records.store import LogError, Store
from lexipod.units import UnitStyle, parse_length

SORTS = ("date", "title", "ran", "minutes")


def _store(options: argparse.Namespace) -> Store:
    return Store(options.data)


def asked_measures(design: Design, catalog: Catalog) -> dict[str, Asked]:
    """Every quick measure of a design by its id."""
    plan = make_plan(build_assembly(design, catalog), catalog, design)
    return {a.id: a for s in plan.steps for a in s.asks}


def _measures(given: list[str], design: Design, catalog: Catalog) -> list[Measure]:
    """Measures as they are written: a known one by its id, any other as KIND:NAME=DESIGNED->MEASURED."""
    known = asked_measures(design, catalog) if given else {}
    out = []
    for text in given:
        name, equals, value = text.partition("=")
        if not equals:
            raise ParameterError("--measure", f"{quoted(text)} is no measure; write NAME=LENGTH, or KIND:NAME=DESIGNED->MEASURED")
        try:
            out.append(_measure(name.strip(), value.strip(), known, design.ways.cutting))
        except ValueError as error:
            raise ParameterError("--measure", f"{quoted(text)}: {error}") from error
    return out


def _measure(name: str, value: str, known: dict[str, Asked], cutting: str) -> Measure:
    asked = known.get(name)
    if asked is not None:
        return Measure(asked.name, asked.kind, cutting, asked.designed_mm, parse_length(value, default_unit="mm"), asked.part, now_text())
    kind, colon, own = name.partition(":")
    designed, arrow, measured = value.partition("->")
    if not (colon and arrow):
        raise ChoiceError("measure", name, [*known, "KIND:NAME=DESIGNED->MEASURED"])
    if kind not in KINDS:
        raise ChoiceError("kind of measure", kind, list(KINDS))
    lengths = [parse_length(v.strip(), default_unit="mm") for v in (designed, measured)]
    return Measure(own, kind, cutting, lengths[0], lengths[1], "", now_text())  # type: ignore[arg-type]


def _log_add(options: argparse.Namespace, catalog: Catalog) -> int:
    design = open_design(options.file, catalog)
    assembly = build_assembly(design, catalog)
    measures = _measures(options.measure, design, catalog)
    findings = run_checks(Examination(assembly, catalog, design.ways, steps=25))
    with _store(options) as store:
        photographs = tuple(keep_photograph(store, path) for path in options.photo)
        make = begin_make(store, design, assembly, catalog, findings=findings, copies=options.copies, whom=options.whom)
        began = options.began or make.began
        try:
            datetime.fromisoformat(began)
            full = msgspec.structs.replace(
                make,
                began=began,
                ended=now_text(),
                ran=options.ran,
                where=options.where,
                note=" ".join(options.note),
                changed=options.changed,
                next_time=options.next_time,
                minutes=options.minutes,
                glue=options.glue,
                measures=tuple(measures),
                photographs=photographs,
            )
            msgspec.convert(msgspec.to_builtins(full), Make)
        except (ValueError, msgspec.ValidationError) as error:
            store.remove(make.id)
            raise ParameterError("log", str(error)) from error
        store.put(full)
    print(make.id[:8])
    return 0


def _chosen(makes: list[Make], options: argparse.Namespace) -> list[Make]:
    rows = [m for m in makes if m.has(options.search or "") and (not options.ran or m.ran == options.ran) and (options.card or "") in m.title]
    keys: dict[str, Callable[[Make], Any]] = {
        "date": lambda m: m.began,
        "title": lambda m: m.title,
        "ran": lambda m: m.ran,
        "minutes": lambda m: m.minutes,
    }
    return sorted(rows, key=keys[options.sort], reverse=options.sort in ("date", "minutes"))


def _log_list(options: argparse.Namespace, catalog: Catalog) -> int:
    with _store(options) as store:
        makes = _chosen(store.makes(), options)
    if options.json:
        print_json({"format": backup.FORMAT, "makes": [msgspec.to_builtins(m) for m in makes]})
        return 0
    for make in makes:
        told = RAN_WORDS[make.ran] + (f" {make.where}" if make.where else "")
        print(f"{make.id[:8]}  {make.began[:10]}  {make.copies:3} ×  {make.title}: {told}{f'. {make.note}' if make.note else ''}")
    if not makes:
        print("no make in the log" if not (options.search or options.ran or options.card) else "no make like that in the log")
    return 0


def _log_show(options: argparse.Namespace, catalog: Catalog) -> int:
    with _store(options) as store:
        make = store.get(options.id)
        folder = store.photographs
    if options.design:
        write_design_of(make, options.design)
    if options.json:
        print_json(msgspec.to_builtins(make))
        return 0
    print(f"{make.title}, begun {make.began}{f', ended {make.ended}' if make.ended else ''}: {RAN_WORDS[make.ran]} {make.where}".rstrip())
    for name in ("stock", "calipers", "foam", "fasteners", "glue", "cutting", "note", "changed", "next_time", "whom"):
        value = getattr(make, name)
        if value:
            print(f"  {name.replace('_', ' ')}: {value}")
    if make.prediction.verdict:
        rules = f" ({', '.join(make.prediction.rules)})" if make.prediction.rules else ""
        print(f"  before it was made: {make.prediction.verdict}{rules}")
    style = UnitStyle(options.units or "mm")
    for m in make.measures:
        print(f"  {m.name}: {style.length(m.measured)} instead of {style.length(m.designed)} ({m.measured - m.designed:+.2f} mm)")
    for e in make.events:
        print(f"  {e.at} {e.kind}: {e.text}")
    for p in make.photographs:
        print(f"  photograph: {folder / p.name} {p.caption}".rstrip())
    return 0


def _log_tell(options: argparse.Namespace, catalog: Catalog) -> int:
    given = {"ran": options.ran, "where": options.where, "changed": options.changed, "next_time": options.next_time, "minutes": options.minutes}
    changes: dict[str, Any] = {k: v for k, v in given.items() if v not in (None, "", 0.0)}
    if options.note:
        changes["note"] = " ".join(options.note)
    with _store(options) as store:
        make = store.get(options.id)
        for path in options.photo:
            store.add_photograph(make.id, keep_photograph(store, path))
        if changes:
            store.tell(make.id, **changes)
    return 0


def _log_compare(options: argparse.Namespace, catalog: Catalog) -> int:
    with _store(options) as store:
        rows = compare_makes(store.get(options.id), store.get(options.other))
    for name, one, other in rows:
        print(f"{name}: {one or '—'}  |  {other or '—'}")
    return 0


def _log_remove(options: argparse.Namespace, catalog: Catalog) -> int:
    with _store(options) as store:
        store.remove(store.get(options.id).id)
    return 0


def _log_export(options: argparse.Namespace, catalog: Catalog) -> int:
    with _store(options) as store:
        write_bytes_atomically(backup.export_bytes(store, options.to.suffix.lower()), options.to)
    return 0


def _log_import(options: argparse.Namespace, catalog: Catalog) -> int:
    with _store(options) as store:
        brought = backup.import_file(store, options.file)
    print(f"{brought.new} new makes, {brought.known} were there already, {brought.photographs} photographs")
    return 0


def _log_said(options: argparse.Namespace, catalog: Catalog) -> int:
    design = open_design(options.file, catalog)
    with _store(options) as store:
        found = said_last(store, design.title)
    print("nothing was said of it" if found is None else f"{found[0].began[:10]}: {found[1]}")
    return 0


def run_log(options: argparse.Namespace, catalog: Catalog) -> int:
    """One action on the log."""
    status: int = options.act(options, catalog)
    return status


def _add_log(parser: argparse.ArgumentParser) -> None:
    actions = parser.add_subparsers(dest="action", required=True, metavar="ACTION")

    def action(name: str, does: str, act: Callable[[argparse.Namespace, Catalog], int], *arguments: str) -> argparse.ArgumentParser:
        sub = actions.add_parser(name, help=does, description=does)
        for argument in arguments:
            sub.add_argument(argument, type=Path if argument == "file" else str, metavar=argument.upper())
        sub.add_argument("--data", type=Path, metavar="FOLDER", help="where the log lies (the user's data folder)")
        sub.set_defaults(act=act)
        return sub

    def told(sub: argparse.ArgumentParser) -> None:
        sub.add_argument("--ran", choices=RAN, default="", help="how it ran")
        sub.add_argument("--where", default="", metavar="TEXT", help="where it bound, caught or showed")
        sub.add_argument("--note", nargs="+", default=[], metavar="WORD")
        sub.add_argument("--changed", default="", metavar="TEXT", help="what was changed while building")
        sub.add_argument("--next", dest="next_time", default="", metavar="TEXT", help="what to change next time")
        sub.add_argument("--minutes", type=float, default=0.0)
        sub.add_argument("--photo", action="append", type=Path, default=[], metavar="FILE")

    add = action("add", "A make of a design.", _log_add, "file")
    told(add)
    add.add_argument("--copies", type=int, default=1)
    add.add_argument("--whom", default="", metavar="TEXT", help="who it was for")
    add.add_argument("--glue", default="", metavar="TEXT")
    add.add_argument("--began", default="", metavar="DATE", help="when, if not now (2026-03-01)")
    add.add_argument("--measure", action="append", default=[], metavar="NAME=LENGTH", help="a measure by its id, or KIND:NAME=DESIGNED->MEASURED")
    listing = action("list", "The makes, the latest first.", _log_list)
    listing.add_argument("--search", metavar="WORDS")
    listing.add_argument("--ran", choices=RAN)
    listing.add_argument("--card", metavar="TITLE")
    listing.add_argument("--sort", choices=SORTS, default="date")
    listing.add_argument("--json", action="store_true")
    show = action("show", "One make.", _log_show, "id")
    show.add_argument("--design", type=Path, metavar="OUT", help="the design as it was, as a file")
    show.add_argument("--units", choices=("in", "mm"))
    show.add_argument("--json", action="store_true")
    told(action("tell", "Something more of a make.", _log_tell, "id"))
    action("compare", "What two makes differ in.", _log_compare, "id", "other")
    action("remove", "Takes a make out of the log.", _log_remove, "id")
    action("said", "What to change next time, as it was said of the last make.", _log_said, "file")
    action("export", "The whole log as .zip (with photographs), .json or .csv.", _log_export).add_argument(
        "--to", type=Path, required=True, metavar="OUT"
    )
    action("import", "Makes of another log.", _log_import, "file")


# ---- the shelf


def _shelf_kit(options: argparse.Namespace, catalog: Catalog) -> tuple[Design, Kit, list[str]]:
    design = open_design(options.file, catalog)
    if options.copies is not None:
        try:
            design = msgspec.structs.replace(design, sheeting=msgspec.structs.replace(design.sheeting, copies=options.copies))
        except ValueError as error:
            raise ParameterError("--copies", str(error)) from error
    assembly = build_assembly(design, catalog)
    sheets = lay_sheets(assembly, catalog, design)
    return design, make_kit(assembly, catalog, sheets), shelf.offcuts_used(sheets, catalog)


def _shelf_list(options: argparse.Namespace, catalog: Catalog) -> int:
    with _store(options) as store:
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
    with _store(options) as store:
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
    with _store(options) as store:
        shelf.remove_thing(store, options.id)
    return 0


def _shelf_need(options: argparse.Namespace, catalog: Catalog) -> int:
    """Status 1 where something is to be bought."""
    design, kit, _ = _shelf_kit(options, catalog)
    with _store(options) as store:
        short = shelf.find_short(store, kit)
    if options.json:
        print_json({"format": "lexipod-need/1", "copies": kit.copies, "short": [msgspec.to_builtins(s) | {"missing": s.missing} for s in short]})
    else:
        style = design.ways.style()
        for s in short:
            print(f"to buy: {shelf.amount_text(s.missing, s.unit, style)} of {s.name} ({shelf.amount_text(s.there, s.unit, style)} there)")
        if not short:
            print(f"all that {kit.copies} cards need is on the shelf")
    return 1 if short else 0


def _shelf_take(options: argparse.Namespace, catalog: Catalog) -> int:
    _, kit, used = _shelf_kit(options, catalog)
    with _store(options) as store:
        make = store.get(options.make)
        short = shelf.take_kit(store, kit, make.id, at=now_text())
        shelf.take_offcuts(catalog, used)
        low = [t for t in shelf.things(store) if t.runs_low]
    for s in short:
        print(f"short: {s.missing:g} {s.unit} of {s.name}")
    for t in low:
        print(f"runs low: {t.name}, {t.count:g} left")
    return 0


def _shelf_export(options: argparse.Namespace, catalog: Catalog) -> int:
    with _store(options) as store:
        write_bytes_atomically(shelf.shelf_csv(store).encode(), options.to)
    return 0


def _shelf_import(options: argparse.Namespace, catalog: Catalog) -> int:
    try:
        text = options.file.read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError) as error:
        raise LogError(f"{options.file}: cannot be read ({error})") from error
    rows = shelf.read_shelf_csv(text, options.file)
    with _store(options) as store:
        for thing in rows:
            shelf.put_thing(store, thing)
    print(f"{len(rows)} things on the shelf now are as the file says")
    return 0


def _add_shelf(parser: argparse.ArgumentParser) -> None:
    actions = parser.add_subparsers(dest="action", required=True, metavar="ACTION")

    def action(name: str, does: str, act: Callable[[argparse.Namespace, Catalog], int], *arguments: str) -> argparse.ArgumentParser:
        sub = actions.add_parser(name, help=does, description=does)
        for argument in arguments:
            sub.add_argument(argument, type=Path if argument == "file" else str, metavar=argument.upper())
        sub.add_argument("--data", type=Path, metavar="FOLDER", help="where the log lies (the user's data folder)")
        sub.set_defaults(act=act)
        return sub

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
    action("export", "The shelf as CSV.", _shelf_export).add_argument("--to", type=Path, required=True, metavar="OUT.csv")
    action("import", "The shelf from CSV.", _shelf_import, "file")


def run_shelf(options: argparse.Namespace, catalog: Catalog) -> int:
    """One action on the shelf."""
    status: int = options.act(options, catalog)
    return status


# ---- the maker's own errors


def run_accuracy(options: argparse.Namespace, catalog: Catalog) -> int:
    """Tells the maker's own errors, and how often the program was right; ``--use`` writes them into a design."""
    with _store(options) as store:
        makes = store.makes()
    learned, calibration = learn_all(makes), calibrate(makes)
    if options.use:
        design = open_design(options.use, catalog)
        own = {} if options.forget else own_errors(learned, design.ways.cutting)
        if not own and not options.forget:
            raise ParameterError("--use", f"too little was measured of what is cut by {design.ways.cutting}: five measures of a kind at least")
        errors = tuple((kind, bias, spread) for kind, (bias, spread) in sorted(own.items()))
        write_design(msgspec.structs.replace(design, ways=msgspec.structs.replace(design.ways, errors=errors)), options.use)
    if options.json:
        rows = [_learned_json(row) for row in learned]
        told = {
            "told": calibration.told,
            "right": calibration.right,
            "by_verdict": [{"verdict": s.verdict, "makes": s.count, "ran_free": s.ran_free, "foretold": s.foretold} for s in calibration.scores],
            "warned_in_vain": dict(calibration.wrong),
            "not_foreseen": dict(calibration.unseen),
            "bins": [{"foretold": a, "ran_free": b, "makes": n} for a, b, n in bins(makes)],
        }
        print_json({"format": "lexipod-accuracy/1", "errors": rows, "calibration": told})
        return 0
    if not learned:
        print("nothing was measured yet; take a quick measure while you build, and it is kept in the log")
    for row in learned:
        print(learned_text(row, UnitStyle(options.units or "mm")))
    slips = [m for make in makes for m in make.measures if m.is_slip]
    if slips:
        print(f"left out, since they look like slips of the pen: {', '.join(m.name for m in slips)}")
    if calibration.told:
        print(f"of {calibration.told} makes {calibration.right} ran as was said before")
        for rule, count in calibration.wrong:
            print(f"  warned in vain {count} ×: {rule}")
        for ran, count in calibration.unseen:
            print(f"  not foreseen {count} ×: {RAN_WORDS[ran].removesuffix(' at')}")
    return 0


def _learned_json(row: Learned) -> dict[str, object]:
    return {
        "kind": row.kind,
        "way": row.way,
        "measures": row.count,
        "usual_spread": row.usual,
        "bias": round(row.bias, 5),
        "bias95": [round(v, 5) for v in row.bias95],
        "spread": round(row.spread, 5),
        "spread95": [round(v, 5) for v in row.spread95],
        "next95": [round(v, 5) for v in row.next95],
        "enough": row.is_enough,
    }


def _add_accuracy(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--json", action="store_true")
    parser.add_argument("--data", type=Path, metavar="FOLDER", help="where the log lies (the user's data folder)")
    parser.add_argument("--units", choices=("in", "mm"))
    parser.add_argument("--use", type=Path, metavar="FILE", help="uses them for the gaps and builds of this design")
    parser.add_argument("--forget", action="store_true", help="with --use: back to the usual errors")


ROWS: tuple[Any, ...] = (
    ("log", "The record of makes.", "lexipod log add fog.lexipod --ran tight --where “at 12 mm” --next “slot 1 mm wider”", run_log, _add_log, False),
    ("shelf", "What is in stock.", "lexipod shelf need fog.lexipod --copies 25", run_shelf, _add_shelf, False),
    ("accuracy", "Your own errors, and how often the program was right.", "lexipod accuracy --use fog.lexipod", run_accuracy, _add_accuracy, False),
)
