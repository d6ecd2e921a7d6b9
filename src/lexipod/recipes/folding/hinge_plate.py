"""Hinge plate: a message plate that rises parallel to the back page as the card opens.

The plate is hinged to the front page at one leg's length from the gutter, and its far end stands on a leg on the back page: a
parallelogram, so it lifts by the leg's length times the sine of the opening and slides by its cosine.
"""

from __future__ import annotations

from lexipod.assembly import FlatState, FoldNeed, GlueFlap, Handle, Opens, Reading, Stage
from lexipod.assembly.model import Piece
from lexipod.recipes.kit.folds import Folds, Spread, add_pages, box, page_drive
from lexipod.recipes.kit.parameters import Advice, Lever, Parameter, Recipe, Site, Values
from lexipod.recipes.kit.sheets import Sheet
from lexipod.recipes.kit.usual import PAPER
from lexipod.recipes.kit.values import below, keep, number

EDGE_MM = 4.0

PARAMETERS = (
    Parameter("plate", "plate", "length", "Width of the plate across the gutter.", "Plate", 8, 300),
    Parameter("plate_height", "height of plate", "length", "Height of the plate along the gutter.", "Plate", 5, 300),
    Parameter("plate_leg", "leg", "length", "Length of the leg: how high the plate is lifted.", "Plate", 3, 150),
    Parameter("from_bottom", "from the bottom", "length", "From the lower end of the gutter to the plate.", "Plate", 0, 400),
    Parameter("tab", "tabs", "length", "Width of the two glued tabs.", "Plate", 3, 60),
    Parameter("opening", "opens to", "angle", "How far the card is opened.", "Card", 60, 180),
    PAPER,
)


def size(site: Site, kept: Values) -> Values:
    """A plate in the middle of the spread that stays inside the closed card."""
    values: Values = {"opening": 180.0, "paper": "card-160", **kept}
    spread, grid = Spread.of(site), site.grid_mm
    if spread.page_mm < 40 or spread.gutter_mm < 40:
        raise RECIPE.refuse(site, "the plate finds no room inside the closed card")
    leg = keep(values, "plate_leg", below(spread.page_mm * 0.16, grid))
    keep(values, "tab", max(8.0, leg * 0.6), grid_mm=grid)
    keep(values, "plate", below(spread.page_mm - leg - number(values, "tab") - EDGE_MM - 2.0, grid))
    tall = keep(values, "plate_height", below(spread.gutter_mm * 0.35, grid))
    keep(values, "from_bottom", (spread.gutter_mm - tall) / 2, grid_mm=grid)
    return values


def sheets(site: Site, values: Values) -> tuple[Sheet, ...]:
    """Nothing on the front."""
    return ()


