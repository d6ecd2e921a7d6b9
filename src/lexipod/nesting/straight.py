"""Straight cuts: boxes laid so that each cut goes from edge to edge of what is left, and the order of these cuts."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import shapely

from lexipod.nesting.pieces import NEAR_MM, Board, Layout, Piece, Spot, turned

Box = tuple[float, float, float, float]
FINE_MM = 1e-6


@dataclass(frozen=True, slots=True)
class Cut:
    """One cut with a trimmer: piece number ``of`` (1 is the board; each cut makes two new numbers, ``gives``) is laid with its left edge
    (or its lower edge, ``along`` “height”) at the stop, which is set to ``at_mm`` from it; ``box`` is where that piece lies on the board.
    ``kept`` names the piece that lies alone in each part then, empty for what is cut further or left over."""

    of: int
    along: str
    at_mm: float
    box: Box
    gives: tuple[int, int]
    kept: tuple[str, str] = ("", "")


@dataclass(frozen=True, slots=True)
class _Room:
    board: int
    x: float
    y: float
    width: float
    height: float


def lay_straight(pieces: Sequence[Piece], boards: Sequence[Board], gap_mm: float = 0.0) -> Layout:
    """Pieces laid by their boxes. Several orders and ways of dividing are tried; the best is kept: fewest left over, least board,
    fewest cuts. The same pieces always give the same layout."""
    best: tuple[tuple[float, ...], Layout] | None = None
    for order, divide in itertools.product(_ORDERS, _DIVISIONS):
        layout = _lay(sorted(pieces, key=order), boards, gap_mm, divide)
        worth = (*layout.worth[:3], _settings(layout), layout.worth[3])
        if best is None or worth < best[0]:
            best = worth, layout
    assert best is not None
    return best[1]


_ORDERS: tuple[Callable[[Piece], tuple[Any, ...]], ...] = (
    lambda p: (-max(p.size_mm), -min(p.size_mm), p.kind, p.name),
    lambda p: (-p.size_mm[0] * p.size_mm[1], p.kind, p.name),
    lambda p: (-p.size_mm[1], -p.size_mm[0], p.kind, p.name),
    lambda p: (-min(p.size_mm), -max(p.size_mm), p.kind, p.name),
)


def _shorter(room: _Room, width: float, height: float) -> bool:
    return room.width - width < room.height - height


def _larger_offcut(room: _Room, width: float, height: float) -> bool:
    return max(room.width * (room.height - height), (room.width - width) * height) > max(
        (room.width - width) * room.height, width * (room.height - height)
    )


_DIVISIONS: tuple[Callable[[_Room, float, float], bool], ...] = (_shorter, _larger_offcut, lambda *_: True, lambda *_: False)
"""Whether the first cut goes along the width (the upper part keeps the whole width of the room)."""


def _settings(layout: Layout) -> float:
    """How many different places of the stop a layout takes, roughly: the different edges of its boxes."""
    sizes = {(spot.board, round(v, 3)) for spot in layout.spots for v in (spot.x_mm, -1 - spot.y_mm)}
    return float(len(sizes))


def _lay(pieces: Sequence[Piece], boards: Sequence[Board], gap: float, divide: Callable[[_Room, float, float], bool]) -> Layout:
    used: list[Board] = []
    rooms: list[_Room] = []
    spots: list[Spot] = []
    left: list[str] = []
    hopeless: set[str] = set()
    for piece in pieces:
        if piece.kind in hopeless:
            left.append(piece.name)
            continue
        few = [r for r in rooms if used[r.board].count is not None]
        found = (
            _best_room(piece, few, gap)
            or _fresh_board(piece, [b for b in boards if b.count is not None], used, rooms, gap)
            or _best_room(piece, rooms, gap)
            or _fresh_board(piece, [b for b in boards if b.count is None], used, rooms, gap)
        )
        if found is None:
            hopeless.add(piece.kind)
            left.append(piece.name)
            continue
        room, turn = found
        x0, y0, x1, y1 = turned(piece.region, turn).bounds
        spots.append(Spot(piece.name, room.board, room.x, room.y, turn))
        rooms.remove(room)
        rooms += _divided(room, x1 - x0 + gap, y1 - y0 + gap, divide)
    return Layout(tuple(used), tuple(spots), tuple(left), {p.name: p for p in pieces})


def _divided(room: _Room, width: float, height: float, divide: Callable[[_Room, float, float], bool]) -> list[_Room]:
    if divide(room, width, height):
        right = _Room(room.board, room.x + width, room.y, room.width - width, height)
        above = _Room(room.board, room.x, room.y + height, room.width, room.height - height)
    else:
        right = _Room(room.board, room.x + width, room.y, room.width - width, room.height)
        above = _Room(room.board, room.x, room.y + height, width, room.height - height)
    return [r for r in (right, above) if r.width > FINE_MM and r.height > FINE_MM]


def _best_room(piece: Piece, rooms: Sequence[_Room], gap: float) -> tuple[_Room, int] | None:
    """The room and turn that leave the narrowest strip, on the earliest board."""
    best: tuple[tuple[float, ...], _Room, int] | None = None
    for turn in _turns(piece):
        x0, y0, x1, y1 = turned(piece.region, turn).bounds
        width, height = x1 - x0 + gap, y1 - y0 + gap
        for room in rooms:
            spare = room.width - width, room.height - height
            if min(spare) < -FINE_MM:
                continue
            rank = (room.board, round(min(spare), 4), round(max(spare), 4), room.y, room.x, turn)
            if best is None or rank < best[0]:
                best = rank, room, turn
    return None if best is None else (best[1], best[2])


def _turns(piece: Piece) -> tuple[int, ...]:
    """One turn for each way its box can lie."""
    upright = next((t for t in piece.turns if t % 180 == 0), None)
    lying = next((t for t in piece.turns if t % 180), None)
    return tuple(t for t in (upright, lying) if t is not None)


def _fresh_board(piece: Piece, boards: Sequence[Board], used: list[Board], rooms: list[_Room], gap: float) -> tuple[_Room, int] | None:
    """One more board on which the piece fits, the smallest."""
    for board in sorted(boards, key=lambda b: b.region.area):
        if board.count is not None and sum(b is board for b in used) >= board.count:
            continue
        box = largest_box(board.room)
        if box is None:
            continue
        x0, y0, x1, y1 = box
        room = _Room(len(used), x0, y0, x1 - x0 + gap, y1 - y0 + gap)  # what lies at the far edges needs no gap there
        found = _best_room(piece, [room], gap)
        if found is not None:
            used.append(board)
            rooms.append(room)
            return found
    return None


def largest_box(room: Any) -> Box | None:
    """The room itself where it is an upright rectangle, else the largest one inside it that was found on its corners' grid."""
    if room.is_empty:
        return None
    box = shapely.box(*room.bounds)
    if box.area - room.area < NEAR_MM:
        return tuple(room.bounds)
    points = shapely.get_coordinates(room)
    xs, ys = (sorted({round(float(v), 4) for v in points[:, k]}) for k in (0, 1))
    xs, ys = _thinned(xs), _thinned(ys)
    best: Box | None = None
    shapely.prepare(room)
    for left, right in itertools.combinations(xs, 2):
        for low, high in itertools.combinations(ys, 2):
            area = (right - left) * (high - low)
            if (best is None or area > (best[2] - best[0]) * (best[3] - best[1])) and room.covers(shapely.box(left, low, right, high)):
                best = (left, low, right, high)
    return best


