"""Pocket pull: a piece rises out of a pocket when the pull behind the panel is drawn out at the card's edge.

The pull runs behind the panel in a sleeve; its neck comes through a straight slot of the panel and opens into two wings that
are stuck to the back of the piece. The pocket's front covers piece and slot on four small pads at its outer edges. The pull is
trimmed flush with the piece fully down, and reached through a notch. Measured along the pull, from the far edge to the exit.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, Literal

import shapely

from lexipod.assembly import Covered, Drive, Guided, Handle, Joint, Land, Need, Part, Pushed, Reached, Segment, Shown, Steady, Trim, WantedGap, Zone
from lexipod.assembly.model import Piece
from lexipod.geometry.shapes import rectangle, rounded_rectangle
from lexipod.recipes.kit.cues import CUE, straight_cue
from lexipod.recipes.kit.lay import EXITS, Lay
from lexipod.recipes.kit.levels import BED, BEHIND, HIGH, LOW, MID, NEAR, PANEL, UNDER
from lexipod.recipes.kit.parameters import Advice, Lever, Parameter, Recipe, Site, Values
from lexipod.recipes.kit.pulls import CUE_LEVERS, HandleAlong, lay_of, plies_to_push
from lexipod.recipes.kit.sheets import Sheet
from lexipod.recipes.kit.stack import Stack, point_from, seen_from
from lexipod.recipes.kit.usual import (
    AIR_MM,
    END_GAP_MM,
    FOAMS,
    PANEL_BORDERS,
    PANEL_FOAM,
    PANEL_LAYERS,
    POLYGON_MM,
    bordered_sheet,
    size_border,
    size_foam,
)
from lexipod.recipes.kit.values import below, count, keep, number

LAND_MM = 4.0
TRIM_MM = 6.0
"""So much longer what is trimmed in place is cut first."""
HANDLE_MM = 12.0
FOOT_MM = 6.0
GUIDES = {"sleeve": ("sleeve-low", "sleeve-high"), "rails": ("rail-low", "rail-high"), "strap": ("foot-low", "foot-high")}
"""What the pull runs between, by what guides it: the sides of a sleeve that is folded round it, two rails of foam, the feet of a strap."""
SLEEVE_LAYERS = 3
"""Paper of the sleeve over and under the pull: its middle, its long flap, and its short one."""

PARAMETERS = (
    Parameter("rise", "rise", "length", "How far the piece rises out of the pocket.", "Motion", 2, 400),
    Parameter(
        "exit", "pull towards", "choice", "The edge of the card at which the pull is drawn out; the piece rises that way.", "Motion", choices=EXITS
    ),
    Parameter(
        "middle",
        "middle line",
        "length",
        "Middle line of piece and pull: from the left edge, or from the bottom for a pull to the side.",
        "Pocket",
        0,
        600,
    ),
    Parameter("pocket_from", "pocket from", "length", "From the far edge of the card to the pocket.", "Pocket", 0, 400),
    Parameter("pocket_height", "pocket height", "length", "Height of the pocket's front, along the pull.", "Pocket", 8, 400),
    Parameter("pocket_width", "pocket width", "length", "Width of the pocket's front, across the pull.", "Pocket", 8, 400),
    Parameter("front_slot", "between pads", "length", "Width between the pocket's pads, in which the piece rises.", "Pocket", 4, 400),
    Parameter("piece_width", "piece width", "length", "Width of the piece.", "Piece", 3, 400),
    Parameter("piece_height", "piece height", "length", "Height of the piece.", "Piece", 3, 400),
    Parameter("piece_below", "top below pocket's top", "length", "How far the piece's top stays below the pocket's top at rest.", "Piece", -50, 100),
    Parameter("slot_width", "slot width", "length", "Width of the slot in the panel.", "Slot", 1, 60),
    Parameter("slot_length", "slot length", "length", "Length of the slot in the panel; the neck meets its ends.", "Slot", 3, 400),
    Parameter("slot_below", "slot below pocket's top", "length", "From the pocket's top down to the slot.", "Slot", 0, 100),
    Parameter("neck_length", "neck", "length", "Length of the neck along the slot.", "Slot", 1, 60),
    Parameter("clearance", "side clearance", "length", "Gap wanted beside neck, pull and piece.", "Slot", 0, 5),
    Parameter("wing_width", "wing width", "length", "Width of each of the two wings that are stuck to the piece.", "Pull", 3, 100),
    Parameter("pull_width", "pull width", "length", "Width of the pull behind the panel.", "Pull", 4, 100),
    Parameter("pull_plies", "plies of pull", "count", "Plies of the pull.", "Pull", 1, 5),
    Parameter("guide", "guided by", "choice", "What the pull runs in behind the panel.", "Pull", choices=tuple(GUIDES)),
    Parameter("sleeve_length", "guide's length", "length", "Length of sleeve, rails or strap along the pull.", "Pull", 3, 200),
    Parameter("sleeve_to", "guide to edge", "length", "From the edge of exit to the sleeve, rails or strap.", "Pull", 0, 400),
    Parameter("sleeve_flap", "sleeve's short flap", "length", "Width of the sleeve's last flap, stuck on its long one.", "Pull", 2, 100),
    Parameter("handle", "folded handle", "flag", "Whether a folded strip closes the end of the pull.", "Pull"),
    Parameter("notch_depth", "notch depth", "length", "Depth of the finger notch, from the card's edge.", "Pull", 0, 60),
    Parameter("protrusion", "stands out", "length", "How far the pull stands out of the card at rest; 0 is trimmed flush.", "Pull", -20, 100),
    PANEL_FOAM,
    PANEL_LAYERS,
    *PANEL_BORDERS,
    CUE,
)


@dataclass(frozen=True, slots=True)
class _Places:
    """Along the pull, with the piece down: pocket, slot, neck, piece, sleeve; and the middle line."""

    middle: float
    pocket: tuple[float, float]
    slot: tuple[float, float]
    neck: tuple[float, float]
    piece: tuple[float, float]
    sleeve: tuple[float, float]


def _places(lay: Lay, values: Values) -> _Places:
    pocket = (number(values, "pocket_from"), number(values, "pocket_from") + number(values, "pocket_height"))
    slot_end = pocket[1] - number(values, "slot_below")
    slot = (slot_end - number(values, "slot_length"), slot_end)
    neck = (slot[0] + END_GAP_MM, slot[0] + END_GAP_MM + number(values, "neck_length"))
    top = pocket[1] - number(values, "piece_below")
    sleeve_end = lay.length - number(values, "sleeve_to")
    return _Places(
        number(values, "middle"),
        pocket,
        slot,
        neck,
        (top - number(values, "piece_height"), top),
        (sleeve_end - number(values, "sleeve_length"), sleeve_end),
    )


def size(site: Site, kept: Values) -> Values:
    """A pocket in the lower half; the piece rises by as much as the slot behind the pocket allows."""
    values: Values = {"exit": "up", "cue": "arrow", "guide": "sleeve", **kept}
    lay, grid = lay_of(site, values), site.grid_mm
    border = size_border(site, values, "panel_border")
    values.setdefault("clearance", site.needed_gap_mm)
    c = max(number(values, "clearance"), site.needed_gap_mm) + POLYGON_MM
    keep(values, "middle", lay.breadth / 2)
    first = keep(values, "pocket_from", border + 4.0, grid_mm=grid)
    tall = keep(values, "pocket_height", below(0.46 * lay.length, grid))
    wide = min(0.62 * lay.breadth, lay.breadth - 2 * border - 4.0)
    keep(values, "pocket_width", below(wide, grid))
    keep(values, "front_slot", max(4.0, number(values, "pocket_width") - 2 * 6.0))
    keep(values, "piece_width", max(3.0, below(number(values, "front_slot") - 2 * c, grid)))
    keep(values, "piece_below", 3.0)
    keep(values, "neck_length", 8.0, grid_mm=grid)
    keep(values, "slot_below", 4.0, grid_mm=grid)
    keep(values, "notch_depth", site.ways.fingertip + 2.0, grid_mm=grid)
    keep(values, "protrusion", 0.0)
    keep(values, "sleeve_to", border + number(values, "notch_depth") + 2.0)
    pull = keep(values, "pull_width", min(20.0, max(12.0, lay.breadth * 0.16)), grid_mm=grid)
    keep(values, "slot_width", min(8.0, pull * 0.45), grid_mm=grid)
    keep(values, "wing_width", min(10.0, max(4.0, number(values, "piece_width") / 2 - number(values, "slot_width") / 2 - 1.0)), grid_mm=grid)
    keep(values, "sleeve_flap", max(5.0, pull * 0.4), grid_mm=grid)
    values.setdefault("handle", False)
    room = tall - number(values, "slot_below") - number(values, "neck_length") - 2 * END_GAP_MM - 6.0
    above = lay.length - border - 2.0 - first - tall + number(values, "piece_below") - 2.0
    rise = min(room, above)
    if rise < 12.0 and "rise" not in values:
        raise RECIPE.refuse(site, f"the piece would rise by only {max(rise, 0):.0f} mm")
    keep(values, "rise", below(rise, grid))
    keep(values, "slot_length", number(values, "rise") + number(values, "neck_length") + 2 * END_GAP_MM)
    places = _places(lay, {**values, "piece_height": 10.0, "sleeve_length": 10.0})
    keep(values, "piece_height", below(places.piece[1] - max(first + 3.0, places.neck[0] - 3.0), grid))
    keep(values, "sleeve_length", max(6.0, min(30.0 if values["guide"] == "sleeve" else 66.0, places.sleeve[1] - places.slot[1] - 4.0)), grid_mm=grid)
    if "pull_plies" not in values:
        free = number(values, "rise") + number(values, "notch_depth") + border + 4.0
        values["pull_plies"] = plies_to_push(site, width_mm=pull, length_mm=free)
    more = {"sleeve": SLEEVE_LAYERS, "rails": 1, "strap": 1 + _foot_more(site)}[str(values["guide"])]
    layers = count(values, "pull_plies") + more
    size_foam(site, values, site.stock.caliper_mm * layers + AIR_MM, name="panel_foam", layers="panel_layers")
    return values


def sheets(site: Site, values: Values) -> tuple[Sheet, ...]:
    """A panel on foam; the pull and its sleeve lie in the foam."""
    lay = lay_of(site, values)
    places, half = _places(lay, values), number(values, "pull_width") / 2 + number(values, "clearance") + 8.0
    run = lay.region(rectangle(places.slot[0] - 8.0, places.middle - half, lay.length + 5.0, places.middle + half))
    panel = bordered_sheet(site, values, "panel")
    return (Sheet("panel", panel, str(values["panel_foam"]), count(values, "panel_layers"), (run,)),)


def _notch(lay: Lay, places: _Places, values: Values) -> Any:
    depth = 0.0 if number(values, "protrusion") > 1.0 else number(values, "notch_depth")
    return lay.notch(places.middle, depth, max(4.0, min(depth, number(values, "pull_width") / 2 - 1.0)))


def build(site: Site, mechanism: str, values: Values) -> Piece:
    """Pull and sleeve behind the panel, neck, piece, pads and pocket before it, with the piece down."""
    lay = lay_of(site, values)
    places, stack, t = _places(lay, values), Stack(site, mechanism), site.stock.caliper_mm
    floor, v = site.heights.floor_mm, places.middle
    pull = _add_behind(stack, lay, places, values)
    neck = _add_wings(stack, lay, places, values, pull)
    half = number(values, "piece_width") / 2
    outline = rounded_rectangle(places.piece[0], v - half, max(places.piece[1], places.piece[0] + 1.0), v + half, radius_mm=3.0)
    piece = stack.add("piece", "piece", "decoration", LOW, lay.region(outline), floor + AIR_MM + t, t, face="picture", glides=True)
    stack.glue(piece, neck.id)
    _add_pocket(stack, lay, places, values)
    slot = lay.region(rectangle(places.slot[0], v - number(values, "slot_width") / 2, places.slot[1], v + number(values, "slot_width") / 2))
    middle = (places.neck[0] + places.neck[1]) / 2
    length = number(values, "neck_length") / 2
    first, last = places.slot[0] + length, max(places.slot[1] - length, places.slot[0] + length + 0.1)
    path = Segment(lay.point(first, v), lay.point(last, v), zero_mm=middle - first)
    joint = Joint(
        f"{mechanism}.slide",
        "slide",
        neck.id,
        "card.panel",
        at_a=point_from(neck, lay.point(middle, v)),
        path_b=path,
        ends=("stop", "stop"),
        turn="fixed",
        clearance_mm=sleeve_gap(values),
        guide_mm=max(number(values, "sleeve_length"), 1.0),
    )
    stack.joints.append(joint)
    drive = Drive(mechanism, joint.id, pull.id, "slide", 0.0, number(values, "rise"), 0.0)
    notch = _notch(lay, places, values)
    openings: dict[str, tuple[object, ...]] = {"card.panel": (slot,)}
    if not notch.is_empty:
        openings = {"card.panel": (slot, notch), "card.front": (notch,)}
    cue = straight_cue(
        mechanism,
        values,
        "card.panel",
        lay.point(lay.length - number(values, "panel_border") - 8.0, v + number(values, "pull_width") + 6.0),
        lay.along,
        word="pull",
    )
    m, c = mechanism, number(values, "clearance")
    gaps = (
        *(WantedGap(pull.id, f"{m}.{side}", sleeve_gap(values), "guide") for side in GUIDES[str(values["guide"])]),
        WantedGap(neck.id, "card.panel", max(0.0, c - POLYGON_MM)),
    )
    return Piece(
        tuple(stack.parts),
        tuple(stack.joints),
        (drive,),
        _zones(mechanism, piece, [p for p in stack.parts if ".wing-" in p.id]),
        _needs(site, mechanism, lay, places, values, slot, notch, pull, piece),
        tuple(_handles(mechanism, lay, places, values)),
        gaps,
        (cue,),
        openings,
        seams=tuple(stack.seams),
    )


def sleeve_gap(values: Values) -> float:
    """A sleeve is folded round the pull itself, so it fits closer than what is cut beside it."""
    return number(values, "clearance") / (2 if values["guide"] == "sleeve" else 1)


def _foot_more(site: Site) -> int:
    """How many plies more than the pull the feet of a strap have: the paper of the wings' roots and air."""
    return 1 + math.ceil(AIR_MM / site.stock.caliper_mm)


