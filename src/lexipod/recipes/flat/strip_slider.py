"""Strip slider: a strip runs behind a frame with a slot and carries a picture in front of it.

Behind the frame the strip lies between two foam rails, on a backing that hides the slot; a foam pad on the strip's middle
line goes through the slot and holds the picture. Pulled out at one edge of the card, it moves the picture and uncovers
what is under it. Pushed back, the strip meets a foam end stop; pulled out, the pad meets the end of the slot.

The trade measures it along the pull (``u``, from the far edge to the edge of exit) and across it (``v``).
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import shapely

from lexipod.assembly import (
    Bound,
    Covered,
    Cue,
    Drive,
    Guided,
    Handle,
    Held,
    Joint,
    Land,
    Need,
    Part,
    Pushed,
    Reached,
    Segment,
    Shown,
    Under,
    WantedGap,
    Zone,
)
from lexipod.assembly.model import Piece
from lexipod.geometry.frames import Array
from lexipod.geometry.shapes import circle, rectangle, rounded_rectangle, split_region
from lexipod.recipes.kit.cues import CUE, straight_cue
from lexipod.recipes.kit.lay import EXITS, Lay
from lexipod.recipes.kit.levels import BED, CROWN, FRAME, HIGH, MID, OVER, PEAK, others
from lexipod.recipes.kit.parameters import Advice, Lever, Parameter, Recipe, Site, Values
from lexipod.recipes.kit.pulls import HandleAlong, lay_of, plies_to_push
from lexipod.recipes.kit.sheets import Sheet, bordered
from lexipod.recipes.kit.stack import Stack, point_from, seen_from
from lexipod.recipes.kit.usual import FRAME_BORDERS
from lexipod.recipes.kit.values import below, count, keep, number, sized_count

END_GAP_MM = 0.6
PLAY_HEIGHT_MM = 0.2
RAIL_INSET_MM = 1.0
SLOT_LAND_MM = 4.0
LEAST_TRAVEL_MM = 10.0

PARAMETERS = (
    Parameter("travel", "travel", "length", "How far the picture moves, from rest to end.", "Motion", 1, 600),
    Parameter("direction", "pull towards", "choice", "The edge of the card at which the strip is pulled out.", "Motion", choices=EXITS),
    Parameter("slot_length", "slot length", "length", "Length of the slot in the frame; the pad meets its end.", "Slot", 2, 600),
    Parameter("slot_height", "slot height", "length", "Height of the slot, across the travel.", "Slot", 2, 200),
    Parameter("slot_from", "slot starts at", "length", "From the far edge of the card to the slot.", "Slot", 0, 600),
    Parameter(
        "slot_place",
        "slot middle at",
        "length",
        "Middle line of slot and strip: from the bottom edge, or from the left edge for a pull up or down.",
        "Slot",
        0,
        600,
    ),
    Parameter("strip_height", "strip height", "length", "Width of the strip across the travel.", "Strip", 3, 300),
    Parameter("strip_length", "strip length", "length", "Length of the strip along the travel.", "Strip", 10, 800),
    Parameter("strip_plies", "strip plies", "count", "Layers of card in the strip; two push back eight times as stiffly.", "Strip", 1, 6),
    Parameter("overlap", "hold behind slot", "length", "How far the strip must reach behind each long edge of the slot.", "Strip", 0.5, 100),
    Parameter("clearance", "side clearance", "length", "Gap wanted between the strip and each rail.", "Strip", 0, 5),
    Parameter("rail_gap", "between rails", "length", "Distance of the two rails, in which the strip runs.", "Rails", 3, 310),
    Parameter("rail_width", "rail width", "length", "Width of each foam rail.", "Rails", 2, 60),
    Parameter("foam", "foam", "choice", "Foam of rails, stop and pad.", "Rails", choices=("foam-1", "foam-1_5", "foam-2", "foam-3")),
    Parameter("foam_layers", "layers under frame", "count", "Layers of foam under the frame.", "Rails", 1, 6),
    Parameter("end_stop", "end stop", "flag", "A foam block that the strip meets when it is pushed back.", "Rails"),
    Parameter("stop_gap", "strip to end stop", "length", "Gap between the strip at rest and its end stop.", "Rails", 0, 200),
    Parameter("pad_length", "pad length", "length", "Length of the pad along the slot.", "Pad", 2, 200),
    Parameter("pad_play", "pad to slot edge", "length", "Gap between the pad and each long edge of the slot.", "Pad", 0, 20),
    Parameter("pad_start", "pad to slot at rest", "length", "Gap between the pad and the slot's far end at rest.", "Pad", 0, 100),
    Parameter("pad_layers", "layers of foam", "count", "Foam layers in the pad.", "Pad", 1, 8),
    Parameter("pad_shims", "plies of card", "count", "Plies of card that top up the pad.", "Pad", 0, 8),
    Parameter("picture_width", "picture width", "length", "Picture that rides on the pad, from left to right as it is seen.", "Picture", 3, 400),
    Parameter("picture_height", "picture height", "length", "Picture that rides on the pad, from bottom to top as it is seen.", "Picture", 3, 400),
    Parameter(
        "picture_shift",
        "picture beside slot",
        "length",
        "How far the middle of the picture stands off the slot's middle line, across the travel.",
        "Picture",
        -200,
        200,
    ),
    Parameter("reveal_width", "reveal along", "length", "What the picture uncovers: its measure along the travel.", "Reveal", 1, 400),
    Parameter("reveal_height", "reveal across", "length", "What the picture uncovers: its measure across the travel.", "Reveal", 1, 400),
    Parameter(
        "reveal_shift",
        "reveal beside slot",
        "length",
        "How far the middle of what is uncovered stands off the slot's middle line.",
        "Reveal",
        -300,
        300,
    ),
    Parameter(
        "pull",
        "pull end",
        "choice",
        "A tab that stands out, a notch in the edge, or a cord through a hole.",
        "Pull",
        choices=("tab", "notch", "cord"),
    ),
    Parameter("protrusion", "stands out", "length", "How far the strip stands out of the card at rest.", "Pull", -20, 200),
    Parameter("notch_depth", "notch depth", "length", "Depth of the finger notch, from the card's edge.", "Pull", 0, 60),
    Parameter("pull_offset", "pull off middle", "length", "How far the pull acts beside the strip's middle line.", "Pull", 0, 100),
    *FRAME_BORDERS,
    Parameter("mat_border", "border of mat", "length", "From the card's left and right edge to the mat; 0 for no mat.", "Layers", 0, 100),
    Parameter("mat_border_y", "above and below", "length", "From the card's top and bottom edge to the mat.", "Layers", 0, 100),
    Parameter("backing_lap", "backing beyond slot", "length", "How far the backing reaches past the slot's ends.", "Layers", 0, 100),
    Parameter("backing_lap_across", "beyond its long edges", "length", "How far the backing reaches past the slot's long edges.", "Layers", 0, 100),
    CUE,
)


@dataclass(frozen=True, slots=True)
class _Places:
    """Where everything lies along and across the pull, at rest."""

    slot: tuple[float, float]
    middle: float
    strip: tuple[float, float]
    pad: tuple[float, float]
    pad_breadth: float
    stop_face: float
    frame: tuple[float, float, float, float]


def _places(lay: Lay, values: Values) -> _Places:
    slot = (number(values, "slot_from"), number(values, "slot_from") + number(values, "slot_length"))
    strip_end = lay.length + number(values, "protrusion")
    strip = (strip_end - number(values, "strip_length"), strip_end)
    pad = (slot[0] + number(values, "pad_start"), slot[0] + number(values, "pad_start") + number(values, "pad_length"))
    ends, sides = _borders(lay, values)
    frame = (ends, sides, max(lay.length - ends, ends + 1), max(lay.breadth - sides, sides + 1))
    breadth = max(1.0, number(values, "slot_height") - 2 * number(values, "pad_play"))
    return _Places(slot, number(values, "slot_place"), strip, pad, breadth, strip[0] - number(values, "stop_gap"), frame)


def _borders(lay: Lay, values: Values) -> tuple[float, float]:
    """The frame's border at the ends of the pull, and at its sides."""
    borders = number(values, "frame_border"), number(values, "frame_border_y")
    return borders if lay.exit in ("right", "left") else (borders[1], borders[0])


