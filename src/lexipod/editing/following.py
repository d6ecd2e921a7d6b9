"""Defaults follow what they came from until the maker sets them: another way of cutting, another direction."""

from __future__ import annotations

import msgspec

from lexipod.building.card import own_site, resolve_parameters, site_for
from lexipod.catalog import Catalog
from lexipod.design import Design, Mechanism
from lexipod.design.model import Value
from lexipod.errors import LexipodError
from lexipod.recipes import find_recipe

SOURCES = ("cutting", "fingertip", "finger_gap", "push_force", "friction", "slip")
"""Ways of working from which measures are sized."""
SAME_MM = 1e-6


def follow_defaults(before: Design, after: Design, catalog: Catalog) -> Design:
    """The later design with every measure sized anew that was as it had been sized before, where what it was sized from has changed.

    What was set by hand or differs from its size counts as decided and stays. Where nothing can be sized (the card is too small), all stays.
    """
    has_new_ways = any(getattr(before.ways, name) != getattr(after.ways, name) for name in SOURCES)
    followed = tuple(_followed(before, after, m, catalog, has_new_ways=has_new_ways) for m in after.mechanisms)
    return after if followed == after.mechanisms else msgspec.structs.replace(after, mechanisms=followed)


def _followed(before: Design, after: Design, mechanism: Mechanism, catalog: Catalog, *, has_new_ways: bool) -> Mechanism:
    old = before.find_mechanism(mechanism.id)
    if old is None or old.recipe != mechanism.recipe:
        return mechanism
    recipe = find_recipe(mechanism.recipe)
    chosen = {n: old.parameters[n] for n in recipe.shaping if n in old.parameters}
    if not has_new_ways and all(mechanism.parameters.get(n) == v for n, v in chosen.items()):
        return mechanism
    try:
        site = own_site(site_for(before, catalog), old)
        usual = resolve_parameters(recipe, site, chosen, path="parameters")
        by_hand = {*old.decided, *mechanism.decided}
        decided = chosen | {n: v for n, v in old.parameters.items() if n in by_hand or not is_same(v, usual[n])}
        sized = resolve_parameters(recipe, site, decided, path="parameters")
        following = {n for n, v in mechanism.parameters.items() if n not in decided and is_same(v, sized[n]) and is_same(v, old.parameters[n])}
        kept = {n: v for n, v in mechanism.parameters.items() if n not in following}
        anew = resolve_parameters(recipe, own_site(site_for(after, catalog), mechanism), kept, path="parameters")
    except (LexipodError, KeyError):
        return mechanism
    return msgspec.structs.replace(mechanism, parameters=anew)


def is_same(a: Value, b: Value) -> bool:
    """Whether two values of a parameter are the same to within rounding."""
    if isinstance(a, tuple) and isinstance(b, tuple):
        return all(abs(x - y) <= SAME_MM for x, y in zip(a, b, strict=True))
    if isinstance(a, float) and isinstance(b, int | float):
        return abs(a - b) <= SAME_MM
    return a == b
