"""What all closures share: what one comes to, where it lies on the front, and what is worth trying against it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import shapely

from lexipod.assembly import Assembly, Blank, Bound
from lexipod.geometry.shapes import circle

BAND_MM = 19.05


BAND_LAP_MM = 10.0


SEAL_LAP_MM = 20.0


LEAST_LAP_MM = 8.0
"""Glue holds on this much (common practice, no source)."""


MAGNET_RIM_MM = 2.0
"""Paper round a magnet (common practice, no source)."""


THIN_MM = 0.8
"""A stack up to this goes round one score; a thicker one wants two, a thickness apart (common practice, no source)."""


Box = tuple[tuple[float, float], tuple[float, float], float, float]


@dataclass(frozen=True, eq=False)
class Closing:
    """What closes a card. ``sheets`` are its own pieces; ``hem_mm`` is what both ends of the card's own sheet are longer.

    ``footprint`` is the place that it takes on the front of the closed card, ``magnets`` are the middles of the front's magnets
    there. ``boxes`` is the room it takes in the envelope: corners, bottom and top. ``cures`` are settings worth trying.
    """

    kind: str
    sheets: tuple[Blank, ...]
    footprint: Any
    bounds: tuple[Bound, ...] = ()
    hem_mm: float = 0.0
    magnets: tuple[tuple[float, float], ...] = ()
    magnet_mm: tuple[float, float] = (0.0, 0.0)
    boxes: tuple[Box, ...] = ()
    cures: tuple[tuple[str, dict[str, Any]], ...] = field(default=())

    @property
    def name(self) -> str:
        return {"band": "wrap band", "hem": "hem with magnets", "seal": "seal strip"}[self.kind]


def measure_across(assembly: Assembly) -> tuple[float, float]:
    """The card's measure from its fold to its free edge, and that along the fold."""
    card = assembly.card
    return (card.width_mm, card.height_mm) if card.fold == "left" else (card.height_mm, card.width_mm)


def place_on_front(assembly: Assembly, across: tuple[float, float], along: tuple[float, float]) -> Any:
    """A rectangle given from the fold and along it, on the front of the closed card (a fold at the top counts downwards)."""
    if assembly.card.fold == "left":
        return shapely.box(across[0], along[0], across[1], along[1])
    height = assembly.card.height_mm
    return shapely.box(along[0], height - across[1], along[1], height - across[0])


def box_round(region: Any, grow: float, bottom: float, top: float) -> Box:
    x0, y0, x1, y1 = region.bounds
    return ((x0 - grow, y0 - grow), (x1 + grow, y1 + grow), bottom, top)


def stays_on_card(name: str, at: float, half: float, long: float, part: str) -> Bound:
    """The piece lies between both ends of the fold."""
    spare = min(at - half, long - at - half)
    return Bound(
        "card.closure-place", "card", "closure", (part,), round(spare, 4), 0.0, f"The {name} leaves the card", "Its whole width lies on the card."
    )


def usual_cures(kind: str, long: float) -> tuple[tuple[str, dict[str, Any]], ...]:
    """Settings to try: other places along the edge, more lap, another kind, none."""
    moved = tuple(
        (f"Move the {'band' if kind == 'band' else 'strip'} to {share:.0%} of the edge", {"closure.at": round(long * share, 1)})
        for share in (0.5, 0.25, 0.75)
    )
    lapped = (("Let it lap more", {"closure.lap": BAND_LAP_MM if kind == "band" else SEAL_LAP_MM}),)
    other = ("Take a seal strip instead", {"closure": "seal"}) if kind == "band" else ("Take a wrap band instead", {"closure": "band"})
    return (*moved, *lapped, ("Make it narrower", {"closure.width": BAND_MM * 0.6}), other, ("Leave the closure out", {"closure": "none"}))


def magnet_discs(closing: Closing) -> tuple[Any, ...]:
    """The places of the front's magnets on the closed card."""
    return tuple(shapely.Polygon(circle(at, radius_mm=closing.magnet_mm[0] / 2)) for at in closing.magnets)
