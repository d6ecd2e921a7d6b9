"""Commands for punches and dies: what the maker owns, what of a card it would cut, and an opening set to one of them."""

from __future__ import annotations

import argparse
from typing import Any

from lexipod.building import build_assembly
from lexipod.catalog import Catalog
from lexipod.catalog.book import keep_punches
from lexipod.catalog.punches import Punch, parse_punches
from lexipod.cli.answers import print_json
from lexipod.design import write_design
from lexipod.errors import ChoiceError
from lexipod.fabricate.cutlist import CutRow, Punched, cut_list
from lexipod.fitting.punching import fit_to_punch
from lexipod.pipeline import open_design
from lexipod.units import UnitStyle


def _add_punches(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--circles", metavar="SIZES", help="the round ones that you own, like “1, 1 1/2, 2 in”; they stand instead of those known")
    parser.add_argument("--squares", metavar="SIZES", help="the square ones")
    parser.add_argument("--units", choices=("in", "mm"), default="in")
    parser.add_argument("--json", action="store_true")


def _run_punches(options: argparse.Namespace, catalog: Catalog) -> int:
    style, owned = UnitStyle(options.units), list(catalog.punches.values())
    given = {"circle": options.circles, "square": options.squares}
    if any(text is not None for text in given.values()):
        owned = [p for p in owned if given.get(p.shape) is None]
        for shape, text in given.items():
            owned += [] if text is None else parse_punches(text, "circle" if shape == "circle" else "square", style)
        keep_punches(owned)
    if options.json:
        print_json({"format": "lexipod-punches/1", "punches": [_punch_json(p) for p in owned]})
        return 0
    for punch in sorted(owned, key=lambda p: (p.shape, p.width_mm, p.height_mm)):
        print(f"  {punch.id:<12} {punch.shape:<10} {_size(style, punch.width_mm, punch.height_mm)}")
    return 0


def _add_punch(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("piece", nargs="?", metavar="PART", help="the part whose opening (or outline, where it is round) is set to a punch")
    parser.add_argument("--opening", metavar="NAME", help="which of its openings; the only one, or the largest, otherwise")
    parser.add_argument("--to", metavar="PUNCH", help="the id of a punch; the nearest otherwise")
    parser.add_argument("--json", action="store_true")


def _run_punch(options: argparse.Namespace, catalog: Catalog) -> int:
    design = open_design(options.file, catalog)
    style, rows = design.ways.style(), [r for r in cut_list(build_assembly(design, catalog), catalog) if r.punched]
    if options.piece is None:
        if options.json:
            print_json({"format": "lexipod-punch/1", "openings": [_punched_json(row, p) for row in rows for p in row.punched]})
            return 0
        for row in rows:
            for punched in row.punched:
                print(f"  {row.parts[0]:<16} {punched.name}: {_size(style, punched.width_mm, punched.height_mm)}; {_told(punched)}")
        if not rows:
            print("  No punch that you own comes near any opening of this card.")
        return 0
    found = next((r for r in rows if options.piece in r.parts), None)
    if found is None:
        raise ChoiceError("part that could be punched", options.piece, [part for r in rows for part in r.parts])
    names = [p.name for p in found.punched]
    if options.opening is not None and options.opening not in names:
        raise ChoiceError("opening", options.opening, names)
    meant = max((p for p in found.punched if options.opening in (None, p.name)), key=lambda p: p.width_mm * p.height_mm)
    if options.to is not None and options.to not in catalog.punches:
        raise ChoiceError("punch", options.to, sorted(catalog.punches))
    punch = meant.punch if options.to is None else catalog.punches[options.to]
    made, settings = fit_to_punch(design, catalog, options.piece, meant.name, punch)
    write_design(made, options.file)
    if options.json:
        print_json({"format": "lexipod-punch/1", "punch": _punch_json(punch), "set": settings})
        return 0
    print(f"{meant.name} of the {found.name}: set to the {punch.name}")
    for name, value in settings.items():
        print(f"  {name}={style.length(value)}")
    return 0


def _told(punched: Punched) -> str:
    told = f"the {punched.punch.name} cuts it" if punched.is_cut else f"nearest you have the {punched.punch.name} ({punched.punch.id})"
    return told + (f"; next one up {punched.next_up.name} ({punched.next_up.id})" if punched.next_up is not None else "")


def _size(style: UnitStyle, width_mm: float, height_mm: float) -> str:
    return style.length(width_mm) if abs(width_mm - height_mm) < 0.05 else f"{style.length(width_mm)} × {style.length(height_mm)}"


def _punch_json(punch: Punch) -> dict[str, Any]:
    return {"id": punch.id, "name": punch.name, "shape": punch.shape, "width_mm": punch.width_mm, "height_mm": punch.height_mm}


def _punched_json(row: CutRow, punched: Punched) -> dict[str, Any]:
    size = {"width_mm": round(punched.width_mm, 4), "height_mm": round(punched.height_mm, 4)}
    after = None if punched.next_up is None else _punch_json(punched.next_up)
    return {
        "parts": list(row.parts),
        "opening": punched.name,
        **size,
        "nearest": _punch_json(punched.punch),
        "next_up": after,
        "is_cut": punched.is_cut,
    }


ROWS = (
    ("punches", "The punches and dies that you own.", "lexipod punches --circles “1, 1 1/2, 2 in”", _run_punches, _add_punches, False),
    ("punch", "What a punch would cut, and an opening set to one.", "lexipod punch light.lexipod card.frame", _run_punch, _add_punch),
)
"""Rows of the table of commands: name, what it does, an example, what runs it, its arguments, whether it takes a file."""
