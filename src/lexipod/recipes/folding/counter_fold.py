"""Counter-fold: a card scored at half and quarter, with a second folded piece that opens the other way.

The piece is stuck to the outer quarter alone but centred on the quarter's fold line, the middle of the closed card, so its
margins are the same open and closed. A wrap band holds it shut; it is folded round the closed card.
"""

from __future__ import annotations

import math

from lexipod.assembly import Allowance, Bound, Drive, FlatState, FoldNeed, GlueFlap, Handle, Move, Opens, Stage
from lexipod.assembly.model import Piece
from lexipod.geometry.space import planar_frame
from lexipod.mechanics import band_way
from lexipod.recipes.kit.folds import Folds, box
from lexipod.recipes.kit.parameters import Advice, Lever, Parameter, Recipe, Site, Values
from lexipod.recipes.kit.sheets import Sheet
from lexipod.recipes.kit.values import keep, number

MARGIN_MM = 3.0
BAND_LAP_MM = 10.0

PARAMETERS = (
    Parameter("width", "width", "length", "Width of the closed card; the sheet is twice as wide.", "Card", 30, 400),
    Parameter("height", "height", "length", "Height of the card.", "Card", 20, 400),
    Parameter("inner_width", "width of piece", "length", "Width of the second piece, folded.", "Piece", 10, 400),
    Parameter("inner_height", "height of piece", "length", "Height of the second piece.", "Piece", 10, 400),
    Parameter("band_width", "width of band", "length", "Width of the wrap band; 0 for none.", "Band", 0, 100),
    Parameter("band_length", "length of band", "length", "Length that the band is cut to.", "Band", 0, 900),
)


def stack_mm(site: Site) -> float:
    """Thickness of the closed card: back, two quarters and the folded piece."""
    return 5 * site.stock.caliper_mm


def size(site: Site, kept: Values) -> Values:
    """The closed card fills the chosen size; the piece leaves an equal margin at both sides."""
    values: Values = {**kept}
    card, grid = site.card, site.grid_mm
    if min(card.width_mm, card.height_mm) < 50:
        raise RECIPE.refuse(site, "the second piece finds no room")
    w, h = keep(values, "width", card.width_mm), keep(values, "height", card.height_mm)
    keep(values, "inner_width", w - 2 * max(MARGIN_MM, w * 0.045), grid_mm=grid)
    keep(values, "inner_height", h - 2 * max(MARGIN_MM, h * 0.07), grid_mm=grid)
    band = keep(values, "band_width", max(12.0, h * 0.14), grid_mm=grid)
    keep(values, "band_length", math.ceil((band_way(w, stack_mm(site), site.stock.caliper_mm) + BAND_LAP_MM) / grid) * grid if band else 0.0)
    return values


def sheets(site: Site, values: Values) -> tuple[Sheet, ...]:
    """It is the card itself."""
    return ()