# ---- sizing -----------------------------------------------------------------------------------------------------------


def size(site: Site, kept: Values) -> Values:
    """Sizes every parameter that was not decided, for any card on which a travel of 10 mm finds room."""
    direction = str(kept.get("direction", "right"))
    lay = Lay(direction, site.card.width_mm, site.card.height_mm)
    values: Values = {
        "direction": direction,
        "end_stop": True,
        "stop_gap": END_GAP_MM,
        "foam": "foam-2",
        "foam_layers": 1,
        "pull_offset": 0.0,
        "pull": "notch",
        "clearance": site.needed_gap_mm,
        "cue": "arrow",
        **kept,
    }
    _size_layers(lay, site, values)
    _size_run(lay, site, values)
    _size_strip(lay, site, values)
    _size_picture(lay, site, values)
    _size_heights(site, values)
    return values


def _size_layers(lay: Lay, site: Site, values: Values) -> None:
    smaller, grid = min(lay.length, lay.breadth), site.grid_mm
    border = keep(values, "frame_border", min(8.0, max(3.0, smaller * 0.05)), grid_mm=2 * grid)
    border_y = keep(values, "frame_border_y", border)
    mat = keep(values, "mat_border", border / 2, grid_mm=grid)
    keep(values, "mat_border_y", border_y / 2 if mat and border_y != border else mat, grid_mm=grid)
    notch = site.ways.fingertip + 2.0 if values["pull"] == "notch" else 0.0
    keep(values, "notch_depth", notch)
    keep(values, "protrusion", {"tab": site.ways.fingertip + 4.0, "notch": 0.0, "cord": -2.0}[str(values["pull"])], grid_mm=grid)


