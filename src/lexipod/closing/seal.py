"""The seal strip: glued to the back page along its free edge and laid round it onto the front; the card opens only there."""

from __future__ import annotations

import math

from lexipod.assembly import Allowance, Assembly, Blank, Bound, Crease
from lexipod.closing.pieces import LEAST_LAP_MM, SEAL_LAP_MM, THIN_MM, Closing, box_round, measure_across, place_on_front, stays_on_card, usual_cures
from lexipod.geometry.shapes import rectangle

SEAL_MM = 25.4


def close_with_seal(assembly: Assembly, thick: float) -> Closing:
    wide, long = measure_across(assembly)
    closure, t = assembly.closure, assembly.card.caliper_mm
    width, lap = closure.width or SEAL_MM, closure.lap or SEAL_LAP_MM
    at = closure.at or long / 2
    edge = thick + math.pi * t / 2
    length = 2 * lap + edge
    marks = (lap, lap + edge) if thick > THIN_MM else (lap + edge / 2,)
    creases = tuple(Crease(f"bend-{k + 1}", (x, 0.0), (x, width), "mountain", ("card.seal", "card.seal"), order=k + 1) for k, x in enumerate(marks))
    sheet = Blank(
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
    place = place_on_front(assembly, (wide - lap, wide), (at - width / 2, at + width / 2))
    bounds = (
        stays_on_card("seal strip", at, width / 2, long, "card.seal"),
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
    boxes = (box_round(place, t, 0.0, thick + 2 * t),)
    return Closing("seal", (sheet,), place, bounds, boxes=boxes, cures=usual_cures("seal", long))
