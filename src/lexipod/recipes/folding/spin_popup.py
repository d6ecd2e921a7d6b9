"""Spin pop-up: a box across the gutter with a reversed corner; an arm on the corner swings as the card opens.

The box is cut into the inner card; or a tent of a strip of its own, higher than its feet stand apart, or a V-fold (`v_carrier`) is glued
on the pages. Its ridge ends in a vertex, where the corner is pushed in along two diagonals; the inner ridge dips by twice the
diagonal's angle, and an arm glued on one triangle swings with it. A second arm, with measures of its own, may sit at the other end.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import FlatState, FoldNeed, GlueFlap, Handle, LapsAt, Opens, Panel, Stage
from lexipod.assembly.model import Piece
from lexipod.errors import ParameterError
from lexipod.geometry.space import planar_frame
from lexipod.recipes.kit.folds import Folds, Spread, add_inner_card, add_pages, box, inner_sheet, inside_order, page_drive
from lexipod.recipes.kit.parameters import Advice, Lever, Parameter, Recipe, Site, Values
from lexipod.recipes.kit.sheets import Sheet
from lexipod.recipes.kit.usual import PAPER
from lexipod.recipes.kit.v_carrier import add_feet, angles, arm_fits, foot_line, foot_turn, half_region, ridge_opening
from lexipod.recipes.kit.values import below, count, keep, number

RELIEF_MM = 1.0
WEB_MM = 3.0
"""Half the width of the web that joins an arm to its foot, which meet at a corner only."""
FOOT_MM = 0.7
LAP_MM = 2.0
EDGE_MM = 4.0

PARAMETERS = (
    Parameter(
        "form",
        "carried by",
        "choice",
        "A box cut into the inner card; a tent or a V-fold on the pages.",
        "Box",
        choices=("box", "tent", "v-fold"),
    ),
    Parameter("tent_side", "side of tent", "length", "From the foot of a tent to its ridge: longer than its depth.", "Box", 5, 250),
    Parameter("tent_tab", "tabs of tent", "length", "Width of the two glued tabs of a tent.", "Box", 4, 40),
    Parameter("page_angle", "angle on the page", "angle", "Of a V-fold: between gutter and its line on the page.", "Box", 25, 80),
    Parameter("panel_angle", "angle of panel", "angle", "Of a V-fold: between foot and ridge; more than on the page.", "Box", 30, 88),
    Parameter("box_depth", "depth of box", "length", "How far the box stands out of both pages.", "Box", 5, 200),
    Parameter("box_height", "height of box", "length", "Height of the box along the gutter.", "Box", 10, 400),
    Parameter("from_bottom", "from the bottom", "length", "From the lower end of the gutter to the box.", "Box", 0, 400),
    Parameter("arms", "arms", "count", "One arm at the upper corner, or a second one at the lower.", "Arm", 1, 2),
    Parameter("vertex", "vertex", "length", "From the end of the box to the vertex on its ridge.", "Arm", 3, 200),
    Parameter("diagonal_angle", "diagonal", "angle", "Between ridge and diagonal; the corner swings by twice this.", "Arm", 20, 70),
    Parameter("arm_angle", "angle of arm", "angle", "Between inner ridge and arm, towards the front page.", "Arm", -30, 150),
    Parameter("arm_length", "length of arm", "length", "From the vertex to the tip of the arm.", "Arm", 5, 300),
    Parameter("arm_width", "width of arm", "length", "Width of the arm.", "Arm", 2, 80),
    Parameter("tip_size", "size at the tip", "length", "Size of what the arm carries at its tip; 0 for nothing.", "Arm", 0, 120),
    Parameter("lower_vertex", "lower vertex", "length", "From the lower end of the box to the second arm's vertex.", "Second arm", 3, 200),
    Parameter("lower_diagonal", "lower diagonal", "angle", "Between ridge and diagonal of the second arm.", "Second arm", 20, 70),
    Parameter("lower_angle", "angle of lower arm", "angle", "Between inner ridge and second arm, towards the front page.", "Second arm", -30, 150),
    Parameter("lower_length", "length of lower arm", "length", "From its vertex to the tip of the second arm.", "Second arm", 5, 300),
    Parameter("lower_tip", "size at lower tip", "length", "Size of what the second arm carries; 0 for nothing.", "Second arm", 0, 120),
    Parameter("opening", "opens to", "angle", "How far the card is opened.", "Card", 90, 180),
    PAPER,
    Parameter("inner_border", "inner card", "length", "How much smaller the inner card is at its outer edges.", "Card", 0, 30),
)


def size(site: Site, kept: Values) -> Values:
    """A box in the lower half of the gutter and an arm that stays inside the closed card."""
    usual: Values = {"form": "box", "diagonal_angle": 45.0, "arms": 1, "opening": 180.0, "paper": "card-160", "page_angle": 50.0, "panel_angle": 70.0}
    values: Values = {**usual, **kept}
    if values["form"] == "v-fold" and count(values, "arms") == 2:
        raise ParameterError("arms", "a V-fold has one free end, so it carries one arm")
    twice = count(values, "arms") == 2
    values.setdefault("arm_angle", 85.0 if twice else 90.0 if values["form"] == "v-fold" else 105.0)
    spread, grid = Spread.of(site), site.grid_mm
    if spread.page_mm < 55 or spread.gutter_mm < 60:
        raise RECIPE.refuse(site, "box and arm find no room inside the closed card")
    keep(values, "inner_border", 3.0, grid_mm=grid)
    alpha = math.radians(number(values, "diagonal_angle"))
    depth = keep(values, "box_depth", below(spread.page_mm * 0.22, grid))
    is_v = values["form"] == "v-fold"
    tall = keep(values, "box_height", below(min(spread.gutter_mm * 0.38, spread.page_mm * 0.6 if is_v else 1e4), grid))
    keep(values, "from_bottom", below(spread.gutter_mm * (0.5 if is_v else 0.3 if twice else 0.1), grid))
    keep(values, "tent_side", below(depth * 1.3, grid))
    keep(values, "tent_tab", max(8.0, below(depth * 0.5, grid)))
    side = _side(values)
    room = min(side / math.tan(alpha) * 0.9, tall * (0.25 if twice else 0.4), _dips_to(values, depth, side, alpha))
    vertex = keep(values, "vertex", below(room, grid), grid_mm=grid)
    keep(values, "arm_width", max(6.0, depth * 0.3), grid_mm=grid)
    beside = tall / 2 - vertex
    tip = keep(values, "tip_size", below(max(0.0, min(depth * 0.9, 2 * beside - 2.0)) if twice else depth * 0.9, grid))
    angle, foot = math.radians(number(values, "arm_angle")), number(values, "from_bottom") + tall - vertex
    shut, page = 2 * alpha - angle, spread.page_mm - number(values, "inner_border") - EDGE_MM
    rooms = [
        (page - tip / 2) / max(math.sin(angle), 0.05),
        (spread.gutter_mm - foot - EDGE_MM - tip / 2) / max(math.cos(shut), 0.05),
        reach_limit(depth, alpha, angle, side) - tip / 2 - 2.0,
        (depth + side - tip / 2) / max(math.sin(shut), 0.05),
        (page - depth - side - tip / 2) / max(-math.sin(shut), 0.05),
    ]
    if twice:
        rooms.append(max(0.0, beside - max(tip, number(values, "arm_width")) / 2 - 0.5) / max(sinks(alpha, angle), 0.01))
    if is_v:
        tries = np.arange(spread.page_mm, max(tip, 6.0), -1.0)
        rooms = [next((t for t in tries if arm_fits(values, spread, t, number(values, "inner_border"))), 0.0)]
    keep(values, "arm_length", max(below(min(rooms) * 0.95, grid), tip, 6.0))
    for mine, other in OF_LOWER.items():
        values.setdefault(other, values[mine])
    return values


OF_LOWER = {
    "vertex": "lower_vertex",
    "diagonal_angle": "lower_diagonal",
    "arm_angle": "lower_angle",
    "arm_length": "lower_length",
    "tip_size": "lower_tip",
}
"""The second arm's own measures, under the names of the first one's."""


def _of_arm(values: Values, name: str) -> Values:
    """The measures with which an arm is built."""
    return values if name == "upper" else values | {mine: values[other] for mine, other in OF_LOWER.items()}


def reach_limit(depth_mm: float, alpha: float, angle: float, side_mm: float | None = None) -> float:
    """How long an arm may be before its tip dips through the front page at some opening.

    Height of a point of the arm over that page: the vertex stands depth x sin w over it, and the arm's direction is that of the
    reversed fold (angles in radians). Of a tent with a longer side the ridge opens less: sin(w / 2) falls by depth over side.
    """
    opened = np.radians(np.arange(1.0, 180.0))
    w = opened if side_mm is None else 2 * np.arcsin(np.sin(opened / 2) * min(1.0, depth_mm / side_mm))
    dip = np.sin(2 * np.arctan(math.tan(alpha) * np.cos(w / 2)))
    falls = math.sin(alpha - angle) / math.sin(alpha) * dip * np.sin(w / 2) + math.sin(angle) * np.sin(w)
    return float(np.min(np.where(falls > 1e-9, depth_mm * np.sin(w) / np.maximum(falls, 1e-9), 1e4)))


def sinks(alpha: float, angle: float) -> float:
    """How far an arm of length 1 comes to lie beside its vertex towards the other one, at most (angles in radians)."""
    dip = 2 * np.arctan(math.tan(alpha) * np.cos(np.radians(np.arange(0.0, 181.0)) / 2))
    along = (math.sin(alpha - angle) * np.cos(dip) + math.sin(angle) * math.cos(alpha)) / math.sin(alpha)
    return float(max(0.0, -along.min()))


def sheets(site: Site, values: Values) -> tuple[Sheet, ...]:
    """Nothing on the front."""
    return ()


def build(site: Site, mechanism: str, values: Values) -> Piece:
    """Pages, inner card, box and arms in the open spread; the front page lies at x < 0."""
    spread, folds = Spread.of(site), Folds(site, mechanism, str(values["paper"]))
    depth, tall, low = (number(values, n) for n in ("box_depth", "box_height", "from_bottom"))
    arms = count(values, "arms")
    back, front = add_pages(folds, spread)
    side, is_v, is_tent = _side(values), values["form"] == "v-fold", values["form"] != "box"
    ends = [("upper", low + tall, 1.0), ("lower", low, -1.0)][:arms]
    own = {name: _of_arm(values, name) for name, *_ in ends}
    corners = {name: {s: _triangle(own[name], end, way, s) for s in (1, -1)} for name, end, way in ends}
    halves = {s: half_region(values, s) if is_v else box(min(0, s * side), low, max(0, s * side), low + tall) for s in (1, -1)}
    sheet = "tent" if is_tent else "inner"
    pages = (back, front)
    feet = add_feet(folds, values, pages) if is_v else _tent_feet(folds, values, pages) if is_tent else _lined(folds, spread, values, pages, halves)
    faces = {}
    for k, (to, name) in enumerate(((1, "back"), (-1, "front"))):
        region = shapely.difference(halves[to], shapely.unary_union([c[to] for c in corners.values()]))
        faces[to] = folds.panel(f"box-{name}", f"{values['form']} on the {name} page", region, sheet, faces=("wheel", "paper"))
        line = foot_line(values, to) if is_v else ((to * side, low), (to * side, low + tall))
        folds.crease(f"box-{name}", faces[to], feet[k], line, "valley", runs="free", order=2)
    low_vertex = low + (number(values, "lower_vertex") if arms == 2 else 0.0)
    ridge = ((0.0, low_vertex), (0.0, low + tall - number(values, "vertex")))
    folds.closing_crease("ridge", faces[-1], faces[1], ridge, "mountain", runs="free", order=2)
    opening = number(values, "opening")
    h = math.radians(opening / 4)  # at home each page stands so far from the middle plane
    half = math.asin(math.sin(h) * depth / side)
    if is_v:
        half = float(ridge_opening(*angles(values), np.array([math.radians(opening / 2)]))[0]) / 2
    foot = foot_turn(values, math.radians(opening / 2)) if is_v else _foot_turn(depth, side, h)
    guess = {f"{mechanism}.box-back": foot, f"{mechanism}.box-front": foot}
    closes = [f"{mechanism}.ridge"]
    carried: list[Panel] = []
    for name, end, way in ends:
        made = _corner(folds, own[name], name, end, way, faces, corners[name], sheet)
        carried += made
        rho = math.degrees(2 * math.atan(1 / math.tan(half) / math.cos(math.radians(number(own[name], "diagonal_angle")))))
        guess |= {f"{mechanism}.{name}-diagonal-back": -rho, f"{mechanism}.{name}-diagonal-front": -rho}
        closes.append(f"{mechanism}.{name}-inner-ridge")
    hole = "punch a 1 mm hole at each vertex"
    if is_tent:
        glued = [(foot_panel.region, "glue on the page") for foot_panel in feet]
        folds.sheet("tent", str(values["form"]), grain="along the scores", note=hole, guides=glued)
    else:
        folds.sheet("inner", "inner card", inner_sheet(spread, number(values, "inner_border")), grain="along the gutter", note=hole)
    for name, *_ in ends:
        guides = [(shapely.intersection(corners[name][-1], _arm(own[name], name, low, tall)), "glue here")]
        folds.sheet(f"{name}-arm", f"{name} arm", guides=guides, note="glued last, with everything pressed flat")
    opens_flat = opening >= 180.0 and not is_tent  # a tent is higher than its feet stand apart
    stage = Stage(0.0, opening, opening / 2, {"card.fold": (180.0, 180.0 - opening)}, guess, tuple(closes), (True, opens_flat))
    tops = (faces[1].id, faces[-1].id, *(p.id for p in carried))
    # The corner is pushed in: shut, its triangles lie front to front, and the arm on one of them between both.
    tucked = [p.id for k in range(0, len(carried), 3) for p in (carried[k], carried[k + 2], carried[k + 1])]
    states = [FlatState("shut", 0.0, True, True, (back.id, feet[0].id, faces[1].id, *tucked, faces[-1].id, feet[1].id, front.id))]
    if opens_flat:
        states.append(FlatState("open", 180.0, False, False, inside_order(folds, tops)))
    folding = folds.folding(
        "inside",
        back,
        page_drive(mechanism, opening),
        (stage,),
        tuple(states),
        ground_pose=spread.ground_pose,
        needs=tuple(_needs(mechanism, values, folds, ends, corners, low, tall)),
        carries={"card.back": back.id, "card.front": front.id},
    )
    return Piece((), handles=tuple(_handles(spread, mechanism, values)), folding=folding)


def _dips_to(values: Values, depth: float, side: float, alpha: float) -> float:
    """How long the pushed-in ridge of a tent may be before it reaches the pages when the card is open; a box lies flat then."""
    if values["form"] != "tent":
        return 1e4
    half = math.radians(number(values, "opening") / 2)
    ridge = math.asin(math.sin(half) * depth / side)
    dip = 2 * math.atan(math.tan(alpha) * math.cos(ridge))
    high = math.sqrt(side**2 - (depth * math.sin(half)) ** 2) + depth * math.cos(half)
    return 0.85 * high / max(math.sin(dip), 0.05)


def _side(values: Values) -> float:
    """From the foot of the box or tent to its ridge: a box stands as deep as it is wide."""
    return max(number(values, "tent_side"), number(values, "box_depth") + 0.5) if values["form"] == "tent" else number(values, "box_depth")


def _foot_turn(depth: float, side: float, half: float) -> float:
    """How far a side of box or tent is folded up from its page where each page stands ``half`` (radians) from the middle plane (degrees)."""
    high = math.sqrt(side**2 - (depth * math.sin(half)) ** 2)
    return math.degrees(math.acos(max(-1.0, (depth * math.sin(half) ** 2 - high * math.cos(half)) / side)))


def _lined(folds: Folds, spread: Spread, values: Values, pages: tuple[Panel, Panel], halves: dict[int, Any]) -> tuple[Panel, Panel]:
    """The inner card out of which the box is cut."""
    return add_inner_card(folds, spread, number(values, "inner_border"), pages, (halves[1], halves[-1]))


def _tent_feet(folds: Folds, values: Values, pages: tuple[Panel, Panel]) -> tuple[Panel, Panel]:
    """The two tabs of a tent, glued outwards of its feet; its strip is laid out with the ridge at x = 0."""
    low, tall, tab = (number(values, n) for n in ("from_bottom", "box_height", "tent_tab"))
    side, depth = _side(values), number(values, "box_depth")
    made = []
    for way, page, name in ((1, pages[0], "back"), (-1, pages[1], "front")):
        left, right = sorted((way * side, way * (side + tab)))
        foot = folds.panel(f"foot-{name}", f"tab on the {name} page", box(left, low, right, low + tall), "tent", faces=("paper", "paper"))
        folds.glue(foot, page, planar_frame(way * (depth - side), 0.0, 0.0))
        made.append(foot)
    return made[0], made[1]


def _triangle(values: Values, end: float, way: float, side: int) -> shapely.Polygon:
    """One half of a reversed corner: vertex on the ridge, its diagonal out to the end of the box, and the ridge's end."""
    vertex = number(values, "vertex")
    out = vertex * math.tan(math.radians(number(values, "diagonal_angle")))
    depth = _side(values)
    foot = end - way * vertex
    if out <= depth:
        return shapely.Polygon([(0.0, foot), (side * out, end), (0.0, end)])
    rise = depth / math.tan(math.radians(number(values, "diagonal_angle")))
    return shapely.Polygon([(0.0, foot), (side * depth, foot + way * rise), (side * depth, end), (0.0, end)])


