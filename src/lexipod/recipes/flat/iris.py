"""Iris: blades behind a round opening close and open it like an eye when a tab is turned.

From the back: a fixed ring with radial slots; the blades, each with its tip hooked through a slot of that ring; a turning ring
with the tab, to which every blade is pinned; a loose top ring. Connectors, stuck to the back of the fixed ring, wrap round the
rim and are glued to the top ring; between two of them the tab can turn. The card holds the connectors' backs, the frame hides
the rings, the tab comes out under the frame's lower edge.

Lengths go with the ring, angles stay: proportions found by search (``benchmarks/find_blades.py``), with the pressure angle at
the tips held below 45 degrees. Open, the blades lie behind the rings; turned clockwise they close.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import shapely
import shapely.affinity

from lexipod.assembly import Bent, Caught, Drive, Driven, Handle, Joint, Land, Need, Part, Reached, Segment, Shown, WantedGap, Zone
from lexipod.assembly.model import Piece
from lexipod.catalog.stocks import Brad
from lexipod.geometry.shapes import circle, rectangle, rounded_rectangle
from lexipod.recipes.kit.cues import CUE, round_cue
from lexipod.recipes.kit.levels import BED, CROWN, HEADS, HIGH, LEGS, LOW, MID, PEAK
from lexipod.recipes.kit.parameters import Advice, Lever, Parameter, Recipe, Site, Values
from lexipod.recipes.kit.pulls import CUE_LEVERS
from lexipod.recipes.kit.sheets import Sheet
from lexipod.recipes.kit.stack import Stack, disc, point_from, seen_from
from lexipod.recipes.kit.usual import (
    AIR_MM,
    BRADS,
    END_GAP_MM,
    FOAM,
    FOAM_LAYERS,
    FRAME_BORDERS,
    PIN_CLEARANCE_MM,
    POLYGON_MM,
    size_border,
    size_foam,
)
from lexipod.recipes.kit.values import below, count, keep, keep_place, number, place

RING_MM = 48.0
"""The ring radius of the proportions below."""
OPENING_MM, INNER_MM, OUTER_MM, PIN_MM, SLOT_TO_MM = 22.0, 22.3, 46.0, 41.5, 43.0
ARC_DEG, PIN_DEG, TIP_DEG, TURN_DEG = 120.0, 4.5, 105.0, 63.0
LEAST_SCALE = 0.6
MOST_PRESSURE_DEG = 45.0
PEG_GAP_MM = 0.3
SLOT_LAND_MM = 1.2
HOOK_MM, NECK_MM = 1.6, 0.8
"""By how much a tip is wider than its neck, to each side, and how long the neck is."""
HOOK_AIR_MM = 0.8
BRAD_LESS_DEG = 8.0
"""How much shorter a blade is where its neighbour turns on a brad, past which it must not come."""
Point = tuple[float, float]

PARAMETERS = (
    Parameter("blades", "blades", "count", "How many blades close the opening.", "Blades", 3, 8),
    Parameter("centre", "middle", "point", "Middle of the opening: from the left and from the bottom edge.", "Rings", 0, 600),
    Parameter("opening_diameter", "opening", "length", "Diameter of the opening.", "Rings", 6, 300),
    Parameter("inner_back", "rings stand back", "length", "How far the rings stand back behind a frame's opening, which hides them.", "Rings", 0, 60),
    Parameter("ring_diameter", "rings", "length", "Outer diameter of the rings.", "Rings", 15, 400),
    Parameter("pin_radius", "blade pins at", "length", "Radius at which the blades are pinned to the turning ring.", "Blades", 5, 200),
    Parameter("pivots", "blades turn on", "choice", "An adhesive dot, or a brad through ring and blade.", "Blades", choices=("dot", "brad")),
    Parameter("pivot_brad", "brad", "choice", "The brad of a blade, where it turns on one.", "Blades", choices=BRADS),
    Parameter("blade_arc", "arc of blade", "angle", "How far a blade reaches round the ring.", "Blades", 30, 200),
    Parameter("pin_end", "pin to blade end", "angle", "From the blade's end to its pin, round the ring.", "Blades", 1, 40),
    Parameter("tip_angle", "pin to tip", "angle", "From the pin to the slot of the tip, round the ring, when open.", "Blades", 20, 179),
    Parameter("slot_from", "slots from", "length", "Radius at which the slots begin: where the tips stop when closed.", "Slots", 2, 200),
    Parameter("slot_to", "slots to", "length", "Radius to which the slots go: where the tips stop when open.", "Slots", 3, 200),
    Parameter("slot_width", "slot width", "length", "Width of the slots.", "Slots", 1, 12),
    Parameter("turn", "turn", "angle", "How far the tab is turned, from closed to open.", "Motion", 5, 150),
    Parameter("rests", "rests", "choice", "How it is when the card is given: closed, or open.", "Motion", choices=("closed", "open")),
    Parameter("connectors", "connectors", "count", "Straps that hold the rings together.", "Straps", 2, 8),
    Parameter("connector_width", "width of connector", "length", "Width of a connector.", "Straps", 3, 60),
    Parameter("clearance", "straps to ring", "length", "Gap between the turning ring's rim and the straps.", "Straps", 0, 5),
    Parameter("tab_angle", "tab at", "angle", "Where the tab stands in the middle of its turn, counter-clockwise from the right.", "Tab", -360, 360),
    Parameter("tab_width", "width of tab", "length", "Width of the tab.", "Tab", 4, 80),
    Parameter("tab_length", "tab beyond ring", "length", "From the ring's rim to the end of the tab.", "Tab", 3, 200),
    Parameter("tab_plies", "plies of ring and tab", "count", "Plies of the turning ring with its tab.", "Tab", 1, 5),
    Parameter(
        "cover_edge", "frame's lower edge", "length", "From the bottom of the card to the frame, under which the tab comes out.", "Layers", 0, 400
    ),
    FOAM,
    FOAM_LAYERS,
    *FRAME_BORDERS,
    CUE,
)


def size(site: Site, kept: Values) -> Values:
    """The largest rings that leave room for the tab below them."""
    values: Values = {
        "blades": 3,
        "connectors": 3,
        "tab_angle": -90.0,
        "tab_plies": 2,
        "cue": "arrow",
        "rests": "closed",
        "pivots": "dot",
        "pivot_brad": "mini-3",
        "inner_back": 0.0,
        "blade_arc": ARC_DEG - (BRAD_LESS_DEG if kept.get("pivots") == "brad" else 0.0),
        "pin_end": PIN_DEG,
        "tip_angle": TIP_DEG,
        "turn": TURN_DEG,
        **kept,
    }
    card, grid = site.card, site.grid_mm
    border = size_border(site, values, "frame_border", least_mm=min(11.0, 3.0 + 2.0 * (count(values, "blades") - 3)))
    values.setdefault("clearance", site.needed_gap_mm)
    spare = number(values, "clearance") + 3.0
    half_turn = math.radians(number(values, "turn") / 2)
    reach = site.ways.fingertip + 2.0
    tall = (card.height_mm - border - spare - 4.0 - (4.0 + reach) / math.cos(half_turn)) / (RING_MM * (1 + 1 / math.cos(half_turn)))
    scale = min((card.width_mm / 2 - border - spare) / RING_MM, tall, 1.6)
    if scale < LEAST_SCALE and "ring_diameter" not in kept:
        raise RECIPE.refuse(site, f"the opening could be only {max(2 * OPENING_MM * scale, 0):.0f} mm across")
    ring = keep(values, "ring_diameter", below(2 * RING_MM * scale, grid)) / 2
    k = ring / RING_MM
    keep(values, "opening_diameter", 2 * OPENING_MM * k)
    keep(values, "pin_radius", PIN_MM * k)
    keep(values, "slot_width", max(2.0, 3.0 * k))
    keep(values, "slot_to", SLOT_TO_MM * k)
    keep(values, "slot_from", _least_tip_mm(values))
    between = math.radians(360.0 / count(values, "connectors") - number(values, "turn") - 4.0) * ring
    keep(values, "tab_width", max(8.0, min(16.0 * k, between / 2)), grid_mm=grid)
    keep(values, "connector_width", max(6.0, min(16.0 * k, between - number(values, "tab_width"))), grid_mm=grid)
    edge = ring + spare
    keep(values, "tab_length", (edge + reach + 1.0) / math.cos(half_turn) - ring, grid_mm=grid)
    centre = card.height_mm - border - spare - ring
    keep_place(values, "centre", card.width_mm / 2, centre)
    top = card.height_mm - border
    keep(values, "cover_edge", top - math.ceil((top - place(values, "centre")[1] + edge) / grid - 1e-6) * grid, grid_mm=1e-4)
    size_foam(site, values, _stack_mm(site, values)[-1])
    return values


def _chord(values: Values) -> float:
    """From a blade's pin to its tip."""
    pin, tip, turn = number(values, "pin_radius"), number(values, "slot_to"), math.radians(number(values, "tip_angle"))
    return math.sqrt(pin * pin + tip * tip - 2 * pin * tip * math.cos(turn))


