"""Commands that give what is cut."""

from __future__ import annotations

import argparse
import sys

from lexipod.building import build_assembly
from lexipod.catalog import Catalog
from lexipod.cli.answers import print_json
from lexipod.cli.art_commands import held_at
from lexipod.design import Design, write_bytes_atomically
from lexipod.errors import ChoiceError
from lexipod.fabricate import cut_list, cut_list_csv, cut_list_text
from lexipod.fabricate.cutlist_files import cut_list_json
from lexipod.fabricate.exports import Cutting, Moving, export_bytes
from lexipod.pipeline import examine, open_design
from lexipod.units import UnitStyle


def _style(design: Design, options: argparse.Namespace) -> UnitStyle:
    return design.ways.style(options.units)


def run_cutlist(options: argparse.Namespace, catalog: Catalog) -> int:
    """Pieces to cut, with score positions."""
    design = open_design(options.file, catalog)
    rows = cut_list(build_assembly(design, catalog), catalog, design.ways.laminating)
    style, scores_from = _style(design, options), design.ways.scores_from
    if options.json:
        print_json(cut_list_json(rows))
    elif options.csv:
        sys.stdout.write(cut_list_csv(rows, style, scores_from=scores_from))
    else:
        beside = design.ways.style("mm" if style.unit == "in" else "in") if options.both else None
        sys.stdout.write(cut_list_text(rows, style, scores_from=scores_from, beside=beside))
    return 0


def _moving(options: argparse.Namespace, design: Design, catalog: Catalog) -> Moving:
    """How the card is handled in a moving picture, and where it is held in a still one."""
    at = held_at(options.at, examine(design, catalog, steps=2)) if options.at else {}
    return Moving(options.mechanism or "", options.frames, options.width, options.seconds, not options.one_way, tuple(at.items()))


def run_guides(options: argparse.Namespace, catalog: Catalog) -> int:
    """Placement sheets, masks and windows at true size."""
    design = open_design(options.file, catalog)
    suffix = options.to.suffix.lower()
    if suffix not in (".pdf", ".svg"):
        raise ChoiceError("guide format", suffix, [".pdf", ".svg"])
    data = export_bytes(design, catalog, suffix, folder=options.file.parent, style=_style(design, options), sheet=options.sheet or "", what="guides")
    write_bytes_atomically(data, options.to)
    return 0


def run_export(options: argparse.Namespace, catalog: Catalog) -> int:
    """Writes templates, a picture or the cut list."""
    design = open_design(options.file, catalog)
    data = export_bytes(
        design,
        catalog,
        options.to.suffix,
        folder=options.file.parent,
        style=_style(design, options),
        sheet=options.sheet or "",
        layout=options.layout,
        what=options.what,
        moving=_moving(options, design, catalog),
        cutting=Cutting(options.face, tuple(options.only), options.trial, options.number, options.dpi, options.dxf),
        tell=options.progress.tell if options.to.suffix.lower() in (".gif", ".webp") else lambda _: None,
    )
    write_bytes_atomically(data, options.to)
    return 0
