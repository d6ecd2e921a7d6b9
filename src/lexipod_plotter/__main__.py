"""``lexipod-plotter``: the simulated plotter as a program."""

from __future__ import annotations

import argparse
import json
import math
import re
import sys
import time
from pathlib import Path

from lexipod_plotter.machine import Fault, Machine
from lexipod_plotter.picture import write_svg
from lexipod_plotter.serve import Server, run_file

KINDS = ("jam", "offline", "full", "slow", "power", "vanish")


def _fault(text: str) -> Fault:
    match = re.fullmatch(rf"({'|'.join(KINDS)})(?:@(\d+(?:\.\d+)?)(?:mm)?)?", text)
    if match is None:
        raise argparse.ArgumentTypeError(f"{text!r} is no fault; write one of {', '.join(KINDS)}, perhaps after some way: jam@250mm")
    return Fault(match[1], float(match[2] or 0))  # type: ignore[arg-type]


def _area(text: str) -> tuple[float, float]:
    match = re.fullmatch(r"(\d+(?:\.\d+)?)x(\d+(?:\.\d+)?)(?:mm)?", text)
    if match is None or not (0 < float(match[1]) < 5000 and 0 < float(match[2]) < 50_000):
        raise argparse.ArgumentTypeError(f"{text!r} is no area; write it like 305x610mm")
    return float(match[1]), float(match[2])


def build_parser() -> argparse.ArgumentParser:
    """The options."""
    parser = argparse.ArgumentParser(prog="lexipod-plotter", description="A plotter that cuts nothing: it draws what it is told to cut.")
    parser.add_argument("file", nargs="?", type=Path, help="a file to draw; without one it listens")
    parser.add_argument("--port", type=int, default=9102, help="where it listens on this machine (0: any free port, which it prints)")
    parser.add_argument("--area", type=_area, default=(304.8, 609.6), help="how far it reaches, like 305x610mm")
    parser.add_argument("--hurry", type=float, default=8.0, help="how many times faster than true it works (0: as fast as it goes)")
    parser.add_argument("--fault", type=_fault, action="append", default=[], help=f"what goes wrong: {', '.join(KINDS)}, after some way: jam@250mm")
    parser.add_argument("--to", type=Path, help="writes what was drawn as SVG when it ends, one file a sheet")
    parser.add_argument("--report", type=Path, help="writes what was done as JSON when it ends")
    parser.add_argument("--no-window", action="store_true", help="without a window; it ends with Ctrl-C, or when a sender has gone and nothing waits")
    return parser


def main(arguments: list[str] | None = None) -> int:
    """Runs it; 0 unless a file cannot be read."""
    options = build_parser().parse_args(arguments)
    machine = Machine(area_mm=options.area, faults=list(options.fault))
    if options.file is not None:
        try:
            text = options.file.read_text(encoding="latin-1")
        except OSError as error:
            print(f"lexipod-plotter: {options.file} cannot be read ({error.strerror})", file=sys.stderr)
            return 2
        run_file(machine, text)
    elif options.no_window:
        _listen(machine, options)
    else:
        from lexipod_plotter.app.window import run_window

        run_window(machine, port=options.port, hurry=options.hurry or math.inf)
    if options.to:
        for sheet in sorted({line.sheet for line in machine.lines} | {1}):
            target = options.to if sheet == 1 else options.to.with_stem(f"{options.to.stem}-{sheet}")
            target.write_text(write_svg(machine, sheet), encoding="utf-8")
    told = json.dumps(machine.report.plain(), indent=1)
    if options.report:
        options.report.write_text(told + "\n", encoding="utf-8")
    else:
        print(told)
    return 0


def _listen(machine: Machine, options: argparse.Namespace) -> None:
    server = Server(machine, port=options.port, hurry=options.hurry or math.inf).start()
    print(f"listening on 127.0.0.1:{server.port}", flush=True)
    try:
        while machine.report.words == 0 or not server.is_idle or server.has_sender:
            time.sleep(0.1)
    except KeyboardInterrupt:
        pass
    finally:
        server.close()


if __name__ == "__main__":
    sys.exit(main())
