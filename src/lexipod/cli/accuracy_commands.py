"""The command on the maker's own errors, and how often the program was right."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

import msgspec

from lexipod.catalog import Catalog
from lexipod.cli.answers import print_json
from lexipod.cli.record_actions import add_data, open_store
from lexipod.design import write_design
from lexipod.errors import ParameterError
from lexipod.pipeline import open_design
from lexipod.records.calibration import bins, calibrate
from lexipod.records.learning import Learned, learn_all, learned_text, own_errors
from lexipod.records.makes import RAN_WORDS
from lexipod.units import UnitStyle


def run_accuracy(options: argparse.Namespace, catalog: Catalog) -> int:
    """Tells the maker's own errors, and how often the program was right; ``--use`` writes them into a design."""
    with open_store(options) as store:
        makes = store.makes()
    learned, calibration = learn_all(makes), calibrate(makes)
    if options.use:
        design = open_design(options.use, catalog)
        errors = () if options.forget else own_errors(learned, design.ways.cutting)
        if not errors and not options.forget:
            raise ParameterError("--use", f"too little was measured of what is cut by {design.ways.cutting}: five measures of a kind at least")
        write_design(msgspec.structs.replace(design, ways=msgspec.structs.replace(design.ways, errors=errors)), options.use)
    if options.json:
        rows = [_learned_json(row) for row in learned]
        told = {
            "told": calibration.told,
            "right": calibration.right,
            "by_verdict": [{"verdict": s.verdict, "makes": s.count, "ran_free": s.ran_free, "foretold": s.foretold} for s in calibration.scores],
            "warned_in_vain": dict(calibration.wrong),
            "not_foreseen": dict(calibration.unseen),
            "bins": [{"foretold": a, "ran_free": b, "makes": n} for a, b, n in bins(makes)],
        }
        print_json({"format": "lexipod-accuracy/1", "errors": rows, "calibration": told})
        return 0
    if not learned:
        print("nothing was measured yet; take a quick measure while you build, and it is kept in the log")
    for row in learned:
        print(learned_text(row, UnitStyle(options.units or "mm")))
    slips = [m for make in makes for m in make.measures if m.is_slip]
    if slips:
        print(f"left out, since they look like slips of the pen: {', '.join(m.name for m in slips)}")
    if calibration.told:
        print(f"of {calibration.told} makes {calibration.right} ran as was said before")
        for rule, count in calibration.wrong:
            print(f"  warned in vain {count} ×: {rule}")
        for ran, count in calibration.unseen:
            print(f"  not foreseen {count} ×: {RAN_WORDS[ran].removesuffix(' at')}")
    return 0


def _learned_json(row: Learned) -> dict[str, object]:
    return {
        "kind": row.kind,
        "way": row.way,
        "measures": row.count,
        "usual_spread": row.usual,
        "bias": round(row.bias, 5),
        "bias95": [round(v, 5) for v in row.bias95],
        "spread": round(row.spread, 5),
        "spread95": [round(v, 5) for v in row.spread95],
        "next95": [round(v, 5) for v in row.next95],
        "enough": row.is_enough,
    }


def _add_accuracy(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--json", action="store_true")
    add_data(parser)
    parser.add_argument("--units", choices=("in", "mm"))
    parser.add_argument("--use", type=Path, metavar="FILE", help="uses them for the gaps and builds of this design")
    parser.add_argument("--forget", action="store_true", help="with --use: back to the usual errors")


ROWS: tuple[Any, ...] = (
    ("accuracy", "Your own errors, and how often the program was right.", "lexipod accuracy --use fog.lexipod", run_accuracy, _add_accuracy, False),
)
