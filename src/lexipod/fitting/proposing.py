"""From a wish to designs: which mechanisms can reveal a picture of this size on this card, the best first.

Every recipe that shows something says (in ``WISHES``) which of its measures the picture decides; it is sized round them, checked and
cured. What cannot be is told with the reason.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from lexipod.blanks import count_pieces
from lexipod.building import build_assembly, resolve_parameters, site_for
from lexipod.catalog import Catalog
from lexipod.checks import Examination, run_checks, verdict_of
from lexipod.checks.examination import COARSE_STEPS
from lexipod.checks.outline import thickness_mm
from lexipod.design import Card, Design, Mechanism, Ways
from lexipod.errors import LexipodError
from lexipod.fitting.sizing import fit_design
from lexipod.recipes import RECIPES, find_recipe
from lexipod.recipes.kit.parameters import Values

Ask = Callable[[float, float], tuple[Values, ...]]


def _slider(width: float, height: float) -> tuple[Values, ...]:
    return (
        {"reveal_width": width, "reveal_height": height, "direction": "right"},
        {"reveal_width": height, "reveal_height": width, "direction": "up"},  # along and across the travel
    )


def _louvre(width: float, height: float) -> tuple[Values, ...]:
    pitch = max(8.0, min(16.0, height / 4))
    return ({"slat_width": width, "slats": max(2, math.ceil(height / pitch)), "pitch": round(pitch, 2)},)


WISHES: dict[str, Ask] = {
    "strip-slider": _slider,
    "pocket-pull": lambda w, h: ({"piece_width": w, "rise": h},),
    "pocket-lift": lambda w, h: ({"greeting_height": h, "slider_width": w + 2.0},),
    "dial-riders": lambda w, h: ({"reveal_width": w, "reveal_height": h},),
    "iris": lambda w, h: ({"opening_diameter": math.hypot(w, h)},),
    "louvre": _louvre,
    "window-wheel": lambda w, h: ({"window": "rectangle", "window_width": w, "window_height": h},),
    "flip-panels": lambda w, h: ({"panels": 1, "panel_width": w, "panel_height": h},),
    "two-message": lambda w, h: ({"window": max(w, h)},),
    "twist-popup": lambda w, h: ({"platform_width": w, "platform_height": h},),
}
"""Which measures of a recipe a picture of some width and height decides; several are tried in turn."""


@dataclass(frozen=True, slots=True)
class Proposal:
    """One way to show the picture: the design, how it stands, its thickness (mm), pieces and mass-giving parts, and in words why it ranks
    where it does; or the reason why not."""

    recipe: str
    name: str
    design: Design | None
    verdict: str
    thickness_mm: float
    pieces: int
    reason: str

    @property
    def rank(self) -> tuple[int, float, int]:
        order = {"free": 0, "tight": 1, "blocked": 2, "impossible": 3}
        return order[self.verdict], round(self.thickness_mm, 1), self.pieces


def propose_designs(
    catalog: Catalog,
    card: Card,
    ways: Ways,
    width_mm: float,
    height_mm: float,
    *,
    is_current: Callable[[], bool] = lambda: True,
    tell: Callable[[float], None] = lambda share: None,
) -> tuple[Proposal, ...]:
    """Every mechanism that could reveal a picture so wide and high on the card: those that do first, free of findings and thin before
    tight and thick, then those that cannot, with the reason."""
    found = []
    bare = Design(card=card, ways=ways)
    frame, style = site_for(bare, catalog).card, ways.style()
    too_large = width_mm > frame.width_mm or height_mm > frame.height_mm
    reason = f"The picture is larger than the card of {style.length(frame.width_mm)} by {style.length(frame.height_mm)}." if too_large else ""
    wanted = [recipe_id for recipe_id in RECIPES if recipe_id in WISHES]
    for k, recipe_id in enumerate(wanted):
        tell(k / len(wanted))
        if is_current():
            found.append(_propose(catalog, bare, recipe_id, WISHES[recipe_id](width_mm, height_mm), reason))
    return tuple(sorted(found, key=lambda p: (p.rank, p.recipe)))


def _propose(catalog: Catalog, bare: Design, recipe_id: str, asks: tuple[Values, ...], reason: str) -> Proposal:
    recipe = find_recipe(recipe_id)
    if reason:
        return Proposal(recipe_id, recipe.name, None, "impossible", 0.0, 0, reason)
    best: Proposal | None = None
    for ask in asks:
        made = _made(catalog, bare, recipe_id, ask)
        if best is None or made.rank < best.rank:
            best = made
        if best.verdict == "free":
            break
    assert best is not None
    return best if best.name else Proposal(recipe_id, recipe.name, None, "impossible", 0.0, 0, best.reason)


def _made(catalog: Catalog, bare: Design, recipe_id: str, ask: Values) -> Proposal:
    recipe = find_recipe(recipe_id)

    def never(reason: str) -> Proposal:
        return Proposal(recipe_id, recipe.name, None, "impossible", 0.0, 0, reason)

    try:
        values = resolve_parameters(recipe, site_for(bare, catalog), ask)
        design = Design(
            title=recipe.name[:1].upper() + recipe.name[1:], card=bare.card, ways=bare.ways, mechanisms=(Mechanism("m1", recipe_id, values),)
        )
        if _verdict(design, catalog)[0] == "blocked":
            fitted = fit_design(design, catalog, "m1", ask, widens=False, explains=False)
            if not fitted.is_free:
                worst = fitted.blocks[0] if fitted.blocks else None
                return never(fitted.refusal if worst is None else f"{worst.title}. {worst.message}")
            design = fitted.design
        verdict, examination, first = _verdict(design, catalog)
    except (LexipodError, ValueError) as error:
        return never(str(error))
    thick = thickness_mm(examination)
    pieces = count_pieces(examination.assembly)
    words = f"{examination.style.thickness(thick)} thick, {pieces} pieces" + (f"; {first}" if first else "")
    return Proposal(recipe_id, recipe.name, design, verdict, thick, pieces, words)


def _verdict(design: Design, catalog: Catalog) -> tuple[str, Examination, str]:
    examination = Examination(build_assembly(design, catalog), catalog, design.ways, steps=COARSE_STEPS)
    findings = run_checks(examination)
    first = next((f.title for f in findings if f.severity != "note"), "")
    return verdict_of(findings), examination, first


__all__ = ["WISHES", "Proposal", "propose_designs"]
