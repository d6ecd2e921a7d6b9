"""Parameters that many mechanisms have in common, always with the same meaning."""

from __future__ import annotations

import math
from typing import Any, Literal

from lexipod.catalog.stocks import Brad
from lexipod.recipes.kit.parameters import Lever, Parameter, Site, Values
from lexipod.recipes.kit.sheets import bordered
from lexipod.recipes.kit.values import number

FOAMS = ("foam-1", "foam-1_5", "foam-2", "foam-3")
BRADS = ("mini-3", "mini-5", "standard-8", "snap-12")
PIN_CLEARANCE_MM = 0.2
POLYGON_MM = 0.02
END_GAP_MM = 0.6
AIR_MM = 0.22

FOAM = Parameter("foam", "foam", "choice", "Foam under the frame.", "Layers", choices=FOAMS)
FOAM_LAYERS = Parameter("foam_layers", "layers under frame", "count", "Layers of foam under the frame.", "Layers", 1, 8)
PANEL_FOAM = Parameter(
    "panel_foam", "foam under panel", "choice", "Foam under the panel; legs and heads of brads find room in it.", "Layers", choices=FOAMS
)
PANEL_LAYERS = Parameter("panel_layers", "layers under panel", "count", "Layers of foam under the panel.", "Layers", 0, 8)
FRAME_BORDERS = (
    Parameter("frame_border", "border of frame", "length", "From the card's left and right edge to the frame.", "Layers", 0, 100),
    Parameter("frame_border_y", "above and below", "length", "From the card's top and bottom edge to the frame.", "Layers", 0, 100),
)
PANEL_BORDERS = (
    Parameter("panel_border", "border of panel", "length", "From the card's left and right edge to the panel.", "Layers", 0, 100),
    Parameter("panel_border_y", "above and below", "length", "From the card's top and bottom edge to the panel.", "Layers", 0, 100),
)
FOLD_PAPERS = ("card-160", "card-200", "card-250", "card-300", "cover-65lb", "cover-80lb")
PAPER = Parameter("paper", "paper inside", "choice", "What folds inside the card: light, smooth paper folds best.", "Card", choices=FOLD_PAPERS)
BRAD = Parameter("brad", "brad", "choice", "The brad or snap bearing that it turns on.", "Pivot", choices=BRADS)
BEARING = Parameter("bearing", "bearing", "length", "Thickness of what it turns on: the brad's legs together, or a snap bearing.", "Pivot", 0.5, 12)
HOLE = Parameter("hole", "hole", "length", "The hole that is punched for it.", "Pivot", 0.6, 14)
PIN_CLEARANCE = Parameter("clearance", "play in holes", "length", "Gap wanted between bearing and hole, all round.", "Pivot", 0, 3)
PIVOT = Parameter("pivot", "pivot", "point", "Where it turns: from the left and from the bottom edge.", "Pivot", 0, 600)


def brad_of(site: Site, values: Values) -> Brad:
    """The chosen brad."""
    return site.catalog.brads[str(values["brad"])]


def size_pin(site: Site, values: Values, *, brad: str = "mini-5") -> None:
    """Brad, hole and bearing."""
    values.setdefault("brad", brad)
    values.setdefault("clearance", PIN_CLEARANCE_MM)
    values.setdefault("hole", brad_of(site, values).hole_mm)
    values.setdefault("bearing", round(max(0.5, number(values, "hole") - 2 * number(values, "clearance")), 4))


def size_foam(site: Site, values: Values, needed_mm: float, *, name: str = "foam", layers: str = "foam_layers") -> None:
    """The lowest foam that is high enough for what moves, and for what other mechanisms on the card have already."""
    others = 0.0
    if site.stand is not None:
        others = (site.stand.frame_foam_mm if name == "foam" else site.stand.panel_foam_mm) or 0.0
    if name not in values:
        stacks = [(n * site.catalog.foams[f].thickness_mm, n, f) for f in FOAMS for n in (1, 2, 3)]
        high_enough = [row for row in stacks if row[0] >= max(needed_mm, others) - 1e-9]
        values[name] = min(high_enough)[2] if high_enough else FOAMS[-1]
    thick = site.catalog.foams[str(values[name])].thickness_mm
    values.setdefault(layers, min(8, max(1, math.ceil(max(needed_mm, others) / thick - 1e-9))))


def size_border(site: Site, values: Values, *names: str, least_mm: float = 3.0) -> float:
    """The border of frame or panel: a twentieth of the card's smaller side, 3 to 6 mm; more where a thick stack must go into an
    envelope, which is easier the further it stands from the edge. The same all round, unless one direction is decided; the wider one is
    given back."""
    smaller, grid = min(site.card.width_mm, site.card.height_mm), site.grid_mm
    border = round(max(min(6.0, max(3.0, smaller * 0.05)), least_mm) / grid) * grid
    for name in names:
        values.setdefault(f"{name}_y", values.setdefault(name, round(border, 4)))
    return max(number(values, names[0]), number(values, f"{names[0]}_y"))


def bordered_sheet(site: Site, values: Values, sheet: Literal["frame", "panel"]) -> Any:
    """The region of a sheet that stands back from the card's edges by its two borders."""
    border, border_y = number(values, f"{sheet}_border"), number(values, f"{sheet}_border_y")
    return bordered(site.card.width_mm, site.card.height_mm, border, site.grid_mm, border_y_mm=border_y)


def smaller_holes(what: str) -> tuple[Lever, ...]:
    """Against wobble: a smaller hole with the play that is wanted; where that is too little room, with less play."""
    label = f"Punch the {what} {{by}} smaller"
    return Lever(label, {"hole": -1.0}), Lever(label, {"hole": -1.0, "clearance": -0.5})


FASTENER_LEVERS = (
    Lever("Punch the hole {by} smaller", {"hole": -1.0, "bearing": -1.0}),
    Lever("Punch the hole {by} wider", {"hole": 1.0, "bearing": 1.0}),
    Lever("Take a brad with an 8 mm head", choose={"brad": "standard-8"}),
)
"""Against a hole that is too large for the head of its brad, or too small for its legs."""


def pin_play(values: Values) -> float:
    """The play that there is: hole less bearing, to each side."""
    return max(0.0, (number(values, "hole") - number(values, "bearing")) / 2)


def pin_gap(values: Values) -> float:
    """The gap that a pin's pair is judged by: the wanted one, less what the corners of a drawn circle take."""
    return max(0.0, number(values, "clearance") - POLYGON_MM)
