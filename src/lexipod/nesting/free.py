"""Free layouts: pieces along their own outlines, found on cells and then pushed together exactly.

For each piece and turn, the collisions with all that lies on a board are counted at every place of a grid at once (a correlation of two
pictures by fast Fourier transform); the lowest place without any is taken, tried exactly, and pushed down and to the left until the gap is
reached. No step is random or timed: the same pieces give the same layout.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

import numpy as np
import shapely
from shapely import affinity

from lexipod.geometry.frames import Array
from lexipod.nesting.pieces import Board, Layout, Piece, Spot, turned

MOST_CELLS = 160_000
"""A board is divided into about so many cells at most."""
COARSE_ROWS = 32
CLOSE, SURE = -0.6, 0.75
"""A piece is first looked at as a little smaller than it is, in shares of a cell, so that it can be nudged into a place that it just fits;
then as so much larger that no place it finds is taken."""
TRIED_ROWS, TRIED_IN_ROW = 12, 6
EXACT_MM = 1e-9


@dataclass(eq=False)
class _Table:
    """One board while it is being filled: which cells are taken, what lies on it, and kinds that found no room."""

    board: Board
    cell: float
    pad: float
    taken: Any
    origin: tuple[float, float]
    room: Any
    regions: list[Any] = field(default_factory=list)
    boxes: Array = field(default_factory=lambda: np.empty((0, 4)))
    full_for: set[str] = field(default_factory=set)
    images: dict[tuple[int, int], Any] = field(default_factory=dict)

    @property
    def is_offcut(self) -> bool:
        """Whether there are only some of its kind: they are used up first."""
        return self.board.count is not None

    def near(self, box: tuple[float, float, float, float], reach: float) -> Any:
        """Which of the regions have a box nearer than ``reach`` to a box, as numbers."""
        left, low, right, high = self.boxes.T
        gaps = np.maximum(np.maximum(left - box[2], box[0] - right), np.maximum(low - box[3], box[1] - high))
        return np.flatnonzero(gaps < reach)

    @property
    def shape(self) -> tuple[int, int]:
        return self.taken.shape[0], self.taken.shape[1]


Tell = Callable[[float], None]


def lay_free(
    pieces: Sequence[Piece],
    boards: Sequence[Board],
    gap_mm: float,
    *,
    cell_mm: float = 1.0,
    order: Sequence[int] | None = None,
    held: Layout | None = None,
    tell: Tell = lambda _: None,
) -> Layout:
    """Pieces laid one after the other, the largest first or in the ``order`` given (indices). What ``held`` has laid already stays where
    it is. ``tell`` takes the share that is done."""
    tables: list[_Table] = []
    spots: list[Spot] = []
    masks: Masks = {}
    if held is not None:
        for k, board in enumerate(held.boards):
            tables.append(_table(board, gap_mm, cell_mm))
            for there_already, region in held.on(k):
                _take(tables[-1], region, gap_mm)
                spots.append(there_already)
    there = {s.piece for s in spots}
    queue = [pieces[k] for k in order] if order is not None else sorted(pieces, key=lambda p: (-_bulk(p), p.kind, p.name))
    left: list[str] = []
    hopeless: set[str] = set()
    waiting = [p for p in queue if p.name not in there]
    for done, piece in enumerate(waiting):
        tell(done / len(waiting))
        if piece.kind in hopeless:
            left.append(piece.name)
            continue
        spot = (
            _place(piece, tables, gap_mm, masks, offcuts=True)
            or _place_fresh(piece, boards, tables, gap_mm, cell_mm, masks, offcuts=True)
            or _place(piece, tables, gap_mm, masks, offcuts=False)
            or _place_fresh(piece, boards, tables, gap_mm, cell_mm, masks, offcuts=False)
        )
        if spot is None:
            hopeless.add(piece.kind)
            left.append(piece.name)
        else:
            spots.append(spot)
    used = [k for k, table in enumerate(tables) if table.regions]
    renumbered = {k: n for n, k in enumerate(used)}
    kept = tuple(Spot(s.piece, renumbered[s.board], s.x_mm, s.y_mm, s.turn) for s in spots)
    known = {p.name: p for p in pieces} | ({} if held is None else {s.piece: held.pieces[s.piece] for s in held.spots})
    return Layout(tuple(tables[k].board for k in used), kept, tuple(left), known)


def _bulk(piece: Piece) -> float:
    """Large and long pieces first."""
    width, height = piece.size_mm
    return float(piece.region.area) + 0.5 * width * height


def _table(board: Board, gap: float, cell: float) -> _Table:
    x0, y0, x1, y1 = board.region.bounds
    cell = max(cell, math.sqrt((x1 - x0) * (y1 - y0) / MOST_CELLS))
    pad = math.ceil(gap / 2 / cell + 1) * cell
    left, low = x0 + board.margin_mm, y0 + board.margin_mm
    columns = max(1, math.ceil((x1 - board.margin_mm - left + 2 * pad) / cell))
    rows = max(1, math.ceil((y1 - board.margin_mm - low + 2 * pad) / cell))
    origin = (left - pad, low - pad)
    room = board.room
    if board.is_box or room.is_empty:
        taken = np.full((rows, columns), bool(room.is_empty))
    else:
        x, y = _centres(origin, (rows, columns), cell)
        shapely.prepare(room)
        taken = ~shapely.intersects_xy(room.buffer(gap / 2 - 0.5 * cell), x, y)
    return _Table(board, cell, pad, taken, origin, shapely.buffer(room, 1e-7, join_style="mitre"))


def _centres(origin: tuple[float, float], shape: tuple[int, int], cell: float) -> tuple[Array, Array]:
    x = origin[0] + (np.arange(shape[1]) + 0.5) * cell
    y = origin[1] + (np.arange(shape[0]) + 0.5) * cell
    grid = np.meshgrid(x, y)
    return grid[0], grid[1]


def _take(table: _Table, region: Any, gap: float) -> None:
    """Marks the cells of a piece with half the gap round it."""
    grown = shapely.buffer(region, gap / 2, quad_segs=4)
    x0, y0, x1, y1 = grown.bounds
    rows, columns = table.shape
    j0, j1 = (int(np.clip((v - table.origin[0]) / table.cell + d, 0, columns)) for v, d in ((x0, -1), (x1, 2)))
    i0, i1 = (int(np.clip((v - table.origin[1]) / table.cell + d, 0, rows)) for v, d in ((y0, -1), (y1, 2)))
    if j1 > j0 and i1 > i0:
        at = (table.origin[0] + j0 * table.cell, table.origin[1] + i0 * table.cell)
        x, y = _centres(at, (i1 - i0, j1 - j0), table.cell)
        shapely.prepare(grown)
        table.taken[i0:i1, j0:j1] |= shapely.intersects_xy(grown, x, y)
    table.regions.append(region)
    table.boxes = np.vstack([table.boxes, region.bounds])
    table.images.clear()


@dataclass(eq=False)
class _Mask:
    """The cells of a piece in one turn, its region at the origin, and its picture for boards of a size."""

    region: Any
    cells: Array
    images: dict[tuple[int, int], Any] = field(default_factory=dict)

    def image(self, shape: tuple[int, int]) -> Array:
        if shape not in self.images:
            self.images[shape] = np.conj(np.fft.rfft2(self.cells.astype(np.float32), s=shape))
        return self.images[shape]


Masks = dict[tuple[str, int, float, float], _Mask]


def _mask(piece: Piece, turn: int, table: _Table, gap: float, masks: Masks, *, grown_by: float) -> _Mask:
    key = (piece.kind, turn, table.cell, grown_by)
    if key not in masks:
        region = turned(piece.region, turn)
        grown = shapely.buffer(region, gap / 2 + grown_by * table.cell, quad_segs=4)
        _, _, x1, y1 = region.bounds
        shape = (math.ceil((y1 + 2 * table.pad) / table.cell), math.ceil((x1 + 2 * table.pad) / table.cell))
        x, y = _centres((-table.pad, -table.pad), shape, table.cell)
        shapely.prepare(grown)
        masks[key] = _Mask(region, shapely.intersects_xy(grown, x, y))
    return masks[key]


def _place(piece: Piece, tables: list[_Table], gap: float, masks: Masks, *, offcuts: bool) -> Spot | None:
    for k, table in enumerate(tables):
        if piece.kind in table.full_for or table.is_offcut != offcuts:
            continue
        found = _lowest(piece, table, gap, masks)
        if found is None:
            table.full_for.add(piece.kind)
            continue
        turn, region, (x, y) = found
        _take(table, region, gap)
        return Spot(piece.name, k, x, y, turn)
    return None


def _place_fresh(piece: Piece, boards: Sequence[Board], tables: list[_Table], gap: float, cell: float, masks: Masks, *, offcuts: bool) -> Spot | None:
    """On one more board, the smallest that takes it."""
    for board in sorted(boards, key=lambda b: b.region.area):
        if (board.count is not None) != offcuts:
            continue
        if board.count is not None and sum(t.board is board for t in tables) >= board.count:
            continue
        table = _table(board, gap, cell)
        found = _lowest(piece, table, gap, masks)
        if found is None:
            continue
        turn, region, (x, y) = found
        _take(table, region, gap)
        tables.append(table)
        return Spot(piece.name, len(tables) - 1, x, y, turn)
    return None


def _lowest(piece: Piece, table: _Table, gap: float, masks: Masks) -> tuple[int, Any, tuple[float, float]] | None:
    """The turn and place whose upper edge lies lowest, then farthest to the left."""
    best: tuple[tuple[float, ...], int, Any, tuple[float, float]] | None = None
    seen: list[Any] = []
    for turn in piece.turns:
        region = turned(piece.region, turn)
        if any(region.equals_exact(other, 1e-6) for other in seen):
            continue  # a rectangle turned by a half is itself
        seen.append(region)
        found = None
        for grown_by in (CLOSE, SURE):
            found = _first_place(_mask(piece, turn, table, gap, masks, grown_by=grown_by), table, gap)
            if found is not None:
                break
        if found is None:
            continue
        placed = affinity.translate(region, *found)
        _, _, x1, y1 = placed.bounds
        rank = (round(y1, 3), round(x1, 3), turn)
        if best is None or rank < best[0]:
            best = rank, turn, placed, found
    return None if best is None else best[1:]


def _first_place(mask: _Mask, table: _Table, gap: float) -> tuple[float, float] | None:
    rows, columns = table.shape
    _, _, width, height = mask.region.bounds
    x0, y0, x1, y1 = table.board.region.bounds
    margin = table.board.margin_mm
    last_j = math.floor((x1 - x0 - 2 * margin - width) / table.cell + EXACT_MM)
    last_i = math.floor((y1 - y0 - 2 * margin - height) / table.cell + EXACT_MM)
    if last_i < 0 or last_j < 0:
        return None
    if not table.taken.any():
        free: Any = np.ones((last_i + 1, last_j + 1), dtype=bool)
    else:
        high = mask.cells.shape[0]
        filled = int(np.flatnonzero(table.taken.any(axis=1))[-1]) + 1 if table.board.is_box else rows
        rows = min(rows, (filled // COARSE_ROWS + 1) * COARSE_ROWS + high)  # above what is filled everything is free
        size = (_fast_size(rows + high), _fast_size(columns + mask.cells.shape[1]))
        if size not in table.images:
            table.images[size] = np.fft.rfft2(table.taken[:rows].astype(np.float32), s=size)
        counts = np.fft.irfft2(table.images[size] * mask.image(size), s=size)
        free = counts[: min(last_i, filled) + 1, : last_j + 1] < 0.5
    for i in np.flatnonzero(free.any(axis=1))[:TRIED_ROWS]:
        open_here = np.flatnonzero(free[i])
        for j in open_here[:: max(1, len(open_here) // TRIED_IN_ROW)]:
            at = (x0 + margin + float(j) * table.cell, y0 + margin + float(i) * table.cell)
            clear = _nudged(mask.region, at, table, gap)
            if clear is not None:
                return _pushed(mask.region, clear, table, gap)
    return None


@lru_cache(maxsize=1024)
def _fast_size(least: int) -> int:
    """The least size that has no other factors than 2, 3 and 5, for which the transform is fast.

    >>> _fast_size(7), _fast_size(97), _fast_size(128)
    (8, 100, 128)
    """
    size = least
    while True:
        left = size
        for factor in (2, 3, 5):
            while left % factor == 0:
                left //= factor
        if left == 1:
            return size
        size += 1


def _nudged(region: Any, at: tuple[float, float], table: _Table, gap: float) -> tuple[float, float] | None:
    """The place itself where it is clear, or one up to a cell above or to the right, flush with what stands in the way; None for neither."""
    if _is_clear(region, at, table, gap):
        return at
    x, y = at
    _, _, width, height = region.bounds
    near = table.boxes[table.near((x, y, x + width, y + height), gap + EXACT_MM)]
    xs, ys = (sorted({float(v) + gap for v in near[:, k] if 0 < v + gap - at[k - 2] <= table.cell + EXACT_MM})[:2] for k in (2, 3))
    for trial in (*((x, v) for v in ys), *((v, y) for v in xs), *((u, v) for u in xs for v in ys)):
        if _is_clear(region, trial, table, gap):
            return trial
    return None


def _is_clear(region: Any, at: tuple[float, float], table: _Table, gap: float) -> bool:
    placed = affinity.translate(region, *at)
    x0, y0, x1, y1 = placed.bounds
    r0, s0, r1, s1 = table.room.bounds
    if x0 < r0 or y0 < s0 or x1 > r1 or y1 > s1 or not (table.board.is_box or table.room.covers(placed)):
        return False
    near = [table.regions[k] for k in table.near((x0, y0, x1, y1), gap)]
    if not near:
        return True
    if gap > 0:
        return bool(shapely.distance(placed, near).min() >= gap - EXACT_MM)
    return bool(shapely.area(shapely.intersection(placed, near)).max() < 1e-6)


def _pushed(region: Any, at: tuple[float, float], table: _Table, gap: float) -> tuple[float, float]:
    """Down and to the left as far as it goes, to within an eighth of a cell."""
    x, y = at
    for dx, dy in ((0.0, -1.0), (-1.0, 0.0), (0.0, -1.0), (-1.0, 0.0)):
        step = 2 * table.cell
        while step >= table.cell / 8:
            trial = (x + dx * step, y + dy * step)
            if _is_clear(region, trial, table, gap):
                x, y = trial
            else:
                step /= 2
    return x, y
