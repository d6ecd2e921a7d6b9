"""Dial with two riders: turning a dial parts the two halves of a picture, or brings them together.

The dial turns on a brad on the panel and carries two links, one on each side of the pivot; each link takes a rider along in a
slot of the frame. A rider is a washer behind and one before the frame on two brads, so that it cannot turn; its half of the
picture lies in front. An in-line slider-crank on each side. The slots stand upright over and under the pivot; the dial's rim is
reached at the card's right edge.
"""

from __future__ import annotations

import math
from typing import Any

import shapely

from lexipod.assembly import Caught, Drive, Driven, Grasped, Handle, Joint, Land, Need, Part, Segment, Shown, Steady, WantedGap, Zone
from lexipod.assembly.model import Piece
from lexipod.geometry.shapes import pill, rectangle, rounded_rectangle
from lexipod.recipes.kit.cues import CUE, round_cue
from lexipod.recipes.kit.lay import Lay
from lexipod.recipes.kit.levels import BED, CREST, HIGH, LOW, MID, OVER, PEAK, SUMMIT, TOP, UNDER
from lexipod.recipes.kit.parameters import Advice, Lever, Parameter, Recipe, Site, Values
from lexipod.recipes.kit.pulls import CUE_LEVERS
from lexipod.recipes.kit.sheets import Sheet
from lexipod.recipes.kit.stack import LEG_MM, Stack, disc, on_marks, point_from
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

LAND_MM = 4.0
MOST_PRESSURE_DEG = 45.0
EDGE_MM = 1.0
SIDES = (("upper", 1.0), ("lower", -1.0))
GLIDE_MM = 6.0

PARAMETERS = (
    Parameter("crank", "crank radius", "length", "From the dial's pivot to the pins of the links.", "Dial", 3, 200),
    Parameter("link", "link", "length", "From pin to pin of a link; longer than the crank radius.", "Dial", 5, 300),
    Parameter("from_angle", "apart at", "angle", "Angle of the cranks from the slots' line when the halves are apart.", "Dial", 1, 179),
    Parameter("to_angle", "together at", "angle", "Angle of the cranks from the slots' line when the halves are together.", "Dial", 1, 179),
    Parameter("dial_radius", "dial radius", "length", "Half the dial's diameter.", "Dial", 5, 300),
    Parameter("dial_plies", "plies of dial", "count", "Plies of card in the dial.", "Dial", 1, 4),
    Parameter("link_plies", "plies of links", "count", "Plies of card in each link.", "Dial", 1, 4),
    Parameter("reach", "notch depth", "length", "How far the notch opens card and frame over the dial's rim.", "Dial", 0, 60),
    PIVOT,
    BRAD,
    HOLE,
    BEARING,
    PIN_CLEARANCE,
    Parameter("link_width", "width of link", "length", "Width of a link.", "Riders", 3, 60),
    Parameter("slot_width", "slot width", "length", "Width of the two slots in the frame.", "Riders", 1, 20),
    Parameter("slot_gap", "brads to slot", "length", "Gap wanted between the riders' brads and the slots' edges.", "Riders", 0, 4),
    Parameter("pin_distance", "between brads", "length", "From middle to middle of the two brads of a rider.", "Riders", 3, 100),
    Parameter("washer_width", "washers", "length", "Width of the washers before and behind the frame.", "Riders", 4, 100),
    Parameter("picture_width", "picture width", "length", "Width of the picture that parts.", "Picture", 5, 300),
    Parameter("picture_height", "picture height", "length", "Height of the whole picture when it is together.", "Picture", 5, 300),
    Parameter("lap", "halves lap", "length", "How far the upper half laps the lower one when they are together.", "Picture", 0, 20),
    Parameter("reveal_width", "reveal width", "length", "What the halves uncover: its width.", "Picture", 1, 300),
    Parameter("reveal_height", "reveal height", "length", "What the halves uncover: its height.", "Picture", 1, 300),
    FOAM,
    FOAM_LAYERS,
    *FRAME_BORDERS,
    PANEL_FOAM,
    PANEL_LAYERS,
    *PANEL_BORDERS,
    CUE,
)