def _thinned(values: list[float], most: int = 24) -> list[float]:
    if len(values) <= most:
        return values
    low, high = values[0], values[-1]
    return [low + (high - low) * k / (most - 1) for k in range(most)]


def find_cuts(boxes: dict[str, Box], board: Box) -> list[Cut] | None:
    """The cuts, in order, that free every box from a board, each from edge to edge of what is being cut; None where there is no such
    order. Cuts lie on the boxes' edges.

    >>> [(c.along, c.at_mm, c.kept) for c in find_cuts({"a": (0, 0, 4, 10), "b": (4, 0, 10, 6)}, (0, 0, 10, 10))]
    [('width', 4, ('a', '')), ('height', 6, ('b', ''))]
    """
    cuts: list[Cut] = []
    numbers = itertools.count(2)
    waiting = [(1, board, dict(boxes))]
    while waiting:
        number, box, held = waiting.pop(0)
        if not held or (len(held) == 1 and _is_same(next(iter(held.values())), box)):
            continue
        found = next(_dividing(box, held), None)
        if found is None:
            return None
        axis, at, first, second = found
        low = (box[0], box[1], at, box[3]) if axis == 0 else (box[0], box[1], box[2], at)
        high = (at, box[1], box[2], box[3]) if axis == 0 else (box[0], at, box[2], box[3])
        gives = (next(numbers), next(numbers))
        kept = tuple(next(iter(h)) if len(h) == 1 and _is_same(next(iter(h.values())), b) else "" for h, b in ((first, low), (second, high)))
        cuts.append(Cut(number, ("width", "height")[axis], at - box[axis], box, gives, kept))  # type: ignore[arg-type]
        waiting[:0] = [(gives[0], low, first), (gives[1], high, second)]
    return cuts


def parts_left(cuts: Sequence[Cut], board: Box, pieces: Sequence[str]) -> list[Box]:
    """What is left over when all cuts are made: the parts that hold none of the pieces, the largest first. A board that is not cut is left
    over as it is, unless it is a piece itself.

    >>> parts_left(find_cuts({"a": (0, 0, 4, 10), "b": (4, 0, 10, 6)}, (0, 0, 10, 10)), (0, 0, 10, 10), ["a", "b"])
    [(4, 6, 10, 10)]
    """
    if not cuts:
        return [] if pieces else [board]
    parts: dict[int, Box] = {}
    for cut in cuts:
        parts.pop(cut.of, None)
        x0, y0, x1, y1 = cut.box
        if cut.along == "width":
            halves = ((x0, y0, x0 + cut.at_mm, y1), (x0 + cut.at_mm, y0, x1, y1))
        else:
            halves = ((x0, y0, x1, y0 + cut.at_mm), (x0, y0 + cut.at_mm, x1, y1))
        parts |= {n: half for n, half, name in zip(cut.gives, halves, cut.kept, strict=True) if not name}
    return sorted(parts.values(), key=lambda b: -(b[2] - b[0]) * (b[3] - b[1]))


def _is_same(a: Box, b: Box) -> bool:
    return all(abs(u - v) < 1e-4 for u, v in zip(a, b, strict=True))


def _dividing(box: Box, held: dict[str, Box]) -> Iterator[tuple[int, float, dict[str, Box], dict[str, Box]]]:
    """Lines that go through no box: those across the longer side first, since the shorter cut is the surer one."""
    axes = (1, 0) if box[3] - box[1] >= box[2] - box[0] else (0, 1)
    for axis in axes:
        edges = sorted({b[k] for b in held.values() for k in (axis, axis + 2)})
        for at in edges:
            if not box[axis] + 1e-4 < at < box[axis + 2] - 1e-4:
                continue
            first = {n: b for n, b in held.items() if b[axis + 2] <= at + 1e-4}
            second = {n: b for n, b in held.items() if b[axis] >= at - 1e-4}
            if len(first) + len(second) == len(held):
                yield axis, at, first, second