def _add_behind(stack: Stack, lay: Lay, places: _Places, values: Values) -> Part:
    """The pull, and the sleeve folded round it: its middle stuck to the panel's back, the long flap behind the pull, the short one
    outside on that."""
    t, v, half = stack.site.stock.caliper_mm, places.middle, number(values, "pull_width") / 2
    under, tall = stack.site.heights.under_mm, stack.site.heights.panel_foam_mm or 0.0
    thick = t * count(values, "pull_plies")
    end = max(lay.length + number(values, "protrusion"), places.neck[0] + 1.0)
    start = end - math.ceil((end - places.neck[0] + 3.0) / stack.site.grid_mm - 1e-6) * stack.site.grid_mm
    base = under + max(tall - thick - t - AIR_MM, 0.0)
    trims = () if number(values, "protrusion") else (Trim(_EDGES[lay.exit], stack.site.nice(TRIM_MM), "flush, with the piece fully down"),)
    pull = stack.add(
        "pull",
        "pull",
        "moving",
        UNDER,
        lay.region(rectangle(start, v - half, end, v + half)),
        base,
        thick,
        plies=count(values, "pull_plies"),
        face="strip",
        stands_out=True,
        glides=True,
        trims=trims,
    )
    (_add_sleeve if values["guide"] == "sleeve" else _add_sides)(stack, lay, places, values, pull)
    if values["handle"]:
        _add_handle(stack, lay, places, pull, (end, half))
    return pull


