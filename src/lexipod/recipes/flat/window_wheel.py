"""Window wheel: a wheel turns on a brad behind a window and brings one picture after the other to it.

The wheel runs between a fixed backing disc, on pads close to the brad, and the frame; its rim is reached at the card's edge,
through a notch in card and frame. The window stands straight over the pivot; turning the wheel counter-clockwise by one
sector brings the next picture, so picture k lies at the window turned back by k sectors about the pivot.
"""

from __future__ import annotations

import math

import shapely
import shapely.affinity

from lexipod.assembly import Covered, Drive, Grasped, Handle, Land, Need, Part, Steady, WantedGap, Zone
from lexipod.assembly.model import Piece
from lexipod.geometry.shapes import circle, rectangle, split_region
from lexipod.recipes.kit.cues import CUE, round_cue
from lexipod.recipes.kit.lay import Lay
from lexipod.recipes.kit.levels import BED, HIGH, LOW, PEAK
from lexipod.recipes.kit.parameters import Advice, Lever, Parameter, Recipe, Site, Values
from lexipod.recipes.kit.pulls import CUE_LEVERS
from lexipod.recipes.kit.sheets import Sheet
from lexipod.recipes.kit.stack import Stack, disc, point_from, seen_from
from lexipod.recipes.kit.usual import (
    AIR_MM,
    BEARING,
    BRAD,
    FASTENER_LEVERS,
    FOAM,
    FOAM_LAYERS,
    FRAME_BORDERS,
    HOLE,
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

PAD_FOAM = "foam-1"
EDGE_MM = 1.0
IMAGE_LAND_MM = 2.0
WINDOW_LAND_MM = 4.0

PARAMETERS = (
    Parameter("positions", "pictures", "count", "How many pictures come to the window, one by one.", "Pictures", 2, 12),
    Parameter("window", "window", "choice", "Shape of the window.", "Pictures", choices=("rectangle", "round")),
    Parameter("window_width", "window width", "length", "Width of the window; the diameter of a round one.", "Pictures", 2, 300),
    Parameter("window_height", "window height", "length", "Height of a rectangular window.", "Pictures", 2, 300),
    Parameter("window_distance", "pivot to window", "length", "From the pivot up to the middle of the window.", "Pictures", 2, 300),
    Parameter("wheel_radius", "wheel radius", "length", "Half the wheel's diameter.", "Wheel", 5, 300),
    Parameter("rim", "rim", "length", "Paper of the wheel that must be left beyond a picture's corners.", "Wheel", 0, 30),
    Parameter("reach", "notch depth", "length", "How far the notch opens card and frame over the wheel's rim.", "Wheel", 0, 60),
    PIVOT,
    BRAD,
    HOLE,
    BEARING,
    PIN_CLEARANCE,
    FOAM,
    FOAM_LAYERS,
    *FRAME_BORDERS,
    CUE,
)


def size(site: Site, kept: Values) -> Values:
    """The largest wheel that the card takes, at its right edge; the largest window that its sectors take."""
    values: Values = {"positions": 6, "window": "rectangle", "rim": 3.0, "cue": "arrow", **kept}
    card, grid = site.card, site.grid_mm
    border = size_border(site, values, "frame_border")
    size_pin(site, values)
    room = min((card.width_mm - border - 2.0 - EDGE_MM) / 2, (card.height_mm - 2 * border - 3.0) / 2, 70.0)
    if room < 24.0 and "wheel_radius" not in values:
        raise RECIPE.refuse(site, f"the wheel could have a radius of only {max(room, 0):.0f} mm")
    radius = keep(values, "wheel_radius", below(room, grid), grid_mm=grid)
    middle = max(border + radius + 1.5, min(card.height_mm * 0.45, card.height_mm - border - radius - 1.5))
    keep_place(values, "pivot", card.width_mm - EDGE_MM - radius, middle)
    width, height, distance = _window_room(values, radius, brad_of(site, values).head_mm)
    keep(values, "window_width", below(min(width, height) if values["window"] == "round" else width, grid))
    keep(values, "window_height", below(height, grid))
    keep(values, "window_distance", distance)
    keep(values, "reach", EDGE_MM + site.ways.fingertip + 1.0, grid_mm=grid)
    size_foam(site, values, _heights(site, values)[-1])
    return values


def _window_room(values: Values, radius: float, head_mm: float) -> tuple[float, float, float]:
    """Width, height and distance of a window whose pictures keep apart from one another, from the rim and from the hub."""
    n, rim = count(values, "positions"), number(values, "rim")
    height = number(values, "window_height") if "window_height" in values else min(0.42 * radius, radius - rim - head_mm / 2 - 8.0)
    width, distance = 0.5 * radius, radius - rim - height / 2 - 1.0
    for _ in range(30):
        outer = math.sqrt(max((radius - rim - 0.3) ** 2 - (width / 2) ** 2, height**2))
        distance = outer - height / 2
        inner = max(distance - height / 2, 1.0)
        half = math.radians(180.0 / n)
        sector = 2 * (inner * math.tan(half) - (IMAGE_LAND_MM / 2 + 0.2) / math.cos(half)) if n > 2 else 2 * radius
        width = 0.5 * width + 0.5 * max(3.0, min(sector, 1.1 * radius))
    if values["window"] == "round":
        a = min(width, height) / 2
        distance = radius - rim - 0.3 - a
    return width, height, distance


def _heights(site: Site, values: Values) -> tuple[float, float, float, float]:
    """Over the floor: backing, wheel, head of the brad, and what the frame must clear."""
    t, pad = site.stock.caliper_mm, site.catalog.foams[PAD_FOAM].thickness_mm
    wheel = pad + t
    head = wheel + t + AIR_MM
    return pad, wheel, head, head + brad_of(site, values).head_thickness_mm


def _window(values: Values) -> shapely.Polygon:
    x, y = place(values, "pivot")
    y += number(values, "window_distance")
    half = number(values, "window_width") / 2
    if values["window"] == "round":
        return shapely.Polygon(circle((x, y), radius_mm=half, chord_error_mm=0.02))
    tall = number(values, "window_height") / 2
    return shapely.Polygon(rectangle(x - half, y - tall, x + half, y + tall))


def _notch(site: Site, values: Values) -> shapely.Polygon:
    """At the right edge, level with the pivot."""
    depth = number(values, "reach")
    return Lay("right", site.card.width_mm, site.card.height_mm).notch(place(values, "pivot")[1], depth, max(6.0, depth))


def sheets(site: Site, values: Values) -> tuple[Sheet, ...]:
    """A frame over the wheel; its foam stays outside the wheel."""
    frame = bordered_sheet(site, values, "frame")
    swept = disc(place(values, "pivot"), number(values, "wheel_radius") + 1.0)
    return (Sheet("frame", frame, str(values["foam"]), count(values, "foam_layers"), (swept,)),)


def build(site: Site, mechanism: str, values: Values) -> Piece:
    """Pads, backing disc, wheel and brad, from the floor to the frame."""
    pivot, radius, t = place(values, "pivot"), number(values, "wheel_radius"), site.stock.caliper_mm
    stack, brad, floor = Stack(site, mechanism), brad_of(site, values), site.heights.floor_mm
    pad_z, wheel_z, head_z, _ = _heights(site, values)
    hole = disc(pivot, number(values, "hole") / 2)
    hub = below(min(radius * 0.6, 16.0), site.grid_mm)
    foam = site.catalog.foams[PAD_FOAM]
    pads = stack.add(
        "pads",
        "ring of pads",
        "spacer",
        BED,
        shapely.difference(disc(pivot, hub - site.nice(1.0)), disc(pivot, below(min(hub - 4.0, 8.5), site.grid_mm))),
        floor,
        foam.thickness_mm,
        stock=foam.id,
        face="foam",
        note="a ring, or small pads round the brad's legs",
    )
    stack.glue(pads, site.heights.floor)
    backing = stack.add("backing", "backing disc", "base", LOW, shapely.difference(disc(pivot, hub), hole), floor + pad_z, t, face="backing")
    stack.glue(backing, pads.id)
    wheel = stack.add("wheel", "wheel", "moving", HIGH, shapely.difference(disc(pivot, radius), hole), floor + wheel_z, t, face="wheel")
    shank = stack.brad(
        "pivot", "brad", pivot, brad, levels=(BED, PEAK), heights=(floor + pad_z, floor + head_z), shank_mm=number(values, "bearing"), to=backing.id
    )
    pin = stack.pin("turn", wheel, shank, pivot, clearance_mm=pin_play(values))
    n = count(values, "positions")
    drive = Drive(mechanism, pin.id, wheel.id, "turn", 0.0, 360.0, 0.0, endless=True, detents=tuple(360.0 * k / n for k in range(n)))
    window, notch = _window(values), _notch(site, values)
    needs = _needs(site, mechanism, values, wheel, window, notch)
    cue = round_cue(mechanism, values, "card.frame", _cue_place(values), pivot, clockwise=False, word="turn")
    gaps = (WantedGap(wheel.id, shank.id, pin_gap(values), "hole"),)
    openings = {"card.frame": (window, notch), "card.front": (notch,), "card.panel": (notch,)}
    return Piece(
        tuple(stack.parts),
        tuple(stack.joints),
        (drive,),
        _zones(mechanism, values, wheel, window),
        needs,
        tuple(_handles(site, mechanism, values)),
        gaps,
        (cue,),
        openings,
    )


def _cue_place(values: Values) -> tuple[float, float]:
    """On the frame, between the pivot and the notch."""
    (x, y), radius, reach = place(values, "pivot"), number(values, "wheel_radius"), number(values, "reach")
    return (x + max(radius - reach - 5.0, radius * 0.4), y)


def images(values: Values, wheel: Part) -> list[shapely.Polygon]:
    """The window as it falls on the wheel at each position, in the wheel's frame."""
    seen, pivot = seen_from(wheel, _window(values)), point_from(wheel, place(values, "pivot"))
    n = count(values, "positions")
    return [shapely.affinity.rotate(seen, -360.0 * k / n, origin=pivot) for k in range(n)]


def _zones(mechanism: str, values: Values, wheel: Part, window: shapely.Polygon) -> tuple[Zone, ...]:
    n = count(values, "positions")
    return tuple(
        Zone(wheel.id, "front", "art", split_region(image)[0], name=f"picture {k + 1}", at={mechanism: 360.0 * k / n})
        for k, image in enumerate(images(values, wheel))
    )


def _needs(site: Site, mechanism: str, values: Values, wheel: Part, window: shapely.Polygon, notch: shapely.Polygon) -> tuple[Need, ...]:
    m, pivot, radius = mechanism, place(values, "pivot"), number(values, "wheel_radius")
    on_wheel = images(values, wheel)
    hub = seen_from(wheel, disc(pivot, brad_of(site, values).head_mm / 2))
    rim = seen_from(wheel, disc(pivot, radius - number(values, "rim") + IMAGE_LAND_MM))
    frame = bordered_sheet(site, values, "frame")
    at = seen_from(wheel, window).centroid
    return (
        Covered(f"{m}.window", m, "card.frame", window, (wheel.id,), 1.0, "the window"),
        Land(f"{m}.images", m, wheel.id, on_wheel[0], rim, IMAGE_LAND_MM, "a picture", (on_wheel[1], on_wheel[-1], hub)),
        Land(f"{m}.land", m, "card.frame", window, frame, WINDOW_LAND_MM, "the window", (notch,)),
        Grasped(f"{m}.reached", m, wheel.id, notch, ("card.frame",), (1.0, 0.0), site.ways.fingertip),
        Steady(f"{m}.steady", m, wheel.id, (at.x, at.y), "the picture in the window", 1.0),
    )


def _handles(site: Site, mechanism: str, values: Values) -> list[Handle]:
    (x, y), radius, d = place(values, "pivot"), number(values, "wheel_radius"), number(values, "window_distance")
    half, tall = number(values, "window_width") / 2, number(values, "window_height") / 2
    top = half if values["window"] == "round" else tall
    right = site.card.width_mm
    out = [
        Handle(mechanism, "pivot", "pivot", (x, y), (1.0, 0.0), 1.0, ((0.0, y), (x, y)), 0.0, cross=(0.0, 1.0)),
        Handle(mechanism, "wheel_radius", "wheel radius", (x - radius, y), (-1.0, 0.0), 1.0, ((x - radius, y), (x, y)), 8.0),
        Handle(mechanism, "window_distance", "to window", (x, y + d), (0.0, 1.0), 1.0, ((x + half + 4, y), (x + half + 4, y + d)), 0.0),
        Handle(mechanism, "window_width", "window", (x + half, y + d), (1.0, 0.0), 2.0, ((x - half, y + d + top), (x + half, y + d + top)), -5.0),
        Handle(
            mechanism,
            "reach",
            "notch",
            (right - number(values, "reach"), y),
            (-1.0, 0.0),
            1.0,
            ((right - number(values, "reach"), y - 14), (right, y - 14)),
            0.0,
        ),
    ]
    if values["window"] != "round":
        out.append(
            Handle(
                mechanism,
                "window_height",
                "window height",
                (x - half * 0.5, y + d + tall),
                (0.0, 1.0),
                2.0,
                ((x - half, y + d - tall), (x - half, y + d + tall)),
                -5.0,
            )
        )
    return out


_LESS_WINDOW = (
    Lever("Make the window {by} narrower", {"window_width": -1.0}),
    Lever("Make the window {by} lower", {"window_height": -1.0}),
    Lever("Make the window {by} smaller both ways", {"window_width": -1.0, "window_height": -1.0}),
)
LEVERS: dict[str, tuple[Lever, ...]] = {
    "fastener": FASTENER_LEVERS,
    "land": (
        *_LESS_WINDOW,
        Lever("Set the window {by} further from the pivot", {"window_distance": 1.0}),
        Lever("Set the window {by} nearer to the pivot", {"window_distance": -1.0}),
        Lever("Use {n} pictures less", {"positions": -1.0}),
        Lever("Make the wheel {by} larger", {"wheel_radius": 1.0, "pivot.x": -1.0}),
        Lever("Make the notch {by} shallower", {"reach": -1.0}),
        Lever("Move the pivot {by} down", {"pivot.y": -1.0}),
    ),
    "slot-hidden": (
        Lever("Set the window {by} nearer to the pivot", {"window_distance": -1.0}),
        Lever("Make the wheel {by} larger", {"wheel_radius": 1.0, "pivot.x": -1.0}),
        *_LESS_WINDOW,
    ),
    "reach": (
        Lever("Make the notch {by} deeper", {"reach": 1.0}),
        Lever("Move the pivot {by} towards the notch", {"pivot.x": 1.0}),
        Lever("Make the wheel {by} larger", {"wheel_radius": 1.0}),
    ),
    "outline": (
        Lever("Move the pivot {by} inwards", {"pivot.x": -1.0}),
        Lever("Make the wheel {by} smaller", {"wheel_radius": -1.0}),
        Lever("Move the pivot {by} up", {"pivot.y": 1.0}),
        Lever("Move the pivot {by} down", {"pivot.y": -1.0}),
        Lever("Move the pivot {by} to the right", {"pivot.x": 1.0}),
    ),
    "clearance": (Lever("Punch the hole {by} larger", {"hole": 1.0}), Lever("Make the wheel {by} smaller", {"wheel_radius": -1.0})),
    "travel": (
        Lever("Punch the hole {by} larger", {"hole": 1.0}),
        Lever("Make the wheel {by} smaller", {"wheel_radius": -1.0}),
        Lever("Move the pivot {by} inwards", {"pivot.x": -1.0}),
    ),
    "height": (Lever("Use {n} more layer(s) of foam under the frame", {"foam_layers": 1.0}), Lever("Use a smaller brad", choose={"brad": "mini-5"})),
    "spare-foam": (Lever("Use one layer of foam less under the frame", {"foam_layers": -1.0}),),
    "wobble": smaller_holes("hole"),
    "envelope": (Lever("Make the wheel {by} smaller", {"wheel_radius": -1.0}), Lever("Move the pivot {by} inwards", {"pivot.x": -1.0})),
    "cue": CUE_LEVERS,
}

ADVICE = (Advice("mount", "Turn every picture into the window once before you press."),)
RECIPE = Recipe(
    "window-wheel",
    "window wheel",
    "A wheel brings one picture after the other to a window.",
    PARAMETERS,
    size,
    sheets,
    build,
    LEVERS,
    smallest_mm=(64.0, 64.0),
    verbs=("turn",),
    shaping=("positions", "window", "brad"),
    advice=ADVICE,
)
