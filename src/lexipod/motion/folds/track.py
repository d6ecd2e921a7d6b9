"""Frames of the panels of a mechanism that folds, over its opening."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Hashable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from lexipod.assembly.folding import Folding
from lexipod.geometry.frames import Array
from lexipod.geometry.space import apply_frame
from lexipod.motion.folds.system import FoldSystem, fold_systems, forget_systems, way_of_moving
from lexipod.motion.memory import forget_all


@dataclass(frozen=True, eq=False)
class FoldTrack:
    """Frames ``(n, 3, 4)`` of every panel in the card at ``travel`` ``(n,)`` degrees. At a position that is not ``reached`` everything
    stays as in the nearest one that is (as the loops are laid down where none is), so all arrays are finite.

    ``coordinates`` are those of the tree's joints (degrees or mm), ``readings`` the measures the maker knows the travel by.
    ``dead_points`` are the openings below and above home at which the loops come to an end.
    """

    folding: Folding
    travel: Array
    frames: dict[str, Array]
    reached: NDArray[np.bool_]
    coordinates: dict[str, Array]
    readings: dict[str, Array] = field(default_factory=dict)
    dead_points: tuple[float | None, float | None] = (None, None)
    residual_mm: float = 0.0

    def frames_at(self, travel: float) -> dict[str, Array]:
        """Frames ``(3, 4)`` at a travel: between the solved ones every crease is turned by its share, so panels stay rigid and joined;
        beyond, those of the nearest one that was reached. Empty where none was."""
        good = np.flatnonzero(self.reached)
        if not len(good):
            return {}
        order = good[np.argsort(self.travel[good])]
        system = fold_systems(self.folding)[0]
        values = np.array([[np.interp(travel, self.travel[order], self.coordinates[name][order]) for name in system.names]])
        frames = system.frames(values)[0]
        return {panel: frames[at, 0] for panel, at in system.index.items()}


def solve_folds(folding: Folding, travel: Array) -> FoldTrack:
    """Frames of all panels at the given openings (degrees of the drive), in any order."""
    travel = np.asarray(travel, dtype=float)
    known = _solved(folding, travel)
    return FoldTrack(
        folding,
        travel,
        known.frames,
        known.reached,
        known.coordinates,
        _readings(folding, known.frames),
        known.dead_points,
        known.residual_mm,
    )


@dataclass(frozen=True, slots=True)
class _Solved:
    """What of a track follows from the way of moving alone."""

    frames: dict[str, Array]
    reached: NDArray[np.bool_]
    coordinates: dict[str, Array]
    dead_points: tuple[float | None, float | None]
    residual_mm: float

    def only(self, at: NDArray[np.int_]) -> _Solved:
        """The same at some of its positions."""
        frames, coordinates = ({name: rows[at] for name, rows in each.items()} for each in (self.frames, self.coordinates))
        return _Solved(frames, self.reached[at], coordinates, self.dead_points, self.residual_mm)


_SOLVED: OrderedDict[Hashable, _Solved] = OrderedDict()
MOST_SOLVED = 48
"""Tracks of the last few ways of moving are kept: most changes of a design leave how it moves alone."""
_LONGEST: OrderedDict[Hashable, tuple[Array, _Solved]] = OrderedDict()
"""Of the last few ways of moving the track with the most positions, by rising travel: what lies on it is not solved again."""


def _solved(folding: Folding, travel: Array) -> _Solved:
    """The track of a way of moving; taken from what is known of it where that is so."""
    way = way_of_moving(folding)
    key = (way, travel.tobytes())
    known = _SOLVED.get(key)
    if known is not None:
        _SOLVED.move_to_end(key)
        return known
    known = _taken_from(_LONGEST.get(way), travel)
    if known is None:
        known = _solve(fold_systems(folding), travel)
        if way not in _LONGEST or len(_LONGEST[way][0]) < len(travel):
            order = np.argsort(travel)
            _LONGEST[way] = (travel[order], known.only(order))
            _LONGEST.move_to_end(way)
    _SOLVED[key] = known
    for kept in (_SOLVED, _LONGEST):
        while len(kept) > MOST_SOLVED:
            kept.popitem(last=False)
    return known


def _taken_from(longest: tuple[Array, _Solved] | None, travel: Array) -> _Solved | None:
    """Positions that all lie on a longer track, and are reached there; None where one does not."""
    if longest is None or len(travel) > len(longest[0]):
        return None
    known, solved = longest
    at = np.minimum(np.searchsorted(known, travel), len(known) - 1)
    return solved.only(at) if bool((known[at] == travel).all() and solved.reached[at].all()) else None


def _solve(systems: tuple[FoldSystem, ...], travel: Array) -> _Solved:
    bounds = np.array([s.stage.end for s in systems[:-1]])
    rising = systems[-1].stage.end >= systems[0].stage.start
    which = np.searchsorted(bounds if rising else -bounds, travel if rising else -travel, side="left")
    coordinates = np.zeros((len(travel), len(systems[0].names)))
    reached, worst = np.zeros(len(travel), dtype=bool), 0.0
    dead: list[float | None] = [None, None]
    for k, system in enumerate(systems):
        mine = np.flatnonzero(which == k)
        if not len(mine):
            continue
        values, good, residual = system.solve(travel[mine])
        reached[mine] = good
        worst = max(worst, float(residual[good].max(initial=0.0)))
        coordinates[mine] = values
        low, high = system.dead_points
        dead = [dead[0] if low is None else low, dead[1] if high is None else high]
    known = np.flatnonzero(reached)
    for k in np.flatnonzero(~reached).tolist():
        coordinates[k] = coordinates[known[np.argmin(np.abs(travel[known] - travel[k]))]] if len(known) else systems[0].start_values
    first = systems[0]
    laid = first.frames(coordinates)[0]
    frames = {panel: laid[at] for panel, at in first.index.items()}
    by_name = {name: coordinates[:, n] for n, name in enumerate(first.names)}
    for array in (*frames.values(), *by_name.values(), reached):
        array.flags.writeable = False
    return _Solved(frames, reached, by_name, (dead[0], dead[1]), worst)


def _readings(folding: Folding, frames: dict[str, Array]) -> dict[str, Array]:
    if not folding.readings:
        return {}
    rest = _solved(folding, np.array([folding.drive.rest])).frames
    out = {}
    for reading in folding.readings:
        at = apply_frame(frames[reading.panel], [reading.point])[:, 0]
        start = apply_frame(rest[reading.panel], [reading.point])[0, 0]
        out[reading.name] = (at - start) @ np.asarray(reading.direction)
    return out


def forget_motion() -> None:
    """Forgets everything that was solved and measured, as in a new process: for who measures times."""
    forget_all()
    forget_systems()
    _SOLVED.clear()
    _LONGEST.clear()
