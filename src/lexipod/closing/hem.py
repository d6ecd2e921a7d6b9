"""The hem with magnets: the free edge of both pages is folded inwards over magnets close to the fold, so that they end up at the edge.

Two pairs at the same heights: on the sheet laid open they lie as mirror images about the card's fold.
"""

from __future__ import annotations

from lexipod.assembly import Assembly, Bound
from lexipod.closing.pieces import MAGNET_RIM_MM, Closing, box_round, measure_across, place_on_front


def close_with_hem(assembly: Assembly, thick: float) -> Closing:
    wide, long = measure_across(assembly)
    closure, t = assembly.closure, assembly.card.caliper_mm
    size, deep = closure.magnet, closure.magnet_thickness
    hem = closure.width or round(size + 3 * MAGNET_RIM_MM, 1)
    at = closure.at or long / 5
    from_edge = size / 2 + MAGNET_RIM_MM
    spots = [(wide - from_edge, at), (wide - from_edge, long - at)]
    magnets = tuple((x, y) if assembly.card.fold == "left" else (y, assembly.card.height_mm - x) for x, y in spots)
    place = place_on_front(assembly, (wide - hem, wide), (0.0, long))
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
    return Closing("hem", (), place, bounds, round(hem, 4), magnets, (size, deep), (box_round(place, 0.0, 0.0, edge),), cures)