def rider_at(values: Values, angle_deg: float) -> float:
    """How far a rider's inner brad is from the pivot: the in-line slider-crank's closed form; NaN past its dead point."""
    r, long, turn = number(values, "crank"), number(values, "link"), math.radians(angle_deg)
    square = long**2 - (r * math.sin(turn)) ** 2
    return r * math.cos(turn) + math.sqrt(square) if square >= 0 else math.nan


def home_angle(values: Values) -> float:
    """The angle at which it is laid down: together, or a little before the dead point of links that are too short for that."""
    r, long, together = number(values, "crank"), number(values, "link"), number(values, "to_angle")
    if r <= long:
        return together
    return min(together, math.degrees(math.asin(long / r)) * 0.9)


def _ways(values: Values) -> tuple[float, float, float]:
    """Distance of the inner brad when together and when apart, and the greater of the two."""
    together, apart = (rider_at(values, number(values, n)) for n in ("to_angle", "from_angle"))
    long = number(values, "link")
    together, apart = (v if math.isfinite(v) else long for v in (together, apart))
    return together, apart, max(together, apart)


def size(site: Site, kept: Values) -> Values:
    """As large as the card is high: both riders must find room at their outer ends."""
    values: Values = {"cue": "arrow", "dial_plies": 1, "link_plies": 1, **kept}
    card, grid = site.card, site.grid_mm
    border = size_border(site, values, "frame_border", "panel_border", least_mm=9.0 if card.width_mm > 95 else 11.0)
    size_pin(site, values, brad="mini-3")
    head = brad_of(site, values).head_mm
    keep(values, "from_angle", 25.0)
    keep(values, "to_angle", 110.0)
    keep(values, "washer_width", max(head + 6.0, 10.0), grid_mm=grid)
    keep(values, "pin_distance", 8.0, grid_mm=grid)
    outer = number(values, "pin_distance") + number(values, "hole") + 4.0
    room = card.height_mm / 2 - border - outer - LAND_MM - 1.0
    at_default = 15.0 * math.cos(math.radians(25)) + math.sqrt(34.0**2 - (15.0 * math.sin(math.radians(25))) ** 2)
    scale = min(room / at_default, (card.width_mm / 2 - 12.0) / 32.0, 1.5)
    if scale < 0.6 and not {"crank", "link"} & set(kept):
        raise RECIPE.refuse(site, "dial, links and slots need more room along the slots")
    keep(values, "crank", below(15.0 * scale, grid))
    keep(values, "link", max(34.0 / 15.0 * number(values, "crank"), number(values, "crank") + 4.0), grid_mm=grid)
    keep(values, "link_width", max(head + 3.0, 6.0), grid_mm=grid)
    keep(values, "slot_gap", 0.25)
    keep(values, "slot_width", number(values, "bearing") + 2 * number(values, "slot_gap"))
    together, apart, _ = _ways(values)
    radius = keep(values, "dial_radius", below(min(card.width_mm / 2 - EDGE_MM, max(number(values, "crank") + 9.0, 55.0)), grid), grid_mm=grid)
    keep_place(values, "pivot", card.width_mm - EDGE_MM - radius, card.height_mm / 2)
    keep(values, "reach", EDGE_MM + site.ways.fingertip + 1.0, grid_mm=grid)
    gap = together - number(values, "washer_width") / 2
    x = place(values, "pivot")[0]
    wide = keep(
        values, "picture_width", below(max(8.0, min(2 * (x - border) - 4.0, 2 * (card.width_mm - border - 13.0 - x), 60.0 * max(scale, 0.8))), grid)
    )
    tall = keep(
        values,
        "picture_height",
        below(
            2
            * min(
                gap + number(values, "washer_width") + number(values, "pin_distance") + 4.0, card.height_mm / 2 - border - (apart - together) - 2.0
            ),
            grid,
        ),
    )
    keep(values, "lap", 1.0)
    keep(values, "reveal_width", max(2.0, wide - 4.0))
    keep(values, "reveal_height", max(2.0, min(2 * (apart - together) - 4.0, tall - 4.0)))
    size_foam(site, values, brad_of(site, values).legs_thickness_mm + AIR_MM, name="panel_foam", layers="panel_layers")
    size_foam(site, values, _heights(site, values)["frame"])
    return values