def tip_radius(values: Values, turned_deg: float) -> float:
    """Radius of a tip when the ring is turned from open towards closed: the slider-crank's closed form; NaN past its dead point."""
    pin, chord = number(values, "pin_radius"), _chord(values)
    delta = math.radians(number(values, "tip_angle") + turned_deg)
    square = chord**2 - (pin * math.sin(delta)) ** 2
    return pin * math.cos(delta) + math.sqrt(square) if square >= 0 else math.nan


def _least_tip_mm(values: Values) -> float:
    """The least radius of the tips: the tip turns round inside the range where pin and slot are opposite."""
    turn, opposite = number(values, "turn"), 180.0 - number(values, "tip_angle")
    radii = [tip_radius(values, t) for t in (0.0, turn, *([opposite] if 0 < opposite < turn else []))]
    found = [r for r in radii if math.isfinite(r)]
    return min(found, default=number(values, "slot_to") * 0.6)


def _stack_mm(site: Site, values: Values) -> tuple[float, ...]:
    """Over the floor: fixed ring, blades, turning ring, top ring, laps of the connectors, and what the frame must clear."""
    t = site.stock.caliper_mm
    brad = _pivot_brad(site, values)
    legs, head = (brad.legs_thickness_mm, brad.head_thickness_mm + AIR_MM) if brad else (0.0, 0.0)
    blades = 2 * t + AIR_MM + legs
    ring = blades + count(values, "blades") * t + AIR_MM
    top = ring + count(values, "tab_plies") * t + AIR_MM + head
    return t, blades, ring, top, top + t, top + 2 * t


