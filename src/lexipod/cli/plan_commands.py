"""Commands that tell how a card is built."""

from __future__ import annotations

import argparse
from datetime import datetime
from pathlib import Path
from typing import Any

import msgspec

from lexipod.building import build_assembly
from lexipod.catalog import Catalog
from lexipod.checks import Examination, run_checks
from lexipod.cli.answers import print_json
from lexipod.design import Design, write_bytes_atomically
from lexipod.errors import ParameterError, quoted
from lexipod.pipeline import open_design
from lexipod.planning.plan import make_plan
from lexipod.planning.schedule import make_schedule, tasks_of
from lexipod.planning.told import parse_clock, plan_json, plan_text

MOST_COPIES = 200
CHECKED_AT = 25
"""Positions at which it is looked whether the card moves free at all."""


def _asked(options: argparse.Namespace, catalog: Catalog) -> Design:
    design = open_design(options.file, catalog)
    if options.copies is not None and not 1 <= options.copies <= MOST_COPIES:
        raise ParameterError("--copies", f"{options.copies} is out of range; a plan is for 1 to {MOST_COPIES} cards")
    if options.by:
        design = msgspec.structs.replace(design, making=msgspec.structs.replace(design.making, by=options.by))
    if options.pace is not None:
        try:
            design = msgspec.structs.replace(design, ways=msgspec.structs.replace(design.ways, pace=options.pace))
        except ValueError as error:
            raise ParameterError("--pace", str(error)) from error
    return design


def run_plan(options: argparse.Namespace, catalog: Catalog) -> int:
    """Tells the plan; status 1 where the card cannot be built so, or does not move free."""
    design = _asked(options, catalog)
    assembly = build_assembly(design, catalog)
    plan = make_plan(assembly, catalog, design)
    blocked = [f.rule for f in run_checks(Examination(assembly, catalog, design.ways, steps=CHECKED_AT)) if f.severity == "block"]
    copies = options.copies or design.sheeting.copies
    schedule = make_schedule(tasks_of(plan, copies, design.making.by), copies)
    if options.json:
        print_json(plan_json(plan, schedule, copies) | {"blocked": list(dict.fromkeys(blocked))})
    else:
        now = datetime.now()
        begin = parse_clock(options.begin, now) if options.begin else now if options.until else None
        until = parse_clock(options.until, begin) if options.until and begin is not None else None
        print(plan_text(plan, schedule, design.ways.style(options.units), copies=copies, begin=begin, until=until), end="")
        if blocked:
            print(f"This card does not move free yet ({', '.join(dict.fromkeys(blocked))}): cure that first, “lexipod check” says how.")
    return 1 if plan.faults or blocked else 0


def run_booklet(options: argparse.Namespace, catalog: Catalog) -> int:
    """Writes plan, cut list, guides and kit as one document."""
    from lexipod.planning.booklet import draw_booklet

    design = _asked(options, catalog)
    if options.to.suffix.lower() != ".pdf":
        raise ParameterError("--to", f"{quoted(options.to.name)} does not end in .pdf; a booklet is a PDF")
    data = draw_booklet(
        design, catalog, copies=options.copies or design.sheeting.copies, sheet=options.sheet, units=options.units, folder=options.file.parent
    )
    write_bytes_atomically(data, options.to)
    return 0


def _add_batch(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--copies", type=int, metavar="N", help="so many cards (those of the design by default)")
    parser.add_argument("--by", choices=("step", "card"), help="each step for all cards, or card after card")
    parser.add_argument("--pace", type=float, metavar="F", help="how many times the usual minutes; a first try takes two or three")
    parser.add_argument("--units", choices=("in", "mm"))


def _add_plan(parser: argparse.ArgumentParser) -> None:
    _add_batch(parser)
    parser.add_argument("--begin", metavar="HH:MM", help="when you begin")
    parser.add_argument("--until", metavar="HH:MM", help="until when you have time")
    parser.add_argument("--json", action="store_true")


def _add_booklet(parser: argparse.ArgumentParser) -> None:
    _add_batch(parser)
    parser.add_argument("--to", required=True, type=Path, metavar="OUT.pdf")
    parser.add_argument("--sheet", metavar="NAME", help="the paper (letter, a4, …)")


ROWS: tuple[Any, ...] = (
    (
        "plan",
        "Assembly steps in order, with glue zones, waits, cautions and times.",
        "lexipod plan fog.lexipod --copies 25 --until 18:00",
        run_plan,
        _add_plan,
    ),
    (
        "booklet",
        "Plan with drawings, cut list, guides and kit, in one PDF.",
        "lexipod booklet fog.lexipod --to fog-booklet.pdf",
        run_booklet,
        _add_booklet,
    ),
)
