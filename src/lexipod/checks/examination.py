"""What checks look at: each thing is computed once, when it is first asked for."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from functools import cached_property
from typing import Any, TypeVar

import numpy as np
import shapely
from numpy.typing import NDArray

from lexipod.assembly import Assembly, Drive, Folding, Part
from lexipod.catalog import Catalog
from lexipod.closing.card import Closing, close_card
from lexipod.closing.stacked import stack_heights
from lexipod.design import DRAWN_MM, Ways
from lexipod.geometry.frames import Array, apply_pose, transform_regions
from lexipod.motion import (
    Clearance,
    Crossing,
    FoldTrack,
    FreeRange,
    System,
    Track,
    find_free_range,
    measure_clearances,
    measure_crossings,
    pulled_lengths,
    solve_folds,
    solve_track,
)
from lexipod.motion.clearance import as_stop

FINE_STEPS = 181
T = TypeVar("T")
COARSE_STEPS = 25
FEW = 25
LARGEST_STEP_DEG = 4.0
"""What turns is looked at at least this closely: between positions a path is taken as straight, less its bow."""


class Examination:
    """One assembly moved through its travels. ``steps`` positions per travel; ``style`` is the user's unit for messages."""

    def __init__(self, assembly: Assembly, catalog: Catalog, ways: Ways, *, steps: int = FINE_STEPS) -> None:
        self.assembly, self.catalog, self.ways, self.steps = assembly, catalog, ways, steps
        self.style = ways.style()
        self._tracks: dict[str, Track] = {}
        self._ranges: dict[str, FreeRange] = {}
        self._systems: dict[str, System] = {}
        self._regions: dict[str, NDArray[np.object_]] = {}
        self._made: dict[object, Any] = {}

    def once(self, key: object, make: Callable[[], T]) -> T:
        """What a check computes for several of its findings: made when it is first asked for."""
        if key not in self._made:
            self._made[key] = make()
        made: T = self._made[key]
        return made

    def amount(self, mechanism: str, travel: float) -> str:
        """A travel of a mechanism in the maker's words: a length for what is pulled, degrees for what turns or is opened by a page."""
        drive = self.assembly.drive_of(mechanism)
        folding = self.assembly.folding_of(mechanism)
        pulled = pulled_lengths(folding) if folding is not None else None
        if pulled is not None:
            return f"{self.style.length(pulled.length_at(travel))} of pull"
        return self.style.amount(travel, "mm" if drive is None else drive.unit)

    @property
    def drives(self) -> tuple[Drive, ...]:
        return self.assembly.drives

    def track(self, mechanism: str) -> Track:
        """The poses of a mechanism at ``steps`` positions from rest to end (more for what turns far)."""
        if mechanism not in self._tracks:
            drive = self._drive(mechanism)
            steps = self.steps if drive.unit == "mm" else max(self.steps, math.ceil(abs(drive.end - drive.rest) / LARGEST_STEP_DEG) + 1)
            self._tracks[mechanism] = solve_track(self.assembly, drive, drive.coordinates(steps), system=self.system(mechanism))
        return self._tracks[mechanism]

    def asked_track(self, mechanism: str) -> Track:
        """The poses of a mechanism at exactly ``steps`` positions, also where checks look at more."""
        drive = self._drive(mechanism)
        return solve_track(self.assembly, drive, drive.coordinates(self.steps), system=self.system(mechanism))

    def free_range(self, mechanism: str) -> FreeRange:
        """How far the mechanism really goes, and what stops it."""
        if mechanism not in self._ranges:
            measured = self._measured(mechanism)
            self._ranges[mechanism] = find_free_range(self.assembly, self._drive(mechanism), system=self.system(mechanism), measured=measured)
        return self._ranges[mechanism]

    def _drive(self, mechanism: str) -> Drive:
        drive = self.assembly.drive_of(mechanism)
        if drive is None:
            raise ValueError(f"{mechanism} has no drive")
        return drive

    def system(self, mechanism: str) -> System:
        """The equations of a mechanism."""
        if mechanism not in self._systems:
            self._systems[mechanism] = System(self.assembly, self._drive(mechanism))
        return self._systems[mechanism]

    def fold_track(self, mechanism: str) -> FoldTrack:
        """The panels of a mechanism that folds, at ``steps`` positions from rest to end."""
        drive = self._drive(mechanism)
        return self.once(("fold-track", mechanism), lambda: self.fold_at(mechanism, np.linspace(drive.rest, drive.end, self.steps)))

    def fold_at(self, mechanism: str, travel: Array) -> FoldTrack:
        """The panels of a mechanism that folds, at some openings (degrees)."""
        folding = self.assembly.folding_of(mechanism)
        if folding is None:
            raise ValueError(f"{mechanism} does not fold")
        key = ("fold-at", mechanism, travel.tobytes())
        if ("fold-track", mechanism) not in self._made and len(travel) < self.steps:
            self.fold_track(mechanism)  # it is wanted anyhow, and most of what is asked for lies on it
        return self.once(key, lambda: solve_folds(folding, travel))

    def stack_heights(self, folding: Folding) -> dict[str, tuple[float, float]]:
        """From which height to which every panel lies in the state that is posted, laid on what is under it.

        Panels that lie over one another by more than a square millimetre are stacked in the state's order.
        """
        self.fold_track(folding.mechanism)
        return self.once(("stack", folding.mechanism), lambda: stack_heights(folding))

    @property
    def closing(self) -> Closing | None:
        """What keeps the card shut; None for nothing."""
        return close_card(self.assembly)

    @cached_property
    def _gaps(self) -> dict[frozenset[str], float]:
        """Of pairs with a gap of their own: what the maker wants, but never less than they need for how they are cut and run."""
        return {frozenset((g.a, g.b)): max(g.wanted_mm, self.ways.needed_gap_mm(g.run) - DRAWN_MM) for g in self.assembly.clearances}

    def needed_gap(self, a: str, b: str) -> float:
        """The gap that two parts must keep (mm)."""
        return self._gaps.get(frozenset((a, b)), self.ways.needed_gap_mm())

    def _measured(self, mechanism: str) -> list[Clearance]:
        """The gaps of one mechanism, before it is known which are stops."""
        return self.once(("gaps", mechanism), lambda: measure_clearances(self.assembly, self.track(mechanism), needed_mm=self.needed_gap))

    @cached_property
    def clearances(self) -> tuple[Clearance, ...]:
        """Every pair that meets and comes near; pairs that stop a travel are told apart."""
        found: list[Clearance] = []
        for drive in self.drives:
            stops = {frozenset(s.parts) for s in (self.free_range(drive.mechanism).low, self.free_range(drive.mechanism).high)}
            for clearance in self._measured(drive.mechanism):
                pair = frozenset((clearance.a, clearance.b))
                found.append(as_stop(clearance) if pair in stops else clearance)
        return tuple(found)

    @cached_property
    def crossings(self) -> tuple[Crossing, ...]:
        """Moving parts of different mechanisms at their worst combination of travels."""
        tracks = {d.mechanism: self.track(d.mechanism) for d in self.drives}
        return tuple(measure_crossings(self.assembly, tracks, usual_mm=self.ways.needed_gap_mm())) if len(tracks) > 1 else ()

    def point_on(self, joint_id: str) -> Array:
        """Where a joint's point of part ``a`` is in the card's frame, over the travel of that part, ``(n, 2)``."""
        joint = self.assembly.find_joint(joint_id)
        return apply_pose(self.poses(joint.a), [joint.at_a])[:, 0]

    def poses(self, part_id: str) -> Array:
        """Poses ``(n, 3)`` of a part over its own mechanism's travel; ``(1, 3)`` for one that never moves.

        Where a position cannot be reached the part stays where the way to it ends: that the travel ends there is told on its own.
        """
        part = self.assembly.by_id[part_id]
        if part_id not in self.assembly.moving or self.assembly.drive_of(part.mechanism) is None:
            return np.array([part.home])
        return self.track(part.mechanism).poses_of(part_id, part.home)

    def regions(self, part_id: str) -> NDArray[np.object_]:
        """The part's region in the card's frame over its own travel, ``(n,)`` or ``(1,)``."""
        if part_id not in self._regions:
            part = self.assembly.by_id[part_id]
            self._regions[part_id] = self.place(part, part.region)
        return self._regions[part_id]

    def at_rest(self, part_id: str) -> Any:
        """The part's region in the card's frame where its own travel begins."""
        part, poses = self.assembly.by_id[part_id], self.poses(part_id)
        return self.once(("at rest", part_id), lambda: transform_regions(part.region, poses[:1])[0])

    def few_regions(self, part_id: str) -> NDArray[np.object_]:
        """The part's region at some positions of its travel, rest and end among them: for what need not be looked at closely."""
        part, poses = self.assembly.by_id[part_id], self.poses(part_id)
        picks = np.unique(np.linspace(0, len(poses) - 1, min(len(poses), FEW)).round().astype(int))
        return self.once(("few", part_id), lambda: transform_regions(part.region, poses[picks]))

    def swept_box(self, part_id: str) -> Array:
        """A box (left, bottom, right, top) round a part over its whole travel; it may be a little larger than need be."""
        part, poses = self.assembly.by_id[part_id], self.poses(part_id)
        if len(poses) == 1:
            return np.asarray(part.region_at_home.bounds)
        middle, reach = part.middle_and_reach
        way = apply_pose(poses, middle[None, :])[:, 0]
        return np.concatenate([way.min(axis=0) - reach, way.max(axis=0) + reach])

    def extents(self, part_id: str, direction: tuple[float, float]) -> Array:
        """Least and greatest coordinate of a part along a direction of the card, over the travel, ``(n, 2)``."""
        along = apply_pose(self.poses(part_id), self.assembly.by_id[part_id].outline) @ np.asarray(direction)
        return np.stack([along.min(axis=1), along.max(axis=1)], axis=1)

    def place(self, part: Part, region: Any) -> NDArray[np.object_]:
        """A region of a part's frame in the card's frame over the travel, ``(n,)`` or ``(1,)``."""
        return transform_regions(region, self.poses(part.id))

    def union(self, part_ids: Iterable[str]) -> NDArray[np.object_]:
        """The joint region of some parts over the travel, ``(n,)`` or ``(1,)``; empty for no parts."""
        joint = np.array([shapely.Polygon()], dtype=object)
        for part_id in part_ids:
            if part_id in self.assembly.by_id:
                joint = np.asarray(shapely.union(joint, self.regions(part_id)))
        return joint

    def union_at(self, part_ids: Iterable[str], position: int) -> Any:
        """The joint region of some parts at one position of their travel."""
        laid = [self.regions(p) for p in part_ids if p in self.assembly.by_id]
        return shapely.union_all([r[position if len(r) > 1 else 0] for r in laid])

    def uncovered(self, part: Part, region: Any, covers: Iterable[str]) -> NDArray[np.object_]:
        """What is left of a region of a part when some others lie over it, over the travel, ``(n,)`` or ``(1,)``."""
        free = self.place(part, region)
        for cover in covers:
            laid = self.regions(cover)
            low, high = _box_of(free), _box_of(laid)
            if low is None or high is None or (low[:2] > high[2:]).any() or (high[:2] > low[2:]).any():
                continue
            free = np.asarray(shapely.difference(free, laid))
        return free

    def is_clear(self, part: Part) -> bool:
        """Whether one sees through the part."""
        stock = self.catalog.stocks.get(part.stock)
        return stock is not None and stock.clear


