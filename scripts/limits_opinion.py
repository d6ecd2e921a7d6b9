"""Limits that are told, against a search that knows nothing of how mechanisms are sized or cured.

``.venv/bin/python scripts/limits_opinion.py [HOW_MANY] [SEED]`` draws mechanisms and sets one measure of each by hand until something
blocks. Where the program says that the wish cannot be kept, all other measures are changed at random, the better of two kept each time
(an evolution strategy of one parent and one child), until the whole card is free with all of the wish, or with clearly more of it than
was told, or so many tries are spent. What it finds proves a limit wrong; that it finds nothing proves little.
"""

from __future__ import annotations

import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

import numpy as np

from tests.random_limits import draw_wish, judge_wish


def main(count: int, seed: int) -> int:
    rng = np.random.default_rng(seed)
    table: dict[str, list[str]] = {}
    wrong = []
    done = 0
    while done < count:
        wish = draw_wish(rng)
        if wish is None:
            continue
        done += 1
        verdict, told = judge_wish(wish, rng)
        table.setdefault(wish.recipe, []).append(verdict)
        print(f"{done:4} {wish} {verdict}: {told}", flush=True)
        if verdict in ("disproved", "not free", "broken"):
            wrong.append(str(wish))
    verdicts = ("kept", "refused", "stands", "more", "disproved", "not free", "broken")
    print(f"{'':16}" + "".join(f"{v:>11}" for v in verdicts))
    for recipe, found in sorted(table.items()):
        print(f"{recipe:16}" + "".join(f"{found.count(v):11}" for v in verdicts))
    every = [v for found in table.values() for v in found]
    print(f"{'all':16}" + "".join(f"{every.count(v):11}" for v in verdicts))
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]) if len(sys.argv) > 1 else 40, int(sys.argv[2]) if len(sys.argv) > 2 else 1))
