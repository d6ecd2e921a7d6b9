"""What a spin pop-up may stand on instead of a box: a V-fold, two panels on two pages that meet in a ridge.

Its apex is on the gutter; on each page it is glued along a line at the page angle from the gutter, and each panel spans the panel
angle between that line and the ridge. Lengths in mm, angles in radians unless named otherwise. Formulas: spherical trigonometry of a
vertex with four folds (origami mathematics).
"""

from __future__ import annotations

import math

import numpy as np
import shapely

from lexipod.assembly import Panel
from lexipod.geometry.frames import Array
from lexipod.geometry.space import planar_frame
from lexipod.recipes.kit.folds import Folds, Line, Spread
from lexipod.recipes.kit.parameters import Values
from lexipod.recipes.kit.values import number

AIR_MM = 1.0
EDGE_MM = 4.0


def angles(values: Values) -> tuple[float, float]:
    """Page angle and panel angle."""
    return math.radians(number(values, "page_angle")), math.radians(number(values, "panel_angle"))


def ridge_lean(page: float, panel: float, opening: Array) -> Array:
    """Angle between the ridge and the gutter, in the plane midway between the pages."""
    across = np.sqrt(math.cos(page) ** 2 + (math.sin(page) * np.cos(opening / 2)) ** 2)
    lean: Array = np.arctan(math.tan(page) * np.cos(opening / 2)) + np.arccos(np.clip(math.cos(panel) / across, -1.0, 1.0))
    return lean


def ridge_opening(page: float, panel: float, opening: Array) -> Array:
    """Dihedral angle of the two panels at the ridge."""
    between: Array = 2 * np.arcsin(np.clip(math.sin(page) * np.sin(opening / 2) / math.sin(panel), -1.0, 1.0))
    return between


def foot_line(values: Values, side: int) -> Line:
    """The crease between a panel and its tab, in the sheet with the ridge at x = 0."""
    low, depth = number(values, "from_bottom"), number(values, "box_depth")
    return (0.0, low), (side * depth, low + depth / math.tan(angles(values)[1]))


def half_region(values: Values, side: int) -> shapely.Polygon:
    """A panel from the ridge to its foot, with the corner still on it."""
    apex, foot = foot_line(values, side)
    top = number(values, "from_bottom") + number(values, "box_height")
    return shapely.Polygon([apex, foot, (foot[0], top), (0.0, top)])


def add_feet(folds: Folds, values: Values, pages: tuple[Panel, Panel]) -> tuple[Panel, Panel]:
    """The two tabs, glued on the pages outwards of the V."""
    page, panel = angles(values)
    tab, low = number(values, "tent_tab"), number(values, "from_bottom")
    made = []
    for side, under, name in ((1, pages[0], "back"), (-1, pages[1], "front")):
        (x0, y0), (x1, y1) = foot_line(values, side)
        away = (side * math.cos(panel), -math.sin(panel))
        along = (side * math.sin(panel), math.cos(panel))
        slant = min(tab, 0.3 * math.dist((x0, y0), (x1, y1)))
        corners = [
            (x0, y0),
            (x1, y1),
            (x1 + tab * away[0] - slant * along[0], y1 + tab * away[1] - slant * along[1]),
            (x0 + tab * away[0] + slant * along[0], y0 + tab * away[1] + slant * along[1]),
        ]
        foot = folds.panel(f"foot-{name}", f"tab on the {name} page", shapely.Polygon(corners), "tent", faces=("paper", "paper"))
        turn = side * (panel - page)
        folds.glue(foot, under, planar_frame(math.sin(turn) * low, low - math.cos(turn) * low, turn))
        made.append(foot)
    return made[0], made[1]


def foot_turn(values: Values, opening: float) -> float:
    """How far each panel is folded up from its tab (degrees)."""
    page, panel = angles(values)
    lean = float(ridge_lean(page, panel, np.array([opening]))[0])
    across, up = math.sin(opening / 2), math.cos(opening / 2)  # of the page, out from the gutter in the plane square to it
    ridge = np.array([0.0, math.cos(lean), math.sin(lean)])
    foot = np.array([math.sin(page) * across, math.cos(page), math.sin(page) * up])
    inwards = np.array([-math.cos(page) * across, math.sin(page), -math.cos(page) * up])
    square = ridge - (ridge @ foot) * foot
    return math.degrees(math.acos(max(-1.0, min(1.0, float(square @ inwards / np.linalg.norm(square))))))


def arm_fits(values: Values, spread: Spread, length: float, border_mm: float) -> bool:
    """Whether the arm's tip, with what it carries, keeps over both pages while the card opens, and inside it while it is shut."""
    page, panel = angles(values)
    alpha, angle = (math.radians(number(values, n)) for n in ("diagonal_angle", "arm_angle"))
    low, reach, tip = number(values, "from_bottom"), number(values, "box_height") - number(values, "vertex"), number(values, "tip_size") / 2
    opening = np.radians(np.linspace(0.0, number(values, "opening"), 91))[1:]
    lean, between = ridge_lean(page, panel, opening), ridge_opening(page, panel, opening)
    dip = 2 * np.arctan(math.tan(alpha) * np.cos(between / 2))
    inner = np.stack([np.cos(dip), 0 * dip, -np.sin(dip)])
    diagonal = np.stack([np.full_like(dip, math.cos(alpha)), -math.sin(alpha) * np.sin(between / 2), -math.sin(alpha) * np.cos(between / 2)])
    along, aside, out = (math.sin(alpha - angle) * inner + math.sin(angle) * diagonal) / math.sin(alpha)
    point = reach + length * along
    high = point * np.sin(lean) + length * out * np.cos(lean)
    over = [high * np.sin(opening / 2) + s * length * aside * np.cos(opening / 2) for s in (1, -1)]
    on_its_way = np.minimum(*over)[(opening > math.radians(8)) & (opening < math.radians(172))]
    if on_its_way.min() < AIR_MM + tip * 0.5:
        return False
    shut = 2 * alpha - angle
    ridge = np.array([math.sin(page + panel), math.cos(page + panel)])
    aside_of = (np.array([math.sin(page), math.cos(page)]) - math.cos(panel) * ridge) / math.sin(panel)
    places = [(length * math.sin(shut)) * aside_of + (reach + length * math.cos(shut)) * ridge, number(values, "box_height") * ridge]
    room = (spread.page_mm - border_mm - EDGE_MM, spread.gutter_mm - EDGE_MM)
    return all(tip - AIR_MM <= x <= room[0] - tip and EDGE_MM + tip <= low + y <= room[1] - tip for x, y in places)
