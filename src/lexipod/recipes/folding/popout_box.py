"""Pop-out box: one strip in four equal panels and a flap lies flat for the envelope and stands as a box.

A round window lies across the two front panels, a thread spinner hangs on their fold, and a saddle hinge carries a message
plate square to the front edge at every angle.
"""

from __future__ import annotations

import math

import shapely

from lexipod.assembly import Allowance, Bound, Crease, Drive, FlatState, FoldNeed, GlueFlap, Handle, Move, Opens, Panel, SpinsFree, Stage
from lexipod.assembly.model import Piece
from lexipod.geometry.space import planar_frame
from lexipod.recipes.kit.folds import Folds, box
from lexipod.recipes.kit.parameters import Advice, Lever, Parameter, Recipe, Site, Values
from lexipod.recipes.kit.sheets import Sheet
from lexipod.recipes.kit.stack import disc
from lexipod.recipes.kit.values import below, keep, number

LAND_MM = 8.0
PLATE_UP_MM = 4.0
TAB_MM = 12.0

PARAMETERS = (
    Parameter("panel", "panel", "length", "Width of each of the four panels.", "Box", 15, 200),
    Parameter("height", "height", "length", "Height of the box.", "Box", 20, 400),
    Parameter("flap", "flap", "length", "Width of the flap that closes the box.", "Box", 3, 40),
    Parameter("angle", "stands at", "angle", "Between the two front panels as the box stands; 90 is square.", "Box", 40, 140),
    Parameter("window", "window", "length", "Diameter of the window across the front edge; 0 for none.", "Window", 0, 300),
    Parameter("window_height", "window at", "length", "From the bottom of the box to the middle of the window.", "Window", 0, 400),
    Parameter("ring", "ring", "length", "Width of the ring frame round the window; 0 for none.", "Window", 0, 40),
    Parameter("spinner", "spinner", "length", "Diameter of what hangs in the window; 0 for nothing.", "Spinner", 0, 300),
    Parameter("drop", "hangs low by", "length", "How far its middle hangs below the window's.", "Spinner", -20, 20),
    Parameter("thread", "beside the fold by", "length", "How far the thread runs beside the front fold.", "Spinner", 0, 20),
    Parameter("clearance", "room to spin", "length", "Gap wanted all round what spins.", "Spinner", 0.5, 10),
    Parameter("plate", "message plate", "length", "Width of the message plate on the front edge; 0 for none.", "Plate", 0, 200),
    Parameter("plate_height", "height of plate", "length", "Height of the message plate.", "Plate", 5, 200),
    Parameter("plate_leg", "leg of plate", "length", "Leg of the saddle hinge: half of what stands behind the plate.", "Plate", 4, 100),
)


def size(site: Site, kept: Values) -> Values:
    """Two panels side by side fill the chosen size; window, spinner and plate on the front edge."""
    values: Values = {"drop": 0.0, "thread": 0.0, "clearance": 1.5, "angle": 90.0, **kept}
    card, grid = site.card, site.grid_mm
    if card.width_mm < 60 or card.height_mm < 60:
        raise RECIPE.refuse(site, "the window finds no room")
    w = keep(values, "panel", card.width_mm / 2)
    h = keep(values, "height", card.height_mm)
    keep(values, "flap", min(12.0, max(9.0, w * 0.2)), grid_mm=grid)
    ring = keep(values, "ring", min(6.0, w * 0.08), grid_mm=grid)
    window = keep(values, "window", below(max(0.0, min(2 * (w - LAND_MM - ring), h * 0.55)), grid))
    keep(values, "window_height", h - window / 2 - ring - max(LAND_MM, h * 0.07), grid_mm=grid)
    spare = number(values, "clearance") + math.hypot(number(values, "drop"), number(values, "thread"))
    keep(values, "spinner", below(max(0.0, window - 2 * spare - 1.0), grid))
    room = number(values, "window_height") - window / 2 - ring - 6.0
    keep(values, "plate", below(w * 0.9, grid) if room >= 14.0 else 0.0)
    keep(values, "plate_height", max(6.0, below(min(room, h * 0.18), grid)))
    keep(values, "plate_leg", max(5.0, below(number(values, "plate") * 0.3, grid)))
    return values