_EDGES: dict[str, Literal["left", "right", "top", "bottom"]] = {"right": "right", "left": "left", "up": "top", "down": "bottom"}


def _add_sleeve(stack: Stack, lay: Lay, places: _Places, values: Values, pull: Part) -> None:
    t, v, gap = stack.site.stock.caliper_mm, places.middle, sleeve_gap(values)
    half, (near, far) = number(values, "pull_width") / 2 + gap, (places.sleeve[0], max(places.sleeve[1], places.sleeve[0] + 1.0))
    note = "folded round the pull, its middle stuck to the panel's back between the scores"
    sleeve = stack.add(
        "sleeve",
        "sleeve",
        "spacer",
        NEAR,
        lay.region(rectangle(near, v - half, far, v + half)),
        stack.site.heights.under_mm + (stack.site.heights.panel_foam_mm or 0.0) - t,
        t,
        face="backing",
        note=note,
        why_off="it fits closely round the pull",
    )
    stack.glue(sleeve, "card.panel")
    long = stack.add(
        "sleeve-long", "sleeve, long flap", "spacer", BEHIND, lay.region(rectangle(near, v - half, far, v + half)), pull.z_mm - t, t, face="backing"
    )
    stack.fold(long, sleeve, lay.point(near, v - half), lay.point(far, v - half), gap_mm=pull.thickness_mm, name="long flap")
    flap = min(number(values, "sleeve_flap"), 2 * half)
    short = stack.add(
        "sleeve-short",
        "sleeve, short flap",
        "spacer",
        BEHIND,
        lay.region(rectangle(near, v + half - flap, far, v + half)),
        long.z_mm - t,
        t,
        face="backing",
    )
    stack.fold(short, sleeve, lay.point(near, v + half), lay.point(far, v + half), gap_mm=pull.thickness_mm, name="short flap", order=2)
    for name, at in (("low", v - half - 2 * t), ("high", v + half)):  # the folds themselves, between which the pull runs
        fold = stack.add(
            f"sleeve-{name}",
            f"sleeve, {'first' if name == 'low' else 'second'} side",
            "spacer",
            UNDER,
            lay.region(rectangle(near, at, far, at + 2 * t)),
            pull.z_mm,
            pull.thickness_mm,
            face="backing",
            quantity=0,
        )
        stack.glue(fold, sleeve.id)


