"""Wiper: two equal sheets, scored into main, strut and flange, are pulled apart, and a leaf swings out over the edge.

Each flange is glued to the far end of the other main, so that the two struts carry the mains as a parallelogram. Pulled apart,
the struts turn over; a leaf that hangs on a strut by one corner triangle turns by twice the angle of its crease.
"""

from __future__ import annotations

import math

import numpy as np
import shapely

from lexipod.assembly import Bound, Drive, FlatState, GlueFlap, Handle, Opens, Panel, Reading, SeenAt, Stage
from lexipod.assembly.folding import FoldJoint
from lexipod.assembly.model import Piece
from lexipod.geometry.space import planar_frame, turned_over
from lexipod.mechanics import least_bend_radius_mm, swung_leaf_radius_mm
from lexipod.recipes.kit.folds import Folds, box
from lexipod.recipes.kit.parameters import Advice, Lever, Parameter, Recipe, Site, Values
from lexipod.recipes.kit.sheets import Sheet
from lexipod.recipes.kit.values import below, keep, number

SPARE_MM = 1.5
ON_THE_WAY = 37
"""So many positions are looked at for what the leaf sweeps."""
LAYERS_IN_STRUT = 3

PARAMETERS = (
    Parameter("main", "main", "length", "Width of the large panel of each sheet.", "Sheets", 20, 400),
    Parameter("strut", "strut", "length", "Width of the panel that turns over.", "Sheets", 5, 150),
    Parameter("flange", "flange", "length", "Width of the panel that is glued to the other sheet.", "Sheets", 5, 150),
    Parameter("height", "height", "length", "Height of both sheets.", "Sheets", 20, 400),
    Parameter("leaf_width", "width of leaf", "length", "Width of the leaf; for placement “own” it stands upright when shown.", "Leaf", 5, 300),
    Parameter("leaf_height", "height of leaf", "length", "Height of the leaf.", "Leaf", 5, 300),
    Parameter("crease_angle", "angle of crease", "angle", "Between crease and score; the leaf turns by twice this.", "Leaf", 20, 70),
    Parameter("corner", "corner", "length", "Leg of the glued corner triangle along the score.", "Leaf", 4, 80),
    Parameter("from_edge", "from the edge", "length", "From the edge over which the leaf rises to the triangle's point.", "Leaf", 0, 300),
    Parameter(
        "placement",
        "glued at",
        "choice",
        "Whether the corner sits at the flange's score or at the main's own.",
        "Leaf",
        choices=("flange", "own"),
    ),
    Parameter(
        "envelope_state",
        "posted",
        "choice",
        "Which of the two flat states goes into the envelope; they differ in width.",
        "Sheets",
        choices=("collapsed", "extended"),
    ),
)


