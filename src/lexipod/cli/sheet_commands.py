"""Commands that lay pieces on sheets, tell what to have for them, and send them to a plotter."""

from __future__ import annotations

import argparse
import re
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec

from lexipod.building import build_assembly
from lexipod.catalog import Catalog, Printer
from lexipod.catalog.book import keep_offcuts, keep_printer
from lexipod.cli.answers import print_json
from lexipod.design import Design, write_bytes_atomically, write_design
from lexipod.editing.change import change_design
from lexipod.errors import ParameterError, quoted
from lexipod.fabricate.kit import kit_csv, kit_json, kit_text, make_kit
from lexipod.fabricate.machining import find_misfits, for_plotter, plot_programs
from lexipod.fabricate.sheeting import Sheets, lap_faults, lay_sheets, room_of
from lexipod.fabricate.sheets_told import cuts_told, sheets_json, why_unplaced
from lexipod.fabricate.shelving import offcuts_of
from lexipod.fitting.lapping import Lapping, propose_lap
from lexipod.pipeline import open_design
from lexipod.plotting import Sender, SendError, write_hpgl
from lexipod.units import parse_length

MOST_SECONDS = 3600.0
MOST_LAPS = 3


def asked_design(options: argparse.Namespace, catalog: Catalog) -> Design:
    """The design with what the call asks for in place of what it says itself."""
    design = open_design(options.file, catalog)
    settings: dict[str, Any] = {}
    for name in ("copies", "cuts", "gap", "margin", "grain"):
        value = getattr(options, name, None)
        if value is not None:
            settings[f"sheets.{name}"] = value
    sheet = getattr(options, "sheet", None)
    if sheet:
        size = catalog.sheets[catalog.find_id("sheets", sheet)]
        stocks = {p.stock for p in build_assembly(design, catalog).parts} | {design.card.stock}
        for stock in stocks:
            if (stock in catalog.stocks or stock in catalog.foams) and size.of in ("", catalog.kind_of(stock)):
                settings[f"sheets.for.{stock}"] = sheet
    return change_design(design, catalog, settings) if settings else design


def _laid(options: argparse.Namespace, design: Design, catalog: Catalog) -> Sheets:
    seconds = getattr(options, "better", 0.0) or 0.0
    if not 0 <= seconds <= MOST_SECONDS:
        raise ParameterError("--better", f"{seconds:g} s is out of range; allowed is 0 to {MOST_SECONDS:g}")
    only = tuple(getattr(options, "only", ()) or ())

    def tell(share: float, _: Sheets | None) -> None:
        options.progress.tell(share)

    assembly = build_assembly(design, catalog)
    return lay_sheets(assembly, catalog, design, seconds=seconds, only=only, trial=bool(getattr(options, "trial", False)), tell=tell)


def run_sheets(options: argparse.Namespace, catalog: Catalog) -> int:
    """Lays the pieces; status 1 when some found no sheet."""
    design = asked_design(options, catalog)
    sheets = _laid(options, design, catalog)
    if options.keep:
        kept = msgspec.structs.replace(design.sheeting, placed=sheets.placed(), made_for=sheets.made_for)
        write_design(msgspec.structs.replace(design, sheeting=kept), options.file)
    if options.keep_offcuts:
        made = offcuts_of(sheets, catalog, design.title)
        keep_offcuts([*catalog.offcuts.values(), *made])
    if options.json:
        print_json(sheets_json(sheets, catalog, design.ways.style(options.units)))
    else:
        _print_sheets(sheets, design, catalog, options.units)
    return 1 if sheets.unplaced else 0


