"""The wrap band: slipped round the closed card from its fold to its free edge.

Its way round is 2 W + 2 T + pi t, for the card's width W and thickness T and the band's own caliper t (its middle runs at half of it
round the corners).
"""

from __future__ import annotations

import math

from lexipod.assembly import Allowance, Assembly, Blank, Bound, Crease
from lexipod.closing.pieces import (
    BAND_LAP_MM,
    BAND_MM,
    LEAST_LAP_MM,
    THIN_MM,
    Closing,
    box_round,
    measure_across,
    place_on_front,
    stays_on_card,
    usual_cures,
)
from lexipod.geometry.shapes import rectangle
from lexipod.mechanics import band_way


def close_with_band(assembly: Assembly, thick: float) -> Closing:
    wide, long = measure_across(assembly)
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
    sheet = Blank(
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
    place = place_on_front(assembly, (0.0, wide), (at - width / 2, at + width / 2))
    bounds = (
        stays_on_card("wrap band", at, width / 2, long, "card.band"),
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
    return Closing("band", (sheet,), place, bounds, boxes=(box_round(place, t, 0.0, thick + 2 * t),), cures=usual_cures("band", long))
