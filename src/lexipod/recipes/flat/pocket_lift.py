"""Pocket lift: the halves of a picture part along a line when a slider is drawn up, and a greeting appears between them.

The lower half is stuck to the front of a folded pocket, the upper half to the slider that runs in it. A strap over the slider
guides it at the top; the upper half's pad meets the strap at the end, the slider the pocket's fold at rest. Measured along the
pull, from the far edge to the exit.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from lexipod.assembly import Bound, Drive, Guided, Handle, Joint, Need, Part, Pushed, Reached, Segment, Shown, Steady, Under, WantedGap, Zone
from lexipod.assembly.model import Piece
from lexipod.geometry.shapes import rectangle, rounded_rectangle
from lexipod.mechanics import curl_sag_mm
from lexipod.recipes.kit.cues import CUE, straight_cue
from lexipod.recipes.kit.lay import EXITS, Lay
from lexipod.recipes.kit.levels import BED, HIGH, LOW, MID, PEAK
from lexipod.recipes.kit.parameters import Advice, Lever, Parameter, Recipe, Site, Values
from lexipod.recipes.kit.pulls import CUE_LEVERS, HandleAlong, lay_of, plies_to_push
from lexipod.recipes.kit.sheets import Sheet
from lexipod.recipes.kit.stack import Stack, point_from, seen_from
from lexipod.recipes.kit.usual import END_GAP_MM, PANEL_BORDERS, bordered_sheet, size_border
from lexipod.recipes.kit.values import below, count, keep, number

FOOT_MM = 6.0
FAR_MM = 45.0
"""How far a picture of one ply may stand out from what holds it; beyond that it is laminated (our own judgement)."""
PAD_FOAM = "foam-1"
FOLD_MM = 1.0
"""What the pocket's fold takes of its inside."""

PARAMETERS = (
    Parameter("rise", "rise", "length", "How far the upper half rises.", "Motion", 2, 400),
    Parameter("exit", "pull towards", "choice", "The edge of the card towards which the slider is drawn.", "Motion", choices=EXITS),
    Parameter(
        "middle",
        "middle line",
        "length",
        "Middle line of slider and picture: from the left edge, or from the bottom for a pull to the side.",
        "Pocket",
        0,
        600,
    ),
    Parameter("pocket_from", "pocket from", "length", "From the far edge of the card to the pocket.", "Pocket", 0, 400),
    Parameter("pocket_height", "pocket height", "length", "Height of the pocket, up to the line along which the halves part.", "Pocket", 8, 400),
    Parameter("picture_width", "picture width", "length", "Width of the picture.", "Picture", 5, 400),
    Parameter("upper_height", "upper half", "length", "Height of the upper half.", "Picture", 3, 400),
    Parameter("lap", "halves lap", "length", "How far the upper half laps the lower one at rest.", "Picture", 0, 20),
    Parameter("slider_width", "slider width", "length", "Width of the slider.", "Slider", 4, 300),
    Parameter("slider_length", "slider length", "length", "Length of the slider.", "Slider", 10, 600),
    Parameter("slider_plies", "plies of slider", "count", "Plies of the slider.", "Slider", 1, 5),
    Parameter("clearance", "side clearance", "length", "Gap wanted beside the slider.", "Slider", 0, 5),
    Parameter("pad_height", "upper half's pad", "length", "Height of the pad under the upper half, along the pull.", "Slider", 2, 200),
    Parameter("strap_at", "strap at", "length", "From the far edge of the card to the strap.", "Strap", 0, 600),
    Parameter("strap_width", "strap width", "length", "Width of the strap, along the pull.", "Strap", 2, 60),
    Parameter("greeting_height", "greeting", "length", "Height of the greeting between the halves.", "Picture", 1, 300),
    *PANEL_BORDERS,
    CUE,
)


@dataclass(frozen=True, slots=True)
class _Places:
    """Along the pull, at rest: pocket, slider, pad and strap; and the middle line."""

    middle: float
    pocket: tuple[float, float]
    slider: tuple[float, float]
    pad: tuple[float, float]
    strap: tuple[float, float]


def _places(values: Values) -> _Places:
    pocket = (number(values, "pocket_from"), number(values, "pocket_from") + number(values, "pocket_height"))
    start = pocket[0] + FOLD_MM + END_GAP_MM
    pad_start = pocket[1] + 2.0
    return _Places(
        number(values, "middle"),
        pocket,
        (start, start + number(values, "slider_length")),
        (pad_start, pad_start + number(values, "pad_height")),
        (number(values, "strap_at"), number(values, "strap_at") + number(values, "strap_width")),
    )


