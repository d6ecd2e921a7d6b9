"""The command line: each command reads what it needs, answers on standard output, and leaves files untouched when something is wrong."""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import NoReturn

from lexipod import __version__
from lexipod.catalog import load_catalog
from lexipod.cli.commands import COMMANDS
from lexipod.cli.progress import Progress
from lexipod.errors import LexipodError, shortened

UNUSABLE = 2
EXAMPLES = """examples:
  lexipod new strip-slider --card a2 --out fog.lexipod --set travel=1-1/2in
  lexipod set fog.lexipod travel=50mm
  lexipod add fog.lexipod spinner
  lexipod check fog.lexipod
  lexipod cutlist fog.lexipod --units in
  lexipod export fog.lexipod --to fog.pdf
  lexipod fog.lexipod            (opens the window)

A call that cannot be carried out says why in one line and ends with status 2; "check" ends with 1 when something blocks.
"""


class _Parser(argparse.ArgumentParser):
    """Says what is wrong in one line."""

    def error(self, message: str) -> NoReturn:
        raise LexipodError(message if len(message) < 400 else shortened(message))


def build_parser() -> argparse.ArgumentParser:
    """The parser of all commands."""
    parser = _Parser(prog="lexipod", description="A bench for moving cards.", epilog=EXAMPLES, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--version", action="version", version=f"lexipod {__version__}")
    commands = parser.add_subparsers(dest="command", metavar="COMMAND", parser_class=_Parser)
    for row in COMMANDS:
        epilog = f"example:\n  {row.example}"
        sub = commands.add_parser(row.name, help=row.does, description=row.does, epilog=epilog, formatter_class=argparse.RawDescriptionHelpFormatter)
        sub.set_defaults(run=row.run)
        if row.takes_file:
            sub.add_argument("file", metavar="FILE", type=Path)
        row.add(sub)
    return parser


def main(arguments: Sequence[str] | None = None) -> int:
    """Runs one call; the exit status. Whatever goes wrong is one line on standard error."""
    try:
        options = build_parser().parse_args(arguments)
        catalog = load_catalog()
        with Progress(options.command) as options.progress:
            status = int(options.run(options, catalog))
        sys.stdout.flush()
    except LexipodError as error:
        return _refuse(str(error))
    except BrokenPipeError:
        _silence()
        return 0
    except KeyboardInterrupt:
        _silence()
        return _refuse("stopped; no file was changed")
    except OSError as error:
        _silence()
        return _refuse(f"the answer could not be written ({error.strerror or error})")
    except Exception as fault:  # what no one foresaw is told, not thrown at the user
        told = shortened(fault)
        return _refuse(f"something went wrong inside the program ({type(fault).__name__}: {told}); no file was changed. Please report the call.")
    return status


def _refuse(text: str) -> int:
    print(f"lexipod: {text}", file=sys.stderr)
    return UNUSABLE


def _silence() -> None:
    """Nothing more is written to standard output, by the interpreter's last flush neither."""
    try:
        null = os.open(os.devnull, os.O_WRONLY)
        os.dup2(null, sys.stdout.fileno())
        os.close(null)
    except (OSError, ValueError):  # a stand-in without a descriptor
        return
