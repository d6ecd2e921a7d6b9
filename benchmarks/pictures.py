"""Times of what is seen, read and shown of pictures: ``.venv/bin/python benchmarks/pictures.py``.

Shares of 60 items at 181 positions, the same against a plain loop over items, positions and parts; import of a large SVG against an
independent renderer's time for it; a moving picture of 60 frames; frames of the card as it is read. Machines are noisy: ratios count.
"""

from __future__ import annotations

import os

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import sys
import time
from collections.abc import Callable
from pathlib import Path

import msgspec
import numpy as np
import shapely

sys.path.insert(0, str(Path(__file__).parents[1]))

from lexipod.building import build_assembly
from lexipod.catalog import load_catalog
from lexipod.checks import Examination
from lexipod.checks.seen import sights, target_of
from lexipod.demo import load_demo
from lexipod.design import Card, Design, Item
from lexipod.drawing.art import pictures_of
from lexipod.drawing.writers import write_animation
from lexipod.fabricate.reading import draw_travel
from lexipod.geometry.frames import transform_regions
from lexipod.pictures.svg import read_svg
from tests.zoo import card_with

CATALOG = load_catalog()


def ms(run: Callable[[], object], times: int = 1) -> float:
    """The best of some runs."""
    best = np.inf
    for _ in range(times):
        start = time.perf_counter()
        run()
        best = min(best, time.perf_counter() - start)
    return 1e3 * best


def crowded(recipe: str) -> Design:
    """Sixty pictures and greetings over the parts of one card."""
    design = card_with(recipe, Card(size="na.a7"))
    assembly = build_assembly(design, CATALOG)
    parts = [p for p in assembly.parts if p.role not in ("spacer", "fastener") and p.id != "card.back"]
    rng = np.random.default_rng(4)
    items = []
    for k in range(60):
        part = parts[k % len(parts)]
        at = tuple(float(v) for v in np.round(rng.uniform(-0.3, 0.3, 2) * part.size_mm, 2))
        if k % 5 == 0:
            items.append(Item(f"g{k}", "greeting", part.id, at=at, text="Low water", height=4.0))
        else:
            items.append(Item(f"a{k}", "picture", part.id, at=at, width=12.0, height=9.0, source="x.svg"))
    return msgspec.structs.replace(design, items=tuple(items))


def plain_loop(examination: Examination, mechanism: str) -> float:
    """The same shares one by one."""
    assembly, total = examination.assembly, 0.0
    for item in assembly.items:
        target = target_of(examination, item)
        part = assembly.by_id[target.on]
        over = [p for p in assembly.parts if p.level > part.level or part.id in p.over]
        poses = np.broadcast_to(examination.poses(part.id), (181, 3))
        for k in range(181):
            free = transform_regions(target.region, poses[k : k + 1])[0]
            for other in over:
                regions = examination.regions(other.id)
                free = shapely.difference(free, regions[k if len(regions) > 1 else 0])
            total += free.area
    return total


def large_svg(size: int) -> str:
    """A drawing of about so many bytes: paths of curves."""
    rng, rows, length = np.random.default_rng(1), [], 0
    while length < size:
        p = (rng.uniform(0, 940, 2) + rng.uniform(0, 60, (9, 2))).round(2)
        points = " ".join(f"{x} {y}" for x, y in p[1:7])
        rows.append(f'<path fill="#{int(rng.integers(16**6)):06x}" d="M{p[0][0]} {p[0][1]}C{points}L{p[7][0]} {p[7][1]}Z"/>')
        length += len(rows[-1])
    return '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1000 1000" width="1000" height="1000">' + "".join(rows) + "</svg>"


def main() -> None:
    for recipe in ("strip-slider", "window-wheel", "dial-riders", "iris"):
        design = crowded(recipe)
        fresh = lambda design=design: Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=181)  # noqa: E731
        examination = fresh()
        for part in examination.assembly.parts:
            examination.regions(part.id)
        told = ms(lambda examination=examination: sights(examination, "m1"))
        looped = ms(lambda examination=examination: plain_loop(examination, "m1"))
        steps = len(examination.track("m1").travel)
        print(f"{recipe:14} 60 items at {steps} positions: {told:7.0f} ms, a plain loop {looped / told:5.1f} times as long")
    text = large_svg(1_000_000)
    took = ms(lambda: read_svg(text, "x"))
    print(f"SVG of {len(text) / 1e6:.1f} MB, {text.count('<path')} paths: {took:.0f} ms")
    for name in ("fog-lifts", "tide-brings", "whale-rises"):
        design = load_demo(name)
        examination = Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=25)
        art, _ = pictures_of(design, examination.assembly, None)
        start = time.perf_counter()
        drawings = draw_travel(examination, art, frames=60, there_and_back=False)
        drawn = time.perf_counter() - start
        for kind in ("gif", "webp"):
            took = ms(lambda drawings=drawings, kind=kind: write_animation(drawings, kind, width_px=800))  # type: ignore[arg-type]
            print(f"{name:14} 60 frames at 800 px as {kind}: {took / 1e3 + drawn:.1f} s, {drawn:.1f} s of it drawing")


if __name__ == "__main__":
    main()