def size(site: Site, kept: Values) -> Values:
    """Both halves as high as the card allows, the strap as high as it can sit."""
    values: Values = {"exit": "up", "cue": "arrow", **kept}
    lay, grid = lay_of(site, values), site.grid_mm
    border = size_border(site, values, "panel_border")
    values.setdefault("clearance", site.needed_gap_mm)
    keep(values, "middle", lay.breadth / 2)
    first = keep(values, "pocket_from", border + 3.0, grid_mm=grid)
    tall = keep(values, "pocket_height", below(0.40 * lay.length, grid))
    wide = keep(values, "picture_width", below(min(0.66 * lay.breadth, lay.breadth - 2 * border - 6.0), grid))
    slider = keep(values, "slider_width", below(max(4.0, wide - 2 * (number(values, "clearance") + 6.0 + 1.0)), grid))
    keep(values, "lap", 1.0, grid_mm=grid)
    keep(values, "pad_height", max(6.0, 0.08 * lay.length), grid_mm=grid)
    strap = keep(values, "strap_width", 8.0, grid_mm=grid)
    top = keep(values, "strap_at", below(lay.length - border - strap - 9.0, grid))
    room = min(tall - 8.0, top - (first + tall + 2.0 + number(values, "pad_height")) - END_GAP_MM)
    if room < 10.0 and "rise" not in values:
        raise RECIPE.refuse(site, f"the upper half would rise by only {max(room, 0):.0f} mm")
    rise = keep(values, "rise", below(room, grid))
    values["strap_at"] = kept.get("strap_at", round(first + tall + 2.0 + number(values, "pad_height") + rise + END_GAP_MM, 4))
    keep(
        values,
        "upper_height",
        below(max(number(values, "pad_height") + 4.0, min(0.34 * lay.length, lay.length - border - 2.0 - first - tall - rise)), grid),
    )
    keep(values, "slider_length", below(lay.length - first - FOLD_MM - END_GAP_MM, grid))
    keep(values, "greeting_height", max(1.0, rise - number(values, "lap") - 3.0))
    if "slider_plies" not in values:
        values["slider_plies"] = plies_to_push(site, width_mm=slider, length_mm=rise + 10.0)
    return values


def sheets(site: Site, values: Values) -> tuple[Sheet, ...]:
    """A mat, glued flat."""
    return (Sheet("panel", bordered_sheet(site, values, "panel")),)


def build(site: Site, mechanism: str, values: Values) -> Piece:
    """Pocket, slider, strap and the two halves, as they lie together."""
    lay = lay_of(site, values)
    places, stack, t, v = _places(values), Stack(site, mechanism), site.stock.caliper_mm, number(values, "middle")
    floor = site.heights.floor_mm + t  # on the pocket's back
    foam = site.catalog.foams[PAD_FOAM]
    half, plies = number(values, "slider_width") / 2, count(values, "slider_plies")
    wide = number(values, "picture_width") / 2
    slider = stack.add(
        "slider",
        "slider",
        "moving",
        LOW,
        lay.region(rectangle(places.slider[0], v - half, max(places.slider[1], places.slider[0] + 2), v + half)),
        floor,
        t * plies,
        plies=plies,
        face="strip",
        stands_out=True,
    )
    high = max(foam.thickness_mm, t * plies + 0.25)
    layers = 1 if high <= foam.thickness_mm + 1e-9 else 2
    high = layers * foam.thickness_mm
    gap = number(values, "clearance")
    back = _add_back(stack, lay, places, max(wide, half + gap + FOOT_MM))
    _add_guides(stack, lay, places, values, half + gap, high, layers, back)
    front = stack.add(
        "pocket",
        "pocket's front",
        "cover",
        HIGH,
        lay.region(rectangle(places.pocket[0], v - wide, places.pocket[1], v + wide)),
        floor + high,
        t,
        face="frame",
    )
    first = places.pocket[0]
    stack.fold(front, back, lay.point(first, v - wide), lay.point(first, v + wide), gap_mm=high, name="pocket's fold")
    strap = stack.add(
        "strap",
        "strap",
        "cover",
        HIGH,
        lay.region(rectangle(places.strap[0], v - half - gap - FOOT_MM, places.strap[1], v + half + gap + FOOT_MM)),
        floor + high,
        t,
        face="frame",
        marks="out",
    )
    stack.glue(strap, f"{mechanism}.foot-low")
    upper = _add_halves(stack, lay, places, values, slider, floor + high + t)
    middle = (places.slider[0] + places.slider[1]) / 2
    path = Segment(lay.point(middle - 60.0, v), lay.point(middle + number(values, "rise") + 200.0, v), zero_mm=60.0)
    joint = Joint(
        f"{mechanism}.slide",
        "slide",
        slider.id,
        site.heights.floor,
        at_a=point_from(slider, lay.point(middle, v)),
        path_b=path,
        turn="fixed",
        clearance_mm=gap,
        guide_mm=max(places.strap[1] - places.pocket[0], 1.0),
    )
    stack.joints.append(joint)
    drive = Drive(mechanism, joint.id, slider.id, "slide", 0.0, number(values, "rise"), 0.0)
    cue = straight_cue(
        mechanism, values, site.heights.floor, lay.point(lay.length - number(values, "panel_border") - 8.0, v + half + 14.0), lay.along, word="pull"
    )
    m = mechanism
    gaps = tuple(WantedGap(slider.id, f"{m}.{name}", gap) for name in ("side-low", "side-high", "foot-low", "foot-high"))
    zones = (
        Zone(upper.id, "front", "art", upper.outline, name="upper half", at={m: 0.0}),
        Zone(f"{m}.lower", "front", "art", next(p for p in stack.parts if p.id == f"{m}.lower").outline, name="lower half", at={m: 0.0}),
        Zone(
            slider.id,
            "front",
            "art",
            seen_from(slider, _greeting(lay, places, values)).exterior.coords[:-1],
            name="greeting",
            at={m: number(values, "rise")},
        ),
    )
    tip = site.ways.fingertip
    notch = lay.notch(number(values, "middle"), tip + 2.0, min(tip, half - 2.0))  # behind the end that is pulled
    return Piece(
        tuple(stack.parts),
        tuple(stack.joints),
        (drive,),
        zones,
        _needs(site, m, lay, places, values, slider, upper),
        tuple(_handles(mechanism, lay, places, values)),
        gaps,
        (cue,),
        {"card.panel": (notch,), "card.front": (notch,)},
        seams=tuple(stack.seams),
    )