def _heights(site: Site, values: Values) -> dict[str, float]:
    """Heights over the floor of everything behind the frame, and of what the frame must clear."""
    t, brad = site.stock.caliper_mm, brad_of(site, values)
    legs, head = brad.legs_thickness_mm, brad.head_thickness_mm
    dial, over_dial = legs, legs + t * count(values, "dial_plies") + AIR_MM
    link = over_dial + legs
    over = link + t * count(values, "link_plies") + AIR_MM
    return {
        "dial": dial,
        "pivot_head": over_dial,
        "rider_legs": over_dial,
        "link": link,
        "pin_head": over,
        "washer": over,
        "frame": max(over + head, over + t, over_dial + head) + AIR_MM,
    }


def sheets(site: Site, values: Values) -> tuple[Sheet, ...]:
    """A panel on foam for the pivot's legs; a frame whose foam stays outside dial and riders."""
    x, y = place(values, "pivot")
    swept = [disc((x, y), number(values, "dial_radius") + 1.0)]
    far = _ways(values)[2] + number(values, "pin_distance") + number(values, "washer_width") / 2 + 2.0
    half = max(number(values, "washer_width") / 2, LEG_MM) + 2.0
    swept.append(shapely.box(x - half, y - far, x + half, y + far))
    panel = bordered_sheet(site, values, "panel")
    frame = bordered_sheet(site, values, "frame")
    return (
        Sheet("panel", panel, str(values["panel_foam"]), count(values, "panel_layers"), (disc((x, y), 9.0),)),
        Sheet("frame", frame, str(values["foam"]), count(values, "foam_layers"), tuple(swept)),
    )


def _pin_at(values: Values, sign: float) -> tuple[float, float]:
    """Where a link is pinned to the dial when the halves are together."""
    (x, y), r, turn = place(values, "pivot"), number(values, "crank"), math.radians(home_angle(values))
    return x + sign * r * math.sin(turn), y + sign * r * math.cos(turn)


def build(site: Site, mechanism: str, values: Values) -> Piece:
    """Dial, links and riders as they lie with the halves together."""
    stack, t, z = Stack(site, mechanism), site.stock.caliper_mm, _heights(site, values)
    pivot, floor, brad = place(values, "pivot"), site.heights.floor_mm, brad_of(site, values)
    hole = number(values, "hole") / 2
    dial = stack.add(
        "dial",
        "dial",
        "moving",
        LOW,
        shapely.difference(disc(pivot, number(values, "dial_radius")), disc(pivot, hole)),
        floor + z["dial"],
        t * count(values, "dial_plies"),
        plies=count(values, "dial_plies"),
        face="wheel",
    )
    shank = stack.brad(
        "pivot",
        "pivot brad",
        pivot,
        brad,
        levels=(UNDER, MID),
        heights=(floor - t, floor + z["pivot_head"]),
        shank_mm=number(values, "bearing"),
        to=site.heights.floor,
        legs_deg=90.0,
    )
    pin = stack.pin("turn", dial, shank, pivot, clearance_mm=pin_play(values))
    gaps = [WantedGap(dial.id, shank.id, pin_gap(values), "hole")]
    pictures = [_add_side(stack, values, z, dial, name, sign, gaps) for name, sign in SIDES]
    turn = number(values, "to_angle") - number(values, "from_angle")
    drive = Drive(mechanism, pin.id, dial.id, "turn", 0.0, turn, number(values, "to_angle") - home_angle(values))
    notch, slots = _notch(site, values), [slot for _, sign in SIDES for slot in (_slot(values, sign),)]
    openings = {"card.frame": (*slots, notch), "card.front": (notch,), "card.panel": (notch, disc(pivot, hole))}
    cue_x = min(pivot[0] + number(values, "picture_width") / 2 + 6.5, site.card.width_mm - number(values, "frame_border") - 5.0)
    at = (cue_x, pivot[1] - max(6.0, number(values, "reach")) - 7.0)
    cue = round_cue(mechanism, values, "card.frame", at, pivot, clockwise=turn < 0, word="turn")
    zones = tuple(
        Zone(p.id, "front", "art", p.outline, name=f"{name} half", at={mechanism: 0.0}) for p, (name, _) in zip(pictures, SIDES, strict=True)
    )
    return Piece(
        tuple(stack.parts),
        tuple(stack.joints),
        (drive,),
        zones,
        _needs(site, mechanism, values, pictures, slots, notch),
        tuple(_handles(site, mechanism, values)),
        tuple(gaps),
        (cue,),
        openings,
    )