def _add_sides(stack: Stack, lay: Lay, places: _Places, values: Values, pull: Part) -> None:
    """Two rails of foam beside the pull; or two feet of card with a strap on them, behind it."""
    site, v, inner = stack.site, places.middle, number(values, "pull_width") / 2 + sleeve_gap(values)
    (near, far), under = (places.sleeve[0], max(places.sleeve[1], places.sleeve[0] + 1.0)), site.heights.under_mm
    t, back = site.stock.caliper_mm, site.heights.under_mm + (site.heights.panel_foam_mm or 0.0)
    is_strap = values["guide"] == "strap"
    plies = count(values, "pull_plies") + _foot_more(site)
    foam = site.catalog.foams[str(values["panel_foam"])]
    layers = max(1, math.ceil((back - under) / foam.thickness_mm - 1e-9))
    more = {"face": "backing", "plies": plies} if is_strap else {"face": "foam", "stock": foam.id, "plies": layers, "through": (BEHIND, NEAR)}
    z, tall = (back - plies * t, plies * t) if is_strap else (under, back - under)
    wide = site.nice(FOOT_MM)
    for name, low in zip(GUIDES[str(values["guide"])], (v - inner - wide, v + inner), strict=True):
        side = "first" if low < v else "second"
        label = f"strap's {side} foot" if is_strap else f"{side} rail of the pull"
        part = stack.add(name, label, "spacer", UNDER, lay.region(rectangle(near, low, far, low + wide)), z, tall, **more)
        stack.glue(part, "card.panel")
    if is_strap:
        region = lay.region(rectangle(near, v - inner - wide, far, v + inner + wide))
        why = "it goes over the pull with the clearance that is wanted"
        note = "on its two feet only, never on the pull"
        strap = stack.add("strap", "strap", "spacer", BEHIND, region, z - t, t, face="backing", note=note, why_off=why)
        stack.glue(strap, f"{stack.mechanism}.foot-low")