def _box_of(regions: NDArray[np.object_]) -> Array | None:
    """The box round all of the regions; None when they are empty."""
    boxes = shapely.bounds(regions)
    boxes = boxes[np.isfinite(boxes).all(axis=1)]
    return np.concatenate([boxes[:, :2].min(axis=0), boxes[:, 2:].max(axis=0)]) if len(boxes) else None


def cover_margin(targets: Any, covers: Any) -> Array:
    """How far each target lies inside its cover (mm), or minus the mean width of what sticks out of it.

    Both are arrays of regions that broadcast against each other. The mean width is twice the area over the border length.
    """
    targets, covers = np.broadcast_arrays(np.atleast_1d(targets), np.atleast_1d(covers))
    open_part = shapely.difference(targets, covers)
    inside = np.asarray(shapely.distance(targets, shapely.boundary(covers)))
    return np.where(np.asarray(shapely.area(open_part)) > 1e-6, -mean_width(open_part), np.nan_to_num(inside, nan=0.0))


def apart_margin(targets: Any, others: Any) -> Array:
    """Distance of each target from the other region, or minus the mean width of what they share."""
    targets, others = np.broadcast_arrays(np.atleast_1d(targets), np.atleast_1d(others))
    shared = shapely.intersection(targets, others)
    distance = np.nan_to_num(np.asarray(shapely.distance(targets, others)), nan=np.inf)
    return np.where(np.asarray(shapely.area(shared)) > 1e-6, -mean_width(shared), distance)


def mean_width(regions: Any) -> Array:
    """Twice the area over the border's length: the width of a long strip, half that of a square."""
    return np.asarray(2 * shapely.area(regions) / np.maximum(shapely.length(regions), 1e-9))


def extent(region: Any, direction: tuple[float, float]) -> tuple[float, float]:
    """Least and greatest coordinate of a region along a direction."""
    along = shapely.get_coordinates(region) @ np.asarray(direction)
    return float(along.min()), float(along.max())


def middle_of(region: Any) -> tuple[float, float]:
    """A point that stands for the region; inside it where it has an area."""
    point = shapely.point_on_surface(region) if not region.is_empty else shapely.Point(0, 0)
    return (round(float(point.x), 4), round(float(point.y), 4))
