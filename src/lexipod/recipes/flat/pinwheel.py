"""Pinwheel: leaves laid round a pin in order, each over the one before, that turn together.

Each leaf is turned from the one before by 360 / n and tucked under the next, so no leaf is on top of all. It stands on a stick
that is glued to the panel, or on the panel alone; what is drawn on a leaf must be upright in that leaf's own place.
"""

from __future__ import annotations

import math

import shapely
import shapely.affinity

from lexipod.assembly import Drive, Handle, Joint, Need, Steady, WantedGap, Zone
from lexipod.assembly.model import Piece
from lexipod.geometry.shapes import rectangle
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

POCKET_SIDE_MM = 5.0

PARAMETERS = (
    Parameter("leaves", "leaves", "count", "How many leaves lie round the pin.", "Leaves", 3, 12),
    Parameter("leaf_length", "length of leaf", "length", "From the pin to the tip of a leaf.", "Leaves", 8, 300),
    Parameter("leaf_width", "width of leaf", "length", "Width of a leaf where it is widest.", "Leaves", 4, 200),
    PIVOT,
    BRAD,
    HOLE,
    BEARING,
    PIN_CLEARANCE,
    Parameter("stick", "stick", "flag", "A stick from the pin down to the lower edge of the panel.", "Stick"),
    Parameter("stick_pocket", "stick in a pocket", "flag", "The stick is not stuck down: it drops into a pocket at its foot.", "Stick"),
    Parameter("pocket_height", "height of pocket", "length", "How deep the stick drops into its pocket.", "Stick", 4, 100),
    Parameter("stick_width", "width of stick", "length", "Width of the flattened paper stick; clear of the bearing's hole.", "Stick", 3, 40),
    PANEL_FOAM,
    PANEL_LAYERS,
    *PANEL_BORDERS,
    CUE,
)


def size(site: Site, kept: Values) -> Values:
    """Leaves as long as they can turn in the upper part of the card, on a stick below."""
    values: Values = {"leaves": 6, "stick": True, "stick_pocket": False, "cue": "arrow", **kept}
    card, grid = site.card, site.grid_mm
    border = size_border(site, values, "panel_border")
    size_pin(site, values)
    spare = 0.0 if not values["stick"] else 0.16 * card.height_mm
    room = min(card.width_mm / 2, (card.height_mm - spare) / 2) - border - 2.0
    if room < 15.0 and "leaf_length" not in values:
        raise RECIPE.refuse(site, f"only {max(room, 0):.0f} mm are left for the leaves to turn in")
    length = keep(values, "leaf_length", below(min(room, 65.0), grid))
    keep_place(values, "pivot", card.width_mm / 2, card.height_mm - border - 2.0 - length, grid_mm=1e-4)
    keep(values, "leaf_width", max(brad_of(site, values).head_mm + 4.0, 1.1 * length * math.sin(math.pi / count(values, "leaves"))), grid_mm=grid)
    y, foot = place(values, "pivot")[1], number(values, "panel_border_y") + 1.0
    keep(values, "pocket_height", max(4.0, below(min(18.0, y - length - foot - 1.0), grid)))
    keep(values, "stick_width", max(8.0, number(values, "hole") + 4.0), grid_mm=grid)
    size_foam(site, values, brad_of(site, values).legs_thickness_mm + 0.1, name="panel_foam", layers="panel_layers")
    return values


def sheets(site: Site, values: Values) -> tuple[Sheet, ...]:
    """A panel raised on foam; the brad's legs lie in it."""
    panel = bordered_sheet(site, values, "panel")
    return (Sheet("panel", panel, str(values["panel_foam"]), count(values, "panel_layers"), (disc(place(values, "pivot"), 10.0),)),)


