"""Holds catch points and free zones against a simulation in square cells, on many random designs, and prints the table.

``raster_check.py [DESIGNS] [FIRST_SEED]``: 200 designs from seed 1 on take about a quarter of an hour. Cells are 0.1 mm (zones 0.25 mm), every
travel has 721 positions. A catch point that the cells judge within a tenth of a millimetre of a limit, or otherwise where a third part covers
a quarter of a millimetre more or less, counts as near it, not as wrong.
"""

from __future__ import annotations

import sys
import time
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from lexipod.checks.catching import find_catch_points
from lexipod.checks.examination import FINE_STEPS
from lexipod.checks.zones import find_zone, room_over
from lexipod.recipes.parameters import NEEDED_GAP_MM
from tests.raster import COVERED_MM, examined, judge_catches, judge_pair, judge_zone, random_design, severity_of

NEAR_MM = 0.1
COVER_NEAR_MM = 0.25


def compare_catches(design) -> Counter:
    """How many pairs were judged alike, missed, alarmed for nothing, or lie near a limit."""
    fine = examined(design)
    cells = judge_catches(fine)
    sharp = examined(design, FINE_STEPS)
    ours = {frozenset((c.part, c.other)): (c.sag_mm, c.gap_mm, c.past_mm) for c in find_catch_points(sharp)}
    count: Counter = Counter()
    for pair in cells.keys() | ours.keys():
        told, seen = (severity_of(*rows[pair]) if pair in rows else "none" for rows in (ours, cells))
        if told == "none" and seen == "none":
            count["pairs without"] += 1
            continue
        if (told == "block") == (seen == "block"):
            count["alike"] += 1
            count["blocks"] += seen == "block"
            continue
        known = cells.get(pair) or ours[pair]
        if _is_near(fine, pair, cells.get(pair), ours.get(pair)):
            count["near a limit"] += 1
        elif seen == "block":
            count["missed"] += 1
            print("    missed:", sorted(pair), "cells", known, "ours", ours.get(pair))
        else:
            count["false alarms"] += 1
            print("    false alarm:", sorted(pair), "cells", cells.get(pair), "ours", ours.get(pair))
    return count


def _is_near(fine, pair, seen, told) -> bool:
    """Whether the two opinions differ by a tenth of a millimetre of sag, or by how well a third part covers the place."""
    if seen and told and min(abs(v[0] - v[1] - v[2]) for v in (seen, told)) < NEAR_MM:
        return True
    one, two = (fine.assembly.by_id[p] for p in sorted(pair))
    ours = told is not None and severity_of(*told) == "block"
    for covered in (COVERED_MM - COVER_NEAR_MM, COVERED_MM + COVER_NEAR_MM):
        again = judge_pair(fine, one, two, covered_mm=covered)
        if (again is not None and severity_of(*again) == "block") == ours:
            return True
    return False


def compare_zones(design) -> Counter:
    """Cells that a zone gives away though something passes, and the share that it keeps for nothing."""
    examination = examined(design)
    count: Counter = Counter()
    for name in ("card.front", "card.panel"):
        part = examination.assembly.by_id.get(name)
        if part is None:
            continue
        height = room_over(examination, part, "front")
        zone = find_zone(examination, name, "front", "foam", height_mm=height)
        told = judge_zone(examination, zone, NEEDED_GAP_MM[design.ways.cutting], height)
        count["zones"] += 1
        count["cells given away"] += told.given_away
        count["kept, 1/1000"] += round(1000 * told.kept_for_nothing)
    return count


def main() -> int:
    """Prints a row a design and the sum; status 1 when anything was missed."""
    designs = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    total: Counter = Counter()
    start = time.perf_counter()
    for seed in range(first, first + designs):
        design = random_design(seed)
        row = compare_catches(design) + compare_zones(design)
        total.update(row)
        print(f"{seed:5d} {design.mechanisms[0].recipe:14s} {dict(row)}", flush=True)
    judged = total["alike"] + total["missed"] + total["false alarms"] + total["near a limit"]
    print(f"\n{designs} designs, {time.perf_counter() - start:.0f} s")
    for name in ("blocks", "alike", "pairs without", "missed", "false alarms", "near a limit", "zones", "cells given away"):
        print(f"  {name:20s} {total[name]}")
    print(f"  {'false alarms':20s} {100 * total['false alarms'] / max(1, judged + total['pairs without']):.2f} % of the pairs that pass")
    print(f"  {'kept for nothing':20s} {total['kept, 1/1000'] / max(1, 10 * total['zones']):.2f} % of a zone's sheet")
    return 1 if total["missed"] or total["cells given away"] else 0


if __name__ == "__main__":
    sys.exit(main())
