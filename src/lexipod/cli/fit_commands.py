"""Commands for what is asked before anything is cut: zones, post, another size, a wish, two versions."""

from __future__ import annotations

import argparse
import re
from pathlib import Path
from typing import Any

from lexipod.catalog import Catalog
from lexipod.checks.post import find_letter_rows, find_posted
from lexipod.cli import fit_answers
from lexipod.cli.answers import print_json
from lexipod.design import Card, Ways, write_design
from lexipod.editing.change import parse_card
from lexipod.errors import LexipodError, ParameterError, quoted
from lexipod.fitting import convert_design, propose_designs
from lexipod.fitting.comparing import Difference, compare_designs
from lexipod.pipeline import examine, open_design
from lexipod.units import parse_quantity

LARGEST_WISH_MM = 400.0


def _add_json(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--json", action="store_true")


def _add_convert(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--card", required=True, metavar="NAME", help="a size by name (a7, iso.a6) or measured (100x150mm)")
    parser.add_argument("--out", type=Path, metavar="FILE", help="where to write it; without it only the report is given")
    _add_json(parser)


def _add_propose(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--reveal", required=True, metavar="WxH")
    parser.add_argument("--card", default="na.a2", metavar="NAME")
    parser.add_argument("--units", choices=("in", "mm"), default="mm")
    parser.add_argument("--out", type=Path, metavar="FILE", help="write the best one there")
    _add_json(parser)


def _add_compare(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("other", metavar="OTHER", type=Path)
    _add_json(parser)


def _run_zones(options: argparse.Namespace, catalog: Catalog) -> int:
    design = open_design(options.file, catalog)
    answer = fit_answers.zones_json(examine(design, catalog))
    if options.json:
        print_json(answer)
        return 0
    style = design.ways.style()
    print(f"{design.title}: where something may be glued")
    for zone in answer["zones"]:
        print(f"  {zone['part']:<18} {zone['face']:<6} {zone['use']:<5} {style.area(zone['area']):>9}  up to {style.thickness(zone['height'])} high")
    for row in answer["overhangs"]:
        sides = ", ".join(f"{side} {style.length(row[side])}" for side in ("left", "right", "bottom", "top"))
        print(f"  {row['part']:<18} may be overhung: {sides}")
    for row in answer["foam"]:
        print(f"  {row['pieces']} pieces of {row['foam']}, {row['layers']} layers, {style.area(row['area'])} in all")
    for need in answer["foam_needs"]:
        print(f"  {need['sheet']}: {need['layers']} layers ({style.thickness(need['foam'])}); {need['part']} needs {style.thickness(need['needed'])}")
    if answer["heights"]:
        print(f"  thickest place {style.thickness(answer['heights']['thickest'])}")
    return 0


def _run_post(options: argparse.Namespace, catalog: Catalog) -> int:
    design = open_design(options.file, catalog)
    examination = examine(design, catalog, steps=25)
    if options.json:
        print_json(fit_answers.post_json(examination))
        return 0
    posted = find_posted(examination)
    if posted is None:
        print(f"{design.title}: this card has no envelope; set one with envelope=NAME")
        return 0
    print(f"{design.title}: {posted.mass_g:.0f} g and {examination.style.thickness(posted.thickness_mm)} thick with its envelope")
    for row in find_letter_rows(examination):
        told = "no letter class" if row.letter is None else row.letter.name
        print(f"  {row.carrier.name}: {told}")
        for why in (*row.refused, *row.notes):
            print(f"      {why}")
        print(f"      as of {row.carrier.dated}; check with your post office")
    return 0


def _run_convert(options: argparse.Namespace, catalog: Catalog) -> int:
    design = open_design(options.file, catalog)
    told = convert_design(design, catalog, parse_card(options.card, design.card, catalog))
    if options.out is not None and not told.refusals:
        write_design(told.design, options.out)
    if options.json:
        print_json(fit_answers.converted_json(told))
        return 0 if told.is_free else 1
    print(f"{design.title}: {'fits' if told.is_free else 'does not fit: ' + told.reason}")
    for change in told.changes:
        print(f"  {change.mechanism}.{change.name}: {_plain(change.old)} → {_plain(change.new)} ({change.how})")
    return 0 if told.is_free else 1


def _plain(value: object) -> str:
    if isinstance(value, tuple):
        return " x ".join(f"{v:g}" for v in value)
    return f"{value:g}" if isinstance(value, float) else str(value)


def _run_propose(options: argparse.Namespace, catalog: Catalog) -> int:
    if not re.search(r"\d", options.reveal):
        raise ParameterError("--reveal", f"{quoted(options.reveal)} is not a size; write it like 45x30mm")
    try:
        size = parse_quantity(options.reveal, "point")
    except LexipodError as error:
        raise ParameterError("--reveal", str(error)) from error
    assert isinstance(size, tuple)
    if not all(1.0 <= v <= LARGEST_WISH_MM for v in size):
        raise ParameterError("--reveal", f"a picture is 1 to {LARGEST_WISH_MM:g} mm wide and high")
    found = propose_designs(catalog, parse_card(options.card, Card(), catalog), Ways(units=options.units), *size, tell=options.progress.tell)
    best = found[0] if found else None
    if options.out is not None and best is not None and best.design is not None:
        write_design(best.design, options.out)
    if options.json:
        print_json(fit_answers.proposals_json(found))
        return 0
    for proposal in found:
        print(f"  {proposal.name:<22} {proposal.verdict:<10} {proposal.reason}")
    return 0 if best is not None and best.design is not None else 1


def _run_compare(options: argparse.Namespace, catalog: Catalog) -> int:
    first, second = open_design(options.file, catalog), open_design(options.other, catalog)
    told = compare_designs(first, second, catalog)
    if options.json:
        print_json(fit_answers.comparison_json(told))
        return 0
    print(f"{options.file.name} is {told.verdicts[0]}, {options.other.name} is {told.verdicts[1]}")
    _print_differences("decided otherwise", told.decisions)
    for sign, findings in (("-", told.gone), ("+", told.new)):
        for finding in findings:
            print(f"  {sign} {finding.severity}: {finding.title}")
    _print_differences("cut otherwise", told.cut)
    _print_differences("in all", told.totals)
    return 0


def _print_differences(title: str, rows: tuple[Difference, ...]) -> None:
    if rows:
        print(f"  {title}:")
    for row in rows:
        print(f"    {row.subject} {row.name}: {row.first or 'none'} → {row.second or 'none'}")


ROWS: tuple[tuple[Any, ...], ...] = (
    ("zones", "Where foam, glue and decorations may go; foam, heights, catch points.", "lexipod zones fog.lexipod --json", _run_zones, _add_json),
    ("post", "Mass, thickness, and the letter class of some carriers.", "lexipod post fog.lexipod", _run_post, _add_json),
    ("convert", "Carry a design over to another card.", "lexipod convert fog.lexipod --card a7 --out fog-a7.lexipod", _run_convert, _add_convert),
    (
        "propose",
        "Mechanisms that reveal a picture of a size, ranked.",
        "lexipod propose --reveal 45x30mm --card a2",
        _run_propose,
        _add_propose,
        False,
    ),
    ("compare", "Two versions side by side.", "lexipod compare fog.lexipod fog-2.lexipod", _run_compare, _add_compare),
)
"""These commands as rows of the table of commands."""