def _leaf(values: Values) -> shapely.Polygon:
    """The first leaf, upwards: a vane that is full on one side and straight on the other."""
    (x, y), length, width = place(values, "pivot"), number(values, "leaf_length"), number(values, "leaf_width")
    hub = max(number(values, "hole") / 2 + 2.0, 3.5)
    vane = shapely.Polygon(
        [
            (x - 0.1 * width, y),
            (x - 0.25 * width, y + 0.95 * length),
            (x, y + length),
            (x + 0.75 * width, y + 0.62 * length),
            (x + 0.45 * width, y + 0.25 * length),
            (x + hub * 0.6, y),
        ]
    )
    inside = disc((x, y), length)
    return shapely.intersection(shapely.union(vane, disc((x, y), hub)), inside)


def build(site: Site, mechanism: str, values: Values) -> Piece:
    """Stick, leaves in cyclic order, and the brad that holds them."""
    pivot, t, brad, n = place(values, "pivot"), site.stock.caliper_mm, brad_of(site, values), count(values, "leaves")
    stack, floor = Stack(site, mechanism), site.heights.floor_mm
    hole = disc(pivot, number(values, "hole") / 2)
    half, foot = number(values, "stick_width") / 2, number(values, "panel_border_y") + 1.0
    low = foot if values["stick"] else pivot[1] - half
    shaft = shapely.union(shapely.Polygon(rectangle(pivot[0] - half, min(low, pivot[1] - half), pivot[0] + half, pivot[1])), disc(pivot, half))
    name = "stick" if values["stick"] else "washer"
    base = stack.add(
        name,
        name,
        "base",
        BED,
        shapely.difference(shaft, hole),
        floor,
        t,
        face="backing",
        note=_stick_note(values),
    )
    stack.glue(base, site.heights.floor)
    if values["stick"] and values["stick_pocket"]:
        _add_pocket(stack, values, (pivot[0], foot), half)
    leaf = shapely.difference(_leaf(values), hole)
    leaves = []
    for k in range(n):
        turned = shapely.affinity.rotate(leaf, -360.0 * k / n, origin=pivot)
        leaves.append(
            stack.add(
                f"leaf-{k + 1}",
                f"leaf {k + 1}",
                "moving",
                LOW,
                turned,
                floor + t,
                t,
                face="arm" if k % 2 else "blade",
                over=(f"{mechanism}.leaf-{(k - 1) % n + 1}",),
            )
        )
    for other in leaves[1:]:
        stack.joints.append(Joint(f"{other.id}-tucked", "fixed", other.id, leaves[0].id))
    shank = stack.brad(
        "pivot",
        "brad",
        pivot,
        brad,
        levels=(UNDER, MID),
        heights=(floor - t, floor + t + n * t + AIR_MM),
        shank_mm=number(values, "bearing"),
        to=base.id,
    )
    pins = [stack.pin("turn" if k == 0 else f"turn-{k + 1}", p, shank, pivot, clearance_mm=pin_play(values)) for k, p in enumerate(leaves)]
    drive = Drive(mechanism, pins[0].id, leaves[0].id, "turn", 0.0, 360.0, 0.0, endless=True, detents=tuple(360.0 * k / n for k in range(n)))
    radius = number(values, "leaf_length") + 5.0
    at = (pivot[0] + radius * math.cos(-0.9), pivot[1] + radius * math.sin(-0.9))
    cue = round_cue(mechanism, values, site.heights.floor, at, pivot, clockwise=False, word="spin")
    zones = tuple(Zone(p.id, "front", "art", p.outline, name=f"leaf {k + 1}", at={mechanism: 0.0}) for k, p in enumerate(leaves))
    tip = point_from(leaves[0], (pivot[0], pivot[1] + number(values, "leaf_length")))
    needs: tuple[Need, ...] = (Steady(f"{mechanism}.steady", mechanism, leaves[0].id, tip, "the tip of a leaf", 1.5),)
    gaps = tuple(WantedGap(p.id, shank.id, pin_gap(values), "hole") for p in leaves)
    return Piece(
        tuple(stack.parts), tuple(stack.joints), (drive,), zones, needs, tuple(_handles(mechanism, values)), gaps, (cue,), {"card.panel": (hole,)}
    )


