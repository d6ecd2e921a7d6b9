"""How a maker works: unit, way of cutting, what fingers and hands want; and the gap that moving edges need for it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

import msgspec

from lexipod.units import UnitStyle

Cutting = Literal["hand", "trimmer", "die", "plotter"]

NEEDED_GAP_MM: Mapping[Cutting, float] = {"hand": 0.5, "trimmer": 0.4, "die": 0.3, "plotter": 0.25}
"""Gap that a pair of moving edges wants by how they are cut (a judgement: both edges' usual error and a little air)."""


USUAL_CUT_MM: Mapping[Cutting, float] = {"hand": 0.25, "trimmer": 0.2, "die": 0.08, "plotter": 0.1}
"""Standard deviation of a cut edge that goes with these gaps."""
LEAST_GAP_SHARE, MOST_GAP_SHARE = 0.4, 2.5


MeasureKind = Literal["cut", "opening", "hole", "place", "foam", "paper"]
"""What a measure tells about: a cut edge, an opening, the place of a hole or of a piece, the thickness of foam or paper (a share)."""
Run = Literal["edge", "guide", "hole"]
"""How two parts run beside each other: two cut edges; a part between both sides of its guide; a punched hole on a bought shank."""
HOLE_GAP_MM = 0.1
"""Air all round a shank in its punched hole, which knife and plotter have no part in (a judgement)."""
DRAWN_MM = 0.04
"""What the corners of two drawn circles take from the gap between them."""


def needed_gap_mm(cutting: Cutting, run: Run = "edge") -> float:
    """The gap that two parts need, whatever was wished for: between both sides of a guide half as much on each side as beside one edge.

    >>> needed_gap_mm("hand"), needed_gap_mm("hand", "guide"), needed_gap_mm("die", "hole")
    (0.5, 0.25, 0.1)
    """
    usual = NEEDED_GAP_MM[cutting]
    return {"edge": usual, "guide": usual / 2, "hole": HOLE_GAP_MM}[run]


class Ways(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """How this maker works. ``friction`` is that of paper on paper without wax or powder on it, ``push_force`` what it takes to move a
    paper strip back (N), ``finger_gap`` the height a finger wants behind a tab; ``humidity`` by how much the air's changes between making
    and posting (% relative humidity). ``carrier`` is who brings it, empty for any;
    ``push_grip`` is how far beyond the card's edge a pull is held to push it back;
    ``small`` amounts of an inch that lie on no mark are told in thousandths (“decimal”) or as the nearest 1/64 (“mark”);
    ``machine`` is what the pieces are cut with, empty for none in particular; parts of several plies are laminated ``after`` or ``before`` they
    are cut. ``printer`` is the one whose check print was measured, empty for none. ``pace`` is how many times the usual minutes a step takes (a
    first try two or three); ``adhesive`` what is glued with wherever it holds, empty for what is advised; pictures are stamped and coloured
    ``before`` assembly or in ``place`` where they still can be; openings that lie on each other are cut ``apart`` or all ``through`` at
    once; scores are folded by ``hand``, along a ``ruler`` or with a scoring ``tool``. ``errors`` are the maker's own, by kind of work
    with bias and spread, instead of the usual ones."""

    units: Literal["in", "mm"] = "in"
    denominator: Literal[8, 16, 32, 64] = 16
    small: Literal["decimal", "mark"] = "decimal"
    cutting: Cutting = "hand"
    scores_from: Literal["left", "right"] = "left"
    friction: float = 0.5
    push_force: float = 0.6
    envelope_allowance: float = 1.0
    fingertip: float = 8.0
    finger_gap: float = 3.0
    slip: Literal["plain", "wax", "powder"] = "plain"
    foam_colour: Literal["white", "black"] = "white"
    carrier: str = ""
    humidity: float = 10.0
    machine: str = ""
    push_grip: float = 15.0
    laminating: Literal["after", "before"] = "after"
    printer: str = ""
    pace: float = 1.0
    adhesive: str = ""
    stamping: Literal["before", "place"] = "before"
    openings: Literal["apart", "through"] = "apart"
    folding: Literal["hand", "ruler", "tool"] = "tool"
    errors: tuple[tuple[MeasureKind, float, float], ...] = ()

    def __post_init__(self) -> None:
        for name, value, top in (
            ("friction", self.friction, 2),
            ("push_force", self.push_force, 20),
            ("envelope_allowance", self.envelope_allowance, 20),
            ("fingertip", self.fingertip, 40),
            ("finger_gap", self.finger_gap, 40),
            ("push_grip", self.push_grip, 60),
            ("humidity", self.humidity, 60),
            ("pace", self.pace, 20),
        ):
            if not 0 < value <= top:
                raise ValueError(f"{name} must be above 0 and at most {top}, not {value:g}")
        if len({name for name, _, _ in self.errors}) != len(self.errors) or not all(abs(b) <= 5 and 0 < s <= 5 for _, b, s in self.errors):
            raise ValueError("errors name each kind of work once, with a bias and a spread of at most 5 mm")

    def own_error(self, kind: MeasureKind) -> tuple[float, float] | None:
        """Bias and spread that were measured for a kind of work; None for the usual ones."""
        return next(((bias, spread) for name, bias, spread in self.errors if name == kind), None)

    def needed_gap_mm(self, run: Run = "edge") -> float:
        """The gap that two parts need as this maker cuts: the usual one, as much wider or narrower as her own errors are larger or smaller.

        >>> Ways(errors=(("cut", 0.0, 0.5),)).needed_gap_mm(), Ways().needed_gap_mm()
        (1.0, 0.5)
        """
        usual, own = needed_gap_mm(self.cutting, run), self.own_error("cut")
        if own is None or run == "hole":
            return usual
        share = (own[0] ** 2 + own[1] ** 2) ** 0.5 / USUAL_CUT_MM[self.cutting]
        return round(usual * min(max(share, LEAST_GAP_SHARE), MOST_GAP_SHARE), 4)

    def style(self, units: str | None = None, *, typesets: bool = False) -> UnitStyle:
        """How lengths are told to this maker, or in other ``units``."""
        return UnitStyle(units or self.units, self.denominator, typesets, self.small)