def size(site: Site, kept: Values) -> Values:
    """The collapsed card fills the chosen size; the leaf as large as it can hide."""
    values: Values = {"crease_angle": 45.0, "placement": "flange", "envelope_state": "collapsed", **kept}
    card, grid = site.card, site.grid_mm
    if min(card.width_mm, card.height_mm) < 60:
        raise RECIPE.refuse(site, "strut, flange and leaf find no room")
    extended = values["envelope_state"] == "extended"  # then the leaf stands out in the envelope, and the card is as wide as both panels
    height = keep(values, "height", below(card.height_mm * 0.62, grid) if extended else card.height_mm)
    above = max(0.0, card.height_mm - height)
    s = keep(values, "strut", max(14.0, card.width_mm * 0.15, LAYERS_IN_STRUT * 12 * site.stock.caliper_mm), grid_mm=grid)
    f = keep(values, "flange", s + max(3.0, grid * 2), grid_mm=grid)
    a = keep(values, "main", card.width_mm - f - s if extended else card.width_mm - f + s)
    beta = math.radians(number(values, "crease_angle"))
    corner = keep(values, "corner", below(min(s - 2.0, (s - 2.0) / math.tan(beta)), grid), grid_mm=grid)
    if values["placement"] == "flange":
        d = keep(values, "from_edge", max(SPARE_MM + 0.5, 0.03 * height), grid_mm=grid)
        room_along, room_down = a - s - f - SPARE_MM, height - d - SPARE_MM
        lw = keep(values, "leaf_width", below(min(room_down, 0.75 * height), grid), grid_mm=grid)
        keep(values, "leaf_height", below(min(corner + room_along, 1.4 * lw, above + corner + d if extended else 1e4), grid), grid_mm=grid)
    else:
        d = keep(values, "from_edge", corner + SPARE_MM + 0.5, grid_mm=grid)
        over = math.sin(2 * beta), math.cos(2 * beta)
        keep(values, "leaf_width", below(min(a - f - SPARE_MM, 0.9 * height, (above + d) * 0.9 / over[0] if extended else 1e4), grid), grid_mm=grid)
        keep(values, "leaf_height", below(min(corner + height - d - SPARE_MM, 0.6 * height), grid), grid_mm=grid)
    _fit_leaf(values, kept, grid)
    return values


def _fit_leaf(values: Values, kept: Values, grid: float) -> None:
    """Takes from the leaf what would hit the second strut, unless it was asked for."""
    free = [name for name in ("leaf_width", "leaf_height") if name not in kept]
    sized = {name: number(values, name) for name in free}
    for share in range(100, 20, -2):
        for name in free:
            values[name] = max(5.0, below(sized[name] * share / 100, grid))
        if not free or leaf_room(values) >= SPARE_MM:
            return


def leaf_room(values: Values) -> float:
    """How far the leaf, swinging, stays from the second strut at the worst position (mm), seen from above.

    At strut angle theta (180 collapsed) it has turned by b + atan(tan b cos theta) about its point on the score; the second strut
    stands a main less a flange from the first one and leans with it.
    """
    a, s, f, lw, lh, t = (number(values, n) for n in ("main", "strut", "flange", "leaf_width", "leaf_height", "corner"))
    beta = math.radians(number(values, "crease_angle"))
    theta = np.linspace(0.0, math.pi, ON_THE_WAY)
    turn = beta + np.arctan(math.tan(beta) * np.cos(theta))
    if values["placement"] == "own":
        corners, by, room = np.array([(0.0, t - lh), (-lw, t - lh), (-lw, t)]), -turn, a - f - np.maximum(0.0, s * np.cos(theta))
    else:
        corners, by, room = np.array([(0.0, lh - t), (-lw, lh - t), (-lw, -t)]), 2 * beta - turn, a - f + np.minimum(0.0, s * np.cos(theta))
    reach = -(corners[:, 0] * np.cos(by)[:, None] - corners[:, 1] * np.sin(by)[:, None]).min(axis=1)
    return float((room - reach).min())


def sheets(site: Site, values: Values) -> tuple[Sheet, ...]:
    """It is the card itself."""
    return ()