def _add_handle(stack: Stack, lay: Lay, places: _Places, pull: Part, end: tuple[float, float]) -> None:
    """A strip folded over the end of the pull, stuck on both its faces."""
    (at, half), t, v = end, stack.site.stock.caliper_mm, places.middle
    region = lay.region(rectangle(at - stack.site.nice(HANDLE_MM), v - half, at, v + half))
    front = stack.add(
        "handle", "handle", "moving", NEAR, region, pull.top_mm, t, face="strip", stands_out=True, note="folded over the end of the trimmed pull"
    )
    stack.glue(front, pull.id)
    back = stack.add("handle-back", "handle, behind", "moving", BEHIND, region, pull.z_mm - t, t, face="strip", stands_out=True)
    stack.fold(back, front, lay.point(at, v - half), lay.point(at, v + half), gap_mm=pull.thickness_mm, name="over the end")


def _add_wings(stack: Stack, lay: Lay, places: _Places, values: Values, pull: Part) -> Part:
    """The pull's two wings: each folded in over the pull to the slot, and out again in front of the panel. What passes the slot are the
    two folds, the neck."""
    v, t, floor, half = places.middle, stack.site.stock.caliper_mm, stack.site.heights.floor_mm, number(values, "pull_width") / 2
    grid, free = stack.site.grid_mm, max(0.4, number(values, "slot_width") / 2 - number(values, "clearance"))
    neck_half = half - math.ceil((half - min(free, half - 0.5)) / grid - 1e-6) * grid  # so that the roots of the wings are on a mark
    neck_half = neck_half if neck_half >= 0.4 else min(free, half - 0.5)
    low, high = places.neck
    neck = stack.add(
        "neck",
        "neck",
        "moving",
        PANEL,
        lay.region(rectangle(low, v - neck_half, high, v + neck_half)),
        pull.top_mm,
        floor - pull.top_mm + AIR_MM,
        face="strip",
        joins=(pull.id, f"{stack.mechanism}.piece"),
        quantity=0,
    )
    stack.glue(neck, pull.id)
    wide = number(values, "wing_width")
    for name, side in (("first", -1.0), ("second", 1.0)):
        inner, outer, tip = v + side * neck_half, v + side * half, v + side * (neck_half + wide)
        leaf = stack.add(
            f"leaf-{name}",
            f"{name} wing's root",
            "moving",
            NEAR,
            lay.region(rectangle(low, min(inner, outer), high, max(inner, outer))),
            pull.top_mm,
            t,
            face="strip",
        )
        stack.fold(leaf, pull, lay.point(low, outer), lay.point(high, outer), name=f"{name} wing, inwards")
        wing = stack.add(
            f"wing-{name}",
            f"{name} wing",
            "moving",
            BED,
            lay.region(rectangle(low, min(inner, tip), high, max(inner, tip))),
            floor + AIR_MM,
            t,
            face="strip",
        )
        stack.fold(wing, leaf, lay.point(low, inner), lay.point(high, inner), name=f"{name} wing, outwards", order=2)
    return neck