def _print_sheets(sheets: Sheets, design: Design, catalog: Catalog, units: str | None) -> None:
    style = design.ways.style(units)
    print(f"{design.title}: {sheets.sheeting.copies} × on {sheets.count} sheets, {100 * sheets.use:.0f} % used, cut {sheets.sheeting.cuts}")
    for sheet in sheets.sheets:
        width, height = sheet.size_mm
        plies = f", {sheet.lot.plies} laminated" if sheet.lot.plies > 1 else ""
        size = f"{style.length(width)} × {style.length(height)}{plies}"
        print(f"{sheet.title}: {size}, {len(sheet.pieces)} pieces, {100 * sheet.use:.0f} % used")
        for told in cuts_told(sheet, style):
            print(f"  {told}")
        if sheet.is_trimmed and sheet.cuts is None:
            print("  no order of straight cuts frees these pieces: cut it with a knife, or let it be laid anew")
        if sheet.offcut is not None:
            x0, y0, x1, y1 = sheet.offcut.bounds
            print(f"  left over: {style.length(x1 - x0)} × {style.length(y1 - y0)}")
    against = sheets.against_grain(build_assembly(design, catalog), catalog)
    if against:
        print(f"across their grain, since no sheet takes them along it: {', '.join(against)}")
    for misfit in find_misfits(sheets, build_assembly(design, catalog), catalog, design.ways, style):
        print(f"{misfit.subject}: {misfit.text}")
    named: set[str] = set()
    for piece, board in sheets.unplaced:
        if piece.blank.id not in named:
            named.add(piece.blank.id)
            print(f"no room for {piece.blank.name}: {why_unplaced(piece, board, catalog, style)}")
            if len(named) <= MOST_LAPS:
                print(f"  {lap_text(propose_lap(design, catalog, piece.blank.id, room_of(piece, sheets, design, catalog)))}")
    for name, fault in lap_faults(build_assembly(design, catalog)):
        print(f"{name} is not cut in two as asked: {fault}")


def lap_text(found: Lapping | None) -> str:
    """What a lap would be, as it can be pasted."""
    if found is None:
        return "no lap gives two parts that fit it"
    if found.blocks:
        return f"a lap ({found.setting}) would block: {'; '.join(found.blocks)}"
    return f"in two that lap, nothing is blocked by it: set {found.setting}"


def run_kit(options: argparse.Namespace, catalog: Catalog) -> int:
    """What to have, with its cost."""
    design = asked_design(options, catalog)
    kit = make_kit(build_assembly(design, catalog), catalog, _laid(options, design, catalog))
    if options.json:
        print_json(kit_json(kit))
    else:
        sys.stdout.write(kit_csv(kit) if options.csv else kit_text(kit, design.ways.style(options.units)))
    return 0


def run_send(options: argparse.Namespace, catalog: Catalog) -> int:
    """Writes a plotter file, or sends sheet after sheet to a plotter."""
    design = asked_design(options, catalog)
    design = design if options.cuts else for_plotter(design)
    sheets = _laid(options, design, catalog)
    programs = plot_programs(sheets, build_assembly(design, catalog), catalog, design.ways)
    if options.number and not 1 <= options.number <= len(programs):
        raise ParameterError("--number", f"there are {len(programs)} sheets to plot")
    chosen = programs[options.number - 1 : options.number] if options.number else programs
    address = re.fullmatch(r"([A-Za-z0-9.\-]+):(\d{1,5})", options.to)
    if address is None:
        if not options.to.endswith(".plt"):
            raise ParameterError("--to", f"{quoted(options.to)} is neither a plotter like localhost:9102 nor a file that ends in .plt")
        write_bytes_atomically(write_hpgl(chosen), Path(options.to))
        return 0
    first = options.number or 1
    for k, program in enumerate(chosen):
        if k and sys.stdin.isatty():
            input(f"Lay in the sheet for {program.title}, then press Enter.")
        sender = Sender(program, address[1], int(address[2]), tell=_share_of(options, len(program.steps)))
        start = options.from_run if k == 0 else None
        if start is not None and not 0 <= start <= len(program.steps):
            raise ParameterError("--from-run", f"this sheet has {len(program.steps)} runs")
        try:
            done = sender.send(start, unsure=options.unsure)
        except SendError as error:
            how = " --unsure again (or skip)" if error.kind == "unsure" else ""
            raise SendError(f"{error} To go on: --number {first + k} --from-run {error.done}{how}", done=error.done, kind=error.kind) from error
        print(f"{program.title}: {done} runs done")
    return 0