def sheets(site: Site, values: Values) -> tuple[Sheet, ...]:
    """It is the card itself."""
    return ()


def build(site: Site, mechanism: str, values: Values) -> Piece:
    """The strip laid flat with its outside up: panel 1 from x = 0, the front edge at one panel's width."""
    w, h, flap_width = (number(values, n) for n in ("panel", "height", "flap"))
    folds, turn = Folds(site, mechanism), _turn(values)
    t = site.stock.caliper_mm
    hole = disc((w, number(values, "window_height")), number(values, "window") / 2) if number(values, "window") > 0 else shapely.Polygon()
    under = flap_width
    panels = [
        folds.panel(
            f"panel-{k + 1}",
            f"panel {k + 1}",
            shapely.difference(box(k * w, 0, (k + 1) * w, h), hole),
            "strip",
            faces=("card" if k < 2 else "mat", "backing"),
        )
        for k in range(4)
    ]
    flap = folds.panel("flap", "flap", box(4 * w, 0, 4 * w + under, h), "strip", faces=("mat", "backing"))
    one, two, three, four = panels
    lines = [((k * w, 0.0), (k * w, h)) for k in range(1, 5)]
    front = folds.crease("score-1", two, one, lines[0], "mountain", runs="free")
    folds.crease("score-2", three, two, lines[1], "mountain", runs="free", order=2)
    folds.crease("score-3", four, three, lines[2], "mountain", runs="free", order=3)
    folds.crease("score-4", flap, four, lines[3], "mountain", runs="free", order=4)
    folds.closing_glue("flap-glued", flap, one, planar_frame(-4 * w, 0.0, 0.0))
    driven = {front.id: (0.0, -turn)}
    needs: list[FoldNeed] = [Opens(f"{mechanism}.opens", mechanism)]
    needs.append(GlueFlap(f"{mechanism}.flap", mechanism, flap.id, flap.region, 8.0, "the flap"))
    decorations: list[Panel] = []
    if number(values, "ring") > 0 and not hole.is_empty:
        decorations += _ring(folds, values, one, two)
    if number(values, "spinner") > 0 and not hole.is_empty:
        spinner = _spinner(folds, values, one, driven)
        clear = number(values, "clearance")
        needs.append(SpinsFree(f"{mechanism}.in-window", mechanism, spinner.id, (one.id, two.id), clear, 0.0, turn, "the spinner in its window"))
        needs.append(SpinsFree(f"{mechanism}.square", mechanism, spinner.id, (three.id, four.id), clear, turn, turn, "the spinner in the box"))
    if number(values, "plate") > 0:
        decorations += _plate(folds, values, one, two, driven)
        if not hole.is_empty:
            needs.append(_below_window(mechanism, values))
    need_land = w - number(values, "window") / 2
    if not hole.is_empty:
        needs.append(_land(mechanism, need_land, values))
    folds.sheet(
        "strip",
        "strip",
        allowances=(
            Allowance("panel 1", round(-t, 3), "creep", "lies on the flap: cut a caliper short", w, (Move("until", 0.0, t),)),
            *(
                Allowance(f"panel {k}", round(t / 2, 3), "crease", "half a caliper goes into the fold that is pressed shut", w, moves)
                for k, moves in (
                    (2, (Move("from", 2 * w, t / 2),)),
                    (3, (Move("after", 2 * w, t / 2),)),
                    (4, (Move("from", 4 * w, t / 2),)),
                )
            ),
            Allowance("flap", round(t / 2, 3), "crease", "half a caliper goes into its fold", flap_width, (Move("after", 4 * w, t / 2),)),
        ),
        grain="along the scores",
        guides=[(box(0, 0, min(under, w), h), "the flap is glued behind here")],
    )
    if decorations and number(values, "ring") > 0:
        folds.sheet("ring", "ring frame", note="cut in two at the fold, glued round the window")
    if number(values, "spinner") > 0:
        folds.sheet("spinner", "spinner", quantity=2, note="two mirrored pieces, glued back to back on the thread")
    stage = Stage(
        0.0,
        turn,
        turn / 2,
        driven,
        {f"{mechanism}.score-2": turn / 2 - 180.0, f"{mechanism}.score-3": -turn / 2, f"{mechanism}.score-4": turn / 2 - 180.0},
        (f"{mechanism}.flap-glued",),
        (True, False),
    )
    spin = [p.id for p in folds.panels if p.spins]
    order = (four.id, three.id, flap.id, one.id, two.id, *spin, *(p.id for p in decorations))
    drive = Drive(mechanism, front.id, two.id, "open", 0.0, turn, turn / 2)
    folding = folds.folding(
        "card",
        one,
        drive,
        (stage,),
        (FlatState("flat", 0.0, True, True, order),),
        needs=tuple(needs),
    )
    return Piece((), handles=tuple(_handles(mechanism, values)), folding=folding)


