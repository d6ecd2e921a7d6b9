"""Commands on the log: makes told, listed, compared, taken along."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import Any

import msgspec

from lexipod.building import build_assembly
from lexipod.builds import simulate_builds
from lexipod.catalog import Catalog
from lexipod.checks import Examination, run_checks
from lexipod.cli.answers import print_json
from lexipod.cli.record_actions import add_actions, open_store, run_action
from lexipod.design import Design, write_bytes_atomically
from lexipod.errors import ChoiceError, ParameterError, quoted
from lexipod.pipeline import open_design
from lexipod.planning.model import Asked
from lexipod.planning.plan import make_plan
from lexipod.records import backup
from lexipod.records.makes import KINDS, RAN, RAN_WORDS, Make, Measure
from lexipod.records.making import compare_makes, new_make, now_text, said_last, write_design_of
from lexipod.records.photographs import keep_photograph
from lexipod.units import UnitStyle, parse_length

SORTS = ("date", "title", "ran", "minutes")


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
    try:
        make = new_make(design, assembly, catalog, findings=findings, copies=options.copies, whom=options.whom)
        began = options.began or make.began
        datetime.fromisoformat(began)
        make = msgspec.structs.replace(
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
        )
    except ValueError as error:
        raise ParameterError("log", str(error)) from error
    if options.foretell:
        reckoned = simulate_builds(design, catalog, whole=0)
        share = reckoned.free if reckoned is not None else None
        make = msgspec.structs.replace(make, prediction=msgspec.structs.replace(make.prediction, free_share=share))
    with open_store(options) as store:
        photographs = tuple(keep_photograph(store, path) for path in options.photo)
        store.add(msgspec.structs.replace(make, photographs=photographs))
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
    with open_store(options) as store:
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
    with open_store(options) as store:
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
    with open_store(options) as store:
        make = store.get(options.id)
        for path in options.photo:
            store.add_photograph(make.id, keep_photograph(store, path))
        if changes:
            store.tell(make.id, **changes)
    return 0


def _log_compare(options: argparse.Namespace, catalog: Catalog) -> int:
    with open_store(options) as store:
        rows = compare_makes(store.get(options.id), store.get(options.other))
    for name, one, other in rows:
        print(f"{name}: {one or '—'}  |  {other or '—'}")
    return 0


def _log_remove(options: argparse.Namespace, catalog: Catalog) -> int:
    with open_store(options) as store:
        store.remove(store.get(options.id).id)
    return 0


def _log_export(options: argparse.Namespace, catalog: Catalog) -> int:
    with open_store(options) as store:
        write_bytes_atomically(backup.export_bytes(store, options.to.suffix.lower()), options.to)
    return 0


def _log_import(options: argparse.Namespace, catalog: Catalog) -> int:
    with open_store(options) as store:
        brought = backup.import_file(store, options.file)
    print(f"{brought.new} new makes, {brought.known} were there already, {brought.photographs} photographs")
    return 0


def _log_said(options: argparse.Namespace, catalog: Catalog) -> int:
    design = open_design(options.file, catalog)
    with open_store(options) as store:
        found = said_last(store, design.title)
    print("nothing was said of it" if found is None else f"{found[0].began[:10]}: {found[1]}")
    return 0


def _add_log(parser: argparse.ArgumentParser) -> None:
    action = add_actions(parser)

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
    add.add_argument("--foretell", action="store_true", help="reckons builds too, to see later whether their share was right (some seconds)")
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


ROWS: tuple[Any, ...] = (
    (
        "log",
        "The record of makes.",
        "lexipod log add fog.lexipod --ran tight --where “at 12 mm” --next “1 mm wider”",
        run_action,
        _add_log,
        False,
    ),
)
