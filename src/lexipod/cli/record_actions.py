"""A command with actions of its own (``lexipod log add …``), all of which open the log."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path
from typing import Protocol

from lexipod.catalog import Catalog
from lexipod.records.store import Store

Act = Callable[[argparse.Namespace, Catalog], int]


class AddAction(Protocol):
    """Adds one action: its name, what it does, the function, and the names of what must be given."""

    def __call__(self, name: str, does: str, act: Act, *arguments: str) -> argparse.ArgumentParser: ...


def open_store(options: argparse.Namespace) -> Store:
    """The log in the folder of ``--data``, or of the user."""
    return Store(options.data)


def add_data(parser: argparse.ArgumentParser) -> None:
    """``--data``, as every command on the log has it."""
    parser.add_argument("--data", type=Path, metavar="FOLDER", help="where the log lies (the user's data folder)")


def add_actions(parser: argparse.ArgumentParser) -> AddAction:
    """Makes a parser one of actions; what comes back adds them."""
    actions = parser.add_subparsers(dest="action", required=True, metavar="ACTION")

    def action(name: str, does: str, act: Act, *arguments: str) -> argparse.ArgumentParser:
        sub = actions.add_parser(name, help=does, description=does)
        for argument in arguments:
            sub.add_argument(argument, type=Path if argument == "file" else str, metavar=argument.upper())
        add_data(sub)
        sub.set_defaults(act=act)
        return sub

    return action


def run_action(options: argparse.Namespace, catalog: Catalog) -> int:
    """Does the action that was chosen."""
    status: int = options.act(options, catalog)
    return status
