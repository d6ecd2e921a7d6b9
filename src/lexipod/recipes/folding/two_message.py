"""Two-message slide: opening the card slides another message into the same window.

The front panel is glued on the first half of a folded middle card and overhangs its spine. A slider leaf is hinged to that
overhanging edge and runs behind the second half, before the back panel; opening moves it by twice the overhang. The back is hinged
on the outer edge of the second half and loose towards the spine: on the way the overhanging edge swings out behind and pushes it
away, and the slider lies on it.
"""

from __future__ import annotations

import numpy as np
import shapely

from lexipod.assembly import Bound, Crease, Drive, FlatState, FoldNeed, GlueFlap, Handle, Opens, Panel, Reading, SeenAt, Stage
from lexipod.assembly.model import Piece
from lexipod.geometry.space import planar_frame, turned_over
from lexipod.recipes.kit.folds import Folds, box
from lexipod.recipes.kit.parameters import Advice, Lever, Parameter, Recipe, Site, Values
from lexipod.recipes.kit.sheets import Sheet
from lexipod.recipes.kit.stack import disc
from lexipod.recipes.kit.values import below, keep, number

LAP_MM = 1.5
BACK_FLAP_MM = 6.0
WRITE_MM2 = 2500.0

PARAMETERS = (
    Parameter("leaf", "leaf", "length", "Width of each half of the middle card.", "Card", 30, 400),
    Parameter("height", "height", "length", "Height of the card.", "Card", 30, 400),
    Parameter("overhang", "overhang", "length", "How far the front panel stands over the spine; the picture moves by twice this.", "Card", 3, 150),
    Parameter("slider", "slider", "length", "Width of the slider leaf.", "Slider", 5, 400),
    Parameter("window", "window", "length", "Diameter of the windows.", "Window", 5, 300),
    Parameter("window_at", "window from spine", "length", "From the spine to the middle of the window.", "Window", 3, 400),
    Parameter("window_height", "window at", "length", "From the bottom to the middle of the window.", "Window", 3, 400),
)


def size(site: Site, kept: Values) -> Values:
    """Shut it fills the chosen size; overhang and slider so that the window is free, then filled."""
    values: Values = {**kept}
    card, grid = site.card, site.grid_mm
    if card.width_mm < 70 or card.height_mm < 50:
        raise RECIPE.refuse(site, "window and slider find no room")
    h = keep(values, "height", card.height_mm)
    e = keep(values, "overhang", card.width_mm * 0.23, grid_mm=grid)
    leaf = keep(values, "leaf", card.width_mm - e)
    slider = keep(values, "slider", below(min(leaf - e - site.nice(BACK_FLAP_MM) - LAP_MM, 2.2 * e), grid))
    window = keep(values, "window", below(min(2 * e - 2 * LAP_MM - 1.0, h * 0.6, slider - 2 * LAP_MM - 1.0), grid))
    low = max(slider - e, e) + LAP_MM + window / 2
    high = min(e + slider, leaf) - LAP_MM - window / 2
    keep(values, "window_at", (low + high) / 2, grid_mm=grid)
    keep(values, "window_height", h / 2, grid_mm=grid)
    return values


def sheets(site: Site, values: Values) -> tuple[Sheet, ...]:
    """It is the card itself."""
    return ()


def build(site: Site, mechanism: str, values: Values) -> Piece:
    """The middle card laid open with its inside up, its spine at x = 0."""
    leaf, h, e, wide = (number(values, n) for n in ("leaf", "height", "overhang", "slider"))
    folds = Folds(site, mechanism)
    at, y, r = number(values, "window_at"), number(values, "window_height"), number(values, "window") / 2
    right, left = disc((at, y), r), disc((-at, y), r)
    second = folds.panel("middle-2", "second half", shapely.difference(box(0, 0, leaf, h), right), "middle", faces=("mat", "paper"))
    first = folds.panel("middle-1", "first half", shapely.difference(box(-leaf, 0, 0, h), left), "middle", faces=("mat", "paper"))
    spine = folds.crease("spine", first, second, ((0.0, 0.0), (0.0, h)), "valley")
    # The back is seen from inside, its front up; its flap is folded over onto it and glued behind the second half, face down.
    flap = folds.panel("back-flap", "flap of the back panel", box(leaf, 0, leaf + site.nice(BACK_FLAP_MM), h), "back", faces=("paper", "paper"))
    back = folds.panel("back", "back panel", box(-e, 0, leaf, h), "back", faces=("picture", "card"))
    folds.glue(flap, second, turned_over(2 * leaf, 0.0))
    turned = folds.crease("back-hinge", back, flap, ((leaf, 0.0), (leaf, h)), "valley", runs="free")
    front = folds.panel("front", "front panel", shapely.difference(box(-leaf, 0, e, h), left), "front", faces=("paper", "card"))
    folds.glue(front, first)
    edge = folds.site.nice(1.0)
    slide = folds.panel("slider", "slider leaf", box(e, edge, e + wide, h - edge), "slider", faces=("frame", "paper"))
    line = ((e, edge), (e, h - edge))
    hinge = folds.hinge("overhang", slide, front, tuple(reversed(line)), tuple(reversed(line)))  # type: ignore[arg-type]
    folds.parallel("lies-flat", slide, back)
    folds.touches("pushes", front, back, (e, h / 2))
    folds.sheet("middle", "middle card", grain="along the spine", note="windows in both halves, traced in both states")
    folds.sheet("front", "front panel", guides=[(box(-leaf, 0, -1.0, h), "glue on the first half, not past the spine")])
    folds.sheet(
        "back",
        "back panel",
        grain="along the hinge",
        note="stuck at its flap only: towards the spine it must come away while the card opens",
        guides=[(flap.region, "glue behind the outer edge of the second half, nowhere else")],
    )
    tab = box(e - folds.site.nice(8.0), edge, e, h - edge)
    folds.sheet(
        "slider",
        "slider leaf",
        shapely.union(slide.region, tab),
        guides=[(tab, "hinge tab, glued behind the overhanging edge")],
        creases=[Crease("hinge", (e, 1.0), (e, h - 1.0), "valley", (slide.id, slide.id), "free")],
        grain="along the hinge",
    )
    drive = Drive(mechanism, spine.id, first.id, "open", 0.0, 180.0, 90.0, by="page")
    closes = (f"{mechanism}.lies-flat", f"{mechanism}.pushes")
    stage = Stage(0.0, 180.0, 90.0, {spine.id: (180.0, 0.0)}, {hinge.id: 90.0, turned.id: 170.0}, closes, (True, True))
    order = tuple(p.id for p in (back, slide, flap, second, first, front))
    opened = tuple(p.id for p in (back, slide, front, flap, second, first))
    states = (FlatState("shut", 0.0, True, True, order), FlatState("open", 180.0, False, False, opened))
    folding = folds.folding(
        "card",
        second,
        drive,
        (stage,),
        states,
        ground_pose=planar_frame(e, 0.0, 0.0),
        readings=(Reading("shift", slide.id, (e, h / 2, 0.0), (1.0, 0.0, 0.0)),),
        needs=_needs(mechanism, values, back.id, slide.id, right, flap),
    )
    return Piece((), handles=tuple(_handles(mechanism, values)), folding=folding)


