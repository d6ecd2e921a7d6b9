"""Thread spinner: two mirrored pieces on a thread spin in a window of the front, once the card is open far enough.

Shut, it lies flat in its window. It needs air to the window's rim always, and to the back page from some opening on; wound up on
its thread it unwinds by itself.
"""

from __future__ import annotations

import math

from lexipod.assembly import Bound, FlatState, FoldNeed, Handle, Opens, SpinsFree, Stage
from lexipod.assembly.model import Piece
from lexipod.recipes.kit.folds import Folds, Spread, add_pages, page_drive
from lexipod.recipes.kit.parameters import Advice, Lever, Parameter, Recipe, Site, Values
from lexipod.recipes.kit.sheets import Sheet
from lexipod.recipes.kit.stack import disc
from lexipod.recipes.kit.values import below, keep, keep_place, number, place

LAND_MM = 6.0

PARAMETERS = (
    Parameter("window", "window", "length", "Diameter of the window in the front.", "Window", 8, 300),
    Parameter("centre", "middle", "point", "Middle of the window: from the gutter, and along it.", "Window", 0, 400),
    Parameter("spinner", "spinner", "length", "Diameter of what hangs in the window.", "Spinner", 4, 300),
    Parameter("drop", "hangs low by", "length", "How far its middle hangs below the window's.", "Spinner", -20, 20),
    Parameter("clearance", "room to spin", "length", "Gap wanted all round what spins.", "Spinner", 0.5, 10),
    Parameter("opening", "opens to", "angle", "How far the card is opened.", "Card", 60, 180),
)


def size(site: Site, kept: Values) -> Values:
    """A window in the upper half of the front, and a spinner that fills it."""
    values: Values = {"drop": 0.0, "clearance": 1.5, "opening": 180.0, **kept}
    spread, grid = Spread.of(site), site.grid_mm
    if spread.page_mm < 40 or spread.gutter_mm < 40:
        raise RECIPE.refuse(site, "the window finds no room")
    window = keep(values, "window", below(min(spread.page_mm * 0.6, spread.gutter_mm * 0.45), grid))
    keep_place(values, "centre", spread.page_mm / 2, max(spread.gutter_mm * 0.6, window / 2 + LAND_MM), grid_mm=grid)
    keep(values, "spinner", below(window - 2 * (number(values, "clearance") + abs(number(values, "drop"))) - 1.0, grid))
    return values


def sheets(site: Site, values: Values) -> tuple[Sheet, ...]:
    """Nothing on the front."""
    return ()


