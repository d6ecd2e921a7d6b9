"""Twist pop-up: a platform on the gutter rises and turns as the card opens, and is seen through a window when it is shut.

Two lower halves are cut into the inner card across the gutter, hinged to their pages along diagonals from an apex on the gutter
and to each other on the gutter. The platform is glued to the half on the front page, which carries it, and lies loose over the
other (an assumption about the piece). Makers also glue both ends of an upper piece with several mountain scores: with
``second_tab`` “hinged” the platform has a fold in its middle and a tab turned under at either side, one on each half, and so stands
over the ridge as a tent whose three scores run along it (that they do is our assumption).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Bound, FlatState, FoldNeed, GlueFlap, Handle, Opens, Panel, SeenAt, Stage
from lexipod.assembly.model import Piece
from lexipod.errors import ParameterError
from lexipod.geometry.space import turned_over
from lexipod.recipes.kit.folds import Folds, Spread, add_inner_card, add_pages, box, inner_sheet, inside_order, page_drive
from lexipod.recipes.kit.parameters import Advice, Lever, Parameter, Recipe, Site, Values
from lexipod.recipes.kit.sheets import Sheet
from lexipod.recipes.kit.stack import disc
from lexipod.recipes.kit.usual import PAPER
from lexipod.recipes.kit.values import below, keep, keep_place, number, place

MARGIN_MM = 4.0
WINDOW_LAP_MM = 2.0
AIR_MM = 1.0
TAB_MM = 8.0

PARAMETERS = (
    Parameter("diagonal_angle", "diagonal", "angle", "Between gutter and diagonal; the platform turns by twice this.", "Folds", 25, 65),
    Parameter("apex", "apex", "length", "From the lower end of the gutter to where the diagonals meet.", "Folds", 0, 400),
    Parameter("half_length", "lower halves", "length", "Length of the two lower halves along the gutter.", "Folds", 8, 300),
    Parameter("platform_distance", "platform at", "length", "From the apex to the middle of the platform.", "Platform", 5, 300),
    Parameter("platform_width", "width of platform", "length", "Across the gutter, with the card open.", "Platform", 5, 300),
    Parameter("platform_height", "height of platform", "length", "Along the gutter, with the card open.", "Platform", 5, 300),
    Parameter("platform", "shape", "choice", "Shape of the platform.", "Platform", choices=("round", "square")),
    Parameter(
        "second_tab",
        "second tab",
        "choice",
        "Loose: the platform is stuck to one half. Hinged: it is folded in the middle, and a tab under either side is stuck to its half.",
        "Platform",
        choices=("loose", "hinged"),
    ),
    Parameter("feet", "feet", "length", "From the ridge to each outer score of a hinged platform, along the half.", "Platform", 3, 200),
    Parameter("opening", "opens to", "angle", "How far the card is opened.", "Card", 90, 180),
    PAPER,
    Parameter("window", "window", "length", "Diameter of the window in the front; 0 for none.", "Window", 0, 300),
    Parameter(
        "window_from",
        "window placed by",
        "choice",
        "By the formula, or as measured on a closed trial.",
        "Window",
        choices=("formula", "trial"),
    ),
    Parameter("window_at", "measured at", "point", "Middle of the window on the closed trial: from the gutter, and along it.", "Window", 0, 400),
    Parameter("inner_border", "inner card", "length", "How much smaller the inner card is at its outer edges.", "Card", 0, 30),
)


def size(site: Site, kept: Values) -> Values:
    """A platform in the middle of the gutter, as large as it can turn and hide; a window for it in the front."""
    values: Values = {"diagonal_angle": 45.0, "second_tab": "loose", "opening": 180.0, "paper": "card-160", "window_from": "formula", **kept}
    hinged = values["second_tab"] == "hinged"
    if hinged and values.setdefault("platform", "square") == "round":
        raise ParameterError("platform", "a platform with hinged tabs has straight scores at its sides; choose square")
    values.setdefault("platform", "round")
    spread, grid = Spread.of(site), site.grid_mm
    if spread.page_mm < 55 or spread.gutter_mm < 60:
        raise RECIPE.refuse(site, "the platform cannot turn inside the closed card")
    alpha = math.radians(number(values, "diagonal_angle"))
    border = keep(values, "inner_border", 3.0, grid_mm=grid)
    sin2, cos2 = math.sin(2 * alpha), math.cos(2 * alpha)
    room = spread.page_mm - border - MARGIN_MM
    v0 = keep(
        values, "platform_distance", below(min(room / (abs(sin2) + min(math.sin(alpha), math.cos(alpha)) * 0.9), spread.gutter_mm * 0.42), grid)
    )
    radius = min(v0 * min(math.sin(alpha), math.cos(alpha)) - AIR_MM, room - v0 * abs(sin2))
    side = radius if values["platform"] == "round" else radius / math.sqrt(2)
    width = keep(values, "platform_width", below(2 * side * (0.8 if hinged else 1.0), grid))
    height = keep(values, "platform_height", width)
    keep(values, "feet", below(width / 2 * 0.8, grid))
    keep(values, "apex", max(MARGIN_MM + height / 2 - v0 * cos2, (spread.gutter_mm - v0) / 2), grid_mm=grid)
    keep(values, "half_length", below(v0 + height * 0.25, grid))
    seen = min(width / 2 if hinged else width, height)
    keep(values, "window", below(max(0.0, seen - 2 * WINDOW_LAP_MM - 2 * v0 * math.radians(0.5) - 2.0), grid))
    keep_place(values, "window_at", *window_place(values))
    return values


def window_place(values: Values) -> tuple[float, float]:
    """Where the middle of what is seen of the closed platform lies, from the gutter and from its lower end: the open place mirrored in
    the carrying diagonal. A hinged one shows its half on the carrying page, from its foot to beyond the ridge."""
    alpha, v0 = math.radians(number(values, "diagonal_angle")), number(values, "platform_distance")
    u0 = number(values, "feet") - number(values, "platform_width") / 4 if values["second_tab"] == "hinged" else 0.0
    cos2, sin2 = math.cos(2 * alpha), math.sin(2 * alpha)
    return v0 * sin2 - u0 * cos2, number(values, "apex") + u0 * sin2 + v0 * cos2


def sheets(site: Site, values: Values) -> tuple[Sheet, ...]:
    """Nothing on the front."""
    return ()


def build(site: Site, mechanism: str, values: Values) -> Piece:
    """Pages, inner card, halves and platform in the open spread; the front page lies at x < 0."""
    spread, folds = Spread.of(site), Folds(site, mechanism, str(values["paper"]))
    alpha, apex = math.radians(number(values, "diagonal_angle")), number(values, "apex")
    window = _window(values)
    back, front = add_pages(folds, spread, hole=window)
    tip, gutter = (0.0, apex), ((0.0, apex), (0.0, apex + number(values, "half_length")))
    foot = number(values, "half_length") * math.cos(alpha)
    lines = {side: (tip, (side * foot * math.sin(alpha), apex + foot * math.cos(alpha))) for side in (1, -1)}
    halves = {side: shapely.Polygon([tip, gutter[1], lines[side][1]]) for side in (1, -1)}
    inner_back, inner_front = add_inner_card(folds, spread, number(values, "inner_border"), (back, front), (halves[1], halves[-1]), hole=window)
    half_back = folds.panel("half-back", "lower half on the back page", halves[1], "inner", faces=("mat", "paper"))
    half_front = folds.panel("half-front", "lower half that carries", halves[-1], "inner", faces=("mat", "paper"))
    one = folds.crease("diagonal-back", half_back, inner_back, lines[1], "valley", runs="free", order=2)
    two = folds.crease("diagonal-front", half_front, inner_front, lines[-1], "valley", runs="free", order=2)
    folds.closing_crease("ridge", half_front, half_back, gutter, "mountain", runs="free", order=3)
    hinged = values["second_tab"] == "hinged"
    upper = _tent(folds, values, half_front, half_back) if hinged else _plate(folds, values, half_front)
    lining = inner_sheet(spread, number(values, "inner_border"))
    folds.sheet(
        "inner",
        "inner card",
        shapely.difference(lining, window) if window is not None else lining,
        grain="along the gutter",
        guides=[(zone, "glue the platform here, nowhere else") for zone in upper.glued],
    )
    note = "mountain scores; a tab turned under at either side, one on each half" if hinged else "glued to the half on the front page only"
    folds.sheet("platform", "platform", note=note)
    opening = number(values, "opening")
    drive = page_drive(mechanism, opening)
    rho = math.degrees(2 * math.atan(1 / math.tan(math.radians(opening / 4)) / math.cos(alpha)))
    stage = Stage(
        0.0,
        opening,
        opening / 2,
        {"card.fold": (180.0, 180.0 - opening)},
        {one.id: rho, two.id: rho, **upper.guess(math.radians(opening / 2))},
        (f"{mechanism}.ridge", *upper.closes),
        (True, opening >= 180.0),
    )
    shut = (back.id, inner_back.id, *upper.behind, half_back.id, half_front.id, *upper.before, inner_front.id, front.id)
    states = [FlatState("shut", 0.0, True, True, shut)]
    if opening >= 180.0 and not hinged:
        states.append(FlatState("open", 180.0, False, False, inside_order(folds, (half_back.id, half_front.id, *upper.before))))
    folding = folds.folding(
        "inside",
        back,
        drive,
        (stage,),
        tuple(states),
        ground_pose=spread.ground_pose,
        needs=tuple(_needs(site, mechanism, values, upper, window)),
        carries={"card.back": back.id, "card.front": front.id},
    )
    openings: dict[str, tuple[object, ...]] = {} if window is None else {"card.front": (spread.on_front(window),)}
    return Piece((), handles=tuple(_handles(spread, mechanism, values)), openings=openings, folding=folding)


@dataclass(frozen=True, slots=True)
class _Upper:
    """What lies on the lower halves: its panels ``before`` the front half and ``behind`` the back one when it is shut, where it is glued in
    the sheet of the halves, the joints that close its loop, and half its width and its feet when it is a tent."""

    seen: Panel
    before: tuple[str, ...]
    behind: tuple[str, ...]
    glued: tuple[Any, ...]
    glued_on: str
    scores: tuple[str, ...] = ()
    closes: tuple[str, ...] = ()
    half_mm: float = 0.0
    feet_mm: float = 0.0

    def guess(self, half_turn_rad: float) -> dict[str, float]:
        """Turns of the tent's scores while the halves stand at twice an angle to each other (elementary trigonometry)."""
        if not self.scores:
            return {}
        drop = math.pi / 2 - half_turn_rad
        rise = math.acos(min(1.0, self.feet_mm * math.cos(drop) / self.half_mm))
        under, middle, other = self.scores
        turned = -180.0 + math.degrees(rise - drop)
        return {under: turned, middle: -2 * math.degrees(rise), other: turned}


