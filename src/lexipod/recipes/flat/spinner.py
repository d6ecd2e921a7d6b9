"""Spinner: a hand or figure turns freely through all angles on a brad or snap bearing.

It runs on a washer in front of the panel; the legs lie behind the panel in its foam, the head holds it in front. Nothing
stops it, so the whole disc that it sweeps must stay on the card.
"""

from __future__ import annotations

import math

import shapely

from lexipod.assembly import Drive, Handle, Need, Part, Steady, WantedGap, Zone
from lexipod.assembly.model import Piece
from lexipod.recipes.kit.cues import CUE, round_cue
from lexipod.recipes.kit.levels import BED, LOW, MID, UNDER
from lexipod.recipes.kit.parameters import Advice, Lever, Parameter, Recipe, Site, Values
from lexipod.recipes.kit.sheets import Sheet
from lexipod.recipes.kit.stack import Stack, disc, point_from
from lexipod.recipes.kit.usual import (
    AIR_MM,
    BEARING,
    BRAD,
    FASTENER_LEVERS,
    HOLE,
    PANEL_BORDERS,
    PANEL_FOAM,
    PANEL_LAYERS,
    PIN_CLEARANCE,
    PIVOT,
    bordered_sheet,
    brad_of,
    pin_gap,
    pin_play,
    size_border,
    size_foam,
    size_pin,
    smaller_holes,
)
from lexipod.recipes.kit.values import below, count, keep, keep_place, number, place

PARAMETERS = (
    Parameter("leaf_length", "length of hand", "length", "From the pivot to the tip of the hand.", "Hand", 5, 300),
    Parameter("tail_length", "length of tail", "length", "From the pivot to the other end of the hand.", "Hand", 1, 300),
    Parameter("leaf_width", "width of hand", "length", "Width of the hand at the pivot.", "Hand", 3, 100),
    Parameter("rest_angle", "rests at", "angle", "Where the hand points at rest, counter-clockwise from the right.", "Hand", -360, 360),
    PIVOT,
    BRAD,
    HOLE,
    BEARING,
    PIN_CLEARANCE,
    Parameter("washer", "washer", "length", "Diameter of the washer under the hand.", "Pivot", 3, 60),
    PANEL_FOAM,
    PANEL_LAYERS,
    *PANEL_BORDERS,
    CUE,
)


def size(site: Site, kept: Values) -> Values:
    """A hand as long as the card lets it turn, about the middle of the card."""
    values: Values = {"rest_angle": 90.0, "cue": "arrow", **kept}
    card, grid = site.card, site.grid_mm
    border = size_border(site, values, "panel_border")
    size_pin(site, values)
    x, y = keep_place(values, "pivot", card.width_mm / 2, card.height_mm / 2, grid_mm=grid)
    room = min(x, y, card.width_mm - x, card.height_mm - y) - border - 2.0
    if room < 15.0 and "leaf_length" not in values:
        raise RECIPE.refuse(site, f"only {max(room, 0):.0f} mm are left for the hand to turn in")
    length = keep(values, "leaf_length", below(min(room, 60.0), grid))
    head = brad_of(site, values).head_mm
    width = keep(values, "leaf_width", max(head + 4.0, length * 0.22), grid_mm=grid)
    keep(values, "tail_length", max(width * 0.7, length * 0.4), grid_mm=grid)
    keep(values, "washer", max(head + 2.0, number(values, "hole") + 5.0), grid_mm=grid)
    size_foam(site, values, brad_of(site, values).legs_thickness_mm + 0.1, name="panel_foam", layers="panel_layers")
    return values


def sheets(site: Site, values: Values) -> tuple[Sheet, ...]:
    """A panel raised on foam; the brad's legs lie in it."""
    panel = bordered_sheet(site, values, "panel")
    return (Sheet("panel", panel, str(values["panel_foam"]), count(values, "panel_layers"), (disc(place(values, "pivot"), 10.0),)),)


def _hand(values: Values) -> shapely.Polygon:
    """A long lozenge with a round middle, pointing where it rests."""
    (x, y), turn = place(values, "pivot"), math.radians(number(values, "rest_angle"))
    tip, tail, half = number(values, "leaf_length"), number(values, "tail_length"), number(values, "leaf_width") / 2
    cos, sin = math.cos(turn), math.sin(turn)
    lozenge = [(tip, 0.0), (0.0, half * 0.8), (-tail, half * 0.35), (-tail, -half * 0.35), (0.0, -half * 0.8)]
    turned = shapely.Polygon([(x + cos * u - sin * v, y + sin * u + cos * v) for u, v in lozenge])
    return shapely.union(turned, disc((x, y), half))


