"""Louvre shutter: slats woven through a slotted panel close a window, or slip behind the strips above them.

The panel is a ladder of strips, pitch by pitch, between two stiles. Each slat lies before its own strip and goes up through the
slit behind the strip above; all slats are glued to a sliding ladder behind the strips. Three weaves: *lapped* (neighbouring
strips lap by at least what stays in front, so that a retracted slat vanishes), *woven* (a share of each slat stays in front),
*comb* (slats behind the bars of a plain comb, which bare half at most). The ladder runs between foam rails and meets a block at
both ends.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import shapely

from lexipod.assembly import Bound, Covered, Drive, Guided, Handle, Joint, Need, Part, Pushed, Reached, Segment, Shown, Under, WantedGap, Zone
from lexipod.assembly.model import Piece
from lexipod.geometry.shapes import rectangle
from lexipod.mechanics import curl_sag_mm
from lexipod.recipes.kit.cues import CUE, straight_cue
from lexipod.recipes.kit.lay import Lay
from lexipod.recipes.kit.levels import BED, HIGH, LOW, MID
from lexipod.recipes.kit.parameters import Advice, Lever, Parameter, Recipe, Site, Values
from lexipod.recipes.kit.pulls import CUE_LEVERS, plies_to_push
from lexipod.recipes.kit.sheets import Sheet
from lexipod.recipes.kit.stack import Stack, point_from, seen_from
from lexipod.recipes.kit.usual import AIR_MM, END_GAP_MM, FOAM, FOAM_LAYERS, FRAME_BORDERS, bordered_sheet, size_border, size_foam
from lexipod.recipes.kit.values import below, count, keep, number, sized_count

RAIL_FOAM = "foam-1"
JUMPS_MM = 1.0
"""With less of a slat behind a strip (closed) or before one (drawn) it comes out of its slit: our judgement."""
STILE_MM, BAR_MM, STOP_MM = 6.0, 7.0, 4.0

PARAMETERS = (
    Parameter("weave", "weave", "choice", "How the slats go through the panel.", "Slats", choices=("lapped", "woven", "comb")),
    Parameter("slats", "slats", "count", "How many slats close the window.", "Slats", 2, 16),
    Parameter("pitch", "pitch", "length", "From one slit to the next.", "Slats", 4, 100),
    Parameter(
        "front_left",
        "left in front",
        "length",
        "How much of a retracted slat stays before its strip, so that it cannot jump out of the slit.",
        "Slats",
        0,
        50,
    ),
    Parameter("behind_left", "left behind", "length", "How much of an extended slat stays behind the strip above.", "Slats", 0, 50),
    Parameter("slat_width", "slat width", "length", "Width of the slats.", "Slats", 5, 400),
    Parameter("tab_width", "tabs", "length", "How far a slat's tabs stand out, held between two strips; 0: glued to the ladder.", "Slats", 0, 40),
    Parameter("travel", "travel", "length", "How far the ladder slides.", "Motion", 1, 100),
    Parameter("clearance", "side clearance", "length", "Gap wanted beside slats and ladder.", "Slats", 0, 5),
    Parameter("window_from", "window from", "length", "From the bottom edge to the lowest strip.", "Layers", 0, 400),
    Parameter("middle", "middle line", "length", "Middle line of slats and pull, from the left edge.", "Layers", 0, 400),
    Parameter("ladder_plies", "plies of ladder", "count", "Plies of the ladder and its pull.", "Ladder", 1, 4),
    Parameter("pull_width", "width of pull", "length", "Width of the pull.", "Ladder", 4, 100),
    Parameter("notch_depth", "notch depth", "length", "Depth of the finger notch, from the card's edge.", "Ladder", 0, 60),
    Parameter("protrusion", "stands out", "length", "How far the pull stands out of the card at rest.", "Ladder", -20, 100),
    FOAM,
    FOAM_LAYERS,
    *FRAME_BORDERS,
    CUE,
)


@dataclass(frozen=True, slots=True)
class _Rows:
    """Heights from bottom to top, closed: strips, slats, what is seen between them, the window, and the ladder."""

    strips: tuple[tuple[float, float], ...]
    slats: tuple[tuple[float, float], ...]
    seen: tuple[tuple[float, float], ...]
    window: tuple[float, float]
    ladder: tuple[float, float]


def lap_mm(values: Values) -> float:
    """How far a strip hangs over the one below it."""
    return number(values, "front_left") + 0.5 if values["weave"] == "lapped" else 0.0


def rows(values: Values) -> _Rows:
    """Where strips and slats lie when the window is closed."""
    n, p, low = count(values, "slats"), number(values, "pitch"), number(values, "window_from")
    front, behind, lap = number(values, "front_left"), number(values, "behind_left"), lap_mm(values)
    bottom = low - STOP_MM - BAR_MM - END_GAP_MM
    if values["weave"] == "comb":
        bottom = low - BAR_MM - number(values, "travel") - 1.0
        opening = p / 2 - front
        strips = tuple((low + j * p + opening, low + (j + 1) * p) for j in range(n))
        slats = tuple((a - opening - front / 2, a + front / 2) for a, _ in strips)
        seen = tuple((a - opening, a) for a, _ in strips)
        return _Rows(strips, slats, seen, (low, low + n * p), (bottom, low + n * p + 4.0))
    strips = tuple((low + j * p - (lap if j else 0.0), low + (j + 1) * p) for j in range(n))
    header = (low + n * p - lap, low + n * p + max(behind, 1.0) + number(values, "travel") + 1.0)
    slats = tuple((low + j * p, low + j * p + p + behind) for j in range(n))
    seen = tuple((low + j * p, low + (j + 1) * p - max(lap, front)) for j in range(n))
    return _Rows((*strips, header), slats, seen, (low, low + n * p - lap), (bottom, low + n * p + behind))


def size(site: Site, kept: Values) -> Values:
    """Five slats (fewer on a small card) over the upper part of the card; the pull leaves at its top."""
    values: Values = {"weave": "lapped", "cue": "arrow", **kept}
    card, grid = site.card, site.grid_mm
    border = size_border(site, values, "frame_border")
    values.setdefault("clearance", site.needed_gap_mm)
    c = number(values, "clearance")
    keep(values, "middle", card.width_mm / 2)
    side = border + 8.0 + STILE_MM + c
    width = keep(values, "slat_width", below(2 * (min(number(values, "middle"), card.width_mm - number(values, "middle")) - side), grid))
    keep(values, "tab_width", min(6.0, max(3.0, width * 0.1)), grid_mm=grid)
    notch = keep(values, "notch_depth", site.ways.fingertip + 2.0, grid_mm=grid)
    keep(values, "protrusion", 0.0)
    low = keep(
        values,
        "window_from",
        border + 8.0 + STOP_MM + BAR_MM + END_GAP_MM + 2.0 + (0.09 * card.height_mm if values["weave"] == "comb" else 0.0),
        grid_mm=grid,
    )
    room = card.height_mm - low - border - max(notch, 8.0) - STOP_MM - BAR_MM - 3.0
    if (room < 34.0 or width < 16.0) and "pitch" not in kept:
        raise RECIPE.refuse(site, f"only {max(room, 0):.0f} × {max(width, 0):.0f} mm are left for the slats")
    n = sized_count(values, "slats", 5 if room > 66 else 4 if room > 50 else 3)
    pitch = keep(values, "pitch", below(min(room / (n + 1), 26.0), grid))
    keep(values, "front_left", min(4.0, max(2.0, pitch * 0.26)), grid_mm=grid if values["weave"] != "comb" else 1e-4)
    most = number(values, "front_left") - max(c, site.needed_gap_mm) - 0.1
    keep(values, "behind_left", max(1.0, below(min(3.0, most), grid)))
    keep(values, "travel", (pitch - number(values, "front_left")) if values["weave"] != "comb" else pitch / 2)
    pull = keep(values, "pull_width", min(22.0, width * 0.4), grid_mm=grid)
    if "ladder_plies" not in values:
        free = card.height_mm - low - n * pitch - number(values, "behind_left") - BAR_MM - STOP_MM
        values["ladder_plies"] = min(
            4,
            plies_to_push(site, width_mm=pull, length_mm=free),
        )
    curls = curl_sag_mm(site.card.width_mm / 4)  # what a frame between its foams curls by, in the middle of a wide window
    size_foam(site, values, _strips_mm(site, values) + max(4 * site.stock.caliper_mm + AIR_MM, 2 * site.stock.caliper_mm + curls))
    return values


def _rail_layers(site: Site, values: Values) -> int:
    """Layers of the rails' foam: the ladder runs under the strips."""
    bent = 2 if values["weave"] == "comb" else 1  # strips, and the slats under them
    curls = bent * curl_sag_mm(number(values, "slat_width") / 4)  # what these curl by between the stiles
    over = 2 if _tab(values) else int(values["weave"] == "comb")  # tabs of the slats and the strip that holds them, or the slats
    thick = (count(values, "ladder_plies") + over) * site.stock.caliper_mm + max(AIR_MM, curls + 0.05 - (bent - 1) * site.stock.caliper_mm)
    return max(1, -int(-thick // site.catalog.foams[RAIL_FOAM].thickness_mm))


def _strips_mm(site: Site, values: Values) -> float:
    """Height of the strips over the floor."""
    return _rail_layers(site, values) * site.catalog.foams[RAIL_FOAM].thickness_mm


def sheets(site: Site, values: Values) -> tuple[Sheet, ...]:
    """A frame with the window; its foam stays outside stiles, ladder and pull."""
    card, r = site.card, rows(values)
    half, x = number(values, "slat_width") / 2 + number(values, "clearance") + STILE_MM + 0.5, number(values, "middle")
    top = r.ladder[1] + BAR_MM + STOP_MM + number(values, "travel") + 2.0
    pull = number(values, "pull_width") / 2 + 2.0
    clear = (shapely.box(x - half, r.ladder[0] - STOP_MM - 2.0, x + half, top), shapely.box(x - pull, top - 1.0, x + pull, card.height_mm + 5.0))
    return (
        Sheet(
            "frame",
            bordered_sheet(site, values, "frame"),
            str(values["foam"]),
            count(values, "foam_layers"),
            clear,
        ),
    )


def _seen_half(values: Values) -> float:
    """Half the window's width: the slats' ends stay behind the frame, and a comb's ladder too."""
    return max(_slat_half(values) - (8.0 if values["weave"] == "comb" else 1.5), 1.0)


def _slat_half(values: Values) -> float:
    """Half the width of a slat where it is seen: its tabs are wider, to both sides."""
    return number(values, "slat_width") / 2 - _tab(values)


def _tab(values: Values) -> float:
    """How far the tabs stand out; a comb has none."""
    return 0.0 if values["weave"] == "comb" else number(values, "tab_width")


def _box(values: Values, low: float, high: float, half: float) -> Any:
    x = number(values, "middle")
    return shapely.Polygon(rectangle(x - half, low, x + half, max(high, low + 0.5)))


def build(site: Site, mechanism: str, values: Values) -> Piece:
    """Rails, ladder, strips and slats, with the window closed."""
    stack, t, floor, r = Stack(site, mechanism), site.stock.caliper_mm, site.heights.floor_mm, rows(values)
    half, c, x = number(values, "slat_width") / 2, number(values, "clearance"), number(values, "middle")
    top = r.ladder[1] + BAR_MM + STOP_MM + number(values, "travel") + END_GAP_MM
    ladder = _add_ladder(stack, values, r)
    _add_rails(stack, values, r, top)
    strips_z = floor + _strips_mm(site, values)
    stiles = [_add_stiles(stack, values, (r.window[0] - 3.0, top - STOP_MM), strips_z, k) for k in range(2 if lap_mm(values) else 1)]
    comb = values["weave"] == "comb"
    strips, slats = [], []
    for j, (low, high) in enumerate(r.strips):
        under = (f"{mechanism}.slat-{j}", f"{mechanism}.slat-{j - 1}", f"{mechanism}.strip-{j}") if j and not comb else ()
        strip = stack.add(
            f"strip-{j + 1}",
            f"strip {j + 1}",
            "base",
            MID,
            _box(values, low, high, half + c),
            strips_z,
            t,
            face="frame" if comb else "mat",
            over=under,
            slits=(np.array([[0.0, 0.0], [2 * (half + c), 0.0]]),) if j and values["weave"] == "woven" else (),
        )
        left, right = stiles[j % len(stiles)]
        stack.goes_over(strip, left)
        if right.id not in {seam.a for seam in stack.seams}:
            stack.goes_over(right, strip)
        strips.append(strip)
        if j < len(r.slats) and not comb:
            low, high = r.slats[j]
            over = (strip.id, *((f"{mechanism}.slat-{j}", f"{mechanism}.strip-{j}") if j else ()))
            tail = _box(values, high - max(number(values, "behind_left"), 0.6), high, half)
            shape = shapely.union(_box(values, low, high, _slat_half(values)), tail)
            slats.append(stack.add(f"slat-{j + 1}", f"slat {j + 1}", "moving", MID, shape, strips_z, t, face="blade", over=over))
    if comb:
        slats = [
            stack.add(
                f"slat-{j + 1}", f"slat {j + 1}", "moving", LOW, _box(values, low, high, half), floor + (ladder.top_mm - floor), t, face="blade"
            )
            for j, (low, high) in enumerate(r.slats)
        ]
    for slat in slats:
        stack.glue(slat, ladder.id)
    if _tab(values) > 0:
        _add_holding_strips(stack, values, r, ladder)
    path = Segment((x, r.ladder[0] - 60.0), (x, r.ladder[0] + number(values, "travel") + 120.0), zero_mm=60.0)
    joint = Joint(
        f"{mechanism}.slide",
        "slide",
        ladder.id,
        site.heights.floor,
        at_a=point_from(ladder, (x, r.ladder[0])),
        path_b=path,
        turn="fixed",
        clearance_mm=c,
        guide_mm=max(top - r.window[0], 1.0),
    )
    stack.joints.append(joint)
    drive = Drive(mechanism, joint.id, ladder.id, "slide", 0.0, number(values, "travel"), 0.0)
    notch = _notch(site, values)
    inner = _seen_half(values)
    window = shapely.Polygon(rectangle(x - inner, r.window[0], x + inner, r.window[1]))
    openings = {"card.frame": (window, notch), "card.panel": (notch,), "card.front": (notch,)}
    cue = straight_cue(
        mechanism,
        values,
        "card.frame",
        (
            min(x + number(values, "pull_width") / 2 + 9.0, site.card.width_mm - number(values, "frame_border") - 5.0),
            site.card.height_mm - number(values, "frame_border") - 7.0,
        ),
        (0.0, 1.0),
        word="pull",
    )
    m = mechanism
    gaps = tuple(WantedGap(ladder.id, f"{m}.rail-{s}", c) for s in ("left", "right")) + tuple(
        WantedGap(p.id, f"{m}.stile-{s}", c) for p in slats for s in ("left", "right")
    )
    return Piece(
        tuple(stack.parts),
        tuple(stack.joints),
        (drive,),
        _zones(m, values, strips, slats, r),
        _needs(site, m, values, ladder, strips, slats, r),
        tuple(_handles(m, values, r)),
        gaps,
        (cue,),
        {k: tuple(v for v in vs if not v.is_empty) for k, vs in openings.items()},
        seams=tuple(stack.seams),
    )


def _add_stiles(stack: Stack, values: Values, ends: tuple[float, float], z: float, k: int) -> tuple[Part, Part]:
    """The two edges of a slotted sheet beside its slits. Where the strips lap there are two sheets, pushed into each other."""
    half, c, x = number(values, "slat_width") / 2, number(values, "clearance"), number(values, "middle")
    t, made, grid = stack.site.stock.caliper_mm, [], stack.site.grid_mm
    wide = math.floor((2 * (half + c) + 2 * STILE_MM) / grid + 1e-6) * grid / 2 - half - c
    ends = (ends[1] - math.ceil((ends[1] - ends[0]) / grid - 1e-6) * grid, ends[1])
    note = (
        "slotted; the two sheets are pushed into each other, each strip before the one below it, and glued at their edges" if lap_mm(values) else ""
    )
    for name, near in (("left", x - half - c - wide), ("right", x + half + c)):
        label = "slotted sheet" if name == "left" else "slotted sheet's right edge"
        stile = stack.add(
            f"stile-{name}" + ("-2" if k else ""),
            f"{label} {k + 1}" if lap_mm(values) and name == "left" else label,
            "base",
            HIGH if k else MID,
            shapely.Polygon(rectangle(near, ends[0], near + wide, ends[1])),
            z + k * t,
            t,
            face="backing",
            note=note if name == "left" else "",
        )
        stack.glue(stile, f"{stack.mechanism}.rail-{name}")
        made.append(stile)
    return made[0], made[1]


def _notch(site: Site, values: Values) -> Any:
    depth = 0.0 if number(values, "protrusion") > 1.0 else number(values, "notch_depth")
    half = max(4.0, min(depth, number(values, "pull_width") / 2 - 1.0))
    return Lay("up", site.card.width_mm, site.card.height_mm).notch(number(values, "middle"), depth, half)


def _add_ladder(stack: Stack, values: Values, r: _Rows) -> Part:
    """Two side pieces with a bar below and above, and the pull."""
    site, x, half = stack.site, number(values, "middle"), number(values, "slat_width") / 2
    low, high = r.ladder
    end = max(site.card.height_mm + number(values, "protrusion"), high + BAR_MM + 1.0)
    low = end - math.floor((end - low) / site.grid_mm + 1e-6) * site.grid_mm
    outer = _box(values, low, high + BAR_MM, half)
    inner = _box(values, r.ladder[0] + BAR_MM, high, max(half - max(6.0, _tab(values)), 1.0))
    pull = number(values, "pull_width") / 2
    tab = shapely.Polygon(rectangle(x - pull, high + BAR_MM - 0.5, x + pull, end))
    plies = count(values, "ladder_plies")
    return stack.add(
        "ladder",
        "ladder",
        "moving",
        BED,
        shapely.union(shapely.difference(outer, inner), tab),
        site.heights.floor_mm,
        site.stock.caliper_mm * plies,
        plies=plies,
        face="strip",
        stands_out=True,
        note="wax its edges",
    )


def _add_holding_strips(stack: Stack, values: Values, r: _Rows, ladder: Part) -> None:
    """The second strip of each side of the ladder: the slats' tabs lie between the two."""
    x, half, wide = number(values, "middle"), number(values, "slat_width") / 2, number(values, "tab_width")
    low, high, grid = r.ladder[0] + BAR_MM, r.ladder[1], stack.site.grid_mm
    low = high - max(grid, below(high - low, grid))
    for name, near in (("left", x - half), ("right", x + half - wide)):
        region = shapely.Polygon(rectangle(near, low, near + wide, high))
        note = "glued on the ladder between the slats' tabs and over them"
        t = stack.site.stock.caliper_mm
        hold = stack.add(f"hold-{name}", f"{name} strip over the tabs", "moving", LOW, region, ladder.top_mm + t, t, face="strip", note=note)
        stack.glue(hold, ladder.id)


def _add_rails(stack: Stack, values: Values, r: _Rows, top: float) -> None:
    """Foam on both sides of the ladder, and a block that it meets at either end."""
    site, x, half, c = stack.site, number(values, "middle"), number(values, "slat_width") / 2, number(values, "clearance")
    foam, layers = site.catalog.foams[RAIL_FOAM], _rail_layers(site, values)
    pull = number(values, "pull_width") / 2 + c
    low, high = r.ladder[0] - END_GAP_MM - STOP_MM, top
    regions = {
        "rail-left": shapely.box(x - half - c - STILE_MM, low, x - half - c, high),
        "rail-right": shapely.box(x + half + c, low, x + half + c + STILE_MM, high),
        "stop-low": shapely.box(x - half, low, x + half, low + STOP_MM),
        "stop-left": shapely.box(x - half, high - STOP_MM, x - pull, high),
        "stop-right": shapely.box(x + pull, high - STOP_MM, x + half, high),
    }
    labels = {
        "rail-left": "left rail",
        "rail-right": "right rail",
        "stop-low": "lower stop",
        "stop-left": "upper stop, left",
        "stop-right": "upper stop, right",
    }
    for name, region in regions.items():
        if region.area < 1.0:
            continue
        keeping = {"rail-left": "right", "rail-right": "left", "stop-low": "up"}.get(name, "down")
        made = {"stock": foam.id, "plies": layers, "face": "foam", "marks": "in", "keeping": keeping}
        part = stack.add(name, labels[name], "spacer", BED, region, site.heights.floor_mm, layers * foam.thickness_mm, **made)
        stack.glue(part, site.heights.floor)


def _zones(m: str, values: Values, strips: list[Part], slats: list[Part], r: _Rows) -> tuple[Zone, ...]:
    half = _seen_half(values)
    out = [Zone(s.id, "front", "art", s.outline, name=f"slat {k + 1}", at={m: 0.0}) for k, s in enumerate(slats)]
    if values["weave"] != "comb":
        for slat in slats:  # its upper edge stays behind the strip above, which holds it
            (left, bottom), (right, top) = slat.box
            band = rectangle(left, max(bottom, top - number(values, "behind_left")), right, top)
            out.append(Zone(slat.id, "front", "held", band, name="stays behind the strip above"))
        out += [
            Zone(
                strips[j].id,
                "front",
                "art",
                seen_from(strips[j], _box(values, low, high, half)).exterior.coords[:-1],
                name=f"picture {j + 1}",
                at={m: number(values, "travel")},
            )
            for j, (low, high) in enumerate(r.seen)
        ]
    return tuple(out)


def _needs(site: Site, m: str, values: Values, ladder: Part, strips: list[Part], slats: list[Part], r: _Rows) -> tuple[Need, ...]:
    half, x, top = _seen_half(values) - 0.1, number(values, "middle"), site.card.height_mm + number(values, "protrusion")
    rails, c = (f"{m}.rail-left", f"{m}.rail-right"), number(values, "clearance")
    grip = seen_from(ladder, shapely.box(x - 0.5, top - 40.0, x + 0.5, top))
    needs: list[Need] = [
        Guided(f"{m}.guided", m, ladder.id, rails, (0.0, 1.0), number(values, "pull_width") / 4, 2 * c),
        Pushed(f"{m}.pushed", m, ladder.id, rails, (0.0, 1.0), number(values, "pull_width")),
        Reached(f"{m}.reached", m, ladder.id, grip, ("card.frame",), (0.0, 1.0), site.ways.fingertip),
        *(Under(f"{m}.{p}-under", m, f"{m}.{p}", "card.frame", 0.5) for p in ("rail-left", "rail-right", "stop-low")),
    ]
    for j, (low, high) in enumerate(r.seen):
        region = _box(values, low + 0.2, high - 0.2, half)
        if values["weave"] == "comb":
            needs.append(Shown(f"{m}.seen-{j + 1}", m, site.heights.floor, region, f"opening {j + 1}"))
            continue
        part = strips[j]
        needs.append(Shown(f"{m}.seen-{j + 1}", m, part.id, seen_from(part, region), f"picture {j + 1}"))
        slat, edge = slats[j], r.slats[j][1]
        if j + 1 < len(strips):
            kept = _box(values, edge - max(number(values, "behind_left") - 0.1, 0.2), edge - 0.1, half)
            needs.append(
                Covered(f"{m}.tucked-{j + 1}", m, slat.id, seen_from(slat, kept), (strips[j + 1].id,), 0.0, "the slat's upper edge", holds=True)
            )
        held = _box(values, part.region_at_home.bounds[3] - max(c, 0.3), part.region_at_home.bounds[3] - 0.05, half)
        needs.append(
            Covered(f"{m}.held-{j + 1}", m, part.id, seen_from(part, held), (slat.id,), 0.0, "the strip's upper edge under its slat", holds=True)
        )
    if values["weave"] != "comb":
        for name, words in (
            ("behind_left", "closed, so much of it stays behind the strip above"),
            ("front_left", "drawn, so much of it stays in front"),
        ):
            left, why = number(values, name), f"When the shutter is {words}; a slat with less jumps out of its slit."
            side: Literal["block", "warn"] = "block" if left < JUMPS_MM / 2 else "warn"
            needs.append(Bound(f"{m}.{name}", m, "held", (slats[0].id,), left, JUMPS_MM, "The slats jump out of their slits", why, severity=side))
    return tuple(needs)


def _handles(mechanism: str, values: Values, r: _Rows) -> list[Handle]:
    x, half, p, low = number(values, "middle"), number(values, "slat_width") / 2, number(values, "pitch"), number(values, "window_from")
    travel = number(values, "travel")
    side = x + half + number(values, "clearance") + STILE_MM + 4.0
    return [
        Handle(
            mechanism,
            "travel",
            "travel",
            (x, low + travel),
            (0.0, 1.0),
            1.0,
            ((side, low), (side, low + travel)),
            0.0,
            ("mechanism", "travel", "fit"),
        ),
        Handle(mechanism, "pitch", "pitch", (x - half * 0.5, low + p), (0.0, 1.0), 1.0, ((side, low + p), (side, low + 2 * p)), 0.0),
        Handle(
            mechanism,
            "slat_width",
            "slats",
            (x + half, low + 1.5 * p),
            (1.0, 0.0),
            2.0,
            ((x - half, r.window[1] + 3), (x + half, r.window[1] + 3)),
            0.0,
        ),
        Handle(mechanism, "window_from", "window from", (x - half * 0.7, low), (0.0, 1.0), 1.0, ((x - half * 0.7, 0.0), (x - half * 0.7, low)), 0.0),
    ]


LEVERS: dict[str, tuple[Lever, ...]] = {
    "held": (Lever("Leave {by} more behind", {"behind_left": 1.0}), Lever("Leave {by} more in front", {"front_left": 1.0, "travel": -1.0})),
    "travel": (Lever("Slide {by} less", {"travel": -1.0}),),
    "stop": (Lever("Slide {by} less", {"travel": -1.0}),),
    "clearance": (
        Lever("Leave {by} more at the sides", {"clearance": 1.0}),
        Lever("Make the slats {by} narrower", {"slat_width": -1.0}),
        Lever("Make the pull {by} narrower", {"pull_width": -1.0}),
    ),
    "slot-hidden": (
        Lever("Leave {by} more in front, sliding as much less", {"front_left": 1.0, "travel": -1.0}),
        Lever("Slide {by} less", {"travel": -1.0}),
        Lever("Leave {by} more behind", {"behind_left": 1.0}),
        Lever("Leave {by} less behind", {"behind_left": -1.0}),
    ),
    "reveal-rest": (Lever("Leave {by} more behind", {"behind_left": 1.0}), Lever("Make the slats {by} wider", {"slat_width": 1.0})),
    "reveal-end": (
        Lever("Slide {by} further", {"travel": 1.0}),
        Lever("Leave {by} less in front, sliding as much further", {"front_left": -1.0, "travel": 1.0}),
        Lever("Leave {by} more in front under longer laps", {"front_left": 1.0}),
    ),
    "outline": (
        Lever("Make the slats {by} narrower", {"slat_width": -1.0}),
        Lever("Make the pitch {by} smaller", {"pitch": -1.0, "travel": -1.0}),
        Lever("Use {n} slat(s) less", {"slats": -1.0}),
        Lever("Let the window begin {by} lower", {"window_from": -1.0}),
    ),
    "spacer-shows": (
        Lever("Make the slats {by} narrower", {"slat_width": -1.0}),
        Lever("Let the window begin {by} higher", {"window_from": 1.0}),
        Lever("Make the frame's border {by} narrower", {"frame_border": -1.0, "frame_border_y": -1.0}),
        Lever("Make the pitch {by} smaller", {"pitch": -1.0, "travel": -1.0}),
    ),
    "height": (
        Lever("Use {n} more layer(s) of foam under the frame", {"foam_layers": 1.0}),
        Lever("Use {n} ply(plies) less in the ladder", {"ladder_plies": -1.0}),
    ),
    "spare-foam": (Lever("Use one layer of foam less under the frame", {"foam_layers": -1.0}),),
    "jam": (Lever("Make the pull {by} narrower", {"pull_width": -1.0}),),
    "wobble": (Lever("Leave {by} less at the sides", {"clearance": -1.0}),),
    "buckling": (
        Lever("Laminate {n} more ply(plies) into the ladder", {"ladder_plies": 1.0}),
        Lever("Make the pull {by} wider", {"pull_width": 1.0}),
    ),
    "reach": (Lever("Make the notch {by} deeper", {"notch_depth": 1.0}), Lever("Let the pull stand out {by} more", {"protrusion": 1.0})),
    "envelope": (
        Lever("Let the pull stand out {by} less", {"protrusion": -1.0}),
        Lever("Make the frame's border {by} wider", {"frame_border": 1.0, "frame_border_y": 1.0}),
    ),
    "crowded": (Lever("Make the pitch {by} smaller", {"pitch": -1.0, "travel": -1.0}), Lever("Make the slats {by} narrower", {"slat_width": -1.0})),
    "cue": CUE_LEVERS,
}

ADVICE = (
    Advice("glue", "From the lowest slat on; a second strip over the tabs carries the tension.", "slat"),
    Advice("lay", "Weave the slats from the lowest on, bending each over its opening; push home.", "stile"),
    Advice("glue", "Weave the slats from the lowest on, bending each over its opening; push home.", "stile"),
)
RECIPE = Recipe(
    "louvre",
    "louvre shutter",
    "Slats close a window, or slip behind the strips above them and bare the picture.",
    PARAMETERS,
    size,
    sheets,
    build,
    LEVERS,
    smallest_mm=(66.0, 92.0),
    verbs=("open", "cover"),
    shaping=("weave",),
    advice=ADVICE,
    in_hand=True,
)
