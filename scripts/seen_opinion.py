"""Shares of pictures that are seen, against a count point by point.

``.venv/bin/python scripts/seen_opinion.py [HOW_MANY] [SEED]`` draws random layouts over all mechanisms and prints, for each, how many shares
were compared and the largest difference. Then every folding mechanism is held at positions where it stands, and what is told as seen of its
panels is held against rays to the reader's eye.
"""

from __future__ import annotations

import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

import numpy as np

from lexipod.design import Card
from tests.random_pictures import CARDS, compare_layout, compare_standing, draw_layout
from tests.zoo import FOLDED, card_with

ALIKE = 0.02
"""So far a count on a grid of 90 by 90 may be off."""


def main(count: int, seed: int) -> int:
    rng = np.random.default_rng(seed)
    table: dict[str, list[float]] = {}
    wrong = []
    done = 0
    while done < count:
        design = draw_layout(rng)
        if design is None:
            continue
        done += 1
        recipe = design.mechanisms[0].recipe
        for item, travel, told, counted in compare_layout(design):
            table.setdefault(recipe, []).append(abs(told - counted))
            if abs(told - counted) > ALIKE:
                found = design.find_item(item)
                wrong.append(f"{recipe} on {design.card.size}: {found} at {travel:g}: told {told:.3f}, counted {counted:.3f}")
    print(f"{'':16}{'shares':>8}{'largest':>10}{'median':>10}")
    for recipe, off in sorted(table.items()):
        print(f"{recipe:16}{len(off):8}{max(off):10.4f}{float(np.median(off)):10.4f}")
    every = [v for off in table.values() for v in off]
    print(f"{'all':16}{len(every):8}{max(every):10.4f}{float(np.median(every)):10.4f}")
    print(f"{done} layouts; {len(wrong)} shares off by more than {ALIKE}")
    print("\n".join(wrong[:20]))
    blind = stand(rng, max(1, count // 25))
    return 1 if wrong or blind else 0


def stand(rng: np.random.Generator, rounds: int) -> int:
    """Prints, for each fold, at how many points both see the same; how many points of all but the wiper, whose leaf bends, differ."""
    differ = 0
    print(f"{'while it stands':16}{'points':>8}{'alike':>8}{'only told':>11}{'only cast':>11}")
    for recipe in FOLDED:
        rows = []
        for _ in range(rounds):
            rows += compare_standing(card_with(recipe, Card(size=str(rng.choice(CARDS)))), rng)
        told, cast = (sum(bool(r[k]) and not r[7 - k] for r in rows) for k in (3, 4))
        print(f"{recipe:16}{len(rows):8}{len(rows) - told - cast:8}{told:11}{cast:11}")
        differ += told + cast if recipe != "wiper" else 0
    return differ


if __name__ == "__main__":
    given = [int(a) for a in sys.argv[1:]]
    sys.exit(main(given[0] if given else 200, given[1] if len(given) > 1 else 1))
