"""Track rider: tilting the card lets a figure slide along a slot, or swing on an arc.

A pillar of foam goes through the track in the frame and joins a figure in front to a disc behind; both are wider than the
track, so that it cannot fall out. The pillar's clearance lets it run, the foam under the frame is high enough for the disc.
"""

from __future__ import annotations

import math

import shapely

from lexipod.assembly import Arc, Caught, Drive, Handle, Joint, Land, Need, Path, Segment, WantedGap, Zone
from lexipod.assembly.model import Piece
from lexipod.geometry.shapes import arc, pill
from lexipod.recipes.kit.cues import CUE, round_cue, straight_cue
from lexipod.recipes.kit.levels import CROWN, FRAME, OVER
from lexipod.recipes.kit.parameters import Advice, Lever, Parameter, Recipe, Site, Values
from lexipod.recipes.kit.pulls import CUE_LEVERS
from lexipod.recipes.kit.sheets import Sheet
from lexipod.recipes.kit.stack import Stack, disc, point_from
from lexipod.recipes.kit.usual import AIR_MM, END_GAP_MM, FOAM, FOAM_LAYERS, FOAMS, FRAME_BORDERS, POLYGON_MM, bordered_sheet, size_border, size_foam
from lexipod.recipes.kit.values import below, count, keep, keep_place, number, place

LAND_MM = 4.0
OVERLAP_MM = 3.0
WEIGHTS = ("washer-m8", "washer-m10", "coin-18")

PARAMETERS = (
    Parameter("path", "track", "choice", "A straight track, or an arc on which the rider swings.", "Track", choices=("straight", "arc")),
    Parameter("centre", "middle", "point", "Middle of a straight track; centre of the circle of an arc.", "Track", -300, 600),
    Parameter("length", "length of way", "length", "How far the rider's middle goes on a straight track.", "Track", 2, 600),
    Parameter("angle", "slope of track", "angle", "Slope of a straight track, counter-clockwise from the right.", "Track", -180, 180),
    Parameter("radius", "radius of arc", "length", "Radius of the arc on which the rider's middle goes.", "Track", 4, 400),
    Parameter("from_angle", "arc starts at", "angle", "Where the arc starts, counter-clockwise from the right of its centre.", "Track", -360, 720),
    Parameter("to_angle", "arc ends at", "angle", "Where the arc ends.", "Track", -360, 720),
    Parameter("track_width", "track width", "length", "Width of the track.", "Track", 2, 60),
    Parameter("pillar", "pillar", "length", "Diameter of the foam pillar in the track.", "Rider", 1, 60),
    Parameter("clearance", "pillar to track", "length", "Gap wanted between the pillar and each edge of the track.", "Rider", 0, 5),
    Parameter(
        "rider",
        "slides on",
        "choice",
        "What holds the rider behind the track: a disc of card, or a washer or coin that is heavier.",
        "Rider",
        choices=("card", *WEIGHTS),
    ),
    Parameter("disc", "disc behind", "length", "Diameter of a disc of card behind the track; a washer or coin has its own.", "Rider", 3, 120),
    Parameter("disc_plies", "plies of disc", "count", "Plies of the disc; a heavier one slides more readily.", "Rider", 1, 8),
    Parameter("figure", "figure", "length", "Diameter of the figure in front.", "Rider", 3, 200),
    Parameter("pillar_foam", "pillar's foam", "choice", "Foam of the pillar, from the disc through the frame to the figure.", "Rider", choices=FOAMS),
    Parameter("pillar_layers", "layers of pillar", "count", "Layers of foam in the pillar.", "Rider", 1, 6),
    FOAM,
    FOAM_LAYERS,
    *FRAME_BORDERS,
    CUE,
)