def _pivot_brad(site: Site, values: Values) -> Brad | None:
    """The brad on which a blade turns; None for a dot."""
    return site.catalog.brads[str(values["pivot_brad"])] if values["pivots"] == "brad" else None


def sheets(site: Site, values: Values) -> tuple[Sheet, ...]:
    """A frame over the rings down to the edge under which the tab comes out; its foam stays outside rings, straps and tab."""
    card, border, (x, y) = site.card, number(values, "frame_border"), place(values, "centre")
    high = card.height_mm - number(values, "frame_border_y")
    ring = number(values, "ring_diameter") / 2
    low = min(max(number(values, "cover_edge"), 0.0), high - 5.0)
    region = shapely.Polygon(rectangle(border, low, card.width_mm - border, high))
    rim = disc((x, y), ring + number(values, "clearance") + 2.0)
    middle, half = math.radians(number(values, "tab_angle")), math.radians(number(values, "turn") / 2)
    tip, side = ring + number(values, "tab_length") + 2.0, number(values, "tab_width") / 2 + 3.0
    half = max(half + side / ring, math.pi / count(values, "connectors") - 0.02)
    angles = [middle - half + 2 * half * k / 16 for k in range(17)]
    fan = shapely.Polygon([(x, y), *((x + tip * math.cos(a), y + tip * math.sin(a)) for a in angles)])
    return (Sheet("frame", region, str(values["foam"]), count(values, "foam_layers"), (rim, fan)),)


def _inside(values: Values) -> float:
    """Radius inside the rings."""
    return number(values, "opening_diameter") / 2 + number(values, "inner_back")


def _ring(values: Values, radius: float | None = None) -> Any:
    """A ring round the opening."""
    centre, inner = place(values, "centre"), _inside(values)
    outer = radius or number(values, "ring_diameter") / 2
    return shapely.Polygon(
        circle(centre, radius_mm=max(outer, inner + 1.0), chord_error_mm=0.02), [circle(centre, radius_mm=inner, chord_error_mm=0.01)]
    )


def _at(values: Values, radius: float, angle_deg: float) -> tuple[float, float]:
    (x, y), turn = place(values, "centre"), math.radians(angle_deg)
    return x + radius * math.cos(turn), y + radius * math.sin(turn)


def pin_angle(values: Values, k: int) -> float:
    """Where blade ``k`` is pinned when open."""
    return number(values, "tab_angle") + number(values, "turn") / 2 + 30.0 + 360.0 * k / count(values, "blades")