def build(site: Site, mechanism: str, values: Values) -> Piece:
    """Strip: tab on the front page, plate, leg, tab on the back page; laid flat as it lies with the card open."""
    spread, folds = Spread.of(site), Folds(site, mechanism, str(values["paper"]))
    wide, tall, leg, low, tab = (number(values, n) for n in ("plate", "plate_height", "plate_leg", "from_bottom", "tab"))
    back, front = add_pages(folds, spread)
    high = low + tall
    x0 = -leg
    tab_front = folds.panel("tab-front", "tab on the front page", box(x0 - tab, low, x0, high), "strip", faces=("paper", "paper"))
    plate = folds.panel("plate", "plate", box(x0, low, x0 + wide, high), "strip", faces=("picture", "paper"))
    foot = folds.panel("leg", "leg", box(x0 + wide, low, x0 + wide + leg, high), "strip", faces=("wheel", "paper"))
    tab_back = folds.panel(
        "tab-back", "tab on the back page", box(x0 + wide + leg, low, x0 + wide + leg + tab, high), "strip", faces=("paper", "paper")
    )
    folds.glue(tab_front, front)
    folds.glue(tab_back, back)
    lines = [((x, low), (x, high)) for x in (x0, x0 + wide, x0 + wide + leg)]
    a = folds.crease("hinge", plate, tab_front, lines[0], "valley", runs="free")
    b = folds.crease("edge", foot, plate, lines[1], "mountain", runs="free", order=2)
    folds.closing_crease("foot", foot, tab_back, lines[2], "valley", runs="free", order=3)
    folds.sheet(
        "strip",
        "strip",
        grain="along the scores",
        guides=[(tab_front.region, "glue to the front page"), (tab_back.region, "glue to the back page, last, with the card pressed flat")],
    )
    opening = number(values, "opening")
    stage = Stage(
        0.0,
        opening,
        opening / 2,
        {"card.fold": (180.0, 180.0 - opening)},
        {a.id: 180.0 - opening / 2, b.id: -(180.0 - opening / 2)},
        (f"{mechanism}.foot",),
        (True, opening >= 180.0),
    )
    states = [FlatState("shut", 0.0, True, True, tuple(p.id for p in (back, tab_back, foot, plate, tab_front, front)))]
    if opening >= 180.0:
        states.append(FlatState("open", 180.0, False, False, tuple(p.id for p in (back, front, tab_back, tab_front, foot, plate))))
    needs: tuple[FoldNeed, ...] = (
        Opens(f"{mechanism}.opens", mechanism),
        GlueFlap(f"{mechanism}.glue-front", mechanism, tab_front.id, tab_front.region, 6.0, "the tab on the front page"),
        GlueFlap(f"{mechanism}.glue-back", mechanism, tab_back.id, tab_back.region, 6.0, "the tab on the back page"),
    )
    folding = folds.folding(
        "inside",
        back,
        page_drive(mechanism, opening),
        (stage,),
        tuple(states),
        ground_pose=spread.ground_pose,
        readings=(Reading("lift", plate.id, (x0, low, 0.0), (0.0, 0.0, 1.0)),),
        needs=needs,
        carries={"card.back": back.id, "card.front": front.id},
    )
    return Piece((), handles=tuple(_handles(spread, mechanism, values)), folding=folding)


def _handles(spread: Spread, mechanism: str, values: Values) -> list[Handle]:
    """Decisions, drawn on the closed card."""
    pose = spread.ground_pose
    wide, tall, leg, low = (number(values, n) for n in ("plate", "plate_height", "plate_leg", "from_bottom"))

    def at(u: float, v: float) -> tuple[float, float]:
        x, y = pose[:2, :2] @ (u, v) + pose[:2, 3]
        return float(x), float(y)

    across, along = (float(pose[0, 0]), float(pose[1, 0])), (float(pose[0, 1]), float(pose[1, 1]))
    middle = low + tall / 2
    return [
        Handle(mechanism, "plate", "plate", at(leg + wide, middle), across, 1.0, (at(leg, middle), at(leg + wide, middle)), 0.0),
        Handle(mechanism, "plate_leg", "leg", at(leg, low), across, 1.0, (at(0, low), at(leg, low)), -5.0),
        Handle(mechanism, "from_bottom", "from bottom", at(leg + wide / 2, low), along, 1.0, (at(leg + wide / 2, 0), at(leg + wide / 2, low)), 0.0),
    ]


LEVERS: dict[str, tuple[Lever, ...]] = {
    "outline": (
        Lever("Make the plate {by} narrower", {"plate": -1.0}),
        Lever("Make the leg {by} shorter", {"plate_leg": -1.0}),
        Lever("Make the plate {by} lower", {"plate_height": -1.0}),
        Lever("Move it {by} down", {"from_bottom": -1.0}),
        Lever("Make the tabs {by} narrower", {"tab": -1.0}),
    ),
    "fold": (Lever("Make the leg {by} longer", {"plate_leg": 1.0}),),
    "flap": (Lever("Make the tabs {by} wider", {"tab": 1.0}),),
}

ADVICE = (Advice("last", "Last tab with everything pressed flat.", "strip"),)
RECIPE = Recipe(
    "hinge-plate",
    "hinge plate",
    "A message plate rises parallel to the page as the card opens.",
    PARAMETERS,
    size,
    sheets,
    build,
    LEVERS,
    smallest_mm=(45.0, 45.0),
    verbs=("rise",),
    makes="inside",
    along="from_bottom",
    folds=True,
    advice=ADVICE,
)