def build(site: Site, mechanism: str, values: Values) -> Piece:
    """Two sheets and the leaf; coordinates are those of the first sheet laid flat, its first score at x = 0."""
    a, s, f, h = (number(values, n) for n in ("main", "strut", "flange", "height"))
    folds = Folds(site, mechanism)
    panels: dict[str, Panel] = {}
    for k, name in ((1, "sheet-1"), (2, "sheet-2")):
        faces = ("mat", "card") if k == 1 else ("backing", "card")
        panels[f"main-{k}"] = folds.panel(f"main-{k}", f"main {k}", box(-a, 0, 0, h), name, faces=faces)
        panels[f"strut-{k}"] = folds.panel(f"strut-{k}", f"strut {k}", box(0, 0, s, h), name, faces=faces)
        panels[f"flange-{k}"] = folds.panel(f"flange-{k}", f"flange {k}", box(s, 0, s + f, h), name, faces=faces)
    main, strut, flange, main2, strut2, flange2 = (panels[f"{n}-{k}"] for k in (1, 2) for n in ("main", "strut", "flange"))
    first, second = ((0.0, 0.0), (0.0, h)), ((s, 0.0), (s, h))
    over = turned_over(s + f - a, 0.0)
    hinge = folds.crease("score-1", strut, main, first, "valley", runs="free")
    folds.crease("score-2", flange, strut, second, "mountain", runs="free", order=2)
    folds.glue(main2, flange, over)
    folds.crease("score-3", strut2, main2, first, "valley", runs="free")
    folds.crease("score-4", flange2, strut2, second, "mountain", runs="free", order=2)
    folds.closing_glue("second-flange", flange2, main, over)
    corner, leaf = _leaf(folds, values, strut)
    crease = folds.joints[-2].id
    lean = math.degrees(math.asin(min(1.0, LAYERS_IN_STRUT * site.stock.caliper_mm / s)))
    short = f"collapsed, {LAYERS_IN_STRUT} layers between its scores hold the strut {lean:.0f}° short of flat"
    for k in (1, 2):
        guides = [(box(s, 0, s + f, h), "glue to the other main"), (box(-a, 0, -a + f, h), "glued by the other flange")]
        folds.sheet(
            f"sheet-{k}",
            f"sheet {k} of 2",
            grain="along the scores",
            note=f"{short}; glue the second flange pressed flat" if k == 2 else short,
            guides=guides,
        )
    folds.sheet("leaf", "leaf", grain="along its bend", note="thin stock: it bends on its way")
    posted, bent = str(values["envelope_state"]), -90.0 if values["placement"] == "own" else 90.0
    drive = Drive(mechanism, hinge.id, strut.id, "open", 0.0, 180.0, 90.0)
    stage = Stage(
        0.0,
        180.0,
        90.0,
        {hinge.id: (180.0, 0.0)},
        {
            f"{mechanism}.score-2": -90.0,
            f"{mechanism}.score-3": 90.0,
            f"{mechanism}.score-4": -90.0,
            crease: bent,
        },
        (f"{mechanism}.second-flange", f"{mechanism}.leaf-level"),
        (True, True),
    )
    # The corner is glued on the front of the strut, which collapsed lies face down: it is under it, and the leaf under both.
    collapsed = tuple(p.id for p in (main, flange2, strut2, leaf, corner, strut, flange, main2))
    extended = tuple(p.id for p in (main, strut, corner, leaf, flange2, strut2, flange, main2))
    states = (
        FlatState("collapsed", 0.0, True, posted == "collapsed", collapsed),
        FlatState("extended", 180.0, posted == "extended", posted == "extended", extended),
    )
    between = "the leaf bends between the two mains: its radius is asked for"
    folding = folds.folding(
        "card",
        main,
        drive,
        (stage,),
        states,
        ground_pose=planar_frame(a if f >= s else a + s - f, 0.0, 0.0),
        readings=(Reading("pull", main2.id, (0.0, 0.0, 0.0), (1.0, 0.0, 0.0)),),
        needs=_needs(site, mechanism, values, leaf, corner, main2),
        bends={frozenset((leaf.id, main.id)): between, frozenset((leaf.id, main2.id)): between},
    )
    return Piece((), handles=tuple(_handles(mechanism, values)), folding=folding)