def _blade(values: Values, k: int) -> Any:
    """A sector of a ring that hides behind the rings when open."""
    scale = number(values, "ring_diameter") / 2 / RING_MM
    inner, outer = number(values, "opening_diameter") / 2 + (INNER_MM - OPENING_MM) * scale, OUTER_MM * scale
    outer = max(outer, inner + 2.0)
    start = pin_angle(values, k) - number(values, "pin_end")
    turns = np.linspace(start, start + number(values, "blade_arc"), 37)
    points = [_at(values, outer, a) for a in turns] + [_at(values, inner, a) for a in turns[::-1]]
    return shapely.Polygon(points)


def build(site: Site, mechanism: str, values: Values) -> Piece:
    """Rings, blades and connectors as they lie when open."""
    stack, t, floor = Stack(site, mechanism), site.stock.caliper_mm, site.heights.floor_mm
    fixed_z, blades_z, ring_z, top_z, lap_z, _ = _stack_mm(site, values)
    n = count(values, "blades")
    half_slot = number(values, "slot_width") / 2
    peg = max(0.4, half_slot - PEG_GAP_MM)
    slots = [_slot(values, k, half_slot, peg) for k in range(n)]
    fixed = stack.add(
        "fixed-ring", "slotted ring", "base", LOW, shapely.difference(_ring(values), shapely.union_all(slots)), floor + fixed_z, t, face="ring"
    )
    stack.glue(fixed, site.heights.floor)
    blades = _add_blades(stack, values, fixed, floor, (fixed_z, blades_z), peg)
    ring = stack.add(
        "ring",
        "turning ring",
        "moving",
        HIGH,
        shapely.union(_ring(values), _tab(values)),
        floor + ring_z,
        t * count(values, "tab_plies"),
        plies=count(values, "tab_plies"),
        face="ring",
    )
    top = stack.add("top-ring", "top ring", "cover", PEAK, _ring(values), floor + top_z, t, face="ring")
    stack.glue(top, fixed.id)
    _add_connectors(stack, values, fixed, floor, lap_z, peg)
    centre = place(values, "centre")
    is_open = values["rests"] == "open"  # then the way is counted from open to closed, the other way round
    pin = stack.pin("turn", *((fixed, ring) if is_open else (ring, fixed)), centre, clearance_mm=number(values, "clearance"))
    brad = _pivot_brad(site, values)
    for k, blade in enumerate(blades):
        at = _at(values, number(values, "pin_radius"), pin_angle(values, k))
        on = ring
        if brad is not None:
            heights = (floor + blades_z, ring.top_mm + AIR_MM)
            bearing, turned = brad.hole_mm - 2 * PIN_CLEARANCE_MM, pin_angle(values, k) + 135.0
            on = stack.brad(
                f"brad-{k + 1}",
                f"brad of blade {k + 1}",
                at,
                brad,
                levels=(LEGS, HEADS),
                heights=heights,
                shank_mm=bearing,
                to=ring.id,
                legs_deg=turned,
                glides=True,
            )
        stack.pin(f"pin-{k + 1}", blade, on, at, clearance_mm=0.1 if brad is None else PIN_CLEARANCE_MM)
    turn = number(values, "turn")
    drive = Drive(mechanism, pin.id, ring.id, "turn", 0.0, turn, 0.0 if is_open else turn)
    opening = disc(centre, number(values, "opening_diameter") / 2)
    tip_at = _at(values, number(values, "ring_diameter") / 2 + 4.0, number(values, "tab_angle") + (-1 if is_open else 1) * (turn / 2 + 26.0))
    low = number(values, "cover_edge")
    cue_at = (tip_at[0], min(tip_at[1], low - 5.0))
    cue = round_cue(mechanism, values, site.heights.floor, cue_at, centre, clockwise=is_open, word="turn" if is_open else "open")
    return Piece(
        tuple(stack.parts),
        tuple(stack.joints),
        (drive,),
        _zones(mechanism, blades),
        _needs(site, mechanism, values, ring, fixed, slots),
        tuple(_handles(mechanism, values)),
        _gaps(mechanism, values, n),
        (cue,),
        {"card.frame": (opening,)},
        seams=tuple(stack.seams),
    )


def _slot(values: Values, k: int, half: float, peg: float) -> Any:
    """A radial slot whose round ends meet the peg where its way ends."""
    angle, back = pin_angle(values, k) + number(values, "tip_angle"), half - peg
    inner, outer = _tip_way(values)
    ends = [_at(values, r, angle) for r in (inner + back, max(outer - back, inner + back + 0.1))]
    return shapely.LineString(ends).buffer(half, quad_segs=16)