def _share_of(options: argparse.Namespace, count: int) -> Callable[[int], None]:
    return lambda done: options.progress.tell(done / count)


def run_printer(options: argparse.Namespace, catalog: Catalog) -> int:
    """Keeps what a printer makes of a ruler."""
    across, up = parse_length(options.across), parse_length(options.up)
    try:
        printer = Printer(options.name, options.name, across, up)
    except ValueError as error:
        raise ParameterError("printer", str(error)) from error
    keep_printer(printer)
    print(f"{printer.name}: pages are stretched by {100 / across:.4f} across and {100 / up:.4f} up; use it with: set FILE printer={printer.id}")
    return 0


def _batch(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--sheet", metavar="NAME", help="the sheet (letter, a4, …) for every stock that it suits; else as the design says")
    parser.add_argument("--copies", type=int, metavar="N", help="how many cards")
    parser.add_argument("--cuts", choices=("straight", "free"), help="from edge to edge as a trimmer cuts, or along each outline")
    parser.add_argument("--gap", metavar="LENGTH", help="gap between pieces")
    parser.add_argument("--margin", metavar="LENGTH", help="empty margin of each sheet")
    parser.add_argument("--grain", choices=("where it can", "always", "free"))
    parser.add_argument("--better", type=float, default=0.0, metavar="S", help="look for a better layout for so many seconds")
    parser.add_argument("--only", action="append", default=[], metavar="PIECE", help="this piece alone, by its id in the cut list (may be repeated)")
    parser.add_argument("--units", choices=("in", "mm"))


def _add_sheets(parser: argparse.ArgumentParser) -> None:
    _batch(parser)
    parser.add_argument("--trial", action="store_true", help="all paper pieces from plain paper")
    parser.add_argument("--keep", action="store_true", help="write the layout into the design")
    parser.add_argument("--keep-offcuts", action="store_true", help="put off-cuts that are worth keeping on the shelf")
    parser.add_argument("--json", action="store_true")


def _add_kit(parser: argparse.ArgumentParser) -> None:
    _batch(parser)
    form = parser.add_mutually_exclusive_group()
    form.add_argument("--json", action="store_true")
    form.add_argument("--csv", action="store_true")


def _add_send(parser: argparse.ArgumentParser) -> None:
    _batch(parser)
    parser.add_argument("--to", required=True, metavar="HOST:PORT|OUT.plt", help="a plotter (the simulated one: lexipod-plotter), or a file")
    parser.add_argument("--number", type=int, default=0, metavar="K", help="this sheet alone")
    parser.add_argument("--from-run", type=int, default=None, metavar="R", help="go on after so many runs of the (first) sheet")
    parser.add_argument("--unsure", choices=("again", "skip"), default="", help="a run that may be cut in part: again, or left out")


def _add_printer(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("name", metavar="NAME")
    parser.add_argument("--across", required=True, metavar="LENGTH", help="what the square of the check print measures across")
    parser.add_argument("--up", required=True, metavar="LENGTH", help="and up")


ROWS: tuple[tuple[Any, ...], ...] = (
    (
        "sheets",
        "Lay the pieces on sheets, with the order of cuts. Status 1: some found no room.",
        "lexipod sheets fog.lexipod --copies 25 --cuts straight",
        run_sheets,
        _add_sheets,
    ),
    ("kit", "What to have for so many cards, with its cost.", "lexipod kit fog.lexipod --copies 25", run_kit, _add_kit),
    (
        "send",
        "Cut and score on a plotter, or write its file.",
        "lexipod send fog.lexipod --cuts free --to localhost:9102",
        run_send,
        _add_send,
    ),
    (
        "printer",
        "Keep what a printer makes of the check print, so that its pages are corrected.",
        "lexipod printer study --across 99.4mm --up 100.2mm",
        run_printer,
        _add_printer,
        False,
    ),
)