def build(site: Site, mechanism: str, values: Values) -> Piece:
    """Washer, hand and brad in front of the panel."""
    pivot, t, brad = place(values, "pivot"), site.stock.caliper_mm, brad_of(site, values)
    stack, floor = Stack(site, mechanism), site.heights.floor_mm
    hole = disc(pivot, number(values, "hole") / 2)
    washer = stack.add("washer", "washer", "base", BED, shapely.difference(disc(pivot, number(values, "washer") / 2), hole), floor, t, face="backing")
    stack.glue(washer, site.heights.floor)
    hand = stack.add("hand", "hand", "moving", LOW, shapely.difference(_hand(values), hole), floor + t, t, face="arm")
    shank = stack.brad(
        "pivot",
        "brad",
        pivot,
        brad,
        levels=(UNDER, MID),
        heights=(site.heights.floor_mm - t, floor + 2 * t + AIR_MM),
        shank_mm=number(values, "bearing"),
        to=washer.id,
    )
    pin = stack.pin("turn", hand, shank, pivot, clearance_mm=pin_play(values))
    drive = Drive(mechanism, pin.id, hand.id, "turn", 0.0, 360.0, 0.0, endless=True)
    radius = number(values, "leaf_length") + 5.0
    at = (pivot[0] + radius * math.cos(-0.8), pivot[1] + radius * math.sin(-0.8))
    cue = round_cue(mechanism, values, site.heights.floor, at, pivot, clockwise=False, word="spin")
    pierced = disc(pivot, number(values, "hole") / 2)
    return Piece(
        tuple(stack.parts),
        tuple(stack.joints),
        (drive,),
        _zones(mechanism, hand),
        _needs(mechanism, values, hand),
        tuple(_handles(mechanism, values)),
        (WantedGap(hand.id, shank.id, pin_gap(values), "hole"),),
        (cue,),
        {"card.panel": (pierced,)},
    )


def _zones(mechanism: str, hand: Part) -> tuple[Zone, ...]:
    return (Zone(hand.id, "front", "art", hand.outline, name="hand", at={mechanism: 0.0}),)


def _needs(mechanism: str, values: Values, hand: Part) -> tuple[Need, ...]:
    turn, length, (x, y) = math.radians(number(values, "rest_angle")), number(values, "leaf_length"), place(values, "pivot")
    tip = point_from(hand, (x + length * math.cos(turn), y + length * math.sin(turn)))
    return (Steady(f"{mechanism}.steady", mechanism, hand.id, tip, "the tip of the hand", 1.5),)


def _handles(mechanism: str, values: Values) -> list[Handle]:
    (x, y), length = place(values, "pivot"), number(values, "leaf_length")
    turn = math.radians(number(values, "rest_angle"))
    cos, sin = math.cos(turn), math.sin(turn)
    tip = (x + length * cos, y + length * sin)
    side = (x + 0.55 * length * cos - 6 * sin, y + 0.55 * length * sin + 6 * cos)
    return [
        Handle(mechanism, "pivot", "pivot", (x, y), (1.0, 0.0), 1.0, ((0.0, y), (x, y)), 0.0, cross=(0.0, 1.0)),
        Handle(mechanism, "leaf_length", "hand", tip, (cos, sin), 1.0, ((x, y), tip), 9.0),
        Handle(mechanism, "rest_angle", "rests at", side, (-sin, cos), 1.0, ((x, y), tip), 0.0, about=(x, y)),
    ]


LEVERS: dict[str, tuple[Lever, ...]] = {
    "fastener": FASTENER_LEVERS,
    "outline": (
        Lever("Make the hand {by} shorter", {"leaf_length": -1.0}),
        Lever("Make the tail {by} shorter", {"tail_length": -1.0}),
        Lever("Move the pivot {by} to the right", {"pivot.x": 1.0}),
        Lever("Move the pivot {by} to the left", {"pivot.x": -1.0}),
        Lever("Move the pivot {by} up", {"pivot.y": 1.0}),
        Lever("Move the pivot {by} down", {"pivot.y": -1.0}),
        Lever("Make hand and tail {by} shorter", {"leaf_length": -1.0, "tail_length": -1.0}),
    ),
    "clearance": (Lever("Punch the hole {by} larger", {"hole": 1.0}), Lever("Take a bearing {by} thinner", {"bearing": -1.0})),
    "travel": (Lever("Punch the hole {by} larger", {"hole": 1.0}), Lever("Make the hand {by} shorter", {"leaf_length": -1.0})),
    "height": (
        Lever("Use {n} more layer(s) of foam under the panel", {"panel_layers": 1.0}),
        Lever("Take thicker foam under the panel", choose={"panel_foam": "foam-2"}),
    ),
    "wobble": smaller_holes("hole"),
    "crossing": (Lever("Make the hand {by} shorter", {"leaf_length": -1.0}), Lever("Make the tail {by} shorter", {"tail_length": -1.0})),
    "cue": (Lever("Make the hand {by} shorter", {"leaf_length": -1.0}), Lever("Leave the cue out on purpose", choose={"cue": "none"})),
}

ADVICE = (Advice("glue", "The washer keeps it off the panel: no glue near its hole.", "washer"),)
RECIPE = Recipe(
    "spinner",
    "spinner",
    "A hand or figure spins freely round a brad.",
    PARAMETERS,
    size,
    sheets,
    build,
    LEVERS,
    smallest_mm=(45.0, 45.0),
    verbs=("spin",),
    shaping=("brad",),
    advice=ADVICE,
)