def _needs(mechanism: str, values: Values, back: str, slide: str, window, flap: Panel) -> tuple[FoldNeed, ...]:  # type: ignore[no-untyped-def]
    e, r = number(values, "overhang"), number(values, "window") / 2
    free = max(0.0, (number(values, "leaf") * number(values, "height")) - 3.2 * r * r)
    return (
        Opens(f"{mechanism}.opens", mechanism),
        SeenAt(f"{mechanism}.first", mechanism, back, window, 0.0, False, (slide,), LAP_MM, "the first message in the window"),
        SeenAt(f"{mechanism}.second", mechanism, back, window, 180.0, True, (slide,), LAP_MM, "the first message in the window"),
        GlueFlap(f"{mechanism}.rim", mechanism, flap.id, flap.region, 4.0, "the flap of the back panel"),
        Bound(
            f"{mechanism}.slider-in",
            mechanism,
            "outline",
            (slide,),
            round(e + number(values, "slider"), 4),
            round(number(values, "leaf") - float(np.ptp(flap.outline[:, 0])), 4),
            "The slider runs into the flap of the back panel",
            "Open, it must end behind the second half, short of where the back is glued to it.",
            at_most=True,
        ),
        Bound(
            f"{mechanism}.writing",
            mechanism,
            "writing",
            (f"{mechanism}.middle-1",),
            round(free / 100, 1),
            WRITE_MM2 / 100,
            "Little room to write on",
            "The halves of the middle card are where a greeting can be written.",
            unit="cm2",
            severity="note",
        ),
    )


def _handles(mechanism: str, values: Values) -> list[Handle]:
    e, at, y, r = (number(values, n) for n in ("overhang", "window_at", "window_height", "window"))
    return [
        Handle(mechanism, "window_at", "window from spine", (e + at, y), (1.0, 0.0), 1.0, ((e, y), (e + at, y)), 0.0),
        Handle(mechanism, "window", "window", (e + at, y + r / 2), (0.0, 1.0), 2.0, ((e + at, y - r / 2), (e + at, y + r / 2)), -8.0),
        Handle(mechanism, "overhang", "overhang", (e, y * 0.25), (1.0, 0.0), 1.0, ((0.0, y * 0.25), (e, y * 0.25)), 0.0),
    ]


LEVERS: dict[str, tuple[Lever, ...]] = {
    "reveal-rest": (
        Lever("Move the window {by} away from the spine", {"window_at": 1.0}),
        Lever("Make the slider {by} narrower", {"slider": -1.0}),
        Lever("Make the window {by} smaller", {"window": -1.0}),
        Lever("Let the front overhang {by} more", {"overhang": 1.0, "leaf": -1.0}),
    ),
    "reveal-end": (
        Lever("Move the window {by} towards the spine", {"window_at": -1.0}),
        Lever("Move the window {by} away from the spine", {"window_at": 1.0}),
        Lever("Make the slider {by} wider", {"slider": 1.0}),
        Lever("Make the window {by} smaller", {"window": -1.0}),
    ),
    "outline": (
        Lever("Make the slider {by} narrower", {"slider": -1.0}),
        Lever("Make the leaves {by} narrower", {"leaf": -1.0}),
        Lever("Make the card {by} lower", {"height": -1.0}),
    ),
}

ADVICE = (
    Advice("join", "The link comes on before its window is cut, or it is cut too.", "slider"),
    Advice("join", "Windows lie on each other: trace through each into the next before gluing.", "front"),
    Advice("test", "Trace a ring through the window in each of both states, stamp, and erase."),
)
RECIPE = Recipe(
    "two-message",
    "two-message slide",
    "Opening the card slides another message into the same window.",
    PARAMETERS,
    size,
    sheets,
    build,
    LEVERS,
    smallest_mm=(70.0, 50.0),
    verbs=("slide", "cover"),
    makes="card",
    folds=True,
    advice=ADVICE,
)