def _arm(values: Values, name: str, low: float, tall: float) -> shapely.Polygon:
    """The arm from the vertex, and what it carries, in the open spread."""
    way = 1.0 if name == "upper" else -1.0
    foot = low + tall - number(values, "vertex") if name == "upper" else low + number(values, "vertex")
    angle = math.radians(number(values, "arm_angle"))
    length, half, tip = number(values, "arm_length"), number(values, "arm_width") / 2, number(values, "tip_size")
    along = (-math.sin(angle), way * math.cos(angle))
    across = (-along[1], along[0])

    def at(u: float, v: float) -> tuple[float, float]:
        return (u * along[0] + v * across[0], foot + u * along[1] + v * across[1])

    strip = shapely.Polygon([at(RELIEF_MM, -half), at(length, -half), at(length, half), at(RELIEF_MM, half)])
    end = low + tall if name == "upper" else low
    foot_region = _triangle(values, end, way, -1).buffer(-FOOT_MM, join_style="mitre")
    strip = shapely.union(strip, foot_region).buffer(WEB_MM, join_style="mitre").buffer(-WEB_MM, quad_segs=6)
    if tip <= 0:
        return strip
    return shapely.union(strip, shapely.Polygon([at(length - tip / 2 + tip / 2 * math.cos(k), tip / 2 * math.sin(k)) for k in _ROUND]))


