"""What is stuck on panels that fold, judged twice: by the program, and by columns of points and walked edges.

``.venv/bin/python scripts/stuck_opinion.py [HOW_MANY] [SEED]`` draws random folds with one piece stuck on a random panel, and prints how many
both call sound, both call broken, what only one of the two sees, and what is on the edge (or lies beside its panel).
"""

from __future__ import annotations

import sys
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

import numpy as np

from tests.random_stuck import compare_stuck, draw_stuck


def main(count: int, seed: int) -> int:
    rng = np.random.default_rng(seed)
    table: dict[str, Counter[str]] = {"stands in the way": Counter(), "an edge catches": Counter()}
    done = 0
    while done < count:
        drawn = draw_stuck(rng)
        if drawn is None:
            continue
        done += 1
        recipe, design = drawn
        *said, why = compare_stuck(design)
        for row, answer in zip(table.values(), said, strict=True):
            row[answer] += 1
        if {"missed", "false"} & set(said):
            print(recipe, *said, why, design.items[0], flush=True)
    columns = ("sound", "broken", "missed", "false", "edge")
    print(f"{'':20}" + "".join(f"{c:>9}" for c in columns))
    for name, row in table.items():
        print(f"{name:20}" + "".join(f"{row[c]:9}" for c in columns))
    return 1 if any(row["missed"] for row in table.values()) else 0


if __name__ == "__main__":
    given = [int(a) for a in sys.argv[1:]]
    sys.exit(main(given[0] if given else 100, given[1] if len(given) > 1 else 1))