def _stick_note(values: Values) -> str:
    if not values["stick"]:
        return ""
    tube = "a paper tube, pressed flat and stiffened at the end"
    return f"{tube}; it drops into its pocket and is not stuck down" if values["stick_pocket"] else tube


def _add_pocket(stack: Stack, values: Values, foot: tuple[float, float], half: float) -> None:
    """A pocket into which the stick drops: a front on two sides and a bottom of two plies, open at the top."""
    (x, y), t, floor, grid = foot, stack.site.stock.caliper_mm, stack.site.heights.floor_mm, stack.site.grid_mm
    gap, wide = stack.site.needed_gap_mm, stack.site.nice(POCKET_SIDE_MM)
    top = y + max(2 * grid, below(number(values, "pocket_height"), grid))
    inner = half + gap
    for name, region in (
        ("side-1", rectangle(x - inner - wide, y, x - inner, top)),
        ("side-2", rectangle(x + inner, y, x + inner + wide, top)),
    ):
        label = f"pocket's {'first' if name == 'side-1' else 'second'} side"
        side = stack.add(name, label, "spacer", BED, shapely.Polygon(region), floor, 2 * t, plies=2, face="backing")
        stack.glue(side, stack.site.heights.floor)
    region = shapely.Polygon(rectangle(x - inner - wide, y, x + inner + wide, top))
    why = "it goes over the stick with the gap that is cut"
    front = stack.add("pocket", "pocket of the stick", "cover", LOW, region, floor + 2 * t, t, face="frame", why_off=why)
    stack.glue(front, f"{stack.mechanism}.side-1")


def _handles(mechanism: str, values: Values) -> list[Handle]:
    (x, y), length = place(values, "pivot"), number(values, "leaf_length")
    return [
        Handle(mechanism, "pivot", "pin", (x, y), (1.0, 0.0), 1.0, ((0.0, y), (x, y)), 0.0, cross=(0.0, 1.0)),
        Handle(mechanism, "leaf_length", "leaf", (x, y + length), (0.0, 1.0), 1.0, ((x, y), (x, y + length)), -12.0),
    ]


LEVERS: dict[str, tuple[Lever, ...]] = {
    "fastener": FASTENER_LEVERS,
    "outline": (
        Lever("Make the leaves {by} shorter", {"leaf_length": -1.0}),
        Lever("Move the pin {by} down", {"pivot.y": -1.0}),
        Lever("Move the pin {by} up", {"pivot.y": 1.0}),
        Lever("Move the pin {by} to the right", {"pivot.x": 1.0}),
        Lever("Move the pin {by} to the left", {"pivot.x": -1.0}),
    ),
    "clearance": (Lever("Punch the hole {by} larger", {"hole": 1.0}), Lever("Take a bearing {by} thinner", {"bearing": -1.0})),
    "travel": (Lever("Punch the hole {by} larger", {"hole": 1.0}), Lever("Make the leaves {by} shorter", {"leaf_length": -1.0})),
    "height": (
        Lever("Use {n} more layer(s) of foam under the panel", {"panel_layers": 1.0}),
        Lever("Use {n} leaves less", {"leaves": -1.0}),
        Lever("Take thicker foam under the panel", choose={"panel_foam": "foam-2"}),
    ),
    "wobble": smaller_holes("hole"),
    "crossing": (Lever("Make the leaves {by} shorter", {"leaf_length": -1.0}),),
    "cue": (Lever("Make the leaves {by} shorter", {"leaf_length": -1.0}), Lever("Leave the cue out on purpose", choose={"cue": "none"})),
}

ADVICE = (Advice("lay", "In their order, each with its motif under the same spot.", "leaf"),)
RECIPE = Recipe(
    "pinwheel",
    "pinwheel",
    "Leaves laid round a pin spin together.",
    PARAMETERS,
    size,
    sheets,
    build,
    LEVERS,
    smallest_mm=(48.0, 55.0),
    verbs=("spin",),
    shaping=("leaves", "stick", "brad"),
    advice=ADVICE,
)