def build(site: Site, mechanism: str, values: Values) -> Piece:
    """The sheet laid open with its inside up: back from x = 0, half score at its right, quarter score half a card further."""
    w, h, wide, tall = (number(values, n) for n in ("width", "height", "inner_width", "inner_height"))
    folds, t = Folds(site, mechanism), site.stock.caliper_mm
    back = folds.panel("back", "back", box(0, 0, w, h), "card", faces=("mat", "card"))
    inner = folds.panel("quarter-1", "inner quarter", box(w, 0, 1.5 * w, h), "card", faces=("mat", "card"))
    outer = folds.panel("quarter-2", "outer quarter", box(1.5 * w, 0, 2 * w, h), "card", faces=("wheel", "card"))
    half = folds.crease("half", inner, back, ((w, 0.0), (w, h)), "valley")
    quarter = folds.crease("quarter", outer, inner, ((1.5 * w, 0.0), (1.5 * w, h)), "mountain", order=2)
    leaf_back = folds.panel("piece-back", "piece, glued half", box(0, 0, wide, tall), "piece", faces=("picture", "frame"))
    leaf_front = folds.panel("piece-front", "piece, free half", box(-wide, 0, 0, tall), "piece", faces=("picture", "frame"))
    folds.glue(leaf_back, outer, planar_frame(1.5 * w - wide / 2, (h - tall) / 2, 0.0))
    fold = folds.crease("piece-fold", leaf_front, leaf_back, ((0.0, 0.0), (0.0, tall)), "valley")
    glued = box(wide / 2, 0, wide, tall)
    folds.sheet(
        "card",
        "card",
        allowances=(
            Allowance("inner quarter", round(-t / 2, 3), "creep", "half a caliper for the fold outside it", w / 2, (Move("from", 1.5 * w, -t / 2),)),
            Allowance("outer quarter", round(-t, 3), "creep", "half a caliper for each of two folds outside it", w / 2, (Move("from", 2 * w, -t),)),
        ),
        grain="along the scores",
        note="half valley, quarter mountain, seen from inside",
    )
    folds.sheet("piece", "second piece", guides=[(glued, "glue here, on the outer quarter only")], grain="along its score")
    needs: list[FoldNeed] = [
        Opens(f"{mechanism}.opens", mechanism),
        GlueFlap(f"{mechanism}.glue", mechanism, leaf_back.id, glued, 10.0, "the glued half of the piece"),
    ]
    if number(values, "band_width") > 0:
        length, way = number(values, "band_length"), band_way(w, stack_mm(site), t)
        folds.sheet(
            "band",
            "wrap band",
            box(0, 0, length, number(values, "band_width")),
            allowances=(Allowance("length", round(way - 2 * w, 3), "band", "round the closed card: thickness and bends take this much", 2 * w),),
            panels=(),
            note="folded round the closed card, not scored by arithmetic",
        )
        needs.append(
            Bound(
                f"{mechanism}.band",
                mechanism,
                "closure",
                (f"{mechanism}.quarter-2",),
                length,
                round(way, 3),
                "The band does not meet",
                f"Round the closed card the way is {site.length(way)}; the missing part stays open as a gap "
                f"(a lap of {site.length(BAND_LAP_MM)} is glued best).",
                severity="warn",
            )
        )
    stages = (
        Stage(0.0, 180.0, 90.0, {half.id: (180.0, 0.0), quarter.id: (-180.0, 0.0), fold.id: (180.0, 180.0)}),
        Stage(180.0, 360.0, 270.0, {half.id: (0.0, 0.0), quarter.id: (0.0, 0.0), fold.id: (180.0, 0.0)}),
    )
    order = tuple(p.id for p in (back, inner, outer, leaf_back, leaf_front))
    states = (
        FlatState("shut", 0.0, True, True, order),
        FlatState("card open", 180.0, False, False, order),
        FlatState("all open", 360.0, False, False, order),
    )
    drive = Drive(mechanism, half.id, outer.id, "open", 0.0, 360.0, 90.0)
    folding = folds.folding(
        "card",
        back,
        drive,
        stages,
        states,
        needs=tuple(needs),
        wrapped_mm=2 * t if number(values, "band_width") > 0 else 0.0,
    )
    return Piece((), handles=tuple(_handles(mechanism, values)), folding=folding)


def _handles(mechanism: str, values: Values) -> list[Handle]:
    w, h, wide, tall = (number(values, n) for n in ("width", "height", "inner_width", "inner_height"))
    left, low = (w - wide) / 2, (h - tall) / 2
    return [
        Handle(mechanism, "inner_width", "piece", (left + wide, h / 2), (1.0, 0.0), 2.0, ((left, h / 2), (left + wide, h / 2)), 0.0),
        Handle(mechanism, "inner_height", "piece", (w / 2, low + tall), (0.0, 1.0), 2.0, ((w / 2, low), (w / 2, low + tall)), 0.0),
    ]


LEVERS: dict[str, tuple[Lever, ...]] = {
    "outline": (
        Lever("Make the piece {by} narrower", {"inner_width": -1.0}),
        Lever("Make the piece {by} lower", {"inner_height": -1.0}),
        Lever("Make the card {by} narrower", {"width": -1.0, "inner_width": -1.0}),
        Lever("Make the card {by} lower", {"height": -1.0, "inner_height": -1.0}),
    ),
    "closure": (Lever("Cut the band {by} longer", {"band_length": 1.0}), Lever("Leave the band out", choose={"band_width": 0.0})),
    "flap": (Lever("Make the piece {by} wider", {"inner_width": 1.0}),),
}

ADVICE = (Advice("join", "Lay it dry first, centred both ways on the quarter; shut the card and compare the margins.", "piece"),)
RECIPE = Recipe(
    "counter-fold",
    "counter-fold card",
    "A card scored at half and quarter with a second piece that opens the other way.",
    PARAMETERS,
    size,
    sheets,
    build,
    LEVERS,
    smallest_mm=(50.0, 50.0),
    verbs=("open", "cover"),
    makes="card",
    folds=True,
    advice=ADVICE,
)
