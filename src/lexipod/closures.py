"""What keeps a card shut: a wrap band, a hem with magnets, a seal strip; from the decision to the pieces and what they must keep.

wrap band
    Slipped round the closed card from its fold to its free edge. Its way round is 2 W + 2 T + pi t, for the card's width W and
    thickness T and the band's own caliper t (its middle runs at half of it round the corners).
hem
    The free edge of both pages is folded inwards over magnets that lie close to the fold, so that they end up at the edge. Two
    pairs at the same heights: on the sheet laid open they lie as mirror images about the card's fold.
seal strip
    Glued to the back page along its free edge and laid round it onto the front: the card opens only there.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

import shapely

from lexipod.assembly import Allowance, Assembly, Bound, Crease, ScoredSheet
from lexipod.geometry.shapes import circle, rectangle
from lexipod.mechanics import band_way
from lexipod.motion.closed import closed_thickness, stack_heights

BAND_MM = 19.05
BAND_LAP_MM = 10.0
SEAL_MM = 25.4
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
    sheets: tuple[ScoredSheet, ...]
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


@lru_cache(maxsize=16)
def close_card(assembly: Assembly) -> Closing | None:
    """What the closure of a card comes to; None for none. Those of the last few assemblies are kept."""
    kind = assembly.closure.kind
    if kind == "none":
        return None
    thick = closed_thickness(assembly, {f.mechanism: stack_heights(f) for f in assembly.foldings})
    return {"band": _band, "hem": _hem, "seal": _seal}[kind](assembly, thick)


def _across(assembly: Assembly) -> tuple[float, float]:
    """The card's measure from its fold to its free edge, and that along the fold."""
    card = assembly.card
    return (card.width_mm, card.height_mm) if card.fold == "left" else (card.height_mm, card.width_mm)


def _placed(assembly: Assembly, across: tuple[float, float], along: tuple[float, float]) -> Any:
    """A rectangle given from the fold and along it, on the front of the closed card (a fold at the top counts downwards)."""
    if assembly.card.fold == "left":
        return shapely.box(across[0], along[0], across[1], along[1])
    height = assembly.card.height_mm
    return shapely.box(along[0], height - across[1], along[1], height - across[0])


def _box(region: Any, grow: float, bottom: float, top: float) -> Box:
    x0, y0, x1, y1 = region.bounds
    return ((x0 - grow, y0 - grow), (x1 + grow, y1 + grow), bottom, top)


def _inside(name: str, at: float, half: float, long: float, part: str) -> Bound:
    """The piece lies between both ends of the fold."""
    spare = min(at - half, long - at - half)
    return Bound(
        "card.closure-place", "card", "closure", (part,), round(spare, 4), 0.0, f"The {name} leaves the card", "Its whole width lies on the card."
    )


def _band(assembly: Assembly, thick: float) -> Closing:
    wide, long = _across(assembly)
    closure, t = assembly.closure, assembly.card.caliper_mm
    width, lap = closure.width or BAND_MM, closure.lap or BAND_LAP_MM
    at = closure.at or long / 2
    way = band_way(wide, thick, t)
    length = way + lap
    turns = (wide + thick / 2, 2 * wide + 1.5 * thick + math.pi * t / 2)
    half = thick / 2 + math.pi * t / 4
    marks = sorted({round(x + side, 4) for x in turns for side in ((-half, half) if thick > THIN_MM else (0.0,))})
    creases = tuple(
        Crease(f"bend-{k + 1}", (x, 0.0), (x, width), "mountain", ("card.band", "card.band"), order=k + 1)
        for k, x in enumerate(marks)
        if 0 < x < length
    )
    sheet = ScoredSheet(
        "card.band",
        "wrap band",
        assembly.card.stock,
        rectangle(0, 0, length, width),
        ("card.band",),
        creases=creases,
        allowances=(
            Allowance("way round", round(way - 2 * wide, 3), "band", "both thicknesses of the closed card, and the bends of the band's own paper"),
            Allowance("length", round(lap, 3), "band", "its ends lap by this and are glued to each other, not to the card"),
        ),
        note="folded round the closed card first, then glued to itself",
        grain="across its length",
        guides=((rectangle(length - lap, 0, length, width), "lap, glued under the other end"),),
    )
    place = _placed(assembly, (0.0, wide), (at - width / 2, at + width / 2))
    bounds = (
        _inside("wrap band", at, width / 2, long, "card.band"),
        Bound(
            "card.closure-lap",
            "card",
            "closure",
            ("card.band",),
            lap,
            LEAST_LAP_MM,
            "The band's ends hardly lap",
            "Glue needs this much.",
            severity="warn",
        ),
    )
    return Closing("band", (sheet,), place, bounds, boxes=(_box(place, t, 0.0, thick + 2 * t),), cures=_cures("band", long))