def _slot(values: Values, sign: float) -> Any:
    """One slot for both brads of a rider; its round ends stop the inner brad inwards and the outer one outwards."""
    (x, y), half, r = place(values, "pivot"), number(values, "slot_width") / 2, number(values, "bearing") / 2
    low, high = _slot_way(values)
    back = max(half - r, 0.0)
    ends = [(x, y + sign * s) for s in (low + back, max(high - back, low + back + 0.1))]
    return shapely.LineString(ends).buffer(half, quad_segs=16)


def _slot_way(values: Values) -> tuple[float, float]:
    """The way of the brads' middles, from the pivot outwards: slot length = travel + distance of the brads + a little to spare."""
    together, apart, _ = _ways(values)
    low, high = sorted((together, apart))
    return low - END_GAP_MM, high + number(values, "pin_distance") + END_GAP_MM


def _add_side(stack: Stack, values: Values, z: dict[str, float], dial: Part, name: str, sign: float, gaps: list[WantedGap]) -> Part:
    """Link, rider and half of the picture on one side of the pivot."""
    m, t, floor, heights = stack.mechanism, stack.site.stock.caliper_mm, stack.site.heights.floor_mm, stack.site.heights
    (x, y), brad, bearing = place(values, "pivot"), brad_of(stack.site, values), number(values, "bearing")
    pin, d = _pin_at(values, sign), number(values, "pin_distance")
    inner = (x, y + sign * rider_at(values, home_angle(values)))
    outer = (x, inner[1] + sign * d)
    crank = stack.brad(
        f"crank-{name}",
        f"{name} link's brad",
        pin,
        brad,
        levels=(BED, PEAK),
        heights=(floor + z["dial"], floor + z["pin_head"]),
        shank_mm=bearing,
        to=dial.id,
        glides=True,
        legs_deg=45.0,
    )
    half = number(values, "link_width") / 2
    line = shapely.LineString([pin, inner]).buffer(half, quad_segs=12)
    hole = number(values, "hole") / 2
    link = stack.add(
        f"link-{name}",
        f"{name} link",
        "moving",
        HIGH,
        shapely.difference(line, shapely.union(disc(pin, hole), disc(inner, hole))),
        floor + z["link"],
        t * count(values, "link_plies"),
        plies=count(values, "link_plies"),
        face="arm",
    )
    width = number(values, "washer_width") / 2
    body = shapely.Polygon(pill((x, inner[1] - sign * width), (x, outer[1] + sign * width), width_mm=2 * width))
    rear = stack.add(f"rear-{name}", f"{name} rider behind", "moving", PEAK, body, floor + z["washer"], t, face="strip")
    front = stack.add(f"front-{name}", f"{name} rider before", "moving", OVER, body, heights.face_mm + AIR_MM, t, face="strip")
    shanks = []
    for k, (at, low, level) in enumerate(((inner, z["rider_legs"] + brad.legs_thickness_mm, MID), (outer, z["washer"], HIGH))):
        shanks.append(
            stack.brad(
                f"rider-{name}-{k + 1}",
                f"{name} rider's brad {k + 1}",
                at,
                brad,
                levels=(level, TOP),
                heights=(floor + low, front.top_mm),
                shank_mm=bearing,
                to=rear.id,
                glides=True,
                legs_deg=0.0 if k else 90.0,
            )
        )
    stack.glue(front, rear.id)
    stack.pin(f"crank-pin-{name}", link, crank, pin, clearance_mm=pin_play(values))
    stack.pin(f"rider-pin-{name}", link, shanks[0], inner, clearance_mm=pin_play(values))
    low, high = _slot_way(values)
    gap = max(0.0, number(values, "slot_width") / 2 - bearing / 2)
    for k, (shank, at) in enumerate(zip(shanks, (inner, outer), strict=True)):
        path = Segment((x, y + sign * low), (x, y + sign * high), zero_mm=abs(at[1] - y) - low)
        stack.joints.append(
            Joint(
                f"{m}.slot-{name}-{k + 1}",
                "slot",
                shank.id,
                "card.frame",
                at_a=point_from(shank, at),
                path_b=path,
                ends=("stop", "stop"),
                clearance_mm=gap,
            )
        )
        gaps.append(WantedGap(shank.id, "card.frame", max(0.0, number(values, "slot_gap") - 2 * POLYGON_MM), "guide"))
    gaps += [WantedGap(link.id, shank.id, pin_gap(values), "hole") for shank in (crank, shanks[0])]
    return _add_picture(stack, values, front, name, sign)