def _add_pocket(stack: Stack, lay: Lay, places: _Places, values: Values) -> None:
    """Four pads at the outer edges of the pocket, and its front."""
    site, v, t = stack.site, places.middle, stack.site.stock.caliper_mm
    need = 2 * (t + AIR_MM)  # a wing, the piece on it, and air on both sides of them
    foam = min((site.catalog.foams[f] for f in FOAMS), key=lambda f: (f.thickness_mm < need - 1e-9, abs(f.thickness_mm - need)))
    half, inner = number(values, "pocket_width") / 2, number(values, "front_slot") / 2
    outer = max(half - 1.0, inner + 1.0)
    tall = (places.pocket[1] - places.pocket[0]) / 4
    for k, (u, side) in enumerate((u, s) for u in (places.pocket[0] + 1.0, places.pocket[1] - 1.0 - tall) for s in (-1.0, 1.0)):
        near, far = sorted((v + side * inner, v + side * outer))
        pad = stack.add(
            f"pad-{k + 1}",
            f"pad {k + 1}",
            "spacer",
            LOW,
            lay.region(rectangle(u, near, u + tall, far)),
            site.heights.floor_mm,
            foam.thickness_mm,
            marks="in",
            stock=foam.id,
            face="foam",
            through=(BED, MID),
        )
        stack.glue(pad, site.heights.floor)
    front = stack.add(
        "pocket",
        "pocket's front",
        "cover",
        HIGH,
        lay.region(rectangle(places.pocket[0], v - half, places.pocket[1], v + half)),
        site.heights.floor_mm + foam.thickness_mm,
        t,
        face="frame",
    )
    stack.glue(front, f"{stack.mechanism}.pad-1")


