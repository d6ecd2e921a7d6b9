"""A mechanism that folds: rigid panels joined by creases, moved by one opening.

Panels hang on one another as a tree of joints, each with one coordinate (degrees of a crease, millimetres of a slide). Joints
that ``close`` a loop have no coordinate of their own: they are equations. A travel has one or more stages; within a stage each
coordinate either runs straight with the drive or is found by the solver.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal

import numpy as np

from lexipod.assembly.blanks import Blank
from lexipod.assembly.fold_needs import FoldNeed
from lexipod.assembly.joints import Drive
from lexipod.assembly.panels import Panel, Point3
from lexipod.geometry.frames import Array

Line3 = tuple[Point3, Point3]
FoldKind = Literal["hinge", "slide", "edge", "fixed", "parallel", "level", "touch"]
SNAP_MM = 0.25
"""What runs over an edge turns within so much before and after it."""
STILL = np.eye(3, 4)


@dataclass(frozen=True, eq=False)
class FoldJoint:
    """Panel ``a`` on panel ``b``.

    ``hinge``: ``at_a`` and ``at_b`` are the two ends of the crease in the frames of both; ``a`` lies on its left, and its
    coordinate is 0 when both are flat side by side, above 0 for a valley (fronts towards each other), 180 folded shut.
    ``slide``: ``a`` lies in ``b`` as ``place`` says, moved by its coordinate along ``along``. ``fixed``: glued as ``place`` says.
    ``edge``: ``a`` runs over an edge of ``b``: ``at_b`` is the edge, ``at_a`` the line of ``a`` that comes to lie on it at coordinate 0. Below
    0 it slides up to the edge in front of ``b``, within ``SNAP_MM`` of 0 it turns over by half a turn, above 0 it slides down behind;
    its coordinate (mm) always runs with the drive.
    ``parallel`` (closes only): the planes of both stay parallel. ``level`` (closes only): the direction ``along`` of ``a`` stays
    square to the direction ``across`` of ``b``. ``side`` of a glued one tells on which face of ``b`` it lies (1: its front); 0 leaves that
    to the order in the flat states. ``touch`` (closes only): the ``point`` of ``a`` lies in the plane of ``b``.
    """

    id: str
    kind: FoldKind
    a: str
    b: str
    at_a: Line3 | None = None
    at_b: Line3 | None = None
    place: Array = field(default_factory=lambda: STILL)
    along: Point3 = (1.0, 0.0, 0.0)
    across: Point3 = (0.0, 0.0, 1.0)
    point: Point3 = (0.0, 0.0, 0.0)
    side: int = 0
    closes: bool = False

    def __post_init__(self) -> None:
        if self.a == self.b:
            raise ValueError(f"{self.id}: a joint ties two different panels")
        if (self.kind in ("hinge", "edge")) != (self.at_a is not None and self.at_b is not None):
            raise ValueError(f"{self.id}: hinges and edges, and only they, have a line in both panels")
        if self.kind in ("parallel", "level", "touch") and not self.closes:
            raise ValueError(f"{self.id}: what is parallel, level or touches closes a loop")

    @property
    def has_coordinate(self) -> bool:
        return self.kind in ("hinge", "slide", "edge") and not self.closes


@dataclass(frozen=True, slots=True)
class Stage:
    """A stretch of the travel from ``start`` to ``end`` (degrees of the drive), solved outwards from ``home``.

    ``driven`` gives the coordinate of a joint at start and end; it runs straight between. ``guess`` are the other coordinates at
    home, which tell which of two assemblies is meant. ``closes`` are the closing joints that hold in this stage; ``flat`` says of
    start and end whether everything lies flat there (all creases at 0 or 180 degrees).
    """

    start: float
    end: float
    home: float
    driven: dict[str, tuple[float, float]]
    guess: dict[str, float] = field(default_factory=dict)
    closes: tuple[str, ...] = ()
    flat: tuple[bool, bool] = (False, False)


@dataclass(frozen=True, slots=True)
class FlatState:
    """A position in which the card lies flat: its name, the travel, whether all of it must lie inside the closed card, whether it
    goes into the envelope like this, and the panels from the back to the front (panels that are not named lie where they are)."""

    name: str
    at: float
    closed: bool
    posted: bool
    order: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Reading:
    """A measure that the maker knows the travel by: how far ``point`` of ``panel`` has gone along ``direction`` of the card since
    rest (mm). ``name`` is a word such as “pull”."""

    name: str
    panel: str
    point: Point3
    direction: Point3


@dataclass(frozen=True, eq=False)
class Folding:
    """One mechanism that folds. ``ground`` is the panel that lies still, at ``ground_pose`` ``(3, 4)`` in the card.

    ``kind``: it makes the ``card`` itself, stands on its ``face``, or ``inside`` across the fold. ``carries`` tells which flat part
    of the card lies on which panel and goes with it. ``bends`` names pairs of panels of which one bends out of the other's way, and
    what judges that instead: their planes may cross. ``wrapped_mm`` is the paper of a band of its own that lies over both faces when
    it is shut.
    """

    mechanism: str
    kind: Literal["card", "face", "inside"]
    panels: tuple[Panel, ...]
    joints: tuple[FoldJoint, ...]
    stages: tuple[Stage, ...]
    drive: Drive
    sheets: tuple[Blank, ...]
    states: tuple[FlatState, ...]
    ground: str
    ground_pose: Array = field(default_factory=lambda: STILL)
    readings: tuple[Reading, ...] = ()
    needs: tuple[FoldNeed, ...] = ()
    carries: dict[str, str] = field(default_factory=dict)
    bends: dict[frozenset[str], str] = field(default_factory=dict)
    wrapped_mm: float = 0.0

    def __post_init__(self) -> None:
        known = {panel.id for panel in self.panels}
        if len(known) != len(self.panels):
            raise ValueError("two panels have the same id")
        cut = {panel for sheet in self.sheets for panel in sheet.panels}
        for panel in self.panels:
            if self.sheets and not panel.base and panel.id not in cut:
                raise ValueError(f"{panel.id} is cut from no sheet")
        for joint in self.joints:
            for end in (joint.a, joint.b):
                if end not in known:
                    raise ValueError(f"{joint.id} names a panel that is not there: {end}")

    @cached_property
    def by_id(self) -> dict[str, Panel]:
        return {panel.id: panel for panel in self.panels}

    @cached_property
    def rigid(self) -> dict[str, str]:
        """The body of each panel: panels that are glued to each other share one, named after its first panel."""
        body = {panel.id: panel.id for panel in self.panels}

        def find(panel: str) -> str:
            while body[panel] != panel:
                panel = body[panel]
            return panel

        for joint in self.joints:
            if joint.kind == "fixed":
                low, high = sorted((find(joint.a), find(joint.b)), key=list(body).index)
                body[high] = low
        return {panel: find(panel) for panel in body}

    @property
    def most_stacked_mm(self) -> float:
        """The most that all of it can be high when it lies flat, whichever panels lie on each other (mm)."""
        return sum(panel.thickness_mm for panel in self.panels if not panel.base)

    @property
    def posted_at(self) -> float:
        """The travel at which it goes into the envelope."""
        return next((s.at for s in self.states if s.posted), self.drive.rest)

    def find_joint(self, joint_id: str) -> FoldJoint:
        """The joint of that id; ``KeyError`` when there is none."""
        for joint in self.joints:
            if joint.id == joint_id:
                return joint
        raise KeyError(joint_id)


__all__ = ["STILL", "FlatState", "FoldJoint", "Folding", "Reading", "Stage"]