def _add_picture(stack: Stack, values: Values, front: Part, name: str, sign: float) -> Part:
    """Half of the picture on a pad that clears the brads' heads; the upper half laps the lower one."""
    t, (x, y) = stack.site.stock.caliper_mm, place(values, "pivot")
    half, grid = number(values, "picture_width") / 2, stack.site.grid_mm
    tall, lap = below(number(values, "picture_height") / 2, grid), number(values, "lap")
    y += sign * (rider_at(values, home_angle(values)) - _ways(values)[0])
    low, high = (y, y + tall) if sign > 0 else (y - tall, y + lap)
    foam = stack.site.catalog.foams["foam-1_5" if brad_of(stack.site, values).head_thickness_mm > 0.9 else "foam-1"]
    edge = number(values, "washer_width") / 2
    bx0, by0, bx1, by1 = front.region_at_home.bounds
    core = on_marks(shapely.box(bx0 + 0.2, by0 + 0.2, bx1 - 0.2, by1 - 0.2), stack.site.grid_mm, outwards=False)
    heads = shapely.union_all([disc((x, cy), brad_of(stack.site, values).head_mm / 2 + 0.4) for cy in (by0 + edge, by1 - edge)])
    pad = stack.add(
        f"pad-{name}",
        f"{name} half's pad",
        "moving",
        TOP,
        shapely.difference(shapely.intersection(front.region_at_home, core), heads),
        front.top_mm,
        foam.thickness_mm,
        stock=foam.id,
        face="foam",
    )
    level = SUMMIT if sign > 0 else CREST
    more = 2 * t + AIR_MM if sign > 0 else 0.0
    region = shapely.Polygon(rounded_rectangle(x - half, low, x + half, high, radius_mm=1.5))
    picture = stack.add(
        f"half-{name}",
        f"{name} half",
        "decoration",
        level,
        region,
        pad.top_mm + more,
        t,
        face="picture",
        note="on two plies more than the other half" if sign > 0 else "",
    )
    stack.glue(pad, front.id)
    stack.glue(picture, pad.id)
    _add_glides(stack, values, picture, sign, (x, y))
    return picture


def _add_glides(stack: Stack, values: Values, picture: Part, sign: float, parting: tuple[float, float]) -> None:
    """Pads with their liner left on, near the parting edge of a half: they slide on the frame and keep the half level. Two at its
    corners, and two more beside the slot where it is wide."""
    room = picture.z_mm - stack.site.heights.face_mm
    foams = [f for f in stack.site.catalog.foams.values() if f.thickness_mm <= room + 1e-9]
    aside, (x, y) = number(values, "picture_width") / 2 - GLIDE_MM / 2 - 2.0, parting
    into = number(values, "lap") + 2.0 + GLIDE_MM / 2
    if not foams or aside < number(values, "washer_width") / 2 + GLIDE_MM / 2 + 1.0 or into + GLIDE_MM / 2 > number(values, "picture_height") / 2:
        return
    foam = max(foams, key=lambda f: f.thickness_mm)
    inner = number(values, "washer_width") / 2 + GLIDE_MM / 2 + 2.0
    places = [("left", -aside), ("right", aside)]
    if aside - inner > GLIDE_MM + 1.0:
        places += [("inner left", -inner), ("inner right", inner)]
    for name, beside in places:
        cx, cy = x + beside, y + sign * into
        pad = stack.add(
            f"{picture.id.split('.')[1]}-glide-{name.replace(' ', '-')}",
            f"{name} glide pad of the {picture.name}",
            "spacer",
            OVER,
            on_marks(shapely.box(cx - GLIDE_MM / 2, cy - GLIDE_MM / 2, cx + GLIDE_MM / 2, cy + GLIDE_MM / 2), stack.site.grid_mm, outwards=False),
            picture.z_mm - foam.thickness_mm,
            foam.thickness_mm,
            stock=foam.id,
            face="foam",
            glides=True,
            through=(TOP, CREST),
            note="its liner stays on",
        )
        stack.glue(pad, picture.id)


