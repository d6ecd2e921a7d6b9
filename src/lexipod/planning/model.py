"""A step of making, and the plan that they make up."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal

from lexipod.design import MeasureKind
from lexipod.geometry.frames import Array

StepKind = Literal[
    "colour",
    "cut",
    "punch",
    "laminate",
    "score",
    "fold",
    "foam",
    "glue",
    "lay",
    "flap",
    "loop",
    "brad",
    "legs",
    "mount",
    "join",
    "last",
    "thread",
    "test",
    "trim",
    "cue",
    "close",
    "finish",
]

ON_PIECES: frozenset[StepKind] = frozenset(("cut", "punch", "score", "colour", "laminate", "fold"))
"""What is done to single pieces, before any of them is put in its place."""
PLACED: frozenset[StepKind] = frozenset(("test", "trim", "colour", "join", "last", "cue"))
"""What is done with the mechanisms in one position and no other."""


@dataclass(frozen=True, slots=True)
class Earlier:
    """A step that comes first, and why. What ``must`` be would otherwise be out of reach or spoilt; the rest is only better so. With ``sets`` what
    it glued must have set: its wait is kept to."""

    step: str
    why: str
    must: bool = True
    sets: bool = False


@dataclass(frozen=True, eq=False)
class GlueSpot:
    """Where something is glued: on which face of a part or panel, as outlines in that part's frame."""

    part: str
    outline: Array
    face: Literal["front", "back"] = "front"
    onto: str = ""
    holes: tuple[Array, ...] = ()


@dataclass(frozen=True, slots=True)
class Asked:
    """A quick measure that can be taken now: what it is designed as (mm), and what kind of making it tells about."""

    id: str
    name: str
    designed_mm: float
    kind: MeasureKind
    part: str = ""


@dataclass(frozen=True, eq=False)
class Step:
    """What is done at one go. ``parts`` are what comes to its place, ``blanks`` the pieces that are worked on; ``minutes`` are those of the hands
    for one card and ``setup`` what a batch takes once more; ``wait`` is how long it then rests before what needs it. ``position`` is the
    travel of each mechanism at which it is done, ``told`` that in words where it matters. ``reach`` is from where: “front”, “back” or “hand”."""

    id: str
    kind: StepKind
    do: str
    why: str = ""
    earlier: tuple[Earlier, ...] = ()
    parts: tuple[str, ...] = ()
    blanks: tuple[str, ...] = ()
    mechanism: str = ""
    minutes: float = 0.5
    setup: float = 0.0
    wait: float = 0.0
    wait_for: str = ""
    position: Mapping[str, float] = field(default_factory=dict)
    told: str = ""
    reach: Literal["front", "back", "hand", ""] = ""
    tools: tuple[str, ...] = ()
    tips: tuple[str, ...] = ()
    cautions: tuple[str, ...] = ()
    glue: tuple[GlueSpot, ...] = ()
    adhesive: str = ""
    asks: tuple[Asked, ...] = ()


@dataclass(frozen=True, eq=False)
class Plan:
    """The steps in the order in which they are done. ``faults`` say what keeps the card from being built; ``moved`` what the maker's own order
    sets aside."""

    title: str
    steps: tuple[Step, ...]
    faults: tuple[str, ...] = ()
    moved: tuple[str, ...] = ()
    order: tuple[str, ...] = ()

    @cached_property
    def by_id(self) -> dict[str, Step]:
        return {s.id: s for s in self.steps}

    @property
    def minutes(self) -> float:
        """The hands' minutes of one card."""
        return sum(s.minutes + s.setup for s in self.steps)

    def number(self, step_id: str) -> int:
        """Which step it is, counted from 1."""
        return next(k for k, s in enumerate(self.steps, 1) if s.id == step_id)