_ROUND = [2 * math.pi * k / 40 for k in range(40)]


def _corner(
    folds: Folds, values: Values, name: str, end: float, way: float, faces: dict[int, Panel], corners: dict[int, shapely.Polygon], sheet: str
) -> list[Panel]:
    """Two triangles pushed in at one end of the ridge, and the arm on the front page's one."""
    foot = end - way * number(values, "vertex")
    made = {}
    for side, page in ((1, "back"), (-1, "front")):
        made[side] = folds.panel(f"{name}-corner-{page}", f"{name} corner on the {page} page", corners[side], sheet, faces=("wheel", "paper"))
        tip = max(shapely.get_coordinates(corners[side]).tolist(), key=lambda p: abs(p[0]) * 1e3 - abs(p[1] - foot))
        folds.crease(f"{name}-diagonal-{page}", made[side], faces[side], ((0.0, foot), (tip[0], tip[1])), "mountain", runs="free", order=3)
    folds.closing_crease(f"{name}-inner-ridge", made[-1], made[1], ((0.0, foot), (0.0, end)), "valley", runs="free", order=3)
    low, tall = number(values, "from_bottom"), number(values, "box_height")
    arm = folds.panel(f"{name}-arm", f"{name} arm", _arm(values, name, low, tall), f"{name}-arm", faces=("picture", "paper"))
    folds.glue(arm, made[-1])
    return [made[1], made[-1], arm]