def _plate(folds: Folds, values: Values, half_front: Panel) -> _Upper:
    """A stiff platform on the half that carries it."""
    shape = _platform(values)
    platform = folds.panel("platform", "platform", shape, "platform", faces=("picture", "paper"))
    folds.glue(platform, half_front)
    return _Upper(platform, (platform.id,), (), (shapely.intersection(half_front.region, shape),), half_front.id)


def _tent(folds: Folds, values: Values, half_front: Panel, half_back: Panel) -> _Upper:
    """A platform folded in the middle, with a tab turned under at either side and stuck to the half there."""
    wide, feet = number(values, "platform_width") / 2, number(values, "feet")
    y = number(values, "apex") + number(values, "platform_distance")
    low, high = y - number(values, "platform_height") / 2, y + number(values, "platform_height") / 2
    tab = min(feet - 0.5, TAB_MM)
    tab_front = folds.panel("tab-front", "tab on the front half", box(-wide - tab, low, -wide, high), "platform", faces=("paper", "paper"))
    seen = folds.panel("platform", "platform, front half", box(-wide, low, 0.0, high), "platform", faces=("picture", "paper"))
    far = folds.panel("platform-back", "platform, back half", box(0.0, low, wide, high), "platform", faces=("picture", "paper"))
    tab_back = folds.panel("tab-back", "tab on the back half", box(wide, low, wide + tab, high), "platform", faces=("paper", "paper"))
    folds.glue(tab_front, half_front, turned_over(-wide - feet, 0.0))
    under = folds.crease("score-front", seen, tab_front, ((-wide, low), (-wide, high)), "mountain", runs="free")
    middle = folds.crease("score-middle", far, seen, ((0.0, low), (0.0, high)), "mountain", runs="free")
    other = folds.crease("score-back", tab_back, far, ((wide, low), (wide, high)), "mountain", runs="free")
    shut = folds.closing_glue("tab-glued", tab_back, half_back, turned_over(wide + feet, 0.0))
    glued = tuple(box(min(s * feet, s * (feet - tab)), low, max(s * feet, s * (feet - tab)), high) for s in (-1, 1))
    scores = (under.id, middle.id, other.id)
    return _Upper(seen, (tab_front.id, seen.id), (far.id, tab_back.id), glued, half_front.id, scores, (shut.id,), wide, feet)