def _add_back(stack: Stack, lay: Lay, places: _Places, half: float) -> Part:
    """The pocket's back, stuck to what it stands on; it goes on behind the slider to the strap, so that both stand equally high."""
    first, grid = places.pocket[0], stack.site.grid_mm
    last = first + math.ceil((max(places.strap[1], places.pocket[1]) - first) / grid - 1e-6) * grid
    wide = math.ceil(2 * half / grid - 1e-6) * grid / 2
    region = lay.region(rectangle(first, places.middle - wide, last, places.middle + wide))
    back = stack.add("back", "pocket", "spacer", BED, region, stack.site.heights.floor_mm, stack.site.stock.caliper_mm, face="backing")
    stack.glue(back, stack.site.heights.floor)
    return back


def _add_guides(stack: Stack, lay: Lay, places: _Places, values: Values, inner: float, high: float, layers: int, back: Part) -> None:
    """The pocket's sides, what its fold leaves no room for, and the feet of the strap."""
    foam, v = stack.site.catalog.foams[PAD_FOAM], places.middle
    wide = max(number(values, "picture_width") / 2 - 1.0, inner + 1.0)
    rows = [
        ("side-low", "pocket's first side", places.pocket[0] + 1.0, places.pocket[1] - 1.0, -wide, -inner),
        ("side-high", "pocket's second side", places.pocket[0] + 1.0, places.pocket[1] - 1.0, inner, wide),
        ("foot-low", "strap's first foot", places.strap[0], places.strap[1], -inner - FOOT_MM, -inner),
        ("foot-high", "strap's second foot", places.strap[0], places.strap[1], inner, inner + FOOT_MM),
        ("fold", "pocket's fold", places.pocket[0], places.pocket[0] + FOLD_MM, -inner + 0.5, inner - 0.5),
    ]
    for name, label, start, end, low, far in rows:
        made: dict[str, Any] = {"quantity": 0, "face": "backing"} if name == "fold" else {"stock": foam.id, "plies": layers, "face": "foam"}
        region = lay.region(rectangle(start, v + low, max(end, start + 1.0), v + far))
        if made["face"] == "foam":
            inwards = {"up": ("right", "left"), "down": ("right", "left"), "right": ("up", "down"), "left": ("up", "down")}[lay.exit]
            made |= {"marks": "in", "keeping": inwards[0 if low < 0 else 1]}
        stack.glue(stack.add(name, label, "spacer", LOW, region, back.top_mm, high, through=(MID,), **made), back.id)