def size(site: Site, kept: Values) -> Values:
    """A track across the card, as long as disc and figure leave room for it."""
    usual: Values = {"path": "straight", "angle": 0.0, "rider": "card", "disc_plies": 2, "pillar_foam": "foam-1", "pillar_layers": 1, "cue": "word"}
    values = usual | kept
    card, grid = site.card, site.grid_mm
    border, smaller = size_border(site, values, "frame_border"), min(card.width_mm, card.height_mm)
    values.setdefault("clearance", site.needed_gap_mm)
    width = keep(values, "track_width", min(10.0, max(6.0, smaller * 0.07)), grid_mm=grid)
    keep(values, "pillar", max(1.0, width - 2 * max(number(values, "clearance"), site.needed_gap_mm)))
    keep(values, "disc", _rear(site, values)[0] or -below(-(width + 2 * OVERLAP_MM + 1.0), grid))
    rear = _rear(site, values)[0] or number(values, "disc")
    figure = keep(values, "figure", max(rear, min(28.0, smaller * 0.22)), grid_mm=grid)
    margin = max(figure / 2, rear / 2 + 1.0, width / 2 + LAND_MM) + border + 1.0
    room = card.width_mm - 2 * margin
    if (room < 15.0 or card.height_mm < 2 * margin + 6.0) and not {"length", "radius"} & set(kept):
        raise RECIPE.refuse(site, f"the rider would move by only {max(room, 0):.0f} mm")
    keep(values, "length", below(max(room, 4.0), grid))
    depth = card.height_mm - 2 * margin
    radius = keep(
        values, "radius", below(max(8.0, min(room / 2 / math.sin(math.radians(60.0)), depth / (1 - math.cos(math.radians(60.0))), 70.0)), grid)
    )
    half = math.degrees(math.asin(min(1.0, max(room, 4.0) / 2 / radius)))
    half = min(60.0, half)
    keep(values, "from_angle", 270.0 - half)
    keep(values, "to_angle", 270.0 + half)
    if values["path"] == "arc":
        low = max(margin, card.height_mm * 0.42 - radius * (1 - math.cos(math.radians(half))) / 2)
        keep_place(values, "centre", card.width_mm / 2, low + radius)
    else:
        keep_place(values, "centre", card.width_mm / 2, max(margin, card.height_mm * 0.45))
    size_foam(site, values, _moving_mm(site, values) + AIR_MM)
    return values


def _gap_mm(site: Site, values: Values) -> float:
    """Air before and behind the frame: what the pillar is higher than the frame is thick, shared by both sides."""
    tall = count(values, "pillar_layers") * site.catalog.foams[str(values["pillar_foam"])].thickness_mm
    return (tall - site.stock.caliper_mm) / 2


def _moving_mm(site: Site, values: Values) -> float:
    """What the frame's foam must clear: the disc and the air before it."""
    return _rear(site, values)[1] + max(_gap_mm(site, values), 0.0)


def _rear(site: Site, values: Values) -> tuple[float, float]:
    """Diameter and thickness of what holds the rider behind the track; a disc of card that is not yet sized has none."""
    weight = site.catalog.weights.get(str(values["rider"]))
    if weight is not None:
        return weight.diameter_mm, weight.thickness_mm
    return (number(values, "disc") if "disc" in values else 0.0), count(values, "disc_plies") * site.stock.caliper_mm


def way(values: Values) -> tuple[Path, float, float]:
    """The path of the rider's middle with its ends, and the designed travel on it: rest and end."""
    spare = max(END_GAP_MM, number(values, "clearance") + 0.1)
    x, y = place(values, "centre")
    if values["path"] == "arc":
        radius = number(values, "radius")
        first, last = sorted((number(values, "from_angle"), number(values, "to_angle")))
        last = max(last, first + 1.0)
        extra = max(math.degrees(spare / radius), 0.7)
        return Arc((x, y), radius, first - extra, last + extra), first, last
    half, turn = number(values, "length") / 2, math.radians(number(values, "angle"))
    cos, sin = math.cos(turn), math.sin(turn)
    ends = [(x + s * cos, y + s * sin) for s in (-half - spare, half + spare)]
    return Segment(ends[0], ends[1], zero_mm=spare), 0.0, 2 * half


def track(values: Values) -> shapely.Polygon:
    """The opening: what a round cutter of the track's width leaves; the pillar meets its ends where the path ends."""
    path, _, _ = way(values)
    width = number(values, "track_width")
    back = width / 2 - number(values, "pillar") / 2
    if isinstance(path, Segment):
        (x0, y0), (x1, y1) = path.start, path.end
        u, v = path.direction
        over = width / 2 - back
        return shapely.Polygon(pill((x0 - u * over, y0 - v * over), (x1 + u * over, y1 + v * over), width_mm=width))
    less = math.radians(path.end_deg - path.start_deg) / 2 - back / path.radius_mm
    middle = math.radians((path.start_deg + path.end_deg) / 2)
    line = arc(path.centre, radius_mm=path.radius_mm, start_rad=middle - max(less, 0.01), end_rad=middle + max(less, 0.01), chord_error_mm=0.002)
    return shapely.LineString(line).buffer(width / 2, quad_segs=48)


