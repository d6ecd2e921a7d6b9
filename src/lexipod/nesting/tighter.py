"""Better layouts, given time: other orders of laying free, and a strip packer from the registries cut into boards."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
import shapely

from lexipod.nesting.free import lay_free
from lexipod.nesting.pieces import Board, Layout, Piece, Spot, find_faults, turned

FINER_MM = 0.6
SAFE_MM = 0.01
"""The strip packer rounds: so much more gap is asked of it, and every answer is measured."""


def lay_tighter(
    pieces: Sequence[Piece],
    boards: Sequence[Board],
    gap_mm: float,
    *,
    seconds: float,
    held: Layout | None = None,
    tell: Callable[[float, Layout], None] = lambda *_: None,
    seed: int = 1,
) -> Layout:
    """The best layout found within about ``seconds``; never worse than the plain one. ``tell`` takes the share of the time and the best
    so far whenever one of them has moved."""
    start = time.monotonic()
    best = lay_free(pieces, boards, gap_mm, held=held)
    tell(0.0, best)

    def share() -> float:
        return (time.monotonic() - start) / max(seconds, 1e-9)

    def offer(layout: Layout | None) -> None:
        nonlocal best
        if layout is not None and layout.worth < best.worth and not find_faults(layout, gap_mm):
            best = layout
        tell(min(1.0, share()), best)

    if held is None or not held.spots:
        offer(_by_strips(pieces, boards, gap_mm, seconds=0.85 * seconds, seed=seed, tell=lambda: tell(min(1.0, share()), best)))
    chance = np.random.default_rng(seed)
    base = sorted(range(len(pieces)), key=lambda k: (-pieces[k].region.area, pieces[k].kind, pieces[k].name))
    rounds = 0
    while share() < 1.0:
        lasts = time.monotonic()
        noise = np.argsort(np.arange(len(base)) + chance.normal(0.0, 0.12 * len(base) + 0.5, len(base)), kind="stable")
        offer(lay_free(pieces, boards, gap_mm, cell_mm=FINER_MM if rounds % 2 else 1.0, order=[base[k] for k in noise], held=held))
        rounds += 1
        if share() + (time.monotonic() - lasts) / max(seconds, 1e-9) > 1.15:
            break
    return best


def _by_strips(pieces: Sequence[Piece], boards: Sequence[Board], gap: float, *, seconds: float, seed: int, tell: Callable[[], None]) -> Layout | None:
    """A strip as high as a board is wide is packed with all pieces that are left; what lies within the board's length stays there, and small
    pieces fill what is open. Only for boards that are rectangles."""
    whole = [b for b in boards if b.is_box and b.count is None]
    if not whole:
        return None
    board = min(whole, key=lambda b: b.region.area)
    width, length = (v - 2 * board.margin_mm for v in board.size_mm)
    waiting = list(pieces)
    spots: list[Spot] = []
    used: list[Board] = []
    area = sum(p.region.area for p in pieces)
    began = time.monotonic()
    while waiting:
        left = sum(p.region.area for p in waiting) / area
        budget = max(1.0, (seconds - (time.monotonic() - began)) * min(1.0, 1.6 * board.region.area / max(area * left, 1e-9)))
        strip = pack_strip(waiting, width, gap, seconds=budget, seed=seed)
        tell()
        if strip is None:
            return None
        inside = [(p, x, y, turn) for p, x, y, turn in strip if y + turned(p.region, turn).bounds[3] <= length + 1e-9]
        if not inside:
            return None
        names = {p.name for p, *_ in inside}
        margin = board.margin_mm
        here = [Spot(p.name, 0, x + margin, y + margin, turn) for p, x, y, turn in inside]
        rest = [p for p in waiting if p.name not in names]
        single = Board(board.name, board.region, margin, 1)
        filled = lay_free(rest, [single], gap, held=Layout((single,), tuple(here), (), {p.name: p for p in waiting}))
        first = [s for s in filled.spots if s.board == 0]
        spots += [Spot(s.piece, len(used), s.x_mm, s.y_mm, s.turn) for s in first]
        used.append(board)
        placed = {s.piece for s in first}
        waiting = [p for p in waiting if p.name not in placed]
    return Layout(tuple(used), tuple(spots), (), {p.name: p for p in pieces})


def pack_strip(pieces: Sequence[Piece], width: float, gap: float, *, seconds: float, seed: int) -> list[tuple[Piece, float, float, int]] | None:
    """Pieces on a strip ``width`` wide that goes upwards: each with the lower left corner of its turned box. None where it cannot be
    packed."""
    import spyrrow

    kinds: dict[tuple[str, tuple[int, ...]], list[Piece]] = {}
    for piece in pieces:
        kinds.setdefault((piece.kind, piece.turns), []).append(piece)
    items: list[Any] = []
    groups: dict[str, list[Piece]] = {}
    for k, ((_, turns), group) in enumerate(kinds.items()):
        # the strip runs along its own x: a piece that lies upright here is a quarter turned there
        outline = shapely.get_coordinates(shapely.simplify(shapely.Polygon(group[0].region.exterior), 0.005))[:-1]
        items.append(spyrrow.Item(str(k), [(float(y), float(x)) for x, y in outline[::-1]], len(group), [float(-t % 360) for t in turns]))
        groups[str(k)] = list(group)
        if min(group[0].size_mm) > width + 1e-9:
            return None
    config = spyrrow.StripPackingConfig(
        total_computation_time=max(1, round(seconds)), min_items_separation=gap + SAFE_MM if gap else SAFE_MM, num_workers=2, seed=seed
    )
    try:
        solution = spyrrow.StripPackingInstance("pieces", float(width), items).solve(config)
    except ValueError:  # a piece is wider than the strip in every turn it may lie
        return None
    out = []
    for placed in solution.placed_items:
        piece = groups[placed.id].pop()
        turn = round(-placed.rotation) % 360
        coords = shapely.get_coordinates(piece.region.exterior)[:, ::-1]
        angle = np.radians(placed.rotation)
        cos, sin = np.cos(angle), np.sin(angle)
        at = coords @ np.array([[cos, sin], [-sin, cos]]) + placed.translation
        out.append((piece, float(at[:, 1].min()), float(at[:, 0].min()), turn))
    low = min(y for _, _, y, _ in out)
    return [(p, x, y - low, t) for p, x, y, t in out]