def _notch(site: Site, values: Values) -> Any:
    """At the right edge, level with the pivot."""
    depth = number(values, "reach")
    return Lay("right", site.card.width_mm, site.card.height_mm).notch(place(values, "pivot")[1], depth, max(6.0, depth))


def _needs(site: Site, mechanism: str, values: Values, pictures: list[Part], slots: list[Any], notch: Any) -> tuple[Need, ...]:
    m, (x, y) = mechanism, place(values, "pivot")
    half, tall = number(values, "reveal_width") / 2, number(values, "reveal_height") / 2
    frame = bordered_sheet(site, values, "frame")
    middle = pictures[0].region.centroid
    reveal = shapely.Polygon(rectangle(x - half, y - tall, x + half, y + tall))
    return (
        Shown(f"{m}.reveal", m, "card.frame", reveal, "what is between the halves", lap_mm=0.9),
        Land(f"{m}.land", m, "card.frame", slots[0], frame, LAND_MM, "the upper slot", (slots[1], notch)),
        Land(f"{m}.land-lower", m, "card.frame", slots[1], frame, LAND_MM, "the lower slot", (slots[0], notch)),
        Grasped(f"{m}.reached", m, f"{m}.dial", notch, ("card.frame",), (1.0, 0.0), site.ways.fingertip),
        Driven(f"{m}.driven", m, f"{m}.slot-upper-1", f"{m}.crank-pin-upper", None, "a rider", MOST_PRESSURE_DEG),
        *(
            Caught(f"{m}.{part}-{name}-held", m, f"{m}.{part}-{name}", "card.frame", slots[k], 1.5)
            for k, (name, _) in enumerate(SIDES)
            for part in ("rear", "front")
        ),
        Steady(f"{m}.steady", m, pictures[0].id, (middle.x, middle.y), "the upper half", 2.0),
    )


def _handles(site: Site, mechanism: str, values: Values) -> list[Handle]:
    (x, y), pin = place(values, "pivot"), _pin_at(values, 1.0)
    r, half, tall = number(values, "crank"), number(values, "picture_width") / 2, number(values, "picture_height") / 2
    spoke = ((pin[0] - x) / r, (pin[1] - y) / r)
    radius = number(values, "dial_radius")
    return [
        Handle(mechanism, "pivot", "pivot", (x, y), (1.0, 0.0), 1.0, ((0.0, y), (x, y)), 0.0, cross=(0.0, 1.0)),
        Handle(mechanism, "crank", "crank", pin, spoke, 1.0, ((x, y), pin), 6.0),
        Handle(mechanism, "dial_radius", "dial", (x - radius, y), (-1.0, 0.0), 1.0, ((x - radius, y), (x, y)), -8.0),
        Handle(
            mechanism, "picture_width", "picture", (x + half, y + tall * 0.6), (1.0, 0.0), 2.0, ((x - half, y + tall), (x + half, y + tall)), -5.0
        ),
        Handle(
            mechanism, "picture_height", "height", (x - half * 0.6, y + tall), (0.0, 1.0), 2.0, ((x - half, y - tall), (x - half, y + tall)), -5.0
        ),
        Handle(
            mechanism,
            "reach",
            "notch",
            (site.card.width_mm - number(values, "reach"), y),
            (-1.0, 0.0),
            1.0,
            ((site.card.width_mm - number(values, "reach"), y + 16), (site.card.width_mm, y + 16)),
            0.0,
        ),
    ]


