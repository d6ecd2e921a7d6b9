"""Pivot arm: pulling a strip swings an arm about a pivot on the panel.

The pull lies on the panel and runs straight: two round discs, glued to it through a slot of the panel, ride in that slot, each
with a larger disc behind, and their distance is the travel's stop. Pull and arm are joined in one of three ways:

* ``slotted-pivot`` (the usual one): the arm is pinned to the pull, and its long slot rides on the fixed pivot;
* ``slotted-arm``: the arm turns on the fixed pivot, and the pull's pin rides in a slot of the arm;
* ``swinging-pull``: the arm turns on the pivot, the pull is pinned to it at a crank radius and leans as it is drawn through a
  loose collar near the card's edge.

A frame in front hides pull and pivot; the arm's picture swings above it.
"""

from __future__ import annotations

import math
from typing import Any

import shapely
import shapely.affinity

from lexipod.assembly import Bound, Caught, Cue, Drive, Driven, Handle, Joint, Land, Need, Part, Reached, Segment, Steady, WantedGap, Zone
from lexipod.assembly.model import Piece
from lexipod.catalog import FILM
from lexipod.geometry.shapes import pill, rectangle, rounded_rectangle
from lexipod.mechanics import least_guide_mm
from lexipod.recipes.kit.collar import POST_MM, add_collar
from lexipod.recipes.kit.cues import CUE, straight_cue
from lexipod.recipes.kit.lay import Lay
from lexipod.recipes.kit.levels import BED, HIGH, LOW, MID, PANEL, UNDER
from lexipod.recipes.kit.parameters import Advice, Asked, Lever, Parameter, Recipe, Site, Values
from lexipod.recipes.kit.pulls import CUE_LEVERS
from lexipod.recipes.kit.sheets import Sheet
from lexipod.recipes.kit.stack import Stack, disc, point_from, seen_from
from lexipod.recipes.kit.swing import SwingLines, is_swinging, lines, pins_for_swing, pull_reach, swing_deg
from lexipod.recipes.kit.usual import (
    AIR_MM,
    BEARING,
    BRAD,
    END_GAP_MM,
    FASTENER_LEVERS,
    FOAM,
    FOAM_LAYERS,
    FRAME_BORDERS,
    HOLE,
    PANEL_BORDERS,
    PANEL_FOAM,
    PANEL_LAYERS,
    PIN_CLEARANCE,
    PIVOT,
    POLYGON_MM,
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

KINDS = ("slotted-pivot", "slotted-arm", "swinging-pull")
MOST_PRESSURE_DEG = 50.0
LAND_MM = 4.0
PILL_GAP_MM = 0.25
GROOVE_MM = 0.05
"""By how much the arm's slot is cut wider, on each side, than the holes that are punched at its ends."""
EAR_MM = 3.0
PILL_LAND_MM = 2.0
"""How far the pull reaches beyond the disc that is glued behind its end."""
JAM_MARGIN = 1.5
"""How much further apart its two discs guide a pull than the drawer rule asks for."""
FAN_STEPS = 12

PARAMETERS = (
    Parameter("drive_joint", "pull and arm", "choice", "How the pull takes the arm along.", "Motion", choices=KINDS),
    Parameter("offset", "pull below pivot", "length", "From the pivot down to the line on which the pull's pin runs.", "Motion", 4, 300),
    Parameter(
        "rest_at",
        "pin at rest",
        "length",
        "Where the pull's pin is at rest: right of the pivot, or left of it with a minus sign.",
        "Motion",
        -300,
        300,
    ),
    Parameter("travel", "travel", "length", "How far the pull is drawn.", "Motion", 1, 400),
    Parameter("crank", "crank radius", "length", "Swinging pull: from the pivot to the pull's pin on the arm.", "Motion", 4, 200),
    Parameter(
        "collar_at",
        "collar from pivot",
        "length",
        "From the pivot to the collar, a strip folded round the pull; a swinging pull leans through it.",
        "Motion",
        10,
        500,
    ),
    Parameter("rest_angle", "crank at rest", "angle", "Swinging pull: angle of the crank at rest, from the line to the collar.", "Motion", 1, 178),
    PIVOT,
    Parameter(
        "arm_length",
        "length of arm",
        "length",
        "From the arm's own pin to the middle of the picture: from the pull's pin for a slotted pivot, else from the pivot.",
        "Arm",
        8,
        400,
    ),
    Parameter("arm_width", "width of arm", "length", "Width of the arm.", "Arm", 4, 100),
    Parameter("arm_stock", "stock of arm", "choice", "Clear film where the arm should not be seen.", "Arm", choices=("card", "acetate")),
    Parameter("picture", "picture", "length", "Diameter of the picture at the arm's tip.", "Arm", 3, 200),
    Parameter("slot_width", "slots", "length", "Width of the slots in arm and panel.", "Slots", 1, 20),
    Parameter("pill", "disc in slot", "length", "Diameter of the two discs that run in the panel's slot.", "Slots", 1, 20),
    Parameter("pill_distance", "between discs", "length", "From middle to middle of the two discs.", "Slots", 2, 200),
    Parameter(
        "slot_length",
        "panel's slot",
        "length",
        "Length of the panel's slot, between its round ends; it stops the pull at both ends.",
        "Slots",
        3,
        500,
    ),
    Parameter("pull_width", "width of pull", "length", "Width of the pull.", "Pull", 4, 100),
    Parameter("pull_plies", "plies of pull", "count", "Plies of the pull.", "Pull", 1, 4),
    Parameter("protrusion", "stands out", "length", "How far the pull stands out of the card at rest; below 0 it stops inside.", "Pull", -30, 200),
    Parameter("notch_depth", "notch depth", "length", "Depth of the finger notch, from the card's edge.", "Pull", 0, 60),
    Parameter("cover_top", "frame hides up to", "length", "From the bottom edge to the upper edge of what the frame hides.", "Layers", 0, 600),
    BRAD,
    HOLE,
    BEARING,
    PIN_CLEARANCE,
    FOAM,
    FOAM_LAYERS,
    *FRAME_BORDERS,
    PANEL_FOAM,
    PANEL_LAYERS,
    *PANEL_BORDERS,
    CUE,
)


SWING = Parameter("swing", "swing of arm", "angle", "How far the arm swings; asked for, pin, travel and stops follow.", "Motion", 5, 160)


def swing_by(site: Site, values: Values, wanted_deg: float) -> Values:
    """Pin, travel and stops for an arm that swings so far, about the middle of the swing that it has; the arm as long as finds room."""
    following = ("travel", "rest_at", "rest_angle", "slot_length", "arm_length", "pill_distance")
    kept = {name: value for name, value in values.items() if name not in following}
    least = brad_of(site, values).head_mm / 2 + number(values, "pull_width") / 2 + 2.0
    return size(site, kept | pins_for_swing(values, wanted_deg, least_offset_mm=least, grid_mm=site.grid_mm))


def size(site: Site, kept: Values) -> Values:
    """A crank that swings by some seventy degrees, in the middle of the left half; the pull leaves at the right edge."""
    values: Values = {"drive_joint": "slotted-pivot", "arm_stock": "card", "pull_plies": 1, "cue": "arrow", **kept}
    card, grid = site.card, site.grid_mm
    border = size_border(site, values, "frame_border", "panel_border", least_mm=7.0)
    size_pin(site, values, brad="mini-3")
    scale = min(card.width_mm / 107.95, card.height_mm / 139.7, 1.6)
    if min(card.width_mm, card.height_mm) < 80.0 and "offset" not in kept and "crank" not in kept:
        raise RECIPE.refuse(site, "pull, pivot and the swing of the arm need more room")
    fine = max(0.72, scale)
    pull = keep(values, "pull_width", max(12.0, 14.0 * scale), grid_mm=grid)
    keep(values, "notch_depth", site.ways.fingertip + 3.0, grid_mm=grid)
    keep(values, "protrusion", -1.0)
    swinging = is_swinging(values)
    head = brad_of(site, values).head_mm / 2
    offset = keep(values, "offset", max(24.0 * fine, head + pull / 2 + 2.0), grid_mm=grid)
    keep(values, "crank", max(18.0 * fine, head + 8.0), grid_mm=grid)
    reach = offset if not swinging else number(values, "crank")
    low = border + pull / 2 + reach + 8.0
    tall = card.height_mm - low - border
    base_y = low + max(0.0, 0.18 * tall)
    x = keep_place(values, "pivot", card.width_mm * 0.37, base_y, grid_mm=grid)[0]
    y = place(values, "pivot")[1]
    keep(values, "rest_at", -14.0 / 24.0 * offset if not swinging else 0.0, grid_mm=grid)
    keep(values, "rest_angle", 120.0)
    keep(values, "collar_at", card.width_mm - x - 14.0, grid_mm=grid)
    keep(
        values,
        "travel",
        below(34.0 / 24.0 * offset if not swinging else pull_reach(values, number(values, "rest_angle")) - pull_reach(values, 55.0), grid),
    )
    _size_arm(site, values, x, y, border)
    _size_slots(site, values)
    keep(values, "cover_top", min(y + max(head, number(values, "arm_width") / 2) + 5.0, card.height_mm - border - 12.0), grid_mm=grid)
    t = site.stock.caliper_mm
    size_foam(site, values, brad_of(site, values).legs_thickness_mm + AIR_MM, name="panel_foam", layers="panel_layers")
    size_foam(site, values, _levels(site, values)[2] + AIR_MM + max(t, AIR_MM + brad_of(site, values).head_thickness_mm))
    return values


def _size_arm(site: Site, values: Values, x: float, y: float, border: float) -> None:
    card, grid = site.card, site.grid_mm
    keep(values, "arm_width", max(number(values, "hole") + 6.0, 10.0), grid_mm=grid)
    span = lines(values)
    picture = keep(values, "picture", min(26.0, max(10.0, 0.2 * min(card.width_mm, card.height_mm))), grid_mm=grid)
    room = []
    for turn, more in zip((span.arm_rest, span.arm_end, span.arm_middle), _arm_behind(values), strict=True):
        cos, sin = math.cos(turn), math.sin(turn)
        side = (
            (card.width_mm - border - 1.0 - picture / 2 - x) / cos if cos > 1e-6 else (x - border - 1.0 - picture / 2) / -cos if cos < -1e-6 else 1e9
        )
        room.append(more + min(side, (card.height_mm - border - 1.0 - picture / 2 - y) / max(sin, 1e-6), 90.0))
    keep(values, "arm_length", below(max(12.0, *_arm_behind(values), min(room)), grid))


def _arm_behind(values: Values) -> tuple[float, float, float]:
    """How much of the arm's length lies between its own pin and the pivot, at rest, end and middle."""
    if values["drive_joint"] != "slotted-pivot":
        return 0.0, 0.0, 0.0
    h, rest, travel = number(values, "offset"), number(values, "rest_at"), number(values, "travel")
    return math.hypot(h, rest), math.hypot(h, rest + travel), math.hypot(h, rest + travel / 2)


def _size_slots(site: Site, values: Values) -> None:
    grid = site.grid_mm
    keep(values, "slot_width", number(values, "hole") + 2.0, grid_mm=grid)
    keep(values, "pill", number(values, "slot_width") - 2 * PILL_GAP_MM)
    keep(values, "pill_distance", max(number(values, "pill") + 6.0, min(20.0, site.card.width_mm * 0.175)), grid_mm=grid)
    play = number(values, "slot_width") - number(values, "pill")
    needed = number(values, "travel") + number(values, "pill_distance") + number(values, "pill") + play + 2 * END_GAP_MM
    keep(values, "slot_length", -below(-needed, grid))


def _fan(values: Values, pivot: tuple[float, float]) -> Any:
    """What arm and picture sweep, from the pivot outwards, with two millimetres round it."""
    span, long, picture = lines(values), number(values, "arm_length"), number(values, "picture")
    swept = []
    for k in range(FAN_STEPS + 1):
        if values["drive_joint"] == "slotted-pivot":
            h, s = number(values, "offset"), number(values, "rest_at") + number(values, "travel") * k / FAN_STEPS
            turn, out = math.atan2(h, -s), long - math.hypot(h, s)
        else:
            turn, out = span.arm_rest + (span.arm_end - span.arm_rest) * k / FAN_STEPS, long
        tip = (pivot[0] + out * math.cos(turn), pivot[1] + out * math.sin(turn))
        swept.append(shapely.LineString([(pivot[0], pivot[1] - 12.0), pivot, tip]).buffer(number(values, "arm_width") / 2 + 3.0, quad_segs=3))
        swept.append(shapely.Point(tip).buffer(picture * 0.72 + 3.0, quad_segs=4))
    return shapely.union_all(swept)


def sheets(site: Site, values: Values) -> tuple[Sheet, ...]:
    """A panel on foam for the brads' legs and the rear discs; a frame whose foam stays outside pull and swing."""
    card, (x, y) = site.card, place(values, "pivot")
    span = lines(values)
    fan = _fan(values, (x, y))
    deepest = y - number(values, "crank") if is_swinging(values) else span.pin[1]
    low = deepest - number(values, "pull_width") / 2 - 8.0
    high = y + 12.0 + (number(values, "pull_width") / 2 + 4.0 if is_swinging(values) else 0.0)
    pull = shapely.box(0.0, low, card.width_mm + 5.0, high)
    panel = bordered_sheet(site, values, "panel")
    frame = bordered_sheet(site, values, "frame")
    return (
        Sheet("panel", panel, str(values["panel_foam"]), count(values, "panel_layers"), (_behind(values),)),
        Sheet("frame", frame, str(values["foam"]), count(values, "foam_layers"), (fan, pull)),
    )


def _behind(values: Values) -> Any:
    """Where rear discs and legs move behind the panel."""
    span, y = lines(values), place(values, "pivot")[1]
    rear = number(values, "pill") / 2 + 6.0
    slot = _slot_ends(values)
    return shapely.box(slot[0] - rear, min(span.pin[1], y) - rear - 4.0, slot[1] + rear, y + 10.0)


def _slot_ends(values: Values) -> tuple[float, float]:
    """The panel's slot, from its left to its right end, so that the designed travel lies in its middle."""
    span, pill_mm = lines(values), number(values, "pill")
    first = span.pin[0] + _pull_start(values) - pill_mm / 2
    last = first + number(values, "travel") + number(values, "pill_distance") + pill_mm
    spare = (number(values, "slot_length") - (last - first)) / 2
    return first - spare, last + spare


def _pull_start(values: Values) -> float:
    """From the pull's pin to its first disc: the pin lies between the two."""
    return -number(values, "pill_distance") / 2


def _window(site: Site, values: Values) -> Any:
    """What the frame leaves open above its lower part, where the arm swings."""
    border, card = number(values, "frame_border"), site.card
    top, side = card.height_mm - border - 6.0, border + 6.0
    low = min(number(values, "cover_top"), top - 4.0)
    return shapely.Polygon(rounded_rectangle(side, low, card.width_mm - side, top, radius_mm=4.0))


def build(site: Site, mechanism: str, values: Values) -> Piece:
    """Pull with its guide, arm, pivot, and the picture at the arm's tip, as they lie at rest."""
    return (_build_swinging if is_swinging(values) else _build_straight)(site, mechanism, values)


def _arm_region(values: Values, span: SwingLines, back: float) -> Any:
    """The arm at rest from ``back`` behind the pivot to its tip, with round ends."""
    (x, y), turn = place(values, "pivot"), span.arm_rest
    cos, sin, half = math.cos(turn), math.sin(turn), number(values, "arm_width") / 2
    tip = _tip_length(values, span) + number(values, "picture") / 2 * 0.4
    start, end = (x - (back + half) * cos, y - (back + half) * sin), (x + tip * cos, y + tip * sin)
    return shapely.Polygon(pill(start, end, width_mm=2 * half))


def _tip_length(values: Values, span: SwingLines) -> float:
    """From the pivot to the middle of the picture at rest."""
    return max(4.0, number(values, "arm_length") - _arm_behind(values)[0])


def _levels(site: Site, values: Values) -> tuple[float, float, float]:
    """Heights over the floor: underside of the pull (the crank brad's legs and the collar's ends lie under it), underside and top of the
    arm."""
    legs = max(brad_of(site, values).legs_thickness_mm, site.stock.caliper_mm + AIR_MM)
    arm = legs + site.stock.caliper_mm * count(values, "pull_plies") + AIR_MM
    return legs, arm, arm + _arm_mm(site, values)


def _arm_mm(site: Site, values: Values) -> float:
    return site.catalog.stocks[FILM].caliper_mm if values["arm_stock"] == "acetate" else site.stock.caliper_mm


def _add_arm(stack: Stack, values: Values, span: SwingLines, region: Any) -> tuple[Part, Part]:
    floor = stack.site.heights.floor_mm
    _, low, top = _levels(stack.site, values)
    more = {"stock": FILM} if values["arm_stock"] == "acetate" else {}
    arm = stack.add("arm", "arm", "moving", MID, region, floor + low, top - low, face="arm", **more)
    (x, y), long = place(values, "pivot"), _tip_length(values, span)
    tip = (x + long * math.cos(span.arm_rest), y + long * math.sin(span.arm_rest))
    picture = stack.add(
        "picture", "picture", "decoration", HIGH, disc(tip, number(values, "picture") / 2), floor + top, stack.site.stock.caliper_mm, face="picture"
    )
    stack.glue(picture, arm.id)
    return arm, picture


def _pivot(stack: Stack, values: Values, to: str) -> Part:
    heights, brad = stack.site.heights, brad_of(stack.site, values)
    _, _, top = _levels(stack.site, values)
    return stack.brad(
        "pivot",
        "pivot brad",
        place(values, "pivot"),
        brad,
        levels=(UNDER, HIGH),
        heights=(heights.floor_mm - stack.site.stock.caliper_mm, heights.floor_mm + top + AIR_MM),
        shank_mm=number(values, "bearing"),
        to=to,
        legs_deg=90.0,
    )


def _crank(stack: Stack, values: Values, pull: Part, pin: tuple[float, float]) -> Part:
    """The brad that joins pull and arm; its legs lie under the pull."""
    floor, (low, _, top) = stack.site.heights.floor_mm, _levels(stack.site, values)
    return stack.brad(
        "crank",
        "crank brad",
        pin,
        brad_of(stack.site, values),
        levels=(BED, HIGH),
        heights=(floor + low, floor + top + AIR_MM),
        shank_mm=number(values, "bearing"),
        to=pull.id,
        glides=True,
    )


def _add_pull(stack: Stack, values: Values, region: Any) -> Part:
    site = stack.site
    return stack.add(
        "pull",
        "pull",
        "moving",
        LOW,
        region,
        site.heights.floor_mm + _levels(site, values)[0],
        site.stock.caliper_mm * count(values, "pull_plies"),
        plies=count(values, "pull_plies"),
        face="strip",
        stands_out=True,
    )


def _build_straight(site: Site, mechanism: str, values: Values) -> Piece:
    stack, span = Stack(site, mechanism), lines(values)
    (x, y), pin = place(values, "pivot"), span.pin
    half = number(values, "pull_width") / 2
    end = site.card.width_mm + number(values, "protrusion")
    behind = max(half, number(values, "pill_distance") / 2 + number(values, "pill") / 2 + PILL_LAND_MM)
    start = end - math.ceil((end - pin[0] + behind) / site.grid_mm - 1e-6) * site.grid_mm
    pull = _add_pull(stack, values, shapely.Polygon(rectangle(start, pin[1] - half, end, pin[1] + half)))
    pills = _add_pills(stack, values, pull, pin)
    add_collar(
        stack,
        (x + number(values, "collar_at"), pin[1]),
        math.ceil(2 * (half + site.needed_gap_mm + 0.5) / site.grid_mm) * site.grid_mm / 2,
        _levels(site, values)[1],
    )
    on_pivot = values["drive_joint"] == "slotted-pivot"
    cos, sin = math.cos(span.arm_rest), math.sin(span.arm_rest)
    nearest, farthest, now = _crank_lengths(values)
    slip, hole, radius = END_GAP_MM + 1.0, number(values, "hole") / 2, number(values, "bearing") / 2
    starts = (nearest - slip - now, farthest + slip - now) if on_pivot else (-farthest - slip, -nearest + slip)
    ends = [(x + d * cos, y + d * sin) for d in starts]
    own = pin if on_pivot else (x, y)
    region = _arm_region(values, span, (now if on_pivot else farthest + slip + hole) + 1.0)
    groove = hole + GROOVE_MM
    back = groove - radius
    cut = [(x + d * cos, y + d * sin) for d in (starts[0] + back, starts[1] - back)]
    arm, picture = _add_arm(stack, values, span, shapely.difference(region, shapely.union(_long_slot(cut[0], cut[1], groove), disc(own, hole))))
    pivot, crank = _pivot(stack, values, site.heights.floor), _crank(stack, values, pull, pin)
    rides, turns_on = (pivot, crank) if on_pivot else (crank, pivot)
    stack.pin("hinge", arm, turns_on, own, clearance_mm=pin_play(values))
    stack.joints.append(
        Joint(
            f"{mechanism}.arm-slot",
            "slot",
            rides.id,
            arm.id,
            at_a=point_from(rides, (x, y) if on_pivot else pin),
            path_b=Segment(point_from(arm, ends[0]), point_from(arm, ends[1])),
            ends=("stop", "stop"),
            clearance_mm=back,
        )
    )
    drive = _guide(stack, values, pull, pills)
    needs = _needs(site, mechanism, values, pull, picture, span)
    needs += (
        Driven(
            f"{mechanism}.driven",
            mechanism,
            f"{mechanism}.slide-1",
            None,
            (x, y),
            "the arm",
            MOST_PRESSURE_DEG,
            f"{mechanism}.hinge" if on_pivot else f"{mechanism}.arm-slot",
        ),
    )
    gaps = (
        WantedGap(arm.id, turns_on.id, pin_gap(values), "hole"),
        WantedGap(arm.id, rides.id, max(0.0, back - 2 * POLYGON_MM), "guide"),
        *(WantedGap(p.id, "card.panel", PILL_GAP_MM - 2 * POLYGON_MM, "guide") for p in pills),
    )
    return _finish(site, stack, values, drive, needs, picture, span, gaps)


def _crank_lengths(values: Values) -> tuple[float, float, float]:
    """Distance of the pull's pin from the pivot: least, greatest, and at rest."""
    h, rest, travel = number(values, "offset"), number(values, "rest_at"), number(values, "travel")
    ends = (math.hypot(h, rest), math.hypot(h, rest + travel))
    return (h if rest < 0 < rest + travel else min(ends)), max(ends), ends[0]


def _long_slot(a: tuple[float, float], b: tuple[float, float], half: float) -> Any:
    """A slot with round ends round the way of a pin's middle: the pin meets the end where its way ends."""
    return shapely.LineString([a, b]).buffer(half, quad_segs=16)


def _add_pills(stack: Stack, values: Values, pull: Part, pin: tuple[float, float]) -> tuple[Part, Part]:
    """Two discs glued to the back of the pull, in the panel's slot, each with a larger disc behind the panel."""
    t, heights = stack.site.stock.caliper_mm, stack.site.heights
    first = pin[0] + _pull_start(values)
    made = []
    for k, x in enumerate((first, first + number(values, "pill_distance"))):
        run = stack.add(
            f"pill-{k + 1}",
            f"disc {k + 1} in the slot",
            "moving",
            PANEL,
            disc((x, pin[1]), number(values, "pill") / 2),
            heights.floor_mm - t - AIR_MM,
            t + AIR_MM + _levels(stack.site, values)[0],
            face="strip",
            joins=(f"{stack.mechanism}.rear-{k + 1}", pull.id),
            through=(BED,),
            why_off="it runs in its slot with little play",
        )
        rear = stack.add(
            f"rear-{k + 1}",
            f"disc {k + 1} behind",
            "moving",
            UNDER,
            disc((x, pin[1]), _rear_radius(stack.site, values)),
            run.z_mm - t,
            t,
            face="strip",
        )
        stack.glue(run, pull.id)
        stack.glue(rear, run.id)
        made.append(run)
    return made[0], made[1]


def _rear_radius(site: Site, values: Values) -> float:
    """Of the discs that hold the pull behind the panel."""
    return site.nice(number(values, "pill") + 7.0) / 2


def _guide(stack: Stack, values: Values, pull: Part, pills: tuple[Part, Part]) -> Drive:
    """Both discs run in the panel's slot; its ends stop the pull."""
    m, y = stack.mechanism, lines(values).pin[1]
    first, last = _slot_ends(values)
    radius = number(values, "pill") / 2
    start, gap = lines(values).pin[0] + _pull_start(values), number(values, "slot_width") / 2 - radius
    for k, part in enumerate(pills):
        x = start + k * number(values, "pill_distance")
        path = Segment((first + radius, y), (max(last - radius, first + radius + 0.1), y), zero_mm=x - first - radius)
        stack.joints.append(
            Joint(
                f"{m}.slide-{k + 1}",
                "slot",
                part.id,
                "card.panel",
                at_a=point_from(part, (x, y)),
                path_b=path,
                ends=("stop", "stop"),
                clearance_mm=gap,
            )
        )
    return Drive(m, f"{m}.slide-1", pull.id, "slide", 0.0, number(values, "travel"), 0.0)


def _build_swinging(site: Site, mechanism: str, values: Values) -> Piece:
    stack, span, m = Stack(site, mechanism), lines(values), mechanism
    (x, y), pin, travel = place(values, "pivot"), span.pin, number(values, "travel")
    collar, half = (x + number(values, "collar_at"), y), number(values, "pull_width") / 2
    reach = math.hypot(collar[0] - pin[0], collar[1] - pin[1])
    gap = _collar_gap(site, values)
    pull = _add_pull(stack, values, _leaning_pull(site, values, span, collar, reach, gap))
    width = number(values, "arm_width")
    lever = shapely.LineString([(x, y), pin]).buffer(width / 2, quad_segs=12)
    holes = shapely.union(disc((x, y), number(values, "hole") / 2), disc(pin, number(values, "hole") / 2))
    arm, picture = _add_arm(stack, values, span, shapely.difference(shapely.union(_arm_region(values, span, 0.0), lever), holes))
    pivot, crank = _pivot(stack, values, site.heights.floor), _crank(stack, values, pull, pin)
    stack.pin("hinge", arm, pivot, (x, y), clearance_mm=pin_play(values))
    stack.pin("crank-pin", arm, crank, pin, clearance_mm=pin_play(values))
    add_collar(stack, collar, half + gap, _levels(site, values)[1])
    u, v = (collar[0] - pin[0]) / reach, (collar[1] - pin[1]) / reach
    far = (pin[0] + u * (reach + 60.0), pin[1] + v * (reach + 60.0))
    stack.joints.append(
        Joint(
            f"{m}.slide",
            "slot",
            "card.panel",
            pull.id,
            at_a=collar,
            path_b=Segment(point_from(pull, far), point_from(pull, pin), zero_mm=60.0),
            clearance_mm=gap,
        )
    )
    drive = Drive(m, f"{m}.slide", pull.id, "slide", 0.0, travel, 0.0)
    needs = _needs(site, m, values, pull, picture, span)
    needs += (Driven(f"{m}.driven", m, f"{m}.crank-pin", f"{m}.slide", (x, y), "the arm", MOST_PRESSURE_DEG),)
    return _finish(site, stack, values, drive, needs, picture, span, tuple(WantedGap(arm.id, p.id, pin_gap(values), "hole") for p in (pivot, crank)))


def _collar_gap(site: Site, values: Values) -> float:
    """Between pull and collar when the pull runs level; a pull that leans takes more of it."""
    lean = math.asin(min(0.9, number(values, "crank") / number(values, "collar_at")))
    return site.needed_gap_mm + 0.1 + (number(values, "pull_width") / 2 + POST_MM + 1.0) * (1 / math.cos(lean) - 1)


def _leaning_pull(site: Site, values: Values, span: SwingLines, collar: tuple[float, float], reach: float, gap: float) -> Any:
    """The pull as it leans at rest, with ears that meet the collar: outside it when pushed back, inside it at full pull."""
    pin, half, travel = span.pin, number(values, "pull_width") / 2, number(values, "travel")
    post = half + gap + POST_MM
    lean = [abs(collar[1] - p[1]) / max(math.hypot(collar[0] - p[0], collar[1] - p[1]), 1e-6) for p in (span.pin, span.pin_end)]
    outside = reach + POST_MM + post * lean[0] + END_GAP_MM
    inside = reach - travel - POST_MM - post * lean[1] - END_GAP_MM
    wide = half + gap + POST_MM
    end = (site.card.width_mm + number(values, "protrusion") - half * lean[0] - pin[0]) * reach / max(collar[0] - pin[0], 1.0)
    flat = shapely.union_all(
        [
            shapely.box(-half, -half, max(end, outside + EAR_MM), half),
            shapely.box(outside, -wide, outside + EAR_MM, wide),
            shapely.box(inside - EAR_MM, -wide, inside, wide),
        ]
    )
    u, v = (collar[0] - pin[0]) / reach, (collar[1] - pin[1]) / reach
    return shapely.affinity.affine_transform(flat, [u, -v, v, u, pin[0], pin[1]])


def _needs(site: Site, mechanism: str, values: Values, pull: Part, picture: Part, span: SwingLines) -> tuple[Need, ...]:
    half, width = number(values, "pull_width") / 2, site.card.width_mm + number(values, "protrusion")
    y = span.pin[1] if not is_swinging(values) else place(values, "pivot")[1]
    grip = seen_from(pull, shapely.box(width - 40.0, y - 0.5, width, y + 0.5))
    where = picture.region.centroid
    needs: tuple[Need, ...] = (
        Reached(f"{mechanism}.reached", mechanism, pull.id, grip, ("card.frame", "card.panel"), (1.0, 0.0), site.ways.fingertip),
        Steady(f"{mechanism}.steady", mechanism, picture.id, (where.x, where.y), "the picture at the tip", 4.0),
    )
    if not is_swinging(values):
        first, last = _slot_ends(values)
        slot = shapely.box(first, y - number(values, "slot_width") / 2, last, y + number(values, "slot_width") / 2)
        panel = bordered_sheet(site, values, "panel")
        notch = _notch(site, values, y, half)
        needs += (Land(f"{mechanism}.land", mechanism, "card.panel", slot, panel, LAND_MM, "the slot", () if notch.is_empty else (notch,)),)
        apart, jams = number(values, "pill_distance"), JAM_MARGIN * least_guide_mm(site.ways.friction, number(values, "pull_width") / 4)
        why = "A pull drawn beside its middle line wedges itself between two discs that are closer."
        rear = (f"{mechanism}.rear-1", f"{mechanism}.rear-2")
        needs += (Bound(f"{mechanism}.guided", mechanism, "jam", (pull.id, *rear), apart, jams, "The pull jams in its slot", why),)
        needs += tuple(Caught(f"{mechanism}.rear-{k}-held", mechanism, f"{mechanism}.rear-{k}", "card.panel", slot, 2.0) for k in (1, 2))
    return needs


def _notch(site: Site, values: Values, y: float, half: float) -> Any:
    depth = 0.0 if number(values, "protrusion") > 1.0 else number(values, "notch_depth")
    return Lay("right", site.card.width_mm, site.card.height_mm).notch(y, depth, max(4.0, min(depth, half - 1.0)))


def _finish(
    site: Site,
    stack: Stack,
    values: Values,
    drive: Drive,
    needs: tuple[Need, ...],
    picture: Part,
    span: SwingLines,
    gaps: tuple[WantedGap, ...],
) -> Piece:
    m, swinging = stack.mechanism, is_swinging(values)
    y = span.pin[1] if not swinging else place(values, "pivot")[1]
    notch, window = _notch(site, values, y, number(values, "pull_width") / 2), _window(site, values)
    panel: tuple[Any, ...] = (disc(place(values, "pivot"), number(values, "hole") / 2),)
    if not swinging:
        first, last = _slot_ends(values)
        half = number(values, "slot_width") / 2
        panel += (_long_slot((first + half, y), (max(last - half, first + half + 0.1), y), half),)
    openings = {"card.frame": (window, notch), "card.panel": (*panel, notch), "card.front": (notch,)}
    zones = (Zone(picture.id, "front", "art", picture.outline, name="picture", at={m: 0.0}),)
    cue: Cue = straight_cue(
        m,
        values,
        "card.frame",
        (site.card.width_mm - number(values, "frame_border") - number(values, "notch_depth") - 10.0, y),
        (1.0, 0.0),
        word="pull",
    )
    return Piece(
        tuple(stack.parts),
        tuple(stack.joints),
        (drive,),
        zones,
        needs,
        tuple(_handles(site, m, values, span)),
        gaps,
        (cue,),
        {k: tuple(r for r in v if not r.is_empty) for k, v in openings.items()},
        seams=tuple(stack.seams),
    )


def _handles(site: Site, mechanism: str, values: Values, span: SwingLines) -> list[Handle]:
    (x, y), long = place(values, "pivot"), _tip_length(values, span)
    tip = (x + long * math.cos(span.arm_rest), y + long * math.sin(span.arm_rest))
    along = (math.cos(span.arm_rest), math.sin(span.arm_rest))
    out = [
        Handle(mechanism, "pivot", "pivot", (x, y), (1.0, 0.0), 1.0, ((0.0, y), (x, y)), 0.0, cross=(0.0, 1.0)),
        Handle(mechanism, "arm_length", "arm", tip, along, 1.0, ((x, y), tip), 8.0),
        Handle(
            mechanism,
            "cover_top",
            "hides up to",
            (site.card.width_mm * 0.82, number(values, "cover_top")),
            (0.0, 1.0),
            1.0,
            ((site.card.width_mm * 0.82, 0.0), (site.card.width_mm * 0.82, number(values, "cover_top"))),
            0.0,
        ),
    ]
    if is_swinging(values):
        c = number(values, "crank")
        spoke = ((span.pin[0] - x) / c, (span.pin[1] - y) / c)
        out.append(Handle(mechanism, "crank", "crank", span.pin, spoke, 1.0, ((x, y), span.pin), -8.0))
    else:
        first, last = _slot_ends(values)
        low = span.pin[1] - number(values, "pull_width") / 2
        out += [
            Handle(mechanism, "offset", "below pivot", span.pin, (0.0, -1.0), 1.0, ((x, span.pin[1]), (x, y)), 0.0),
            Handle(
                mechanism,
                "travel",
                "travel",
                span.pin_end,
                (1.0, 0.0),
                1.0,
                (span.pin, span.pin_end),
                -number(values, "pull_width") / 2 - 4.0,
                ("mechanism", "travel", "fit"),
            ),
            Handle(mechanism, "slot_length", "slot", (last, span.pin[1]), (1.0, 0.0), 2.0, ((first, low), (last, low)), -12.0),
        ]
    return out


_SHORTER = Lever("Make the travel {by} shorter", {"travel": -1.0})
LEVERS: dict[str, tuple[Lever, ...]] = {
    "fastener": FASTENER_LEVERS,
    "travel": (
        Lever("Lengthen the panel's slot by {by}", {"slot_length": 1.0}),
        _SHORTER,
        Lever("Set the discs {by} closer", {"pill_distance": -1.0}),
        Lever("Set the pivot {by} further from the pull", {"offset": 1.0, "pivot.y": 1.0}),
    ),
    "stop": (_SHORTER,),
    "held": (Lever("Make the slots {by} narrower", {"slot_width": -1.0, "pill": -1.0}),),
    "clearance": (
        Lever("Make the slots {by} wider", {"slot_width": 1.0}),
        Lever("Take discs {by} smaller", {"pill": -1.0}),
        Lever("Punch the holes {by} larger", {"hole": 1.0}),
        Lever("Make the arm {by} shorter", {"arm_length": -1.0}),
        Lever("Make the pull {by} narrower", {"pull_width": -1.0}),
        Lever("Set the pivot {by} further from the pull", {"offset": 1.0, "pivot.y": 1.0}),
    ),
    "push": (
        _SHORTER,
        Lever("Set the pivot {by} further from the pull", {"offset": 1.0}),
        Lever("Start {by} nearer to the pivot", {"rest_at": 1.0}),
        Lever("Start {by} further to the left", {"rest_at": -1.0}),
        Lever("Start the crank {by} later", {"rest_angle": 1.0}),
    ),
    "outline": (
        Lever("Make the arm {by} shorter", {"arm_length": -1.0}),
        Lever("Make the picture {by} smaller", {"picture": -1.0}),
        Lever("Move the pivot {by} to the right", {"pivot.x": 1.0}),
        Lever("Move the pivot {by} to the left", {"pivot.x": -1.0}),
        Lever("Move the pivot {by} down", {"pivot.y": -1.0}),
        Lever("Move the pivot {by} up", {"pivot.y": 1.0}),
    ),
    "height": (
        Lever("Use {n} more layer(s) of foam under the frame", {"foam_layers": 1.0}),
        Lever("Use {n} more layer(s) of foam under the panel", {"panel_layers": 1.0}),
        Lever("Use {n} ply(plies) less in the pull", {"pull_plies": -1.0}),
    ),
    "spare-foam": (Lever("Use one layer of foam less under the frame", {"foam_layers": -1.0}),),
    "land": (
        Lever("Move the pivot {by} to the left", {"pivot.x": -1.0}),
        Lever("Move the pivot {by} to the right", {"pivot.x": 1.0}),
        Lever("Shorten the panel's slot by {by}", {"slot_length": -1.0, "travel": -1.0}),
        Lever("Set the discs {by} closer", {"pill_distance": -1.0, "slot_length": -1.0}),
        Lever("Move the pivot {by} up", {"pivot.y": 1.0}),
    ),
    "reach": (Lever("Make the notch {by} deeper", {"notch_depth": 1.0}), Lever("Let the pull stand out {by} more", {"protrusion": 1.0})),
    "envelope": (Lever("Let the pull stand out {by} less", {"protrusion": -1.0}),),
    "wobble": (
        *smaller_holes("holes"),
        Lever("Make the arm {by} shorter", {"arm_length": -1.0}),
        Lever("Set the discs {by} further apart", {"pill_distance": 1.0, "slot_length": 1.0}),
        Lever("Make the slots {by} narrower", {"slot_width": -1.0}),
    ),
    "crossing": (Lever("Make the arm {by} shorter", {"arm_length": -1.0}), _SHORTER),
    "cue": CUE_LEVERS,
}

ADVICE = (
    Advice("glue", "The second disc sets where the motion ends: hold the arm at the wanted height while you glue it.", "pill-2"),
    Advice("glue", "Foam lies only outside of what the arm sweeps.", "picture"),
    Advice("loop", "Loose on the pull before its back is glued.", "collar"),
)
RECIPE = Recipe(
    "pivot-arm",
    "pivot arm",
    "Pulling a strip swings an arm with a picture.",
    PARAMETERS,
    size,
    sheets,
    build,
    LEVERS,
    smallest_mm=(80.0, 80.0),
    verbs=("swing", "rise"),
    shaping=("drive_joint", "arm_stock", "brad"),
    asks=(Asked(SWING, swing_deg, swing_by),),
    advice=ADVICE,
)
