"""How far a measure can go: with everything else as it is, and with the rest fitted.

Both ways a free value is looked for ever farther out and then halved back, so what is told is free by trial; between two values that
were tried there may be others that are not.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from lexipod.building import resolve_parameters, site_for
from lexipod.building.card import own_site
from lexipod.catalog import Catalog
from lexipod.design import Design
from lexipod.errors import ChoiceError, LexipodError
from lexipod.fitting.sizing import is_free
from lexipod.recipes import find_recipe
from lexipod.units.quantities import Value

FINE = {"length": 0.4, "angle": 1.0, "count": 1.0}
"""How closely a limit is looked for (mm, degrees, one)."""
FIRST_STEP = {"length": 3.0, "angle": 6.0, "count": 1.0}


@dataclass(frozen=True, slots=True)
class Reach:
    """The lowest and highest free value of a measure that were found, as it is and with the rest fitted; None for no free one."""

    as_is: tuple[float, float] | None
    fitted: tuple[float, float] | None


def find_reach(design: Design, catalog: Catalog, mechanism_id: str, name: str, pinned: tuple[str, ...] = ()) -> Reach:
    """The reach of a measure of a mechanism; ``pinned`` ones are kept also where the rest is fitted.

    Raises ``ChoiceError`` for an unknown mechanism or measure, or one that is no single length, angle or count.
    """
    mechanism = design.find_mechanism(mechanism_id)
    if mechanism is None:
        raise ChoiceError("mechanism", mechanism_id, [m.id for m in design.mechanisms])
    recipe = find_recipe(mechanism.recipe)
    parameter = recipe.find_parameter(name)
    now = mechanism.parameters[parameter.name]
    if parameter.kind not in FINE or not isinstance(now, int | float):
        raise ChoiceError("measure", name, [p.name for p in recipe.parameters if p.kind in FINE])
    fine, first, is_count = FINE[parameter.kind], FIRST_STEP[parameter.kind], parameter.kind == "count"

    def written(value: float) -> Value:
        return round(value) if is_count else round(value, 4)

    def is_free_as_is(value: float) -> bool:
        return _is_free(design.with_parameters(mechanism_id, {parameter.name: written(value)}), catalog)

    kept = {n: mechanism.parameters[n] for n in (*recipe.shaping, *pinned) if n in mechanism.parameters}

    def is_free_fitted(value: float) -> bool:
        try:
            values = resolve_parameters(recipe, own_site(site_for(design, catalog), mechanism), {**kept, parameter.name: written(value)})
        except (LexipodError, ValueError):
            return False
        return _is_free(design.with_parameters(mechanism_id, values), catalog)

    def span(is_free: Callable[[float], bool], start: tuple[float, float]) -> tuple[float, float]:
        low = _farthest(is_free, start[0], parameter.minimum, first, fine, whole=is_count)
        return low, _farthest(is_free, start[1], parameter.maximum, first, fine, whole=is_count)

    here = float(now)
    as_is = span(is_free_as_is, (here, here)) if is_free_as_is(here) else None
    begin = as_is or ((here, here) if is_free_fitted(here) else None)
    return Reach(as_is, None if begin is None else span(is_free_fitted, begin))


def _farthest(is_free: Callable[[float], bool], start: float, bound: float, first: float, fine: float, *, whole: bool) -> float:
    """The value farthest towards a bound that is free, going out from a free one in steps that double, and then halved back."""
    good, bad, step = start, None, first
    way = 1.0 if bound > start else -1.0
    while bad is None and abs(bound - good) > 1e-9:
        tried = good + way * step if (bound - good) * way > step else bound
        if is_free(tried):
            good, step = tried, step * 2
        else:
            bad = tried
    while bad is not None and abs(bad - good) > fine + 1e-9:
        middle = float(round((good + bad) / 2)) if whole else (good + bad) / 2
        if middle in (good, bad):
            break
        good, bad = (middle, bad) if is_free(middle) else (good, middle)
    return good


def _is_free(design: Design, catalog: Catalog) -> bool:
    """Whether nothing blocks on the whole card."""
    try:
        return is_free(design, catalog)
    except (LexipodError, ValueError):
        return False


__all__ = ["Reach", "find_reach"]
