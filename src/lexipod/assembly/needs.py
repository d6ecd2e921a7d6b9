"""Needs: what must hold over the travel, stated by a recipe, judged by checks.

Regions are Shapely geometries in the frame of the part that is named first. ``when`` is “always”, “rest” or “end”.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from lexipod.assembly.bounds import Bound
from lexipod.design import Run

When = Literal["always", "rest", "end"]
Point = tuple[float, float]


@dataclass(frozen=True, slots=True)
class WantedGap:
    """The gap in mm that the maker wants between two parts, and how they ``run`` beside each other, which says what they need at least."""

    a: str
    b: str
    wanted_mm: float
    run: Run = "edge"


@dataclass(frozen=True, eq=False)
class Covered:
    """``region`` of ``part`` is covered by the union of ``by`` (any poses) with ``lap_mm`` to spare all round; where it ``holds`` something,
    it would not work uncovered."""

    id: str
    mechanism: str
    part: str
    region: Any
    by: tuple[str, ...]
    lap_mm: float
    what: str
    holds: bool = False


@dataclass(frozen=True, eq=False)
class Shown:
    """``region`` of ``part`` is hidden entirely at rest (if ``hidden_at_rest``) and shown entirely at the end. Of one that ``opens``
    bit by bit the largest free circle is told as well. What ``closes`` is meant the other way round: shown at rest and hidden at the
    end."""

    id: str
    mechanism: str
    part: str
    region: Any
    what: str
    hidden_at_rest: bool = True
    lap_mm: float = 0.0
    opens: bool = False
    closes: bool = False


@dataclass(frozen=True, eq=False)
class Under:
    """``part`` lies within the outline of ``cover`` by at least ``lap_mm`` wherever both are at home (a spacer that would
    show at the edge, a rail that would stand out of the frame)."""

    id: str
    mechanism: str
    part: str
    cover: str
    lap_mm: float


@dataclass(frozen=True, eq=False)
class Land:
    """``region`` (an opening) of ``part``'s sheet leaves at least ``land_mm`` of paper to its outer edge and to the other
    openings in ``others``; ``outer`` is the sheet without any opening."""

    id: str
    mechanism: str
    part: str
    region: Any
    outer: Any
    land_mm: float
    what: str
    others: tuple[Any, ...] = ()


@dataclass(frozen=True, slots=True)
class Held:
    """The moving ``part`` reaches behind ``cover`` beyond the opening by ``overlap_mm`` on both sides across the travel.

    ``across`` is the direction across the travel in the card's frame.
    """

    id: str
    mechanism: str
    part: str
    cover: str
    opening: Any
    across: Point
    overlap_mm: float


@dataclass(frozen=True, slots=True)
class Guided:
    """``part`` runs between ``guides`` along ``along`` (card frame); the pull may act ``offset_mm`` beside the middle.

    ``play_mm`` is the whole play across the travel. Guides that lie ``in_line``, one after the other, count from the first to
    the last; otherwise they lie on both sides of the part.
    """

    id: str
    mechanism: str
    part: str
    guides: tuple[str, ...]
    along: Point
    offset_mm: float
    play_mm: float
    in_line: bool = False


@dataclass(frozen=True, slots=True)
class Pushed:
    """``part`` is pushed back by its pull: from the pull's end to the mouth of ``guides`` it is a strut of ``width_mm``."""

    id: str
    mechanism: str
    part: str
    guides: tuple[str, ...]
    along: Point
    width_mm: float


@dataclass(frozen=True, eq=False)
class Reached:
    """The grip of ``part`` can be taken hold of (at rest, or at every position): at least ``reach_mm`` of it are past every part
    in ``covers`` (their regions, notches taken out), measured along ``along`` in the card's frame."""

    id: str
    mechanism: str
    part: str
    grip: Any
    covers: tuple[str, ...]
    along: Point
    reach_mm: float
    when: When = "rest"


@dataclass(frozen=True, eq=False)
class Grasped:
    """Within ``place`` (card frame), where the finger goes, ``part`` lies open on at least ``reach_mm`` along ``along``, past
    every part in ``covers``, at every position of the travel: the rim of a dial or wheel."""

    id: str
    mechanism: str
    part: str
    place: Any
    covers: tuple[str, ...]
    along: Point
    reach_mm: float


@dataclass(frozen=True, eq=False)
class Caught:
    """``part`` cannot come through ``opening`` of ``cover`` (in its frame): it is wider by ``overlap_mm`` on each side."""

    id: str
    mechanism: str
    part: str
    cover: str
    opening: Any
    overlap_mm: float


@dataclass(frozen=True, slots=True)
class Steady:
    """The point ``at`` of ``part`` (part frame) may wag by ``most_mm`` to each side for all the play of the joints."""

    id: str
    mechanism: str
    part: str
    at: Point
    what: str
    most_mm: float


@dataclass(frozen=True, slots=True)
class Bent:
    """``part`` is pushed at the end of a tab ``length_mm`` long and ``width_mm`` wide, which may bend by ``most_mm``."""

    id: str
    mechanism: str
    part: str
    length_mm: float
    width_mm: float
    most_mm: float


@dataclass(frozen=True, slots=True)
class Driven:
    """The joint pushes well: between the way the pin is pushed and the way it goes, at most ``most_deg`` over the travel.

    The way is the joint's path at the point of the joint ``point`` (its own where that is empty), or round the pivot ``about``
    (card frame). ``push_from`` is the joint whose point the force comes from (the other end of a link); without one the push runs
    along the joint's path.
    """

    id: str
    mechanism: str
    joint: str
    push_from: str | None
    about: Point | None
    what: str
    most_deg: float
    point: str = ""


Need = Covered | Shown | Under | Land | Held | Guided | Pushed | Reached | Grasped | Caught | Steady | Driven | Bent | Bound