def build(site: Site, mechanism: str, values: Values) -> Piece:
    """Pages and the spinner in the open spread; the front page lies at x < 0."""
    spread, folds = Spread.of(site), Folds(site, mechanism)
    u, v = place(values, "centre")
    hole = disc((-u, v), number(values, "window") / 2)
    back, front = add_pages(folds, spread, hole=hole)
    middle = v - number(values, "drop")
    spinner = folds.panel(
        "spinner", "spinner", disc((-u, middle), number(values, "spinner") / 2), "spinner", faces=("picture", "picture"), spins=True, plies=2
    )
    line = ((-u, middle - 1.0), (-u, middle + 1.0))
    thread = folds.hinge("thread", spinner, front, line, line)
    folds.sheet("spinner", "spinner", quantity=2, note="two mirrored pieces, glued back to back on the thread")
    opening, clear = number(values, "opening"), number(values, "clearance")
    stage = Stage(0.0, opening, opening / 2, {"card.fold": (180.0, 180.0 - opening), thread.id: (0.0, 90.0 if opening < 180 else 0.0)})
    sine = (number(values, "spinner") / 2 + clear) / u if u > 0 else 2.0
    from_deg = math.degrees(math.asin(min(1.0, sine)))
    free = max(90.0, from_deg)
    land = min(u, spread.page_mm - u, v, spread.gutter_mm - v) - number(values, "window") / 2
    needs: tuple[FoldNeed, ...] = (
        Opens(f"{mechanism}.opens", mechanism),
        SpinsFree(f"{mechanism}.in-window", mechanism, spinner.id, (front.id,), clear, 0.0, opening, "the spinner in its window"),
        SpinsFree(f"{mechanism}.over-back", mechanism, spinner.id, (back.id,), clear, free, free, "the spinner over the back"),
        Bound(
            f"{mechanism}.land",
            mechanism,
            "land",
            (front.id,),
            round(land, 4),
            LAND_MM,
            "Too little paper beside the window",
            "The front bends there, and the thread finds no hold.",
        ),
        Bound(
            f"{mechanism}.turns-from",
            mechanism,
            "spin",
            (spinner.id, back.id),
            round(from_deg, 1),
            60.0,
            f"It turns freely once the card is open by {from_deg:.0f}°",
            "Before that it touches the back page; nearer to the card's outer edge it is free sooner.",
            at_most=True,
            unit="deg",
            severity="note",
        ),
    )
    states = [FlatState("shut", 0.0, True, True, (back.id, front.id, spinner.id))]
    if opening >= 180.0:
        states.append(FlatState("open", 180.0, False, False, (back.id, front.id, spinner.id)))
    folding = folds.folding(
        "inside",
        back,
        page_drive(mechanism, opening),
        (stage,),
        tuple(states),
        ground_pose=spread.ground_pose,
        needs=needs,
        carries={"card.back": back.id, "card.front": front.id},
    )
    openings: dict[str, tuple[object, ...]] = {"card.front": (spread.on_front(hole),)}
    return Piece((), handles=tuple(_handles(spread, mechanism, values)), openings=openings, folding=folding)


def _handles(spread: Spread, mechanism: str, values: Values) -> list[Handle]:
    """Decisions, drawn on the closed card."""
    pose = spread.ground_pose

    def at(u: float, v: float) -> tuple[float, float]:
        x, y = pose[:2, :2] @ (u, v) + pose[:2, 3]
        return float(x), float(y)

    (u, v), r = place(values, "centre"), number(values, "window") / 2
    across, along = (float(pose[0, 0]), float(pose[1, 0])), (float(pose[0, 1]), float(pose[1, 1]))
    return [
        Handle(mechanism, "centre", "middle", at(u, v), across, 1.0, (at(0, v), at(u, v)), 0.0, cross=along),
        Handle(mechanism, "window", "window", at(u, v + r), along, 2.0, (at(u, v - r), at(u, v + r)), r + 4.0),
    ]


LEVERS: dict[str, tuple[Lever, ...]] = {
    "spin": (
        Lever("Make the spinner {by} smaller", {"spinner": -1.0}),
        Lever("Make the window {by} larger", {"window": 1.0}),
        Lever("Hang it {by} higher", {"drop": -1.0}),
        Lever("Move the window {by} from the gutter", {"centre.x": 1.0}),
    ),
    "land": (
        Lever("Make the window {by} smaller", {"window": -1.0, "spinner": -1.0}),
        Lever("Move the window {by} from the gutter", {"centre.x": 1.0}),
        Lever("Move the window {by} towards the gutter", {"centre.x": -1.0}),
        Lever("Move the window {by} down", {"centre.y": -1.0}),
        Lever("Move the window {by} up", {"centre.y": 1.0}),
    ),
    "outline": (Lever("Make the spinner {by} smaller", {"spinner": -1.0}),),
}

ADVICE = (Advice("thread", "Wind it up, let go: it must spin clear of the window.", "spinner"),)
RECIPE = Recipe(
    "thread-spinner",
    "thread spinner",
    "A piece on a thread spins in a window of the front.",
    PARAMETERS,
    size,
    sheets,
    build,
    LEVERS,
    smallest_mm=(45.0, 45.0),
    verbs=("spin",),
    makes="inside",
    along="centre.y",
    folds=True,
    advice=ADVICE,
)
