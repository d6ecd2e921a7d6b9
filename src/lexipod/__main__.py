"""``lexipod``: a command, or without one the window."""

from __future__ import annotations

import sys
from pathlib import Path


def main() -> int:
    """Runs the command line; a call without a command opens the window with the file that is named."""
    arguments = sys.argv[1:]
    if len(arguments) > 1 or (arguments and not _is_file(arguments[0])):
        from lexipod.cli.main import main as run_command

        return run_command(arguments)
    from lexipod.app.frame.start import run_window

    return run_window(Path(arguments[0]) if arguments else None, demo=False)


def _is_file(argument: str) -> bool:
    """Whether a single argument is meant as a file: it is no option and no command, and it is there or ends as designs do."""
    if argument.startswith("-"):
        return False
    from lexipod.cli.commands import COMMANDS

    return argument not in {row.name for row in COMMANDS} and (Path(argument).exists() or argument.endswith(".lexipod"))


if __name__ == "__main__":
    sys.exit(main())