LEVERS: dict[str, tuple[Lever, ...]] = {
    "fastener": FASTENER_LEVERS,
    "held": (Lever("Make the washers {by} wider", {"washer_width": 1.0}), Lever("Make the slots {by} narrower", {"slot_width": -1.0})),
    "travel": (
        Lever("Start {by} later", {"from_angle": 1.0}),
        Lever("Stop {by} earlier", {"to_angle": -1.0}),
        Lever("Make the links {by} longer", {"link": 1.0}),
        Lever("Make the crank radius {by} smaller", {"crank": -1.0}),
        Lever("Make the links {by} narrower", {"link_width": -1.0}),
    ),
    "stop": (Lever("Make the links {by} longer", {"link": 1.0}), Lever("Start {by} later", {"from_angle": 1.0})),
    "clearance": (
        Lever("Make the slots {by} wider", {"slot_width": 1.0}),
        Lever("Punch the holes {by} larger", {"hole": 1.0}),
        Lever("Make the links {by} narrower", {"link_width": -1.0}),
        Lever("Make the links {by} longer", {"link": 1.0}),
        Lever("Make the washers {by} narrower", {"washer_width": -1.0}),
        Lever("Make the dial {by} smaller", {"dial_radius": -1.0}),
    ),
    "push": (
        Lever("Make the links {by} longer", {"link": 1.0}),
        Lever("Make the crank radius {by} smaller", {"crank": -1.0}),
        Lever("Stop {by} earlier", {"to_angle": -1.0}),
    ),
    "reveal-rest": (
        Lever("Reveal {by} less across", {"reveal_width": -1.0}),
        Lever("Reveal {by} less in height", {"reveal_height": -1.0}),
        Lever("Make the picture {by} wider", {"picture_width": 1.0}),
        Lever("Make the picture {by} higher", {"picture_height": 1.0}),
    ),
    "reveal-end": (
        Lever("Reveal {by} less in height", {"reveal_height": -1.0}),
        Lever("Start {by} earlier", {"from_angle": -1.0}),
        Lever("Make the crank radius {by} larger", {"crank": 1.0}),
    ),
    "land": (
        Lever("Make the links {by} shorter", {"link": -1.0}),
        Lever("Set the brads {by} closer", {"pin_distance": -1.0}),
        Lever("Move the pivot {by} up", {"pivot.y": 1.0}),
        Lever("Move the pivot {by} down", {"pivot.y": -1.0}),
        Lever("Make the crank radius {by} smaller", {"crank": -1.0}),
    ),
    "outline": (
        Lever("Make the picture {by} lower", {"picture_height": -1.0}),
        Lever("Make the picture {by} narrower", {"picture_width": -1.0}),
        Lever("Move the pivot {by} to the left", {"pivot.x": -1.0}),
        Lever("Make the dial {by} smaller", {"dial_radius": -1.0}),
        Lever("Move the pivot {by} up", {"pivot.y": 1.0}),
        Lever("Move the pivot {by} down", {"pivot.y": -1.0}),
        Lever("Move the pivot {by} to the right", {"pivot.x": 1.0}),
    ),
    "reach": (
        Lever("Make the notch {by} deeper", {"reach": 1.0}),
        Lever("Move the pivot {by} towards the notch", {"pivot.x": 1.0}),
        Lever("Make the dial {by} larger", {"dial_radius": 1.0}),
    ),
    "height": (
        Lever("Use {n} more layer(s) of foam under the frame", {"foam_layers": 1.0}),
        Lever("Use {n} more layer(s) of foam under the panel", {"panel_layers": 1.0}),
    ),
    "spare-foam": (Lever("Use one layer of foam less under the frame", {"foam_layers": -1.0}),),
    "envelope": (
        Lever("Make the frame's border {by} wider", {"frame_border": 1.0, "frame_border_y": 1.0}),
        Lever("Make the dial {by} smaller", {"dial_radius": -1.0}),
    ),
    "wobble": (
        Lever("Set the brads {by} further apart", {"pin_distance": 1.0}),
        Lever("Make the slots {by} narrower", {"slot_width": -1.0, "slot_gap": -0.5}),
        *smaller_holes("holes"),
    ),
    "cue": CUE_LEVERS,
}

ADVICE = (
    Advice("lay", "Empty holes outwards, towards the links.", "rear"),
    Advice("glue", "Shift both halves until they meet along the parting line with the dial at full opening.", "half"),
)
RECIPE = Recipe(
    "dial-riders",
    "dial with two riders",
    "Turning a dial parts the halves of a picture, or brings them together.",
    PARAMETERS,
    size,
    sheets,
    build,
    LEVERS,
    smallest_mm=(84.0, 112.0),
    verbs=("part", "cover"),
    shaping=("brad",),
    advice=ADVICE,
)