def _leaf(folds: Folds, values: Values, strut: Panel) -> tuple[Panel, Panel]:
    """Corner triangle and leaf, in a frame whose origin is the triangle's point on the score."""
    s, h, d = number(values, "strut"), number(values, "height"), number(values, "from_edge")
    lw, lh, t = number(values, "leaf_width"), number(values, "leaf_height"), number(values, "corner")
    reach = t * math.tan(math.radians(number(values, "crease_angle")))
    if values["placement"] == "own":
        whole = box(-lw, t - lh, 0, t)
        triangle = shapely.Polygon([(0, 0), (0, t), (-reach, t)])
        line, place = ((0.0, 0.0), (-reach, t)), turned_over(0.0, h - d)
    else:
        whole = box(-lw, -t, 0, lh - t)
        triangle = shapely.Polygon([(0, 0), (0, -t), (-reach, -t)])
        line, place = ((0.0, 0.0), (-reach, -t)), planar_frame(s, h - d, 0.0)
    corner = folds.panel("corner", "corner of the leaf", shapely.intersection(triangle, whole), "leaf", faces=("picture", "paper"))
    leaf = folds.panel("leaf", "leaf", shapely.difference(whole, triangle), "leaf", faces=("picture", "paper"), flex=True)
    folds.glue(corner, strut, place)
    # Turned back onto the strut's front the corner lies picture to picture with the leaf; on its own score it is bent the other way.
    folds.crease("leaf-crease", leaf, corner, line, "mountain" if values["placement"] == "own" else "valley", runs="free")
    across = (-line[1][1], line[1][0], 0.0)
    folds.joints.append(FoldJoint(f"{folds.mechanism}.leaf-level", "level", leaf.id, folds.panels[0].id, along=across, closes=True))
    return corner, leaf


def _needs(site: Site, mechanism: str, values: Values, leaf: Panel, corner: Panel, main2: Panel):  # type: ignore[no-untyped-def]
    s, f, t = number(values, "strut"), number(values, "flange"), number(values, "corner")
    reach = t * math.tan(math.radians(number(values, "crease_angle")))
    length = site.stock.caliper_mm * 12 * LAYERS_IN_STRUT
    return (
        Opens(f"{mechanism}.opens", mechanism),
        SeenAt(f"{mechanism}.hidden", mechanism, leaf.id, leaf.region, 0.0, True, (main2.id, f"{mechanism}.flange-1"), SPARE_MM, "the leaf"),
        Bound(
            f"{mechanism}.flange-wide",
            mechanism,
            "fold",
            (f"{mechanism}.flange-1", f"{mechanism}.strut-1"),
            f,
            s,
            "The flange is narrower than the strut",
            "The strut would stand out of the collapsed card; the flange must be at least as wide.",
        ),
        Bound(
            f"{mechanism}.triangle",
            mechanism,
            "flap",
            (corner.id, f"{mechanism}.strut-1"),
            round(reach, 4),
            s,
            "The corner triangle reaches past the strut",
            "It must lie on the strut alone; glued past its other score it keeps the sheets from folding.",
            at_most=True,
        ),
        Bound(
            f"{mechanism}.thickness",
            mechanism,
            "fold",
            (f"{mechanism}.strut-1",),
            s,
            round(length, 4),
            "The strut is narrow for so many layers",
            f"{LAYERS_IN_STRUT} layers of {site.length(site.stock.caliper_mm)} between its scores keep it from lying flat.",
            severity="warn",
        ),
        Bound(
            f"{mechanism}.leaf-room",
            mechanism,
            "clearance",
            (leaf.id, f"{mechanism}.strut-2"),
            round(leaf_room(values), 4),
            SPARE_MM,
            "The leaf hits the second strut",
            "It swings round between the two struts, its far corner furthest; longer than that, it jams there or lies in the second flange's glue.",
        ),
        Bound(
            f"{mechanism}.bend",
            mechanism,
            "fold",
            (leaf.id,),
            round(swung_leaf_radius_mm(s, number(values, "crease_angle")), 4),
            round(least_bend_radius_mm(site.stock.caliper_mm), 4),
            "The leaf is bent too sharply on its way",
            "Between the mains it has only the strut's height to turn in; bent more sharply than this it keeps a crease.",
        ),
        GlueFlap(f"{mechanism}.flap", mechanism, f"{mechanism}.flange-1", box(s, 0, s + f, number(values, "height")), 8.0, "the flange"),
        GlueFlap(f"{mechanism}.corner-glue", mechanism, corner.id, corner.region, 4.0, "the corner triangle"),
    )


