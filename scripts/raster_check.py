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

from lexipod.checks.zones import find_zone, room_over
from lexipod.design import NEEDED_GAP_MM
from tests.raster import compare_catches, examined, judge_zone, random_design


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
        row, words = compare_catches(design)
        row += compare_zones(design)
        for difference in words:
            print(f"    {difference}")
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