def _size_run(lay: Lay, site: Site, values: Values) -> None:
    """Travel and slot along the pull: picture and travel share the frame, the slot stops short of the notch."""
    border, grid = _borders(lay, values)[0], site.grid_mm
    pad = keep(values, "pad_length", min(16.0, max(6.0, lay.length * 0.07)), grid_mm=grid)
    start = number(values, "pad_start") if "pad_start" in values else 1.0
    last = min(lay.length - border, lay.length - number(values, "notch_depth")) - SLOT_LAND_MM - 1.0
    first = border + RAIL_INSET_MM + 4.0 + SLOT_LAND_MM
    room = last - first - pad - start - END_GAP_MM - 2 * grid
    wanted = min(0.38 * lay.length, (lay.length - 2 * border - 2.0) / 2, room)
    if "slot_length" in values and "travel" not in values:
        wanted = number(values, "slot_length") - pad - start - END_GAP_MM
    if wanted < LEAST_TRAVEL_MM and "travel" not in values:
        raise RECIPE.refuse(site, f"only {max(wanted, 0.0):.1f} mm of travel find room along the pull, and {LEAST_TRAVEL_MM:g} mm are the least")
    travel = keep(values, "travel", below(wanted, grid))
    slot = keep(values, "slot_length", -below(-(travel + pad + start + END_GAP_MM), grid))
    values.setdefault("pad_start", round(max(0.4, slot - travel - pad - END_GAP_MM), 4))
    keep(values, "slot_from", max(first, min((lay.length - slot) / 2, below(last - slot, grid))), grid_mm=grid)


def _size_strip(lay: Lay, site: Site, values: Values) -> None:
    (border, sides), breadth, grid = _borders(lay, values), lay.breadth, site.grid_mm
    slot_height = keep(values, "slot_height", min(16.0, max(6.0, breadth * 0.1)), grid_mm=grid)
    overlap = keep(values, "overlap", min(10.0, max(4.0, breadth * 0.05)), grid_mm=grid)
    strip = keep(values, "strip_height", slot_height + 2 * overlap)
    gap = keep(values, "rail_gap", strip + 2 * max(number(values, "clearance"), site.needed_gap_mm))
    rail = keep(values, "rail_width", min(8.0, max(3.0, breadth * 0.04)), grid_mm=grid)
    needed = gap + 2 * rail + 2 * sides + 2 * RAIL_INSET_MM
    if needed > breadth:
        raise RECIPE.refuse(site, f"strip and rails need {needed:.1f} mm across the pull")
    half = gap / 2 + rail + sides + RAIL_INSET_MM
    place = -below(-max(half, min(breadth * 0.36, breadth - half)), grid)
    keep(values, "slot_place", place if place + half <= breadth else breadth / 2)
    pad_breadth = below(number(values, "slot_height") - 2 * max(1.0, site.needed_gap_mm), site.grid_mm)
    keep(values, "pad_play", (number(values, "slot_height") - max(pad_breadth, 1.0)) / 2)
    slot_from, slot_length = number(values, "slot_from"), number(values, "slot_length")
    edge = max(border, number(values, "notch_depth"))
    room = min(slot_from - border, lay.length - edge - slot_from - slot_length) - 0.6
    lap = keep(values, "backing_lap", max(2.0, min(max(2.5, overlap), room)))
    keep(values, "backing_lap_across", lap)
    inner_end = border + RAIL_INSET_MM + 4.0 + number(values, "stop_gap")
    keep(values, "strip_length", below(lay.length + number(values, "protrusion") - inner_end, grid))
    if "strip_plies" not in values:
        free = max(5.0, number(values, "protrusion") + border + RAIL_INSET_MM + number(values, "travel"))
        values["strip_plies"] = 1 if values["pull"] == "cord" else plies_to_push(site, width_mm=strip, length_mm=free)


def _size_picture(lay: Lay, site: Site, values: Values) -> None:
    (border, sides), travel, grid = _borders(lay, values), number(values, "travel"), site.grid_mm
    slot_height, place = number(values, "slot_height"), number(values, "slot_place")
    pad_at_rest = number(values, "slot_from") + number(values, "pad_start") + number(values, "pad_length") / 2
    room = 2 * min(pad_at_rest - border - 1.0, lay.length - border - 1.0 - pad_at_rest - travel)
    names = ("picture_width", "picture_height") if lay.exit in ("right", "left") else ("picture_height", "picture_width")
    along = keep(values, names[0], below(max(8.0, min(travel, room)), grid))
    above = lay.breadth - sides - 1.0 - (place + slot_height / 2)
    across = keep(values, names[1], below(max(slot_height + 6.0, slot_height + 6.0 + min(0.24 * lay.breadth, above - 8.0)), grid))
    shift = keep(values, "picture_shift", across / 2 - slot_height / 2 - 3.0)
    low, high = slot_height / 2 + 1.5, shift + across / 2 - 1.5
    if high - low < 3.0:
        low, high = -slot_height / 2, slot_height / 2
    keep(values, "reveal_width", max(3.0, min(along - 3.0, 2 * travel - along - 2.5)))
    tall = keep(values, "reveal_height", high - low)
    keep(values, "reveal_shift", high - tall / 2)