def _platform(values: Values) -> shapely.Polygon:
    """The platform with the card open, its middle on the gutter."""
    v0, w, h = (number(values, n) for n in ("platform_distance", "platform_width", "platform_height"))
    y = number(values, "apex") + v0
    if values["platform"] == "round":
        return shapely.transform(disc((0.0, 0.0), 1.0), lambda xy: xy * (w / 2, h / 2) + (0.0, y))
    return box(-w / 2, y - h / 2, w / 2, y + h / 2)


def _window(values: Values):  # type: ignore[no-untyped-def]
    """The window in the front page, as seen from inside; None for none."""
    if number(values, "window") <= 0:
        return None
    u, v = place(values, "window_at") if values["window_from"] == "trial" else window_place(values)
    return disc((-u, v), number(values, "window") / 2)


def _needs(site: Site, mechanism: str, values: Values, upper: _Upper, window):  # type: ignore[no-untyped-def]
    platform = upper.seen
    needs: list[FoldNeed] = [Opens(f"{mechanism}.opens", mechanism)]
    wanted, what = (5.0, "the tab on the carrying half") if upper.scores else (8.0, "the glued part of the carrying half")
    needs.append(GlueFlap(f"{mechanism}.glue", mechanism, upper.glued_on, upper.glued[0], wanted, what))
    if upper.scores:
        needs.append(
            Bound(
                f"{mechanism}.stands",
                mechanism,
                "fold",
                (platform.id,),
                round(upper.half_mm - upper.feet_mm, 4),
                1.0,
                "The feet of the platform are too far apart",
                "It must stand over the ridge as a tent: flat on its halves it would only fold with them. From foot to foot it must be "
                "less than its width.",
            )
        )
    if window is not None:
        lap = WINDOW_LAP_MM
        needs.append(SeenAt(f"{mechanism}.window", mechanism, "card.front", window, 0.0, True, (platform.id,), lap, "the window in the front"))
    if window is not None and values["window_from"] == "trial":
        told, measured = window_place(values), place(values, "window_at")
        off = float(np.hypot(told[0] - measured[0], told[1] - measured[1]))
        at = [f"{site.length(x)} and {site.length(y)}" for x, y in (told, measured)]
        why = (
            f"The formula puts the window at {at[0]}, the trial at {at[1]}; the trial counts. More than 2 mm apart, look at diagonals and apex first."
        )
        needs.append(
            Bound(
                f"{mechanism}.trial",
                mechanism,
                "trial",
                ("card.front", platform.id),
                round(off, 3),
                0.0,
                "Formula and trial differ",
                why,
                at_most=True,
                severity="note" if off < 2 else "warn",
            )
        )
    return needs