def _handles(mechanism: str, values: Values) -> list[Handle]:
    a, s, h, d = (number(values, n) for n in ("main", "strut", "height", "from_edge"))
    right = a + number(values, "flange") - s
    y = h - d
    return [
        Handle(mechanism, "main", "main", (a, h * 0.2), (1.0, 0.0), 1.0, ((0.0, h * 0.2), (a, h * 0.2)), 0.0),
        Handle(mechanism, "strut", "strut", (a - s, h * 0.35), (-1.0, 0.0), 1.0, ((a - s, h * 0.35), (a, h * 0.35)), 0.0),
        Handle(mechanism, "from_edge", "from edge", (right * 0.5, y), (0.0, -1.0), 1.0, ((right * 0.5, h), (right * 0.5, y)), 0.0),
    ]


LEVERS: dict[str, tuple[Lever, ...]] = {
    "fold": (
        Lever("Make the flange {by} wider", {"flange": 1.0, "main": -1.0}),
        Lever("Make the strut {by} narrower", {"strut": -1.0, "main": -1.0, "corner": -1.0}),
        Lever("Make the strut {by} wider", {"strut": 1.0, "main": 1.0, "flange": 1.0}),
        Lever("Make the crease {by} steeper", {"crease_angle": -1.0}),
    ),
    "clearance": (
        Lever("Make the leaf {by} narrower", {"leaf_width": -1.0}),
        Lever("Make the leaf {by} shorter", {"leaf_height": -1.0}),
        Lever("Make the leaf {by} smaller both ways", {"leaf_height": -1.0, "leaf_width": -1.0}),
        Lever("Make the main {by} wider", {"main": 1.0}),
    ),
    "flap": (
        Lever("Make the corner {by} shorter", {"corner": -1.0}),
        Lever("Make the corner {by} longer", {"corner": 1.0}),
        Lever("Make the strut {by} wider", {"strut": 1.0, "flange": 1.0}),
        Lever("Make the crease {by} steeper", {"crease_angle": -1.0}),
        Lever("Make the flange {by} wider", {"flange": 1.0, "main": -1.0}),
    ),
    "outline": (
        Lever("Make the main {by} narrower", {"main": -1.0}),
        Lever("Make the sheets {by} lower", {"height": -1.0}),
        Lever("Make the leaf {by} shorter", {"leaf_height": -1.0}),
        Lever("Make the leaf {by} narrower", {"leaf_width": -1.0}),
        Lever("Move the corner {by} down", {"from_edge": 1.0}),
    ),
    "reveal-rest": (
        Lever("Make the leaf {by} shorter", {"leaf_height": -1.0}),
        Lever("Make the leaf {by} narrower", {"leaf_width": -1.0}),
        Lever("Move the corner {by} down", {"from_edge": 1.0}),
        Lever("Move the corner {by} up", {"from_edge": -1.0}),
        Lever("Make the leaf {by} smaller both ways", {"leaf_height": -1.0, "leaf_width": -1.0}),
    ),
}

ADVICE = (
    Advice("join", "The corner on the first score, exactly at the measured point; press it on the strut alone.", "leaf"),
    Advice("join", "First flange lying flat; turn over, second flange pressed flat, ends flush.", "sheet"),
)
RECIPE = Recipe(
    "wiper",
    "wiper",
    "Two sheets are pulled apart and a leaf swings out over the edge.",
    PARAMETERS,
    size,
    sheets,
    build,
    LEVERS,
    smallest_mm=(60.0, 60.0),
    verbs=("swing", "rise"),
    shaping=("placement", "envelope_state"),
    makes="card",
    folds=True,
    advice=ADVICE,
)