def _size_heights(site: Site, values: Values) -> None:
    """Foam under the frame, then the pad: from the strip through the frame, so that the picture runs free in front."""
    t, foam = site.stock.caliper_mm, site.catalog.foams[str(values["foam"])].thickness_mm
    moving = t * (1 + count(values, "strip_plies")) + PLAY_HEIGHT_MM
    others = site.stand.frame_foam_mm or 0.0 if site.stand is not None else 0.0
    if "foam_layers" not in values:
        values["foam_layers"] = min(6, max(1, math.ceil(max(moving, others) / foam - 1e-9)))
    needed = max(others, count(values, "foam_layers") * foam) - t * count(values, "strip_plies") + PLAY_HEIGHT_MM
    layers = sized_count(values, "pad_layers", min(8, max(1, math.floor((needed + 1e-9) / foam))))
    values.setdefault("pad_shims", max(0, min(8, math.ceil((needed - layers * foam) / t - 1e-9))))


# ---- building ---------------------------------------------------------------------------------------------------------


def build(site: Site, mechanism: str, values: Values) -> Piece:
    """The slider's parts, joints, drive, needs and handles in the card's frame."""
    lay = lay_of(site, values, "direction")
    places = _places(lay, values)
    stack = Stack(site, mechanism)
    _stack_behind_frame(stack, lay, places, values)
    strip = next(p for p in stack.parts if p.id == f"{mechanism}.strip")
    _stack_picture(stack, lay, places, values, strip)
    by_name = {p.id.split(".", 1)[1]: p for p in stack.parts}
    drive = _join(stack, lay, places, values, by_name)
    notch = _notch(lay, places, values)
    openings = {"card.frame": (lay.region(_slot(places, values)), notch), "card.panel": (notch,), "card.front": (notch,)}
    return Piece(
        tuple(stack.parts),
        tuple(stack.joints),
        (drive,),
        _zones(lay, places, values, by_name),
        tuple(_needs(site, lay, places, values, by_name)),
        tuple(_handles(mechanism, lay, places, values)),
        tuple(WantedGap(f"{mechanism}.strip", f"{mechanism}.rail-{side}", number(values, "clearance")) for side in ("low", "high")),
        (_cue(lay, places, values, by_name),),
        openings if not notch.is_empty else {"card.frame": openings["card.frame"][:1]},
    )


def sheets(site: Site, values: Values) -> tuple[Sheet, ...]:
    """A frame in front, with foam along its edges clear of strip and rails; a mat under it where one is wanted."""
    lay = lay_of(site, values, "direction")
    places, card = _places(lay, values), site.card
    half = number(values, "rail_gap") / 2 + number(values, "rail_width") + RAIL_INSET_MM
    run = lay.region(rectangle(-1.0, places.middle - half, lay.length + 1.0, places.middle + half))
    frame = Sheet("frame", lay.region(rectangle(*places.frame)), str(values["foam"]), count(values, "foam_layers"), (run,))
    mat = number(values, "mat_border")
    if mat <= 0:
        return (frame,)
    return frame, Sheet("panel", bordered(card.width_mm, card.height_mm, mat, site.grid_mm, border_y_mm=number(values, "mat_border_y")))


def _notch(lay: Lay, places: _Places, values: Values) -> Any:
    """The finger notch in the card's edge of exit, as a region in the card's frame; empty without one."""
    depth = number(values, "notch_depth") if values["pull"] == "notch" else 0.0
    return lay.notch(places.middle, depth, max(4.0, min(depth + 2.0, number(values, "strip_height") / 2 - 1.0)))


def _slot(places: _Places, values: Values) -> Array:
    half = number(values, "slot_height") / 2
    return rounded_rectangle(places.slot[0], places.middle - half, places.slot[1], places.middle + half, radius_mm=1.0)