def _turn(values: Values) -> float:
    """By how much panel 2 turns against panel 1 until the box stands."""
    return 180.0 - number(values, "angle")


def _land(mechanism: str, land: float, values: Values) -> Bound:
    return Bound(
        f"{mechanism}.land",
        mechanism,
        "land",
        (f"{mechanism}.panel-1", f"{mechanism}.panel-2"),
        round(land, 4),
        LAND_MM,
        "Too little paper beside the window",
        "The panels bend there, and the ring finds no hold.",
    )


def _below_window(mechanism: str, values: Values) -> Bound:
    """The plate stands before the front edge, below ring and spinner."""
    low = max(number(values, "window") / 2 + number(values, "ring"), number(values, "spinner") / 2 + number(values, "drop"))
    room = number(values, "window_height") - low - PLATE_UP_MM
    return Bound(
        f"{mechanism}.plate",
        mechanism,
        "clearance",
        (f"{mechanism}.plate", f"{mechanism}.spinner" if number(values, "spinner") > 0 else f"{mechanism}.panel-1"),
        number(values, "plate_height"),
        round(room - number(values, "clearance"), 4),
        "The message plate stands before the window",
        "It would hide the window, and what spins there would strike it.",
        at_most=True,
    )


def _ring(folds: Folds, values: Values, one: Panel, two: Panel) -> list[Panel]:
    """The ring frame, next size up from the window, cut in two at the fold."""
    w, y, r = number(values, "panel"), number(values, "window_height"), number(values, "window") / 2
    ring = shapely.difference(disc((w, y), r + number(values, "ring")), disc((w, y), r))
    halves = []
    for k, (panel, side) in enumerate(((one, box(0, -1e3, w, 1e3)), (two, box(w, -1e3, 2 * w, 1e3)))):
        half = folds.panel(f"ring-{k + 1}", f"ring half {k + 1}", shapely.intersection(ring, side), "ring", faces=("ring", "paper"))
        folds.glue(half, panel)
        halves.append(half)
    return halves


def _spinner(folds: Folds, values: Values, one: Panel, driven: dict[str, tuple[float, float]]) -> Panel:
    """What hangs on the thread: it hangs square to the front edge as long as nobody spins it."""
    x, y = number(values, "panel") - number(values, "thread"), number(values, "window_height") - number(values, "drop")
    shape = disc((x, y), number(values, "spinner") / 2)
    spinner = folds.panel("spinner", "spinner", shape, "spinner", faces=("picture", "picture"), spins=True, plies=2)
    line = ((x, y - 1.0), (x, y + 1.0))
    joint = folds.hinge("thread", spinner, one, line, line)
    driven[joint.id] = (0.0, _turn(values) / 2)
    return spinner