def _add_halves(stack: Stack, lay: Lay, places: _Places, values: Values, slider: Part, z: float) -> Part:
    """The lower half on the pocket, the upper one on a pad that ends below the strap at full rise."""
    t, v, half = stack.site.stock.caliper_mm, places.middle, number(values, "picture_width") / 2
    foam = stack.site.catalog.foams[PAD_FOAM]
    lower = stack.add(
        "lower",
        "lower half",
        "decoration",
        PEAK,
        lay.region(rounded_rectangle(places.pocket[0], v - half, places.pocket[1], v + half, radius_mm=1.0)),
        z,
        t,
        face="picture",
    )
    stack.glue(lower, f"{stack.mechanism}.pocket")
    sags = curl_sag_mm(number(values, "slider_width") / 4 + 1.0)  # what a strap between its feet curls by
    tall = z + t + max(0.25, 0.1 + sags) - slider.top_mm
    layers = max(1, -int(-(tall + 1e-9) // foam.thickness_mm) if tall % foam.thickness_mm else int(tall // foam.thickness_mm))
    pad_half = max(2.0, min(number(values, "slider_width") / 2 - 1.0, half - 2.0))
    pad = stack.add(
        "pad",
        "upper half's pad",
        "moving",
        HIGH,
        lay.region(rectangle(places.pad[0], v - pad_half, places.pad[1], v + pad_half)),
        slider.top_mm,
        layers * foam.thickness_mm,
        marks="in",
        keeping=lay.exit,
        stock=foam.id,
        plies=layers,
        face="foam",
        through=(MID, PEAK),
    )
    out = math.hypot(max(0.0, half - pad_half), max(0.0, number(values, "upper_height") - number(values, "pad_height")))
    plies = max(1, math.ceil(out / FAR_MM))
    upper = stack.add(
        "upper",
        "upper half",
        "decoration",
        PEAK + 1,
        lay.region(
            rounded_rectangle(
                places.pocket[1] - number(values, "lap"), v - half, places.pocket[1] + number(values, "upper_height"), v + half, radius_mm=1.0
            )
        ),
        pad.top_mm,
        t * plies,
        plies=plies,
        face="picture",
    )
    stack.glue(pad, slider.id)
    stack.glue(upper, pad.id)
    return upper


def _greeting(lay: Lay, places: _Places, values: Values) -> Any:
    """What comes to light on the slider between the halves."""
    half = number(values, "slider_width") / 2 - 1.0
    top = places.pocket[1] - number(values, "lap") - 1.0
    return lay.region(rectangle(top - number(values, "greeting_height"), places.middle - max(half, 0.5), top, places.middle + max(half, 0.5)))


def _needs(site: Site, m: str, lay: Lay, places: _Places, values: Values, slider: Part, upper: Part) -> tuple[Need, ...]:
    v, end = places.middle, places.slider[1]
    grip = lay.region(rectangle(end - 40.0, v - 0.5, end, v + 0.5))
    guides = (f"{m}.side-low", f"{m}.foot-low")
    tip = lay.point(places.pocket[1] + number(values, "upper_height"), v)
    lap, gap = number(values, "lap"), site.needed_gap_mm
    return (
        Bound(
            f"{m}.lapped",
            m,
            "reveal-rest",
            (upper.id, f"{m}.lower"),
            lap,
            gap,
            "A line of what is behind shows between the halves",
            "Cut by this maker's means, edges that only meet leave a gap now and then.",
            severity="warn",
        ),
        Shown(f"{m}.greeting", m, slider.id, seen_from(slider, _greeting(lay, places, values)), "the greeting", lap_mm=0.5),
        Guided(f"{m}.guided", m, slider.id, guides, lay.along, number(values, "slider_width") / 8, 2 * number(values, "clearance"), in_line=True),
        Pushed(f"{m}.pushed", m, slider.id, (f"{m}.foot-low", f"{m}.foot-high"), lay.along, number(values, "slider_width")),
        Reached(f"{m}.reached", m, slider.id, seen_from(slider, grip), (f"{m}.strap", f"{m}.upper"), lay.along, site.ways.fingertip),
        Steady(f"{m}.steady", m, upper.id, point_from(upper, tip), "the top of the upper half", 3.0),
        Under(f"{m}.side-low-under", m, f"{m}.side-low", f"{m}.pocket", 0.5),
        Under(f"{m}.side-high-under", m, f"{m}.side-high", f"{m}.pocket", 0.5),
    )


def _handles(mechanism: str, lay: Lay, places: _Places, values: Values) -> list[Handle]:
    v, half, rise = places.middle, number(values, "picture_width") / 2, number(values, "rise")
    line = places.pocket[1]

    handle = HandleAlong(mechanism, lay)

    top = line + number(values, "upper_height")
    return [
        handle(
            "rise", "rise", (line + rise, v), lay.along, 1.0, ((line, v + half + 5), (line + rise, v + half + 5)), 0.0, "mechanism", "travel", "fit"
        ),
        handle("pocket_height", "pocket", (line, v - half * 0.7), lay.along, 1.0, ((places.pocket[0], v - half - 5), (line, v - half - 5))),
        handle("upper_height", "upper half", (top, v), lay.along, 1.0, ((line, v - half - 5), (top, v - half - 5))),
        handle(
            "picture_width", "picture", (line - 6, v + half), lay.across, 2.0, ((places.pocket[0] + 5, v - half), (places.pocket[0] + 5, v + half))
        ),
        handle(
            "strap_at",
            "strap",
            (places.strap[0], v + number(values, "slider_width") / 2),
            lay.along,
            1.0,
            ((0.0, v + half + 12), (places.strap[0], v + half + 12)),
        ),
    ]


_SHORTER = Lever("Let it rise {by} less", {"rise": -1.0})
LEVERS: dict[str, tuple[Lever, ...]] = {
    "travel": (
        Lever("Set the strap {by} further up", {"strap_at": 1.0}),
        _SHORTER,
        Lever("Make the pad {by} lower", {"pad_height": -1.0}),
        Lever("Make the pocket {by} lower", {"pocket_height": -1.0}),
    ),
    "stop": (Lever("Set the strap {by} further down", {"strap_at": -1.0}),),
    "clearance": (
        Lever("Make the slider {by} narrower", {"slider_width": -1.0}),
        Lever("Leave {by} more at the sides", {"clearance": 1.0}),
        Lever("Set the strap {by} further up", {"strap_at": 1.0}),
    ),
    "reveal-rest": (
        Lever("Let the halves lap {by} more", {"lap": 1.0}),
        Lever("Make the greeting {by} lower", {"greeting_height": -1.0}),
        Lever("Make the picture {by} wider", {"picture_width": 1.0}),
        Lever("Make the pocket {by} higher", {"pocket_height": 1.0, "strap_at": 1.0}),
    ),
    "reveal-end": (Lever("Make the greeting {by} lower", {"greeting_height": -1.0}), Lever("Let it rise {by} more", {"rise": 1.0, "strap_at": 1.0})),
    "outline": (
        Lever("Make the upper half {by} lower", {"upper_height": -1.0}),
        Lever("Make the picture {by} narrower", {"picture_width": -1.0}),
        Lever("Make the pocket {by} lower", {"pocket_height": -1.0, "strap_at": -1.0}),
        Lever("Move the middle line by {by}", {"middle": 1.0}),
        Lever("Move the middle line by {by}", {"middle": -1.0}),
    ),
    "spacer-shows": (Lever("Make the picture {by} wider", {"picture_width": 1.0}), Lever("Make the slider {by} narrower", {"slider_width": -1.0})),
    "height": (Lever("Use {n} ply(plies) less in the slider", {"slider_plies": -1.0}),),
    "jam": (
        Lever("Make the pocket {by} higher", {"pocket_height": 1.0, "strap_at": 1.0}),
        Lever("Make the slider {by} narrower", {"slider_width": -1.0}),
        _SHORTER,
    ),
    "wobble": (
        Lever("Leave {by} less at the sides", {"clearance": -1.0}),
        Lever("Make the pocket {by} higher", {"pocket_height": 1.0, "strap_at": 1.0}),
        _SHORTER,
    ),
    "buckling": (
        Lever("Laminate {n} more ply(plies) into the slider", {"slider_plies": 1.0}),
        _SHORTER,
        Lever("Make the slider {by} wider", {"slider_width": 1.0}),
    ),
    "reach": (
        Lever("Make the slider {by} longer", {"slider_length": 1.0}),
        Lever("Set the strap {by} further down", {"strap_at": -1.0}),
        Lever("Make the upper half {by} lower", {"upper_height": -1.0}),
    ),
    "envelope": (Lever("Make the slider {by} shorter", {"slider_length": -1.0}),),
    "crossing": (_SHORTER, Lever("Make the picture {by} narrower", {"picture_width": -1.0})),
    "cue": CUE_LEVERS,
}

ADVICE = (
    Advice("lay", "Through the strap before its head is stuck on: the head is wider.", "slider"),
    Advice("glue", "Align both halves along the parting line with the slider home.", "upper"),
)
RECIPE = Recipe(
    "pocket-lift",
    "pocket lift",
    "The halves of a picture part along a line, and a greeting appears between them.",
    PARAMETERS,
    size,
    sheets,
    build,
    LEVERS,
    smallest_mm=(46.0, 74.0),
    verbs=("rise", "part", "cover"),
    shaping=("exit",),
    advice=ADVICE,
)