def _stack_behind_frame(stack: Stack, lay: Lay, places: _Places, values: Values) -> None:
    """Backing, strip between its rails, and the end stop."""
    site, middle = stack.site, places.middle
    t, foam = site.stock.caliper_mm, site.catalog.foams[str(values["foam"])]
    z, under, tall = site.heights.floor_mm, site.heights.floor, site.heights.frame_foam_mm or 0.0
    layers = max(count(values, "foam_layers"), math.ceil(tall / foam.thickness_mm - 1e-9))
    lap, half_slot = number(values, "backing_lap"), number(values, "slot_height") / 2
    half_backing = half_slot + number(values, "backing_lap_across")
    backing = stack.add(
        "backing",
        "backing",
        "base",
        BED,
        lay.region(rectangle(places.slot[0] - lap, middle - half_backing, places.slot[1] + lap, middle + half_backing)),
        z,
        t,
        face="backing",
    )
    stack.glue(backing, under)
    half, plies = number(values, "strip_height") / 2, count(values, "strip_plies")
    strip_region = lay.region(rectangle(places.strip[0], middle - half, places.strip[1], middle + half))
    if values["pull"] == "cord":
        hole = circle((places.strip[1] - 6.0, middle), radius_mm=1.5)
        strip_region = shapely.difference(strip_region, lay.region(hole))
    note = "A cord runs through the hole; move the picture back by hand." if values["pull"] == "cord" else ""
    stack.add("strip", "strip", "moving", MID, strip_region, z + t, t * plies, plies=plies, face="strip", stands_out=True, note=note)
    gap, rail = number(values, "rail_gap") / 2, number(values, "rail_width")
    left, right = places.frame[0] + RAIL_INSET_MM, max(places.frame[2] - RAIL_INSET_MM, places.frame[0] + RAIL_INSET_MM + 1)
    foam_part = {"stock": foam.id, "plies": layers, "face": "foam", "through": others(MID)}
    for name, label, low in (("rail-low", "lower rail", middle - gap - rail), ("rail-high", "upper rail", middle + gap)):
        if lay.exit in ("up", "down"):
            label = {"lower rail": "left rail", "upper rail": "right rail"}[label]
        part = stack.add(name, label, "spacer", MID, lay.region(rectangle(left, low, right, low + rail)), z, tall, marks="in", **foam_part)
        stack.glue(part, under)
    if values["end_stop"]:
        face = places.stop_face
        far = min(left, face - 2.0)
        far = face - max(site.grid_mm, below(face - max(far, face - 12.0), site.grid_mm))
        stop = stack.add("stop", "end stop", "spacer", MID, lay.region(rectangle(far, middle - half, face, middle + half)), z, tall, **foam_part)
        stack.glue(stop, under)


def _stack_picture(stack: Stack, lay: Lay, places: _Places, values: Values, strip: Part) -> None:
    t, foam = stack.site.stock.caliper_mm, stack.site.catalog.foams[str(values["foam"])]
    half = places.pad_breadth / 2
    tall = count(values, "pad_layers") * foam.thickness_mm + count(values, "pad_shims") * t
    pad = stack.add(
        "pad",
        "pad",
        "moving",
        FRAME,
        lay.region(rounded_rectangle(places.pad[0], places.middle - half, places.pad[1], places.middle + half, radius_mm=0.8)),
        strip.top_mm,
        tall,
        stock=foam.id,
        plies=count(values, "pad_layers"),
        through=(HIGH, PEAK, CROWN),
        joins=(strip.id, f"{stack.mechanism}.picture"),
        face="foam",
        note=f"with {values['pad_shims']} plies of card" if values["pad_shims"] else "",
    )
    along, across = _picture_size(lay, values)
    u, v = (places.pad[0] + places.pad[1]) / 2, places.middle + number(values, "picture_shift")
    picture = stack.add(
        "picture",
        "picture",
        "decoration",
        OVER,
        lay.region(rounded_rectangle(u - along / 2, v - across / 2, u + along / 2, v + across / 2, radius_mm=2.0)),
        pad.top_mm,
        t,
        face="picture",
    )
    stack.glue(pad, strip.id)
    stack.glue(picture, pad.id)


def _picture_size(lay: Lay, values: Values) -> tuple[float, float]:
    width, height = number(values, "picture_width"), number(values, "picture_height")
    return (width, height) if lay.exit in ("right", "left") else (height, width)


def _join(stack: Stack, lay: Lay, places: _Places, values: Values, parts: dict[str, Part]) -> Drive:
    """The strip slides in the frame: the path is that of the pad's middle, its ends are the ends of the slot."""
    m = stack.mechanism
    half = number(values, "pad_length") / 2
    first, last = places.slot[0] + half, max(places.slot[1] - half, places.slot[0] + half + 0.01)
    strip, pad = parts["strip"], parts["pad"]
    u = (places.pad[0] + places.pad[1]) / 2

    path = Segment(lay.point(first, places.middle), lay.point(last, places.middle), zero_mm=u - first)
    stack.joints.append(
        Joint(
            f"{m}.slide",
            "slide",
            pad.id,
            "card.frame",
            at_a=point_from(pad, lay.point(u, places.middle)),
            path_b=path,
            ends=("stop", "stop"),
            turn="fixed",
            clearance_mm=number(values, "clearance"),
            guide_mm=lay.length / 2,
        )
    )
    return Drive(m, f"{m}.slide", strip.id, "slide", 0.0, number(values, "travel"), 0.0)


def _reveal(lay: Lay, places: _Places, values: Values) -> Any:
    along, across = number(values, "reveal_width") / 2, number(values, "reveal_height") / 2
    u, v = (places.pad[0] + places.pad[1]) / 2, places.middle + number(values, "reveal_shift")
    return lay.region(rectangle(u - along, v - across, u + along, v + across))


def _zones(lay: Lay, places: _Places, values: Values, parts: dict[str, Part]) -> tuple[Zone, ...]:
    strip, picture, pad = parts["strip"], parts["picture"], parts["pad"]
    m = strip.mechanism

    def ring(part: Part, region: Any) -> Array:
        return split_region(seen_from(part, region))[0]

    inner = places.strip[1] - max(6.0, number(values, "notch_depth"))
    grip = lay.region(rectangle(inner, places.middle - 4, places.strip[1], places.middle + 4))
    return (
        Zone("card.frame", "front", "art", split_region(_reveal(lay, places, values))[0], name="what is revealed"),
        Zone(picture.id, "front", "art", picture.outline, name="picture", at={m: 0.0}),
        Zone(strip.id, "front", "glue", ring(strip, pad.region_at_home), to=pad.id, name="pad"),
        Zone(strip.id, "front", "grip", ring(strip, grip), name="pull"),
        *_greeting(lay, places, values, strip, ring),
    )