def sheets(site: Site, values: Values) -> tuple[Sheet, ...]:
    """A frame with the track; its foam stays outside what the disc sweeps."""
    path, _, _ = way(values)
    line = shapely.LineString(path.point_at([path.limits[0] + (path.limits[1] - path.limits[0]) * k / 24 for k in range(25)]))
    swept = line.buffer(_rear(site, values)[0] / 2 + 1.0)
    frame = bordered_sheet(site, values, "frame")
    return (Sheet("frame", frame, str(values["foam"]), count(values, "foam_layers"), (swept,)),)


def build(site: Site, mechanism: str, values: Values) -> Piece:
    """Disc, pillar and figure at the start of the way."""
    path, rest, end = way(values)
    stack, t, heights = Stack(site, mechanism), site.stock.caliper_mm, site.heights
    x, y = (float(v) for v in path.point_at(rest))
    at, gap = (x, y), _gap_mm(site, values)
    wide, thick = _rear(site, values)
    weight = site.catalog.weights.get(str(values["rider"]))
    foam, layers = site.catalog.foams[str(values["pillar_foam"])], count(values, "pillar_layers")
    rear = stack.add(
        "disc",
        "disc" if weight is None else "coin" if weight.id.startswith("coin") else "washer",
        "moving",
        CROWN,
        disc(at, wide / 2),
        heights.frame_mm - gap - thick,
        thick,
        stock=stack.site.stock.id if weight is None else weight.id,
        plies=count(values, "disc_plies") if weight is None else 1,
        bought=weight is not None,
        face="strip" if weight is None else "metal",
    )
    pillar = stack.add(
        "pillar",
        "pillar",
        "moving",
        FRAME,
        disc(at, number(values, "pillar") / 2),
        heights.frame_mm - gap,
        layers * foam.thickness_mm,
        stock=foam.id,
        plies=layers,
        face="foam",
        joins=(rear.id, f"{mechanism}.figure"),
        note="rub powder or wax on its side",
        why_off="it runs in its track with the clearance that is wanted",
    )
    figure = stack.add("figure", "figure", "decoration", OVER, disc(at, number(values, "figure") / 2), pillar.top_mm, t, face="picture")
    stack.glue(pillar, rear.id)
    stack.glue(figure, pillar.id)
    is_arc = isinstance(path, Arc)
    joint = Joint(
        f"{mechanism}.track",
        "slot",
        pillar.id,
        "card.frame",
        at_a=point_from(pillar, at),
        path_b=path,
        ends=("stop", "stop"),
        turn="tangent" if is_arc else "fixed",
        clearance_mm=number(values, "clearance"),
    )
    stack.joints.append(joint)
    drive = Drive(mechanism, joint.id, figure.id, "turn" if is_arc else "slide", rest, end, rest, by="gravity")
    opening = track(values)
    frame = bordered_sheet(site, values, "frame")
    needs: tuple[Need, ...] = (
        Caught(f"{mechanism}.disc-held", mechanism, rear.id, "card.frame", opening, OVERLAP_MM),
        Caught(f"{mechanism}.figure-held", mechanism, figure.id, "card.frame", opening, OVERLAP_MM),
        Land(f"{mechanism}.land", mechanism, "card.frame", opening, frame, LAND_MM, "the track"),
    )
    zones = (Zone(figure.id, "front", "art", figure.outline, name="figure", at={mechanism: rest}),)
    gaps = (WantedGap(pillar.id, "card.frame", max(0.0, number(values, "clearance") - 2 * POLYGON_MM)),)
    return Piece(
        tuple(stack.parts),
        tuple(stack.joints),
        (drive,),
        zones,
        needs,
        tuple(_handles(mechanism, values)),
        gaps,
        (_cue(mechanism, values),),
        {"card.frame": (opening,)},
    )


def _cue(mechanism: str, values: Values):  # type: ignore[no-untyped-def]
    (x, y), off = place(values, "centre"), number(values, "figure") / 2 + 5.0
    if values["path"] == "arc":
        middle = math.radians((number(values, "from_angle") + number(values, "to_angle")) / 2)
        r = max(number(values, "radius") - off, 4.0)
        return round_cue(mechanism, values, "card.frame", (x + r * math.cos(middle), y + r * math.sin(middle)), (x, y), clockwise=False, word="tilt")
    turn = math.radians(number(values, "angle"))
    return straight_cue(
        mechanism, values, "card.frame", (x - off * math.sin(turn), y + off * math.cos(turn)), (math.cos(turn), math.sin(turn)), word="tilt"
    )


