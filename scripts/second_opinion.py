"""What folds, judged twice: by the program, and by a reference that shares no way of judging with it.

``.venv/bin/python scripts/second_opinion.py [HOW_MANY] [SEED]`` draws random cards (every recipe that folds, pairs of folds, folds beside
flat mechanisms), and prints for each kind how many both call sound, both call broken, what only one of the two sees, and what is on
the edge. Anything missed is listed.
"""

from __future__ import annotations

import sys
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

import numpy as np

from tests.random_folds import KINDS, compare, draw


def main(count: int, seed: int) -> int:
    rng = np.random.default_rng(seed)
    table: dict[str, Counter[str]] = {}
    wrong: list[str] = []
    done = 0
    while done < count:
        kind, design = draw(rng)
        if design is None:
            continue
        done += 1
        said, why = compare(design)
        table.setdefault(kind, Counter())[said] += 1
        if said in ("missed", "false"):
            wrong.append(f"{kind} {said}: {why}")
    columns = ("sound", "broken", "missed", "false", "edge")
    print(f"{'':28}" + "".join(f"{c:>9}" for c in columns))
    total: Counter[str] = Counter()
    for kind in sorted(table, key=KINDS.index):
        print(f"{kind:28}" + "".join(f"{table[kind][c]:9}" for c in columns))
        total += table[kind]
    print(f"{'all':28}" + "".join(f"{total[c]:9}" for c in columns))
    print("\n".join(wrong))
    return 1 if total["missed"] else 0


if __name__ == "__main__":
    given = [int(a) for a in sys.argv[1:]]
    sys.exit(main(given[0] if given else 300, given[1] if len(given) > 1 else 1))