def _greeting(lay: Lay, places: _Places, values: Values, strip: Part, ring: Callable[[Part, Any], Array]) -> tuple[Zone, ...]:
    """The part of the strip that stands out of the card at full pull, where a greeting is read."""
    travel, half = number(values, "travel"), number(values, "strip_height") / 2
    start, end = max(lay.length - travel, places.strip[0]) + 1.0, places.strip[1] - 1.0
    if values["pull"] == "cord" or end - start < 5.0 or half < 3.0:
        return ()
    area = lay.region(rectangle(start, places.middle - half + 1.0, end, places.middle + half - 1.0))
    return (Zone(strip.id, "front", "art", ring(strip, area), name="greeting", at={strip.mechanism: travel}),)


def _cue(lay: Lay, places: _Places, values: Values, parts: dict[str, Part]) -> Cue:
    """Beside the slot on the frame, towards the edge of exit."""
    half = max(number(values, "slot_height") / 2, number(values, "strip_height") / 2)
    v = places.middle - half - 6.0
    if v < places.frame[1] + 5.0:
        v = places.middle + half + 6.0
    return straight_cue(parts["strip"].mechanism, values, "card.frame", lay.point(places.frame[2] - 12.0, v), lay.along, word="pull")


def _needs(site: Site, lay: Lay, places: _Places, values: Values, parts: dict[str, Part]) -> list[Need]:
    strip, frame = parts["strip"], "card.frame"
    m = strip.mechanism
    slot = lay.region(_slot(places, values))
    rails = (f"{m}.rail-low", f"{m}.rail-high")
    notch = _notch(lay, places, values)
    needs: list[Need] = [
        Covered(f"{m}.slot", m, frame, slot, (strip.id, f"{m}.backing"), 2.0, "the slot"),
        Held(f"{m}.hold", m, strip.id, frame, slot, lay.across, number(values, "overlap")),
        Shown(f"{m}.reveal", m, frame, _reveal(lay, places, values), "what is revealed", lap_mm=1.0),
        Land(f"{m}.land", m, frame, slot, lay.region(rectangle(*places.frame)), SLOT_LAND_MM, "the slot", () if notch.is_empty else (notch,)),
        Guided(
            f"{m}.guided",
            m,
            strip.id,
            rails,
            lay.along,
            number(values, "pull_offset") + number(values, "strip_height") / 4,
            number(values, "rail_gap") - number(values, "strip_height"),
        ),
    ]
    if not values["end_stop"]:
        why = "Pushed back, only the pad meets the end of its slot, and foam gives way there; a foam block that the strip meets holds."
        title = "Nothing but the pad stops the strip"
        needs.append(Bound(f"{m}.stopped", m, "stop", (strip.id,), 0.0, 1.0, title, why, unit="", severity="warn"))
    needs += [Under(f"{m}.{name}-under", m, parts[name].id, frame, 0.5) for name in ("rail-low", "rail-high", "stop", "backing") if name in parts]
    if values["pull"] != "cord":
        needs.append(Pushed(f"{m}.pushed", m, strip.id, rails, lay.along, number(values, "strip_height")))
        end = lay.region(rectangle(places.strip[1] - 40, places.middle - 0.5, places.strip[1], places.middle + 0.5))
        needs.append(Reached(f"{m}.reached", m, strip.id, seen_from(strip, end), (frame,), lay.along, site.ways.fingertip))
    return needs


def _handles(mechanism: str, lay: Lay, places: _Places, values: Values) -> list[Handle]:
    """Where decisions are taken hold of; every measure stands clear of the others, where a ruler would lie."""
    middle, half_slot = places.middle, number(values, "slot_height") / 2
    half_strip = number(values, "strip_height") / 2
    u_pad, travel = (places.pad[0] + places.pad[1]) / 2, number(values, "travel")
    along, across = lay.along, lay.across
    picture_along, picture_across = _picture_size(lay, values)
    v_picture = middle + number(values, "picture_shift")
    low = middle - number(values, "rail_gap") / 2 - number(values, "rail_width")

    handle = HandleAlong(mechanism, lay)

    top = v_picture + picture_across / 2
    chain = low - 4.0
    out = [
        handle("travel", "travel", (u_pad + travel, top), along, 1.0, ((u_pad, top), (u_pad + travel, top)), -13.0, "mechanism", "travel", "fit"),
        handle("slot_length", "slot", (places.slot[1], middle), along, 1.0, ((places.slot[0], chain), (places.slot[1], chain)), 0.0),
        handle("slot_from", "to slot", (places.slot[0], middle), along, 1.0, ((0.0, chain), (places.slot[0], chain)), 0.0),
        handle(
            "strip_height",
            "strip",
            (max(2.0, places.strip[0] + 3.0), middle + half_strip),
            across,
            2.0,
            ((-3.0, middle - half_strip), (-3.0, middle + half_strip)),
            0.0,
        ),
        handle(
            "slot_place",
            "slot middle",
            ((places.slot[0] + places.slot[1]) / 2, middle - half_slot),
            across,
            1.0,
            ((lay.length * 0.94, 0.0), (lay.length * 0.94, middle)),
            0.0,
        ),
        handle(
            "protrusion",
            "stands out",
            (places.strip[1], middle + half_strip),
            along,
            1.0,
            ((lay.length, middle + half_strip), (places.strip[1], middle + half_strip)),
            0.0,
        ),
    ]
    upright = lay.exit in ("right", "left")
    out.append(
        handle(
            "picture_width" if upright else "picture_height",
            "picture",
            (u_pad + picture_along / 2, v_picture),
            along,
            2.0,
            ((u_pad - picture_along / 2, top), (u_pad + picture_along / 2, top)),
            -4.0,
        )
    )
    return out