def _needs(mechanism: str, values: Values, folds: Folds, ends, corners, low: float, tall: float):  # type: ignore[no-untyped-def]
    needs: list[FoldNeed] = [Opens(f"{mechanism}.opens", mechanism)]
    panels = {p.id: p for p in folds.panels}
    for name, *_ in ends:
        corner, arm = panels[f"{mechanism}.{name}-corner-front"], panels[f"{mechanism}.{name}-arm"]
        glued = shapely.intersection(corner.region, arm.region)
        needs.append(GlueFlap(f"{mechanism}.{name}-glue", mechanism, corner.id, glued, 3.0, f"the glued foot of the {name} arm"))
        needs.append(
            LapsAt(
                f"{mechanism}.{name}-laps",
                mechanism,
                arm.id,
                arm.region,
                f"{mechanism}.box-front",
                number(values, "opening"),
                LAP_MM,
                f"the {name} arm",
            )
        )
    return needs


def _handles(spread: Spread, mechanism: str, values: Values) -> list[Handle]:
    """Decisions, drawn on the closed card."""
    pose = spread.ground_pose
    depth, tall, low = (number(values, n) for n in ("box_depth", "box_height", "from_bottom"))

    def at(u: float, v: float) -> tuple[float, float]:
        x, y = pose[:2, :2] @ (u, v) + pose[:2, 3]
        return float(x), float(y)

    along, across = (float(pose[0, 1]), float(pose[1, 1])), (float(pose[0, 0]), float(pose[1, 0]))
    return [
        Handle(mechanism, "from_bottom", "from bottom", at(depth, low), along, 1.0, (at(depth, 0), at(depth, low)), 4.0),
        Handle(mechanism, "box_height", "box", at(depth * 0.5, low + tall), along, 1.0, (at(depth * 0.5, low), at(depth * 0.5, low + tall)), 0.0),
        Handle(
            mechanism, "box_depth", "depth", at(depth, low + tall * 0.4), across, 1.0, (at(0, low + tall * 0.4), at(depth, low + tall * 0.4)), 0.0
        ),
    ]


