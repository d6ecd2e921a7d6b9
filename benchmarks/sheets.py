"""Sheets: how dense, how fast, how far the tool is lifted.

python benchmarks/sheets.py            the table
python benchmarks/sheets.py 10         with ten seconds for what is given time
"""

from __future__ import annotations

import math
import sys
import time

import numpy as np
import rectpack
import shapely

from lexipod.building import build_assembly
from lexipod.catalog import load_catalog
from lexipod.demo import demo_names, load_demo
from lexipod.editing.change import change_design
from lexipod.fabricate.exports import export_bytes
from lexipod.fabricate.machining import for_plotter, sheet_program
from lexipod.fabricate.sheeting import lay_sheets
from lexipod.nesting import Board, Piece, lay_free, lay_tighter
from lexipod.nesting.tighter import pack_strip
from lexipod.plotting import lifted_mm
from lexipod.units import UnitStyle

STRIP_MM, GAP_MM, PARTS = 280.0, 2.0, 40
SEEDS = (901, 902, 903, 904, 905)


def irregular(seed: int, count: int = PARTS) -> list[Piece]:
    """Boxes, discs, stars and angles; grain kept (half turns only)."""
    chance = np.random.default_rng(seed)
    found = []
    for k in range(count):
        wide, high, kind = chance.uniform(12, 70), chance.uniform(8, 45), chance.integers(0, 4)
        if kind == 0:
            region = shapely.box(0, 0, wide, high)
        elif kind == 1:
            region = shapely.Point(0, 0).buffer(min(wide, high) / 2, quad_segs=12)
        elif kind == 2:
            angles, radii = np.sort(chance.uniform(0, 2 * math.pi, 9)), chance.uniform(0.4, 1, 9) * min(wide, high)
            region = shapely.Polygon(np.column_stack([radii * np.cos(angles), radii * np.sin(angles)]))
            region = region if region.is_valid and region.area > 40 else shapely.box(0, 0, wide, high)
        else:
            region = shapely.box(0, 0, wide, 6).union(shapely.box(0, 0, 6, high))
        x0, y0, _, _ = region.bounds
        found.append(Piece(f"p{k}", f"k{k}", shapely.transform(region, lambda xy, x0=x0, y0=y0: xy - [x0, y0]), (0, 180)))
    return found


def by_boxes(pieces: list[Piece]) -> float:
    """The least length of strip that a rectangle packer needs (no rotation), found by halving."""
    low, high = 10.0, 3000.0
    while high - low > 1.0:
        middle = (low + high) / 2
        packer = rectpack.newPacker(rotation=False, pack_algo=rectpack.MaxRectsBssf)
        for piece in pieces:
            packer.add_rect(*(math.ceil((v + GAP_MM) * 100) for v in piece.size_mm))
        packer.add_bin(round((STRIP_MM + GAP_MM) * 100), round((middle + GAP_MM) * 100))
        packer.pack()
        low, high = (low, middle) if len(packer.rect_list()) == len(pieces) else (middle, high)
    return high


def density(seconds: float) -> None:
    """40 irregular parts on a strip of 280 mm, gap 2 mm: part area over the strip that is used."""
    rows: dict[str, list[tuple[float, float]]] = {
        "rectangle packer": [],
        "free": [],
        f"better, {seconds:g} s": [],
        f"strip packer, {seconds:g} s": [],
    }
    for seed in SEEDS:
        pieces = irregular(seed)
        area = sum(p.region.area for p in pieces)
        roll = Board("roll", shapely.box(0, 0, STRIP_MM, 1200))
        start = time.perf_counter()
        rows["rectangle packer"].append((area / STRIP_MM / by_boxes(pieces), time.perf_counter() - start))
        start = time.perf_counter()
        free = lay_free(pieces, [roll], GAP_MM)
        rows["free"].append((area / STRIP_MM / free.worth[-1], time.perf_counter() - start))
        start = time.perf_counter()
        better = lay_tighter(pieces, [roll], GAP_MM, seconds=seconds, seed=seed)
        rows[f"better, {seconds:g} s"].append((area / STRIP_MM / better.worth[-1], time.perf_counter() - start))
        start = time.perf_counter()
        strip = pack_strip(pieces, STRIP_MM, GAP_MM, seconds=seconds, seed=seed) or []
        top = max(y + p.region.bounds[3] if t % 180 == 0 else y + p.region.bounds[2] for p, _, y, t in strip)
        rows[f"strip packer, {seconds:g} s"].append((area / STRIP_MM / top, time.perf_counter() - start))
    print(f"{PARTS} irregular parts, strip {STRIP_MM:g} mm, gap {GAP_MM:g} mm, seeds {SEEDS[0]} to {SEEDS[-1]}")
    for name, found in rows.items():
        shares, times = [d for d, _ in found], [t for _, t in found]
        print(f"  {name:24} density {np.mean(shares):.3f} ({min(shares):.3f} to {max(shares):.3f})  {np.mean(times):.1f} s")


def batches() -> None:
    """One card and 25 of four demo cards, straight and free."""
    catalog = load_catalog()
    print(f"{'card':14} {'cards':>5} {'cuts':9} {'seconds':>8} {'sheets':>7} {'used':>6}")
    for name in ("fog-lifts", "tide-brings", "dome-opens", "five-tides"):
        for copies in (1, 25):
            for cuts in ("straight", "free"):
                design = change_design(load_demo(name), catalog, {"sheets.copies": copies, "sheets.cuts": cuts})
                assembly = build_assembly(design, catalog)
                start = time.perf_counter()
                sheets = lay_sheets(assembly, catalog, design)
                print(f"{name:14} {copies:5} {cuts:9} {time.perf_counter() - start:8.2f} {sheets.count:7} {sheets.use:6.3f}")


def lifting() -> None:
    """The way with the tool lifted, ordered and as the pieces are listed (scores before cuts in both), over the demo collection."""
    catalog, ordered, listed = load_catalog(), 0.0, 0.0
    start = time.perf_counter()
    for name in demo_names():
        design = for_plotter(load_demo(name))
        assembly = build_assembly(design, catalog)
        for sheet in lay_sheets(assembly, catalog, design).sheets:
            if sheet.lot.stock not in catalog.foams:
                ordered += lifted_mm([s.run for s in sheet_program(sheet, assembly, catalog, None, UnitStyle()).steps])
                listed += lifted_mm([s.run for s in sheet_program(sheet, assembly, catalog, None, UnitStyle(), in_order=False).steps])
    less, took = 100 * (1 - ordered / listed), time.perf_counter() - start
    print(f"lifted: {ordered / 1000:.1f} m in order, {listed / 1000:.1f} m as listed, {less:.0f} % less; {took:.0f} s")


def exporting() -> None:
    """Every format of the card with the most pieces."""
    catalog = load_catalog()
    design = load_demo("mussel-bank")
    for ending in (".pdf", ".svg", ".dxf", ".plt"):
        start = time.perf_counter()
        data = export_bytes(design, catalog, ending, folder=None, style=UnitStyle(), what="sheets")
        print(f"  {ending}: {time.perf_counter() - start:.2f} s, {len(data) / 1000:.0f} kB")


if __name__ == "__main__":
    density(float(sys.argv[1]) if len(sys.argv) > 1 else 6.0)
    batches()
    lifting()
    exporting()
