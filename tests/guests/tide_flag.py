"""A recipe as another package would offer it: a flag that turns freely on a brad. It knows the kit, and nothing else of the program."""

import math
from dataclasses import replace

import shapely

from lexipod.assembly import Drive, Handle, WantedGap
from lexipod.assembly.model import Piece
from lexipod.recipes.kit.cues import CUE, round_cue
from lexipod.recipes.kit.levels import BED, LOW, MID, UNDER
from lexipod.recipes.kit.parameters import Lever, Parameter, Recipe
from lexipod.recipes.kit.sheets import Sheet
from lexipod.recipes.kit.stack import Stack, disc
from lexipod.recipes.kit.usual import (
    AIR_MM,
    BEARING,
    BRAD,
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
)
from lexipod.recipes.kit.values import below, count, keep, keep_place, number, place

PARAMETERS = (
    Parameter("flag", "length of flag", "length", "From the pivot to its tip.", "Flag", 8, 200),
    PIVOT,
    BRAD,
    HOLE,
    BEARING,
    PIN_CLEARANCE,
    PANEL_FOAM,
    PANEL_LAYERS,
    *PANEL_BORDERS,
    CUE,
)


def size(site, kept):
    """As long as it can turn on the card."""
    values = {"cue": "arrow", **kept}
    border = size_border(site, values, "panel_border")
    size_pin(site, values)
    x, y = keep_place(values, "pivot", site.card.width_mm / 2, site.card.height_mm / 2, grid_mm=site.grid_mm)
    keep(values, "flag", below(min(x, y, site.card.width_mm - x, site.card.height_mm - y, 50.0) - border - 2.0, site.grid_mm))
    size_foam(site, values, brad_of(site, values).legs_thickness_mm + 0.1, name="panel_foam", layers="panel_layers")
    return values


def sheets(site, values):
    """A panel on foam, clear of the brad's legs."""
    panel = bordered_sheet(site, values, "panel")
    return (Sheet("panel", panel, str(values["panel_foam"]), count(values, "panel_layers"), (disc(place(values, "pivot"), 10.0),)),)


def build(site, mechanism, values):
    """Washer, flag and brad."""
    (x, y), t, brad = place(values, "pivot"), site.stock.caliper_mm, brad_of(site, values)
    stack, floor = Stack(site, mechanism), site.heights.floor_mm
    hole, head = disc((x, y), number(values, "hole") / 2), brad.head_mm / 2
    washer = stack.add("washer", "washer", "base", BED, shapely.difference(disc((x, y), head + 1.0), hole), floor, t, face="backing")
    stack.glue(washer, site.heights.floor)
    cloth = shapely.union(disc((x, y), head + 2.0), shapely.box(x, y, x + number(values, "flag"), y + 6.0))
    flag = stack.add("flag", "flag", "moving", LOW, shapely.difference(cloth, hole), floor + t, t, face="arm")
    shank = stack.brad(
        "pivot",
        "brad",
        (x, y),
        brad,
        levels=(UNDER, MID),
        heights=(floor - t, floor + 2 * t + AIR_MM),
        shank_mm=number(values, "bearing"),
        to=washer.id,
    )
    pin = stack.pin("turn", flag, shank, (x, y), clearance_mm=pin_play(values))
    radius = number(values, "flag") + 6.0
    cue = round_cue(
        mechanism, values, site.heights.floor, (x + radius * math.cos(-0.8), y + radius * math.sin(-0.8)), (x, y), clockwise=False, word="turn"
    )
    at = (x + number(values, "flag"), y)
    handle = Handle(mechanism, "flag", "flag", at, (1.0, 0.0), 1.0, ((x, y), at))
    return Piece(
        tuple(stack.parts),
        tuple(stack.joints),
        (Drive(mechanism, pin.id, flag.id, "turn", 0.0, 360.0, 0.0, endless=True),),
        handles=(handle,),
        clearances=(WantedGap(flag.id, shank.id, pin_gap(values), "hole"),),
        cues=(cue,),
        openings={"card.panel": (disc((x, y), number(values, "hole") / 2),)},
    )


RECIPE = Recipe(
    "tide-flag",
    "tide flag",
    "A flag turns with the tide.",
    PARAMETERS,
    size,
    sheets,
    build,
    {"outline": (Lever("Make the flag {by} shorter", {"flag": -1.0}),)},
    smallest_mm=(40.0, 40.0),
    verbs=("spin",),
)
TWICE = replace(RECIPE, id="spinner")