LEVERS: dict[str, tuple[Lever, ...]] = {
    "outline": (
        Lever("Make the arm {by} shorter", {"arm_length": -1.0}),
        Lever("Make the lower arm {by} shorter", {"lower_length": -1.0}),
        Lever("Make both arms {by} shorter", {"arm_length": -1.0, "lower_length": -1.0}),
        Lever("Make what it carries {by} smaller", {"tip_size": -1.0}),
        Lever("Make what the lower arm carries {by} smaller", {"lower_tip": -1.0}),
        Lever("Make the box {by} less deep", {"box_depth": -1.0}),
        Lever("Move the box {by} down", {"from_bottom": -1.0}),
        Lever("Move the box {by} up", {"from_bottom": 1.0}),
    ),
    "fold": (Lever("Make the box {by} deeper", {"box_depth": 1.0}),),
    "catch": (
        Lever("Lean the arm {by} further over the box", {"arm_angle": 1.0}),
        Lever("Make the arm {by} wider", {"arm_width": 1.0}),
    ),
    "flap": (
        Lever("Lean the arm {by} less far over the box", {"arm_angle": -1.0}),
        Lever("Make the arm {by} wider", {"arm_width": 1.0}),
        Lever("Move the vertex {by} from the end", {"vertex": 1.0}),
    ),
    "clearance": (
        Lever("Make the arm {by} shorter", {"arm_length": -1.0}),
        Lever("Make the lower arm {by} shorter", {"lower_length": -1.0}),
        Lever("Make both arms {by} shorter", {"arm_length": -1.0, "lower_length": -1.0}),
        Lever("Swing the lower arm {by} further out", {"lower_angle": -1.0}),
        Lever("Make what both carry {by} smaller", {"tip_size": -1.0, "lower_tip": -1.0}),
        Lever("Make the box {by} less deep", {"box_depth": -1.0}),
        Lever("Make what it carries {by} smaller", {"tip_size": -1.0}),
        Lever("Move the vertex {by} nearer to the end", {"vertex": -1.0}),
    ),
}

ADVICE = (
    Advice("fold", "Straight creases first, then the diagonals; each both ways, until it goes by itself.", "inner"),
    Advice("test", "Watch both motions. Ornaments come last, singly, and it is shut after each."),
)
RECIPE = Recipe(
    "spin-popup",
    "spin pop-up",
    "A box rises on the gutter, and an arm on its corner swings as the card opens.",
    PARAMETERS,
    size,
    sheets,
    build,
    LEVERS,
    smallest_mm=(70.0, 70.0),
    verbs=("swing", "rise"),
    shaping=("form",),
    makes="inside",
    along="from_bottom",
    folds=True,
    advice=ADVICE,
)