def _plate(folds: Folds, values: Values, one: Panel, two: Panel, driven: dict[str, tuple[float, float]]) -> list[Panel]:
    """The saddle hinge: a tab on each front panel, two legs that lie doubled under the middle, and the plate on it."""
    w, m, wide, tall = (number(values, n) for n in ("panel", "plate_leg", "plate", "plate_height"))
    strip, low = folds.site.nice(tall * 0.6), PLATE_UP_MM + tall * 0.2
    tab = folds.site.nice(TAB_MM)
    xs = [0.0, tab, tab + m, tab + 3 * m, tab + 4 * m, 2 * tab + 4 * m]
    names = ("tab 1", "leg 1", "middle", "leg 2", "tab 2")
    made = [
        folds.panel(f"saddle-{k + 1}", f"saddle hinge, {names[k]}", box(xs[k], 0, xs[k + 1], strip), "saddle", faces=("paper", "paper"))
        for k in range(5)
    ]
    tab1, leg1, middle, leg2, tab2 = made
    folds.glue(tab1, one, planar_frame(w - tab, low, 0.0))
    folds.glue(tab2, two, planar_frame(w - xs[4], low, 0.0))
    lines = [((x, 0.0), (x, strip)) for x in xs]
    a = folds.crease("saddle-1", leg1, tab1, lines[1], "valley", runs="free")
    b = folds.crease("saddle-2", middle, leg1, lines[2], "mountain", order=2)
    c = folds.crease("saddle-3", leg2, middle, lines[3], "mountain", order=2)
    folds.creases[tab1.sheet].append(Crease("saddle-4", lines[4][0], lines[4][1], "valley", (leg2.id, tab2.id), "free", 1))
    driven |= {a.id: (180.0, 180.0 - _turn(values) / 2), b.id: (-180.0, -180.0), c.id: (-180.0, -180.0)}
    plate = folds.panel("plate", "message plate", box(-wide / 2, 0, wide / 2, tall), "plate", faces=("picture", "paper"))
    folds.glue(plate, middle, planar_frame(xs[2] + m, (strip - tall) / 2, 0.0))
    folds.sheet("saddle", "saddle hinge", note="inner two scores mountain, outer two valley; the tabs meet at the front edge")
    folds.sheet("plate", "message plate", note="glued to the middle of the saddle hinge")
    return [tab1, tab2, leg1, leg2, middle, plate]


def _handles(mechanism: str, values: Values) -> list[Handle]:
    w, h = number(values, "panel"), number(values, "height")
    y, r = number(values, "window_height"), number(values, "window") / 2
    out = [Handle(mechanism, "panel", "panel", (w, h * 0.04), (1.0, 0.0), 1.0, ((0.0, h * 0.04), (w, h * 0.04)), 0.0)]
    if r > 0:
        out.append(Handle(mechanism, "window_height", "window at", (w, y), (0.0, 1.0), 1.0, ((w, 0.0), (w, y)), -w * 0.5))
        out.append(Handle(mechanism, "window", "window", (w + r, y), (1.0, 0.0), 2.0, ((w - r, y), (w + r, y)), 0.0))
    return out


LEVERS: dict[str, tuple[Lever, ...]] = {
    "spin": (
        Lever("Make the spinner {by} smaller", {"spinner": -1.0}),
        Lever("Make the window {by} larger", {"window": 1.0}),
        Lever("Hang it {by} higher", {"drop": -1.0}),
        Lever("Hang it {by} nearer to the fold", {"thread": -1.0}),
    ),
    "land": (Lever("Make the window {by} smaller", {"window": -1.0, "spinner": -1.0}), Lever("Make the panels {by} wider", {"panel": 1.0})),
    "fold": (Lever("Make the leg of the plate {by} longer", {"plate_leg": 1.0}),),
    "flap": (Lever("Make the flap {by} wider", {"flap": 1.0}),),
    "outline": (
        Lever("Make the panels {by} narrower", {"panel": -1.0}),
        Lever("Make the box {by} lower", {"height": -1.0}),
        Lever("Make the plate {by} narrower", {"plate": -1.0}),
        Lever("Make the spinner {by} smaller", {"spinner": -1.0}),
        Lever("Make the plate {by} lower", {"plate_height": -1.0}),
        Lever("Make window and spinner {by} smaller", {"window": -1.0, "spinner": -1.0}),
    ),
    "clearance": (
        Lever("Make the plate {by} lower", {"plate_height": -1.0}),
        Lever("Move the window {by} up", {"window_height": 1.0}),
        Lever("Make the spinner {by} smaller", {"spinner": -1.0}),
    ),
}

ADVICE = (
    Advice("join", "Glue across the score, and fold before it is quite set.", "ring"),
    Advice("last", "Only when all work inside is done.", "strip"),
)
RECIPE = Recipe(
    "popout-box",
    "pop-out box",
    "A strip lies flat for the envelope and stands as a box with a window and a spinner.",
    PARAMETERS,
    size,
    sheets,
    build,
    LEVERS,
    smallest_mm=(60.0, 60.0),
    verbs=("open", "spin", "rise"),
    makes="card",
    folds=True,
    advice=ADVICE,
)