def _handles(spread: Spread, mechanism: str, values: Values) -> list[Handle]:
    """Decisions, drawn on the closed card."""
    pose = spread.ground_pose
    u, v = window_place(values)
    x, y = pose[:2, :2] @ (u, v) + pose[:2, 3]
    foot = pose[:2, :2] @ (0.0, number(values, "apex")) + pose[:2, 3]
    start = pose[:2, 3]
    along = pose[:2, 1]
    across = pose[:2, 0]
    return [
        Handle(
            mechanism,
            "apex",
            "apex",
            (float(foot[0]), float(foot[1])),
            (float(along[0]), float(along[1])),
            1.0,
            ((float(start[0]), float(start[1])), (float(foot[0]), float(foot[1]))),
            -6.0,
        ),
        Handle(
            mechanism,
            "platform_distance",
            "platform at",
            (float(x), float(y)),
            (float(across[0]), float(across[1])),
            1.0,
            ((float(foot[0]), float(foot[1])), (float(x), float(y))),
            0.0,
        ),
    ]


LEVERS: dict[str, tuple[Lever, ...]] = {
    "clearance": (
        Lever("Move the platform {by} further from the apex", {"platform_distance": 1.0}),
        Lever("Move platform and halves {by} further from the apex", {"platform_distance": 1.0, "half_length": 1.0}),
        Lever("Make platform and window {by} smaller", {"platform_width": -1.0, "platform_height": -1.0, "window": -1.0}),
        Lever("Make the platform {by} narrower", {"platform_width": -1.0}),
        Lever("Make the platform {by} smaller", {"platform_width": -1.0, "platform_height": -1.0}),
    ),
    "outline": (
        Lever("Make platform and window {by} smaller", {"platform_width": -1.0, "platform_height": -1.0, "window": -1.0}),
        Lever("Make the platform {by} smaller", {"platform_width": -1.0, "platform_height": -1.0}),
        Lever("Move the platform {by} nearer to the apex", {"platform_distance": -1.0, "half_length": -1.0}),
        Lever("Move the apex {by} up", {"apex": 1.0}),
        Lever("Move the apex {by} down", {"apex": -1.0}),
    ),
    "reveal-rest": (
        Lever("Make the window {by} smaller", {"window": -1.0}),
        Lever("Place the window by the formula", choose={"window_from": "formula"}),
        Lever("Make the platform {by} larger", {"platform_width": 1.0, "platform_height": 1.0}),
    ),
    "flap": (
        Lever("Make the lower halves {by} longer", {"half_length": 1.0}),
        Lever("Set the feet {by} further out", {"feet": 1.0, "platform_width": 2.0}),
    ),
    "fold": (Lever("Set the feet {by} nearer to the ridge", {"feet": -1.0}), Lever("Make the platform {by} wider", {"platform_width": 2.0})),
    "trial": (Lever("Place the window by the formula", choose={"window_from": "formula"}),),
}

ADVICE = (
    Advice("fold", "Push the ridge forward with both thumbs as you close it.", "inner"),
    Advice("last", "Lowest crease in the gutter, both pages square.", "inner"),
)
RECIPE = Recipe(
    "twist-popup",
    "twist pop-up",
    "A platform rises and turns on the gutter as the card opens.",
    PARAMETERS,
    size,
    sheets,
    build,
    LEVERS,
    smallest_mm=(70.0, 70.0),
    verbs=("rise", "turn"),
    shaping=("platform",),
    makes="inside",
    along="apex",
    folds=True,
    advice=ADVICE,
)
