"""The commands, in one table: the parser, its help and the program's start read it."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import get_args

from lexipod.builds.simulation import WHOLE
from lexipod.catalog import Catalog
from lexipod.cli import (
    accuracy_commands,
    art_commands,
    designing,
    fit_commands,
    judging,
    log_commands,
    making,
    plan_commands,
    punch_commands,
    sheet_commands,
    shelf_commands,
)
from lexipod.fabricate.exports import EXPORTS, What

AddArguments = Callable[[argparse.ArgumentParser], None]


@dataclass(frozen=True, slots=True)
class Command:
    """One command: what it does, an example, what runs it, what it takes besides the ``FILE`` that most begin with."""

    name: str
    does: str
    example: str
    run: Callable[[argparse.Namespace, Catalog], int]
    add: AddArguments
    takes_file: bool = True


def _open_window(options: argparse.Namespace, catalog: Catalog) -> int:
    from lexipod.app.frame.start import run_window

    return run_window(None, demo=True)


def _nothing(parser: argparse.ArgumentParser) -> None:
    """No argument of its own."""


def _json(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--json", action="store_true")


def _units(parser: argparse.ArgumentParser, default: str | None = None) -> None:
    parser.add_argument("--units", choices=("in", "mm"), default=default)


def _settings(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("recipe", metavar="RECIPE")
    parser.add_argument("--set", dest="settings", action="append", default=[], metavar="NAME=VALUE")


def _form(parser: argparse.ArgumentParser) -> None:
    form = parser.add_mutually_exclusive_group()
    form.add_argument("--json", action="store_true")
    form.add_argument("--csv", action="store_true")


def _recipes(parser: argparse.ArgumentParser) -> None:
    _json(parser)
    parser.add_argument("--card", default="na.a2", help="card for which the defaults are shown")
    _units(parser, "mm")


def _new(parser: argparse.ArgumentParser) -> None:
    _settings(parser)
    parser.add_argument("--out", required=True, type=Path, metavar="FILE")
    parser.add_argument("--card", metavar="NAME", default="na.a2", help="a size by name (a2, iso.a6) or measured (100x150mm)")
    _units(parser, "in")


def _set(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("settings", nargs="+", metavar="NAME=VALUE")
    parser.add_argument("--mechanism", metavar="ID")


def _fit(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--mechanism", metavar="ID")
    parser.add_argument("--keep", action="append", default=[], metavar="NAME", nargs="+", help="measures that stay as they are")
    _json(parser)


def _motion(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--steps", type=int, default=25, metavar="N")
    parser.add_argument("--mechanism", metavar="ID")
    _form(parser)


def _check(parser: argparse.ArgumentParser) -> None:
    _json(parser)
    _units(parser)
    parser.add_argument("--seconds", type=float, default=4.0, metavar="S", help="how long cures are looked for; 0 for as long as it takes")
    parser.add_argument("--keep", action="append", default=[], metavar="NAME", help="a measure that the first cures keep as it is (may be repeated)")


def _yield(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--builds", type=int, default=1000, metavar="N")
    parser.add_argument("--seed", type=int, default=1, metavar="S")
    parser.add_argument("--whole", type=int, default=WHOLE, metavar="N", help="how many of them are built whole, with all errors at once")
    _json(parser)


def _cutlist(parser: argparse.ArgumentParser) -> None:
    _units(parser)
    parser.add_argument("--both", action="store_true", help="sizes in both units, side by side")
    _form(parser)


def _export(parser: argparse.ArgumentParser) -> None:
    endings = ", ".join(f"{e.ending} ({e.title})" for e in EXPORTS)
    parser.add_argument("--to", required=True, type=Path, metavar="OUT", help=f"its ending decides: {endings}")
    parser.add_argument("--sheet", metavar="NAME", help="paper of the templates (letter, a4, …); by default the unit's usual one")
    parser.add_argument("--layout", choices=("combined", "single"), default="combined", help="several pieces on a page, or one")
    parser.add_argument("--what", choices=get_args(What), help="pieces, laid sheets, the card, still frames, guides, the cut list, a check print")
    parser.add_argument("--mechanism", metavar="ID", help="what is moved in a moving picture or a strip; the first by default")
    parser.add_argument("--at", action="append", default=[], metavar="M=TRAVEL", help="where a mechanism is held in a still picture")
    parser.add_argument("--frames", type=int, default=30, metavar="N", help="frames of a moving picture, one way")
    parser.add_argument("--width", type=int, default=800, metavar="PX", help="width of a moving picture in pixels")
    parser.add_argument("--seconds", type=float, default=1.6, metavar="S", help="how long one way takes")
    parser.add_argument("--one-way", action="store_true", help="it does not come back")
    parser.add_argument("--face", choices=("both", "front", "back"), default="", help="which face of the sheets; the back is mirrored")
    parser.add_argument("--only", action="append", default=[], metavar="PIECE", help="this piece alone, by its id (may be repeated)")
    parser.add_argument("--trial", action="store_true", help="a trial in plain paper, one colour a part")
    parser.add_argument("--number", type=int, default=0, metavar="K", help="this sheet alone")
    parser.add_argument("--dpi", type=float, default=0.0, metavar="N", help="resolution of a picture")
    parser.add_argument("--dxf", choices=("R2000", "R12"), default="R2000", help="version of a DXF file")
    _units(parser)


def _guides(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--to", required=True, type=Path, metavar="OUT", help="its ending decides: .pdf or .svg")
    parser.add_argument("--sheet", metavar="NAME", help="the paper (letter, a4, …)")
    _units(parser)


COMMANDS: tuple[Command, ...] = (
    Command("demo", "Open the window with the demo collection.", "lexipod demo", _open_window, _nothing, False),
    Command("recipes", "List the mechanisms with their parameters.", "lexipod recipes --json", designing.run_recipes, _recipes, False),
    Command(
        "new",
        "Make a design with one mechanism, sized for the card.",
        "lexipod new strip-slider --out fog.lexipod --card a7 --set travel=40",
        designing.run_new,
        _new,
        False,
    ),
    Command("add", "Put one more mechanism on the card.", "lexipod add fog.lexipod spinner --set leaf_length=20mm", designing.run_add, _settings),
    Command("set", "Change settings of a design.", "lexipod set fog.lexipod travel=1-3/4in card=a7 mirror=yes", designing.run_set, _set),
    Command("describe", "Derived parts, joints, drives and zones.", "lexipod describe fog.lexipod --json", designing.run_describe, _json),
    Command("motion", "Poses over the travel, stops and clearances.", "lexipod motion fog.lexipod --steps 7 --json", judging.run_motion, _motion),
    Command("check", "Findings. Status 0: free to move; 1: something blocks.", "lexipod check fog.lexipod --json", judging.run_check, _check),
    Command(
        "fit",
        "Size what is not pinned so that nothing blocks.",
        "lexipod fit fog.lexipod --keep travel --keep picture_width",
        designing.run_fit,
        _fit,
    ),
    Command("yield", "Share of builds that run free, cut and glued as you do.", "lexipod yield fog.lexipod --builds 1000", judging.run_yield, _yield),
    *(Command(*row) for row in (*fit_commands.ROWS, *art_commands.ROWS)),
    Command("cutlist", "Pieces to cut, with score positions.", "lexipod cutlist fog.lexipod --units mm", making.run_cutlist, _cutlist),
    *(
        Command(*row)
        for part in (punch_commands, sheet_commands, plan_commands, log_commands, shelf_commands, accuracy_commands)
        for row in part.ROWS
    ),
    Command(
        "guides",
        "Write placement sheets, masks and windows at true size.",
        "lexipod guides fog.lexipod --to guides.pdf",
        making.run_guides,
        _guides,
    ),
    Command(
        "export", "Write templates, a picture or the cut list.", "lexipod export fog.lexipod --to fog.pdf --sheet a4", making.run_export, _export
    ),
)
