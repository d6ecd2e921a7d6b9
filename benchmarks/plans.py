"""Plans: how long they take to be worked out, drawn, scheduled and written, for every demo card.

python benchmarks/plans.py
"""

from __future__ import annotations

import time

from lexipod.blanks import find_blanks
from lexipod.building import build_assembly
from lexipod.catalog import load_catalog
from lexipod.checks import Examination
from lexipod.demo import demo_names, load_demo
from lexipod.planning.booklet import draw_booklet
from lexipod.planning.plan import make_plan
from lexipod.planning.schedule import in_order, make_schedule, tasks_of
from lexipod.planning.step_drawing import draw_step
from lexipod.planning.told import minutes_text

COPIES = 25


def main() -> None:
    """Prints a row for each demo card: milliseconds, steps, the time for one card and for a batch by step and by card."""
    catalog = load_catalog()
    print("card              plan ms  draw ms (a step)  booklet s  steps  one card, in order → filled    25 by step / by card")
    for name in demo_names():
        design = load_demo(name)
        assembly = build_assembly(design, catalog)
        began = time.perf_counter()
        plan = make_plan(assembly, catalog, design)
        planned = time.perf_counter()
        examination, blanks = Examination(assembly, catalog, design.ways, steps=25), find_blanks(assembly)
        for step in plan.steps:
            draw_step(plan, step, examination, blanks)
        drawn = time.perf_counter()
        draw_booklet(design, catalog)
        written = time.perf_counter()
        plain, filled = in_order(tasks_of(plan)), make_schedule(tasks_of(plan))
        by_step, by_card = (make_schedule(tasks_of(plan, COPIES, by), COPIES) for by in ("step", "card"))  # type: ignore[arg-type]
        print(
            f"{name:16} {1000 * (planned - began):8.0f} {1000 * (drawn - planned):8.0f} ({1000 * (drawn - planned) / len(plan.steps):4.0f})"
            f" {written - drawn:12.1f} {len(plan.steps):6}   {minutes_text(plain.total):>10} → {minutes_text(filled.total):<10}"
            f"   {minutes_text(by_step.total):>10} / {minutes_text(by_card.total):<10}"
        )


if __name__ == "__main__":
    main()