def _tip_way(values: Values) -> tuple[float, float]:
    """Least and greatest radius of a tip, with a little way to spare at both ends."""
    inner, outer = number(values, "slot_from") - END_GAP_MM, number(values, "slot_to") + END_GAP_MM
    return inner, max(outer, inner + 0.5)


def _add_blades(stack: Stack, values: Values, fixed: Part, floor: float, heights: tuple[float, float], peg: float) -> list[Part]:
    """Each blade over the ones before it, with a tip folded through its slot and hooked behind the ring."""
    t, n, m = stack.site.stock.caliper_mm, count(values, "blades"), stack.mechanism
    out = []
    for k in range(n):
        under = tuple(f"{m}.blade-{(k - d) % n + 1}" for d in range(1, n // 2 + 1) if 2 * d < n or k >= n // 2)
        tip = _at(values, number(values, "slot_to"), pin_angle(values, k) + number(values, "tip_angle"))
        behind, flat, line = _hook(values, k, peg)
        brad = _pivot_brad(stack.site, values)
        at = _at(values, number(values, "pin_radius"), pin_angle(values, k))
        hole = flat if brad is None else shapely.union(flat, disc(at, brad.hole_mm / 2))
        blade = stack.add(
            f"blade-{k + 1}",
            f"blade {k + 1}",
            "moving",
            MID,
            shapely.difference(_blade(values, k), hole),
            floor + heights[1],
            t,
            face="blade",
            over=under,
            note="pivot: adhesive dot; its size decides how easily it turns" if brad is None else "",
        )
        pin = stack.add(
            f"tip-{k + 1}",
            f"tip {k + 1}",
            "moving",
            LOW,
            disc(tip, peg),
            floor + heights[0],
            heights[1] - heights[0],
            face="blade",
            joins=(f"{m}.hook-{k + 1}", blade.id),
            through=(LEGS,),
            quantity=0,
            glides=True,
        )
        hook = stack.add(f"hook-{k + 1}", f"hook {k + 1}", "moving", BED, behind, floor, t, face="blade", glides=True)
        stack.glue(pin, blade.id)
        stack.fold(hook, blade, *line, name="tip, through its slot and over behind the ring, not glued")
        angle = pin_angle(values, k) + number(values, "tip_angle")
        inner, outer = _tip_way(values)
        path = Segment(point_from(fixed, _at(values, inner, angle)), point_from(fixed, _at(values, outer, angle)))
        stack.joints.append(
            Joint(
                f"{m}.slot-{k + 1}", "slot", pin.id, fixed.id, at_a=point_from(pin, tip), path_b=path, ends=("stop", "stop"), clearance_mm=PEG_GAP_MM
            )
        )
        out.append(blade)
    return out


def _hook(values: Values, k: int, peg: float) -> tuple[Any, Any, tuple[Point, Point]]:
    """The tip of a blade where it lies behind the ring, and as it is cut in the blade, beyond the line about which it is folded."""
    angle = math.radians(pin_angle(values, k) + number(values, "tip_angle"))
    x, y = _at(values, number(values, "slot_to"), math.degrees(angle))
    half = peg + HOOK_MM
    head = shapely.Polygon(rounded_rectangle(NECK_MM, -half, 2 * half, half, radius_mm=1.0))
    shape = shapely.union(head, shapely.box(0.0, -peg, NECK_MM + 0.01, peg))  # along x away from the fold, y along the ring's radius

    def laid(side: float) -> Any:
        back = np.array([math.sin(angle), -math.cos(angle)]) * side
        out = np.array([math.cos(angle), math.sin(angle)])
        return shapely.transform(shape, lambda xy: np.outer(xy[:, 0], back) + np.outer(xy[:, 1], out) + (x, y))

    along = (math.cos(angle) * peg, math.sin(angle) * peg)
    return laid(1.0), laid(-1.0), ((x - along[0], y - along[1]), (x + along[0], y + along[1]))


def _hook_places(values: Values, k: int, peg: float) -> list[Any]:
    """A hook behind the ring at some positions of the tab, close together: its tip runs in the slot, and it turns with its blade."""
    behind, turn = _hook(values, k, peg)[0], number(values, "turn")
    angle, pin = pin_angle(values, k) + number(values, "tip_angle"), number(values, "pin_radius")

    def heading(turned_deg: float) -> tuple[Any, float]:
        tip, to = np.array(_at(values, tip_radius(values, turned_deg), angle)), _at(values, pin, pin_angle(values, k) - turned_deg)
        return tip, math.degrees(math.atan2(to[1] - tip[1], to[0] - tip[0]))

    start, first = heading(0.0)
    laid = []
    for turned_deg in np.linspace(0.0, turn, 13):
        if math.isnan(tip_radius(values, turned_deg)):
            break
        tip, now = heading(turned_deg)
        laid.append(shapely.affinity.translate(shapely.affinity.rotate(behind, now - first, origin=tuple(start)), *(tip - start)))
    return laid


def _tab(values: Values) -> Any:
    """The tab as it stands when open, from inside the rim to its end."""
    ring, half = number(values, "ring_diameter") / 2, number(values, "tab_width") / 2
    (x, y), turn = place(values, "centre"), number(values, "tab_angle") + number(values, "turn") / 2
    inner = (_inside(values) + ring) / 2
    flat = shapely.Polygon(rectangle(inner, -half, ring + number(values, "tab_length"), half)).buffer(-1.5).buffer(1.5, quad_segs=6)
    return shapely.affinity.translate(shapely.affinity.rotate(flat, turn, origin=(0, 0)), x, y)


def connector_angles(values: Values) -> list[float]:
    """Where the connectors sit: the tab stands midway between two of them in the middle of its turn."""
    m = count(values, "connectors")
    return [number(values, "tab_angle") + 180.0 / m + 360.0 * k / m for k in range(m)]


def _add_connectors(stack: Stack, values: Values, fixed: Part, floor: float, lap_z: float, peg: float) -> None:
    """Each one lies behind the fixed ring, comes up beside the rim and laps the top ring."""
    t, (x, y), half = stack.site.stock.caliper_mm, place(values, "centre"), number(values, "connector_width") / 2
    ring, gap = number(values, "ring_diameter") / 2, number(values, "clearance")
    inner = (_inside(values) + 2 * ring) / 3
    corner = math.sqrt(max((ring + gap) ** 2 - half**2, 1.0))
    hooks = shapely.buffer([hook for k in range(count(values, "blades")) for hook in _hook_places(values, k, peg)], HOOK_AIR_MM)
    angles = connector_angles(values)
    far = ring + gap + t
    long = math.ceil((far - max(inner, corner - 8.0)) / stack.site.grid_mm - 1e-6) * stack.site.grid_mm
    whole = shapely.box(far - long, -half, far, half)

    def in_the_way(angle: float) -> Any:
        """Hooks that come where a strap lies, as seen from it."""
        cos, sin = math.cos(math.radians(angle)), math.sin(math.radians(angle))
        upright = shapely.transform(hooks, lambda xy: (xy - (x, y)) @ np.array([[cos, -sin], [sin, cos]]))
        return upright[shapely.intersects(upright, whole)]

    back = shapely.difference(whole, shapely.union_all(np.concatenate([in_the_way(angle) for angle in angles])))  # all straps are cut alike
    for k, angle in enumerate(angles):

        def turned(region: Any, angle: float = angle) -> Any:
            return shapely.affinity.translate(shapely.affinity.rotate(region, angle, origin=(0, 0)), x, y)

        base = stack.add(
            f"connector-{k + 1}",
            f"connector {k + 1}",
            "base",
            BED,
            turned(back),
            floor,
            t,
            face="backing",
            note="one strap: behind the ring, loosely round its rim, glued on the top ring",
        )
        stack.glue(base, fixed.id)
        wall = stack.add(
            f"wall-{k + 1}",
            f"connector {k + 1} beside the rim",
            "base",
            HIGH,
            turned(shapely.box(ring + gap, -half, ring + gap + t, half)),
            floor,
            lap_z,
            face="backing",
            through=(LOW, LEGS, MID, HEADS, PEAK),
            quantity=0,
        )
        lap = stack.add(
            f"lap-{k + 1}",
            f"connector {k + 1} over the top ring",
            "base",
            CROWN,
            turned(whole),
            floor + lap_z,
            t,
            face="backing",
        )
        rim = [shapely.get_coordinates(turned(shapely.Point(ring + gap + t, v)))[0] for v in (-half, half)]
        ends = [(float(a), float(b)) for a, b in rim]
        stack.fold(lap, base, ends[0], ends[1], gap_mm=lap_z - t, name="round the rim")
        stack.glue(wall, base.id)


def _gaps(mechanism: str, values: Values, n: int) -> tuple[WantedGap, ...]:
    m, rim = mechanism, max(0.0, number(values, "clearance") - POLYGON_MM)
    walls = tuple(WantedGap(f"{m}.ring", f"{m}.wall-{k + 1}", rim) for k in range(count(values, "connectors")))
    pins = (WantedGap(f"{m}.blade-{k + 1}", f"{m}.brad-{k + 1}-shank", PIN_CLEARANCE_MM - POLYGON_MM, "hole") for k in range(n))
    tips = (WantedGap(f"{m}.tip-{k + 1}", f"{m}.fixed-ring", PEG_GAP_MM - 2 * POLYGON_MM, "guide") for k in range(n))
    return (*walls, *tips, *(pins if values["pivots"] == "brad" else ()))


def _zones(mechanism: str, blades: list[Part]) -> tuple[Zone, ...]:
    return tuple(Zone(b.id, "front", "art", b.outline, name=f"blade {k + 1}", at={mechanism: 0.0}) for k, b in enumerate(blades))


def _needs(site: Site, mechanism: str, values: Values, ring: Part, fixed: Part, slots: list[Any]) -> tuple[Need, ...]:
    m, centre, n = mechanism, place(values, "centre"), count(values, "blades")
    hole = disc(centre, number(values, "opening_diameter") / 2 - 0.1)
    outer, middle = number(values, "ring_diameter") / 2, number(values, "tab_angle")
    tab = seen_from(ring, shapely.difference(_tab(values), disc(centre, outer - 1.0)))
    x, y = math.cos(math.radians(middle)), math.sin(math.radians(middle))
    plain = seen_from(fixed, _ring(values))
    return (
        Shown(f"{m}.opening", m, "card.front", hole, "what is behind the opening", lap_mm=0.02, opens=True, closes=values["rests"] == "open"),
        Reached(f"{m}.reached", m, ring.id, tab, ("card.frame",), (x, y), site.ways.fingertip, "always"),
        Bent(f"{m}.bent", m, ring.id, number(values, "tab_length") + 4.0, number(values, "tab_width"), 4.0),
        *(Caught(f"{m}.hook-{k + 1}-held", m, f"{m}.hook-{k + 1}", fixed.id, seen_from(fixed, slots[k]), 1.0) for k in range(n)),
        Land(f"{m}.land", m, fixed.id, seen_from(fixed, slots[0]), plain, SLOT_LAND_MM, "the tip's slot"),
        Driven(f"{m}.driven", m, f"{m}.slot-1", f"{m}.pin-1", None, "a blade's tip", MOST_PRESSURE_DEG),
    )


def _handles(mechanism: str, values: Values) -> list[Handle]:
    (x, y), ring, hole = place(values, "centre"), number(values, "ring_diameter") / 2, number(values, "opening_diameter") / 2
    open_at = number(values, "tab_angle") + number(values, "turn") / 2
    tip = _at(values, ring + number(values, "tab_length"), open_at)
    along = (math.cos(math.radians(open_at)), math.sin(math.radians(open_at)))
    rim = _at(values, ring, open_at)
    return [
        Handle(mechanism, "centre", "middle", (x, y), (1.0, 0.0), 1.0, ((0.0, y), (x, y)), 0.0, cross=(0.0, 1.0)),
        Handle(
            mechanism,
            "ring_diameter",
            "rings",
            (x - ring * 0.7071, y + ring * 0.7071),
            (-0.7071, 0.7071),
            2.0,
            ((x - ring, y + ring), (x + ring, y + ring)),
            -2.0,
        ),
        Handle(mechanism, "opening_diameter", "opening", (x + hole, y), (1.0, 0.0), 2.0, ((x - hole, y), (x + hole, y)), 7.0),
        Handle(mechanism, "tab_length", "tab", tip, along, 1.0, (rim, tip), 10.0),
        Handle(
            mechanism,
            "cover_edge",
            "frame from",
            (x - ring * 0.85, number(values, "cover_edge")),
            (0.0, 1.0),
            1.0,
            ((x - ring * 0.85, 0.0), (x - ring * 0.85, number(values, "cover_edge"))),
            0.0,
        ),
        Handle(
            mechanism,
            "turn",
            "turn",
            _at(values, ring + number(values, "tab_length") * 0.6, open_at),
            (-along[1], along[0]),
            2.0,
            (rim, tip),
            0.0,
            about=(x, y),
        ),
    ]


LEVERS: dict[str, tuple[Lever, ...]] = {
    "narrow": (Lever("Let the rings stand back {by} less", {"inner_back": -1.0}),),
    "travel": (
        Lever("Let the slots go {by} further out", {"slot_to": 1.0}),
        Lever("Let the slots begin {by} further in", {"slot_from": -1.0}),
        Lever("Turn {by} less", {"turn": -1.0}),
        Lever("Make the connectors {by} narrower", {"connector_width": -1.0}),
        Lever("Make the tab {by} narrower", {"tab_width": -1.0}),
        Lever("Use {n} connector(s) less", {"connectors": -1.0}),
    ),
    "stop": (Lever("Turn {by} less", {"turn": -1.0}),),
    "clearance": (
        Lever("Leave {by} more between straps and ring", {"clearance": 1.0}),
        Lever("Make the slots {by} wider", {"slot_width": 1.0}),
        Lever("Make the connectors {by} narrower", {"connector_width": -1.0}),
    ),
    "reveal-rest": (
        Lever("Make the opening {by} smaller", {"opening_diameter": -1.0}),
        Lever("Turn {by} more", {"turn": 1.0}),
        Lever("Let the blades reach {by} further round", {"blade_arc": 1.0}),
    ),
    "reveal-end": (
        Lever("Make the opening {by} smaller", {"opening_diameter": -1.0}),
        Lever("Turn {by} less", {"turn": -1.0}),
        Lever("Make the rings {by} larger", {"ring_diameter": 1.0}),
    ),
    "reach": (
        Lever("Make the tab {by} longer", {"tab_length": 1.0}),
        Lever("Let the frame end {by} higher", {"cover_edge": 1.0}),
        Lever("Make the tab {by} longer and let the frame end {by} higher", {"tab_length": 1.0, "cover_edge": 1.0}),
    ),
    "outline": (
        Lever("Make the tab {by} shorter", {"tab_length": -1.0}),
        Lever("Move the middle {by} up", {"centre.y": 1.0}),
        Lever("Move the middle {by} to the right", {"centre.x": 1.0}),
        Lever("Move the middle {by} to the left", {"centre.x": -1.0}),
        Lever("Make the rings {by} smaller", {"ring_diameter": -1.0}),
        Lever("Move the middle {by} down", {"centre.y": -1.0}),
    ),
    "height": (
        Lever("Use {n} more layer(s) of foam under the frame", {"foam_layers": 1.0}),
        Lever("Use {n} ply(plies) less in ring and tab", {"tab_plies": -1.0}),
    ),
    "spare-foam": (Lever("Use one layer of foam less under the frame", {"foam_layers": -1.0}),),
    "bending": (
        Lever("Laminate {n} more ply(plies) into ring and tab", {"tab_plies": 1.0}),
        Lever("Make the tab {by} shorter", {"tab_length": -1.0}),
        Lever("Make the tab {by} wider", {"tab_width": 1.0}),
    ),
    "held": (Lever("Make the slots {by} narrower", {"slot_width": -1.0}),),
    "land": (
        Lever("Let the rings stand back {by} less", {"inner_back": -1.0}),
        Lever("Let the slots begin {by} further out", {"slot_from": 1.0}),
        Lever("Let the slots end {by} further in", {"slot_to": -1.0}),
        Lever("Make the opening {by} smaller", {"opening_diameter": -1.0}),
    ),
    "push": (
        Lever("Turn {by} less", {"turn": -1.0}),
        Lever("Pin the blades {by} further in", {"pin_radius": -1.0}),
        Lever("Set the slots {by} further round", {"tip_angle": 1.0}),
    ),
    "envelope": (
        Lever("Make the tab {by} shorter", {"tab_length": -1.0}),
        Lever("Make the frame's border {by} wider", {"frame_border": 1.0, "frame_border_y": 1.0}),
    ),
    "crowded": (Lever("Make the rings {by} smaller", {"ring_diameter": -1.0}), Lever("Move the middle {by} down", {"centre.y": -1.0})),
    "cue": CUE_LEVERS,
}

ADVICE = (
    Advice("lay", "Hook each blade’s tip into its slot at the outer end, and swing until the curves match.", "blade"),
    Advice("lay", "A small adhesive dot on each mark of the blades is their pivot: the smaller, the easier it turns.", "ring"),
    Advice("glue", "Their legs stand out, their inner ends short of the opening.", "connector"),
    Advice("test", "The tab must be long enough, and clear of the edge, at both ends of its arc."),
)
RECIPE = Recipe(
    "iris",
    "iris",
    "Blades close and open a round window like an eye when a tab is turned.",
    PARAMETERS,
    size,
    sheets,
    build,
    LEVERS,
    smallest_mm=(78.0, 95.0),
    verbs=("open", "cover"),
    shaping=("blades", "connectors", "rests", "pivots"),
    advice=ADVICE,
)