# ---- cures ------------------------------------------------------------------------------------------------------------

_SHORTER_TRAVEL = Lever("Make the travel {by} shorter", {"travel": -1.0})
LEVERS: dict[str, tuple[Lever, ...]] = {
    "travel": (
        Lever("Lengthen the slot by {by}", {"slot_length": 1.0}),
        Lever("Lengthen the slot by {by} towards the far edge", {"slot_length": 1.0, "slot_from": -1.0, "pad_start": 0.0}),
        Lever("Shorten the pad by {by}", {"pad_length": -1.0}),
        _SHORTER_TRAVEL,
        Lever("Cut the strip {by} shorter at its inner end", {"strip_length": -1.0}),
        Lever("Leave {by} more between pad and slot at rest", {"pad_start": 1.0}),
    ),
    "stop": (Lever("Add the end stop", choose={"end_stop": True}),),
    "clearance": (
        Lever("Set the rails {by} further apart", {"rail_gap": 1.0}),
        Lever("Cut the strip {by} narrower", {"strip_height": -1.0}),
        Lever("Cut the pad {by} narrower on each side", {"pad_play": 1.0}),
        Lever("Lengthen the slot by {by}", {"slot_length": 1.0}),
        Lever("Cut the strip {by} shorter at its inner end", {"strip_length": -1.0}),
    ),
    "slot-hidden": (
        Lever("Let the backing reach {by} further past the slot", {"backing_lap": 1.0, "backing_lap_across": 1.0}),
        Lever("Make the slot {by} lower", {"slot_height": -1.0}),
        Lever("Make the slot {by} shorter", {"slot_length": -1.0}),
    ),
    "held": (
        Lever("Cut the strip {by} wider, and the rails as much apart", {"strip_height": 1.0, "rail_gap": 1.0}),
        Lever("Make the slot {by} lower", {"slot_height": -1.0}),
    ),
    "reveal-rest": (
        Lever("Make the picture {by} wider", {"picture_width": 1.0}),
        Lever("Make the picture {by} taller", {"picture_height": 1.0}),
        Lever("Reveal {by} less along the pull", {"reveal_width": -1.0}),
        Lever("Reveal {by} less across the pull", {"reveal_height": -1.0}),
        Lever("Move what is revealed by {by}", {"reveal_shift": -1.0}),
        Lever("Move what is revealed by {by}", {"reveal_shift": 1.0}),
        Lever("Move the picture by {by} across the pull", {"picture_shift": 1.0}),
        Lever("Move the picture by {by} across the pull", {"picture_shift": -1.0}),
        Lever("Fit what is revealed into the picture, {by} less both ways", {"reveal_width": -1.0, "reveal_height": -1.0}),
    ),
    "reveal-end": (
        Lever("Lengthen travel and slot by {by}", {"travel": 1.0, "slot_length": 1.0}),
        Lever("Lengthen the travel by {by}", {"travel": 1.0}),
        Lever("Reveal {by} less along the pull", {"reveal_width": -1.0}),
        Lever("Make the picture {by} narrower", {"picture_width": -1.0}),
        Lever("Make the picture {by} lower", {"picture_height": -1.0}),
        Lever("Reveal {by} less, under a picture {by} narrower", {"picture_width": -1.0, "reveal_width": -1.0}),
        Lever("Reveal {by} less, under a picture {by} lower", {"picture_height": -1.0, "reveal_width": -1.0}),
    ),
    "spacer-shows": (
        Lever("Cut the strip {by} shorter, so that its stop lies further in", {"strip_length": -1.0}),
        Lever("Make the rails {by} narrower", {"rail_width": -1.0}),
        Lever("Move slot and strip by {by}", {"slot_place": 1.0}),
        Lever("Move slot and strip by {by}", {"slot_place": -1.0}),
        Lever("Let the backing reach {by} less past the slot", {"backing_lap": -1.0, "backing_lap_across": -1.0}),
        Lever("Make the frame's border {by} narrower", {"frame_border": -1.0, "frame_border_y": -1.0}),
        Lever("Make the strip {by} narrower, and the rails as much closer", {"strip_height": -1.0, "rail_gap": -1.0}),
        Lever("Start the slot {by} further from the far edge", {"slot_from": 1.0}),
        Lever("Start the slot {by} nearer to the far edge", {"slot_from": -1.0}),
    ),
    "land": (
        Lever("Start the slot {by} nearer to the far edge", {"slot_from": -1.0}),
        Lever("Start the slot {by} further from the far edge", {"slot_from": 1.0}),
        Lever("Move slot and strip by {by}", {"slot_place": 1.0}),
        Lever("Move slot and strip by {by}", {"slot_place": -1.0}),
        Lever("Shorten slot and travel by {by}", {"slot_length": -1.0, "travel": -1.0}),
        Lever("Make the slot {by} shorter", {"slot_length": -1.0}),
        Lever("Make the notch {by} shallower", {"notch_depth": -1.0}),
        Lever("Make the slot {by} lower", {"slot_height": -1.0}),
    ),
    "height": (
        Lever("Use {n} more layer(s) of foam under the frame", {"foam_layers": 1.0}),
        Lever("Use {n} more layer(s) of foam under frame and pad", {"foam_layers": 1.0, "pad_layers": 1.0}),
        Lever("Use one ply less in the strip", {"strip_plies": -1.0}),
        Lever("Top the pad up with {n} ply(plies) of card", {"pad_shims": 1.0}),
        Lever("Use {n} more layer(s) of foam in the pad", {"pad_layers": 1.0}),
    ),
    "spare-foam": (Lever("Use one layer of foam less under frame and pad", {"foam_layers": -1.0, "pad_layers": -1.0}),),
    "outline": (
        Lever("Make the picture {by} narrower", {"picture_width": -1.0}),
        Lever("Make the picture {by} lower", {"picture_height": -1.0}),
        Lever("Move the picture by {by} across the pull", {"picture_shift": 1.0}),
        Lever("Move the picture by {by} across the pull", {"picture_shift": -1.0}),
        Lever("Start the slot {by} further from the far edge", {"slot_from": 1.0}),
        Lever("Start the slot {by} nearer to the far edge", {"slot_from": -1.0}),
        Lever("Move slot and strip by {by}", {"slot_place": 1.0}),
        Lever("Move slot and strip by {by}", {"slot_place": -1.0}),
        Lever("Make the rails {by} narrower", {"rail_width": -1.0}),
        Lever("Let the backing reach {by} less past the slot", {"backing_lap": -1.0, "backing_lap_across": -1.0}),
        Lever("Cut the strip {by} shorter, so that its stop lies further in", {"strip_length": -1.0}),
        Lever("Make the strip {by} narrower, and the rails as much closer", {"strip_height": -1.0, "rail_gap": -1.0}),
    ),
    "envelope": (
        Lever("Pull at a notch instead of a tab", choose={"pull": "notch", "protrusion": 0.0, "notch_depth": 10.0}),
        Lever("Let the strip stand out {by} less", {"protrusion": -1.0, "strip_length": -1.0}),
        Lever("Make the frame's border {by} wider", {"frame_border": 1.0, "frame_border_y": 1.0}),
    ),
    "jam": (
        Lever("Make travel, slot and picture {by} shorter", {"travel": -1.0, "slot_length": -1.0}),
        _SHORTER_TRAVEL,
        Lever("Pull {by} nearer to the middle line", {"pull_offset": -1.0}),
        Lever("Cut the strip {by} longer at its inner end", {"strip_length": 1.0}),
        Lever("Make the frame's border {by} narrower", {"frame_border": -1.0, "frame_border_y": -1.0}),
    ),
    "buckling": (
        Lever("Laminate {n} more ply(plies) into the strip", {"strip_plies": 1.0}),
        Lever("Let the strip stand out {by} less", {"protrusion": -1.0, "strip_length": -1.0}),
        _SHORTER_TRAVEL,
    ),
    "reach": (
        Lever("Make the notch {by} deeper", {"notch_depth": 1.0}),
        Lever("Let the strip stand out {by} more", {"protrusion": 1.0, "strip_length": 1.0}),
        Lever("Cut a finger notch", choose={"pull": "notch", "protrusion": 0.0, "notch_depth": 10.0}),
    ),
    "wobble": (
        Lever("Set the rails {by} closer", {"rail_gap": -1.0}),
        Lever("Cut the strip {by} wider", {"strip_height": 1.0}),
    ),
}

ADVICE = (
    Advice("glue", "Hidden picture firmly down where it will be uncovered, or the strip lifts it.", "backing"),
    Advice("lay", "It must not drop out when the card is held upright.", "strip"),
    Advice("foam", "Centre it on the strip through the slot; only on the strip.", "pad"),
)
RECIPE = Recipe(
    "strip-slider",
    "strip slider",
    "A picture slides along a slot and uncovers what is under it.",
    PARAMETERS,
    size,
    sheets,
    build,
    LEVERS,
    smallest_mm=(62.0, 48.0),
    verbs=("slide", "cover"),
    shaping=("direction", "pull"),
    advice=ADVICE,
)