def _zones(mechanism: str, piece: Part, wings: list[Part]) -> tuple[Zone, ...]:
    return (
        Zone(piece.id, "front", "art", piece.outline, name="piece", at={mechanism: 0.0}),
        *(Zone(piece.id, "back", "glue", seen_from(piece, w.region_at_home).exterior.coords[:-1], to=w.id, name="wing") for w in wings),
    )


def _needs(site: Site, mechanism: str, lay: Lay, places: _Places, values: Values, slot: Any, notch: Any, pull: Part, piece: Part) -> tuple[Need, ...]:
    m, v, rise = mechanism, places.middle, number(values, "rise")
    half = number(values, "piece_width") / 2 - 0.5
    shown = lay.region(rectangle(places.piece[1] - max(rise - number(values, "piece_below") - 0.5, 1.0), v - half, places.piece[1] - 0.2, v + half))
    shown = shapely.intersection(shown, piece.region_at_home)
    grip = lay.region(rectangle(lay.length + number(values, "protrusion") - 40.0, v - 0.5, lay.length + number(values, "protrusion"), v + 0.5))
    panel = bordered_sheet(site, values, "panel")
    sides = tuple(f"{m}.{side}" for side in GUIDES[str(values["guide"])])
    play = 2 * sleeve_gap(values)
    tip = lay.point(places.piece[1], v)
    return (
        Covered(f"{m}.slot", m, "card.panel", slot, (f"{m}.pocket", piece.id), 2.0, "the slot"),
        Shown(f"{m}.rises", m, piece.id, seen_from(piece, shown), "the piece", lap_mm=0.2),
        Land(f"{m}.land", m, "card.panel", slot, panel, LAND_MM, "the slot", () if notch.is_empty else (notch,)),
        Guided(f"{m}.guided", m, pull.id, sides, lay.along, number(values, "pull_width") / 6, play),
        Pushed(f"{m}.pushed", m, pull.id, sides, lay.along, number(values, "pull_width")),
        Reached(f"{m}.reached", m, pull.id, seen_from(pull, grip), ("card.panel", "card.front"), lay.along, site.ways.fingertip),
        Steady(f"{m}.steady", m, piece.id, point_from(piece, tip), "the top of the piece", 5.0),
    )


def _handles(mechanism: str, lay: Lay, places: _Places, values: Values) -> list[Handle]:
    v, half = places.middle, number(values, "pocket_width") / 2

    handle = HandleAlong(mechanism, lay)

    rise, top = number(values, "rise"), places.piece[1]
    return [
        handle("rise", "rise", (top + rise, v), lay.along, 1.0, ((top, v + half + 4), (top + rise, v + half + 4)), 0.0, "mechanism", "travel", "fit"),
        handle(
            "pocket_height",
            "pocket",
            (places.pocket[1], v - half * 0.6),
            lay.along,
            1.0,
            ((places.pocket[0], v - half - 4), (places.pocket[1], v - half - 4)),
            0.0,
        ),
        handle(
            "pocket_width",
            "pocket width",
            (places.pocket[0] + 6, v + half),
            lay.across,
            2.0,
            ((places.pocket[0] + 4, v - half), (places.pocket[0] + 4, v + half)),
            0.0,
        ),
        handle(
            "slot_length", "slot", (places.slot[0], v), (-lay.along[0], -lay.along[1]), 1.0, ((places.slot[0], v + 8), (places.slot[1], v + 8)), 0.0
        ),
        handle(
            "piece_width",
            "piece",
            (top + rise * 0.6, v + number(values, "piece_width") / 2),
            lay.across,
            2.0,
            ((top + rise * 0.6, v - number(values, "piece_width") / 2), (top + rise * 0.6, v + number(values, "piece_width") / 2)),
            0.0,
        ),
    ]


