"""``lexipod``: a command, or without one the window."""

from __future__ import annotations

import sys
from pathlib import Path

_COMMANDS = ("demo", "recipes", "new", "set", "describe", "motion", "check", "cutlist", "export")


def main() -> int:
    """Runs the command line; a call without a command opens the window with the file that is named."""
    arguments = sys.argv[1:]
    is_file = len(arguments) == 1 and not arguments[0].startswith("-") and arguments[0] not in _COMMANDS
    if arguments and not (is_file and (Path(arguments[0]).exists() or arguments[0].endswith(".lexipod"))):
        from lexipod.cli.main import main as run_command

        return run_command(arguments)
    from lexipod.app.start import run_window

    return run_window(Path(arguments[0]) if arguments else None, demo=False)


if __name__ == "__main__":
    sys.exit(main())