def _handles(mechanism: str, values: Values) -> list[Handle]:
    (x, y), path = place(values, "centre"), way(values)[0]
    _, rest, end = way(values)
    out = [Handle(mechanism, "centre", "middle", (x, y), (1.0, 0.0), 1.0, ((0.0, y), (x, y)), 0.0, cross=(0.0, 1.0))]
    (ax, ay), (bx, by) = path.point_at([rest, end]).tolist()
    a, b = (ax, ay), (bx, by)
    if isinstance(path, Segment):
        u, v = path.direction
        out.append(Handle(mechanism, "length", "way", b, (u, v), 2.0, (a, b), -number(values, "figure") / 2 - 5.0))
    else:
        low = (x, y - path.radius_mm)
        out += [
            Handle(mechanism, "radius", "radius", low, (0.0, -1.0), 1.0, ((x, y), low), 8.0),
            Handle(mechanism, "from_angle", "starts at", a, (0.0, -1.0), 1.0, ((x, y), a), 0.0, about=(x, y)),
            Handle(mechanism, "to_angle", "ends at", b, (0.0, 1.0), 1.0, ((x, y), b), 0.0, about=(x, y)),
        ]
    return out


LEVERS: dict[str, tuple[Lever, ...]] = {
    "travel": (Lever("Make the way {by} shorter", {"length": -1.0}),),
    "held": (
        Lever("Take a disc {by} larger", {"disc": 1.0}),
        Lever("Take a washer for M10", choose={"rider": "washer-m10"}),
        Lever("Take a figure {by} larger", {"figure": 1.0}),
        Lever("Take disc and figure {by} larger", {"disc": 1.0, "figure": 1.0}),
        Lever("Cut track and pillar {by} narrower", {"track_width": -1.0, "pillar": -1.0}),
    ),
    "clearance": (
        Lever("Cut the track {by} wider", {"track_width": 1.0}),
        Lever("Take a pillar {by} thinner", {"pillar": -1.0}),
        Lever("Take a disc {by} smaller", {"disc": -1.0}),
        Lever("Take a disc of card", choose={"rider": "card"}),
        Lever("Make the way {by} shorter", {"length": -1.0}),
    ),
    "land": (
        Lever("Make the way {by} shorter", {"length": -1.0}),
        Lever("Move the track {by} to the left", {"centre.x": -1.0}),
        Lever("Move the track {by} to the right", {"centre.x": 1.0}),
        Lever("Move the track {by} up", {"centre.y": 1.0}),
        Lever("Move the track {by} down", {"centre.y": -1.0}),
        Lever("Make the arc's radius {by} smaller", {"radius": -1.0}),
    ),
    "outline": (
        Lever("Take a figure {by} smaller", {"figure": -1.0}),
        Lever("Make the way {by} shorter", {"length": -1.0}),
        Lever("Move the track {by} to the left", {"centre.x": -1.0}),
        Lever("Move the track {by} to the right", {"centre.x": 1.0}),
        Lever("Move the track {by} up", {"centre.y": 1.0}),
        Lever("Move the track {by} down", {"centre.y": -1.0}),
    ),
    "height": (
        Lever("Use {n} more layer(s) of foam under the frame", {"foam_layers": 1.0}),
        Lever("Use {n} ply(plies) less in the disc", {"disc_plies": -1.0}),
        Lever("Take a disc of card", choose={"rider": "card"}),
        Lever("Use {n} more layer(s) in the pillar", {"pillar_layers": 1.0}),
        Lever("Take thicker foam for the pillar", choose={"pillar_foam": "foam-1"}),
    ),
    "spare-foam": (Lever("Use one layer of foam less under the frame", {"foam_layers": -1.0}),),
    "slope": (Lever("Tilt the track by {by} more", {"angle": 1.0}), Lever("Let it slide on a washer", choose={"rider": "washer-m8"})),
    "crossing": (
        Lever("Make the way {by} shorter", {"length": -1.0}),
        Lever("Move the track {by} up", {"centre.y": 1.0}),
        Lever("Move the track {by} down", {"centre.y": -1.0}),
    ),
    "cue": CUE_LEVERS,
}

ADVICE = (
    Advice("lay", "Put it in its course and slide it through once before the sheet comes over it.", "disc"),
    Advice("foam", "Powder the sides of the pillar: what is sticky there stops it.", "pillar"),
    Advice("test", "Tilt; it must run by itself and not catch at either end of the track."),
)
RECIPE = Recipe(
    "track-rider",
    "track rider",
    "Tilting the card lets a figure slide along a track or swing on an arc.",
    PARAMETERS,
    size,
    sheets,
    build,
    LEVERS,
    smallest_mm=(66.0, 48.0),
    verbs=("slide", "swing"),
    shaping=("path", "rider"),
    advice=ADVICE,
)