_SHORTER = Lever("Let it rise {by} less", {"rise": -1.0})
LEVERS: dict[str, tuple[Lever, ...]] = {
    "travel": (Lever("Lengthen the slot by {by}", {"slot_length": 1.0}), _SHORTER, Lever("Make the neck {by} shorter", {"neck_length": -1.0})),
    "clearance": (
        Lever("Set the pads {by} further apart", {"front_slot": 1.0}),
        Lever("Make the piece {by} narrower", {"piece_width": -1.0}),
        Lever("Make the pull {by} narrower", {"pull_width": -1.0}),
        Lever("Make the slot {by} wider", {"slot_width": 1.0}),
        Lever("Leave {by} more at the sides", {"clearance": 1.0}),
    ),
    "slot-hidden": (
        Lever("Set the slot {by} deeper under the pocket's top", {"slot_below": 1.0}),
        Lever("Make the pocket {by} higher", {"pocket_height": 1.0, "slot_below": 1.0}),
        Lever("Make the slot {by} shorter", {"slot_length": -1.0, "rise": -1.0}),
        Lever("Make the pocket {by} wider", {"pocket_width": 1.0}),
    ),
    "reveal-rest": (
        Lever("Set the piece {by} deeper", {"piece_below": 1.0}),
        Lever("Make the pocket {by} higher", {"pocket_height": 1.0}),
        Lever("Make the pocket {by} wider", {"pocket_width": 1.0}),
        Lever("Make the piece {by} narrower", {"piece_width": -1.0}),
    ),
    "reveal-end": (
        Lever("Let it rise {by} more, in a longer slot", {"rise": 1.0, "slot_length": 1.0}),
        Lever("Set the piece {by} less deep", {"piece_below": -1.0}),
    ),
    "outline": (
        Lever("Make the piece {by} lower", {"piece_height": -1.0}),
        Lever("Make the pocket {by} narrower", {"pocket_width": -1.0}),
        Lever("Let the pocket begin {by} higher", {"pocket_from": 1.0}),
        Lever("Move the middle line by {by}", {"middle": 1.0}),
        Lever("Move the middle line by {by}", {"middle": -1.0}),
    ),
    "land": (
        Lever("Let the slot end {by} lower", {"slot_below": 1.0}),
        Lever("Make the slot {by} shorter", {"slot_length": -1.0, "rise": -1.0}),
        Lever("Let the pocket begin {by} higher", {"pocket_from": 1.0}),
        Lever("Make the notch {by} shallower", {"notch_depth": -1.0}),
    ),
    "height": (
        Lever("Use {n} more layer(s) of foam under the panel", {"panel_layers": 1.0}),
        Lever("Use {n} ply(plies) less in the pull", {"pull_plies": -1.0}),
    ),
    "jam": (Lever("Make the guide {by} longer", {"sleeve_length": 1.0}), Lever("Make the pull {by} narrower", {"pull_width": -1.0})),
    "wobble": (Lever("Make the guide {by} longer", {"sleeve_length": 1.0}), Lever("Leave {by} less at the sides", {"clearance": -1.0}), _SHORTER),
    "buckling": (
        Lever("Laminate {n} more ply(plies) into the pull", {"pull_plies": 1.0}),
        Lever("Make the pull {by} wider", {"pull_width": 1.0}),
        _SHORTER,
    ),
    "reach": (Lever("Make the notch {by} deeper", {"notch_depth": 1.0}), Lever("Let the pull stand out {by} more", {"protrusion": 1.0})),
    "envelope": (
        Lever("Trim the pull flush", choose={"protrusion": 0.0, "notch_depth": 10.0}),
        Lever("Let the pull stand out {by} less", {"protrusion": -1.0}),
    ),
    "crossing": (_SHORTER, Lever("Make the piece {by} narrower", {"piece_width": -1.0})),
    "cue": CUE_LEVERS,
}

ADVICE = (
    Advice("fold", "Each wing inwards at the inner score, outwards at the outer one.", "pull"),
    Advice("lay", "Pinch the wings, feed them through the slot and let them open in front.", "pull"),
    Advice("glue", "The piece’s top edge on the top edges of its wings; shift it until its slot is just hidden.", "piece"),
    Advice("flap", "Long flap first, the short one outside.", "sleeve"),
)
RECIPE = Recipe(
    "pocket-pull",
    "pocket pull",
    "A piece rises out of a pocket.",
    PARAMETERS,
    size,
    sheets,
    build,
    LEVERS,
    smallest_mm=(48.0, 74.0),
    verbs=("rise", "cover"),
    shaping=("exit", "guide"),
    advice=ADVICE,
)
