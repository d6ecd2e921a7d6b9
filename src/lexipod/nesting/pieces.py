"""Pieces, boards and layouts, and what must hold of every layout."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

import numpy as np
import shapely
from shapely import affinity

Turn = int
"""Counter-clockwise: 0, 90, 180 or 270 degrees."""
NEAR_MM = 1e-6
TOUCH_MM = 1e-5
"""Pieces that lie this deep in each other touch: rounding."""
WORTH_KEEPING_MM = 25.0
"""An off-cut that is narrower is waste."""


@dataclass(frozen=True, eq=False)
class Piece:
    """One piece: its ``name`` is its own, ``kind`` is shared by all that are cut alike. ``region`` is a polygon with the lower left corner
    of its box at the origin; ``turns`` are the quarter turns in which it may lie."""

    name: str
    kind: str
    region: Any
    turns: tuple[Turn, ...] = (0, 90, 180, 270)

    @property
    def size_mm(self) -> tuple[float, float]:
        x0, y0, x1, y1 = self.region.bounds
        return x1 - x0, y1 - y0


@dataclass(frozen=True, eq=False)
class Board:
    """One kind of board: a polygon at the origin, an empty margin inside its edge, and how many there are (None: as many as it takes)."""

    name: str
    region: Any
    margin_mm: float = 0.0
    count: int | None = None

    @property
    def size_mm(self) -> tuple[float, float]:
        x0, y0, x1, y1 = self.region.bounds
        return x1 - x0, y1 - y0

    @property
    def room(self) -> Any:
        """Where pieces may lie; empty where the margins leave nothing."""
        return shapely.buffer(self.region, -self.margin_mm, join_style="mitre") if self.margin_mm else self.region

    @property
    def is_box(self) -> bool:
        """Whether it is an upright rectangle."""
        return bool(abs(self.region.area - shapely.box(*self.region.bounds).area) < NEAR_MM)


@dataclass(frozen=True, slots=True)
class Spot:
    """Where a piece lies: on which of the layout's boards, the lower left corner of its turned box, and its turn."""

    piece: str
    board: int
    x_mm: float
    y_mm: float
    turn: Turn = 0


@dataclass(frozen=True, eq=False)
class Layout:
    """``boards`` are those that are used, in order, each by its kind; ``unplaced`` the names of pieces that fit on none."""

    boards: tuple[Board, ...]
    spots: tuple[Spot, ...]
    unplaced: tuple[str, ...] = ()
    pieces: dict[str, Piece] = field(default_factory=dict)

    def on(self, board: int) -> Iterator[tuple[Spot, Any]]:
        """The spots on one board, with the regions as they lie."""
        for spot in self.spots:
            if spot.board == board:
                yield spot, laid(self.pieces[spot.piece], spot)

    @property
    def use(self) -> float:
        """The share of the boards that becomes pieces; 0 for an empty layout."""
        whole = sum(board.region.area for board in self.boards)
        return sum(self.pieces[s.piece].region.area for s in self.spots) / whole if whole else 0.0

    @property
    def worth(self) -> tuple[float, ...]:
        """What makes a layout better than another, the smaller the better: pieces left over, area of fresh boards (those of which there are
        as many as it takes), area of the others, how far the board that is used least is used."""
        reach = [max((r.bounds[3] for _, r in self.on(k)), default=0.0) for k in range(len(self.boards))]
        areas = [sum(b.region.area for b in self.boards if (b.count is None) == is_fresh) for is_fresh in (True, False)]
        return len(self.unplaced), *(round(a, 3) for a in areas), round(min(reach, default=0.0), 2)


@lru_cache(maxsize=4096)
def turned(region: Any, turn: Turn) -> Any:
    """A region turned by quarters, the lower left corner of its box at the origin."""
    if turn:
        region = affinity.rotate(region, turn, origin=(0, 0))
    x0, y0, _, _ = region.bounds
    return affinity.translate(region, -x0, -y0)


def laid(piece: Piece, spot: Spot) -> Any:
    """The region of a piece where it lies."""
    return affinity.translate(turned(piece.region, spot.turn), spot.x_mm, spot.y_mm)


def find_faults(layout: Layout, gap_mm: float) -> list[str]:
    """What is wrong with a layout, in words: pieces over each other or nearer than the gap, over the margin, turned as they must not be,
    laid twice. Every pair on a board is looked at."""
    faults: list[str] = []
    names = [s.piece for s in layout.spots]
    faults += [f"{name} is laid twice" for name in sorted({n for n in names if names.count(n) > 1})] if len(set(names)) < len(names) else []
    for k, board in enumerate(layout.boards):
        on = list(layout.on(k))
        room = shapely.buffer(board.room, NEAR_MM, join_style="mitre")
        for spot, region in on:
            if spot.turn not in layout.pieces[spot.piece].turns:
                faults.append(f"{spot.piece} must not be turned by {spot.turn}")
            if not room.covers(region):
                faults.append(f"{spot.piece} lies over the margin of board {k + 1}")
        regions = np.array([region for _, region in on], dtype=object)
        tree = shapely.STRtree(regions)
        a, b = tree.query(regions, predicate="dwithin", distance=max(gap_mm - NEAR_MM, 0.0)) if len(regions) else ((), ())
        for i, j in zip(a, b, strict=True):
            if i < j and (gap_mm > 0 or regions[i].intersection(regions[j]).area > TOUCH_MM * regions[i].length):
                faults.append(f"{on[i][0].piece} and {on[j][0].piece} are nearer than the gap on board {k + 1}")
    return faults


def offcut_of(board: Board, regions: Sequence[Any], gap_mm: float) -> Any:
    """The largest upright rectangle of a board that no piece lies in, None where it is too narrow to keep. Its sides lie on edges of
    pieces or of the board."""
    x0, y0, x1, y1 = board.region.bounds
    taken = [r.bounds for r in regions]
    if not board.is_box:
        waste = shapely.difference(shapely.box(x0, y0, x1, y1), board.region)
        taken += [part.bounds for part in shapely.get_parts(waste)]
    best: Any = None
    xs = sorted({x0, *(b[2] + gap_mm for b in taken)})
    for left in xs:
        beyond = sorted({b[0] - gap_mm for b in taken if b[0] - gap_mm > left} | {x1})
        for right in beyond:
            if right - left < WORTH_KEEPING_MM:
                continue
            held = sorted((b[1] - gap_mm, b[3] + gap_mm) for b in taken if b[0] - gap_mm < right - NEAR_MM and b[2] + gap_mm > left + NEAR_MM)
            low = y0
            for bottom, top in (*held, (y1, y1)):
                if min(bottom, y1) - low >= WORTH_KEEPING_MM:
                    box = shapely.box(left, low, right, min(bottom, y1))
                    if best is None or box.area > best.area:
                        best = box
                low = max(low, top)
    return best