def _seal(assembly: Assembly, thick: float) -> Closing:
    wide, long = _across(assembly)
    closure, t = assembly.closure, assembly.card.caliper_mm
    width, lap = closure.width or SEAL_MM, closure.lap or SEAL_LAP_MM
    at = closure.at or long / 2
    edge = thick + math.pi * t / 2
    length = 2 * lap + edge
    marks = (lap, lap + edge) if thick > THIN_MM else (lap + edge / 2,)
    creases = tuple(Crease(f"bend-{k + 1}", (x, 0.0), (x, width), "mountain", ("card.seal", "card.seal"), order=k + 1) for k, x in enumerate(marks))
    sheet = ScoredSheet(
        "card.seal",
        "seal strip",
        assembly.card.stock,
        rectangle(0, 0, length, width),
        ("card.seal",),
        creases=creases,
        allowances=(Allowance("length", round(edge, 3), "band", "round the free edge: the card's thickness and half a bend on each side"),),
        note="glued to the back page only; its other end is stuck down when the card is given",
        grain="across its length",
        guides=((rectangle(0, 0, lap, width), "glue, on the back page"),),
    )
    place = _placed(assembly, (wide - lap, wide), (at - width / 2, at + width / 2))
    bounds = (
        _inside("seal strip", at, width / 2, long, "card.seal"),
        Bound(
            "card.closure-lap", "card", "closure", ("card.seal",), lap, LEAST_LAP_MM, "The seal strip hardly laps the card", "Glue needs this much."
        ),
        Bound(
            "card.closure-most",
            "card",
            "closure",
            ("card.seal",),
            lap,
            round(wide / 2, 4),
            "The seal strip covers much of the card",
            "It would have to be torn to open.",
            at_most=True,
            severity="warn",
        ),
    )
    boxes = (_box(place, t, 0.0, thick + 2 * t),)
    return Closing("seal", (sheet,), place, bounds, boxes=boxes, cures=_cures("seal", long))


def _hem(assembly: Assembly, thick: float) -> Closing:
    wide, long = _across(assembly)
    closure, t = assembly.closure, assembly.card.caliper_mm
    size, deep = closure.magnet, closure.magnet_thickness
    hem = closure.width or round(size + 3 * MAGNET_RIM_MM, 1)
    at = closure.at or long / 5
    from_edge = size / 2 + MAGNET_RIM_MM
    spots = [(wide - from_edge, at), (wide - from_edge, long - at)]
    magnets = tuple((x, y) if assembly.card.fold == "left" else (y, assembly.card.height_mm - x) for x, y in spots)
    place = _placed(assembly, (wide - hem, wide), (0.0, long))
    pages = 2 * t
    edge = pages + 2 * (t + deep)
    needs = size + 2 * MAGNET_RIM_MM
    bounds = (
        Bound(
            "card.closure-hem",
            "card",
            "closure",
            ("card.front", "card.back"),
            round(hem, 4),
            round(needs, 4),
            "The hem does not cover its magnets",
            "Magnet, and glue on both sides of it.",
        ),
        Bound(
            "card.closure-most",
            "card",
            "closure",
            ("card.front", "card.back"),
            round(hem, 4),
            round(wide / 2, 4),
            "The hem is deeper than half the page",
            "It would meet the fold.",
            at_most=True,
        ),
        Bound(
            "card.closure-pairs",
            "card",
            "closure",
            ("card.front", "card.back"),
            round(long - 2 * at, 4),
            round(2 * size, 4),
            "The two magnets of a page come too near",
            "They would turn over and hold each other.",
            severity="warn",
        ),
        Bound(
            "card.closure-place",
            "card",
            "closure",
            ("card.front",),
            round(at, 4),
            round(size / 2 + MAGNET_RIM_MM, 4),
            "The magnets leave the card",
            "They lie under paper on all sides.",
        ),
        Bound(
            "card.closure-thick",
            "card",
            "closure",
            ("card.front", "card.back"),
            round(edge, 4),
            round(thick + 1.5, 4),
            "The hem makes the edge thick",
            "The card gapes at its free edge: take thinner magnets, or let them into a layer of card.",
            at_most=True,
            severity="warn",
        ),
    )
    cures = (
        ("Make the hem {width} deep", {"closure.width": round(needs, 1)}),
        ("Set the magnets nearer to the corners", {"closure.at": round(size / 2 + MAGNET_RIM_MM + 1.0, 1)}),
        ("Set the magnets a fifth from the ends", {"closure.at": 0.0}),
        ("Take magnets half as thick", {"closure.magnet_thickness": max(0.5, round(deep / 2, 2))}),
        ("Take a wrap band instead", {"closure": "band"}),
        ("Leave the closure out", {"closure": "none"}),
    )
    return Closing("hem", (), place, bounds, round(hem, 4), magnets, (size, deep), (_box(place, 0.0, 0.0, edge),), cures)


def _cures(kind: str, long: float) -> tuple[tuple[str, dict[str, Any]], ...]:
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


__all__ = ["Closing", "close_card", "magnet_discs"]
