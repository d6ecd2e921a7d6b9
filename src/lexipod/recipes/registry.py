"""The recipes that there are: those that ship, one row each, and those that other installed packages offer.

A package offers one by an entry point of the group ``lexipod.recipes`` that names a ``Recipe``. One that cannot be used is told on
standard error, and left out.
"""

from __future__ import annotations

import sys
from collections.abc import Iterator, Mapping
from functools import cached_property
from importlib import import_module
from importlib.metadata import entry_points

from lexipod.errors import ChoiceError, shortened
from lexipod.recipes.kit.parameters import Recipe

GROUP = "lexipod.recipes"

SHIPPED: dict[str, str] = {
    "strip-slider": "flat.strip_slider",
    "pocket-pull": "flat.pocket_pull",
    "pocket-lift": "flat.pocket_lift",
    "track-rider": "flat.track_rider",
    "pivot-arm": "flat.pivot_arm",
    "dial-riders": "flat.dial_riders",
    "iris": "flat.iris",
    "louvre": "flat.louvre",
    "window-wheel": "flat.window_wheel",
    "pinwheel": "flat.pinwheel",
    "spinner": "flat.spinner",
    "wiper": "folding.wiper",
    "waterfall": "folding.waterfall",
    "flip-panels": "folding.flip_panels",
    "twist-popup": "folding.twist_popup",
    "spin-popup": "folding.spin_popup",
    "popout-box": "folding.popout_box",
    "thread-spinner": "folding.thread_spinner",
    "hinge-plate": "folding.hinge_plate",
    "counter-fold": "folding.counter_fold",
    "two-message": "folding.two_message",
}
"""Those that ship: the id, and the module whose ``RECIPE`` it is. A module is loaded when its recipe is first asked for."""


class Recipes(Mapping[str, Recipe]):
    """All recipes by their id, the shipped ones first."""

    def __init__(self) -> None:
        self._loaded: dict[str, Recipe] = {}

    def __getitem__(self, recipe_id: str) -> Recipe:
        if recipe_id not in SHIPPED:
            return self._guests[recipe_id]
        if recipe_id not in self._loaded:
            self._loaded[recipe_id] = import_module(f"lexipod.recipes.{SHIPPED[recipe_id]}").RECIPE
        return self._loaded[recipe_id]

    def __iter__(self) -> Iterator[str]:
        yield from SHIPPED
        yield from self._guests

    def __len__(self) -> int:
        return len(SHIPPED) + len(self._guests)

    def __contains__(self, recipe_id: object) -> bool:
        return recipe_id in SHIPPED or recipe_id in self._guests

    @cached_property
    def _guests(self) -> dict[str, Recipe]:
        """What other packages offer. A guest's id that is taken already counts as one that cannot be used."""
        found: dict[str, Recipe] = {}
        for entry in sorted(entry_points(group=GROUP), key=lambda e: e.name):
            try:
                recipe = entry.load()
                if not isinstance(recipe, Recipe):
                    raise TypeError("it is no Recipe")
                if recipe.id in SHIPPED or recipe.id in found:
                    raise ValueError(f"there is a recipe {recipe.id} already")
            except Exception as fault:  # whatever a guest does, the others stay
                told = f"lexipod: the recipe {entry.name} of another package is left out ({type(fault).__name__}: {shortened(fault)})"
                print(told, file=sys.stderr)
            else:
                found[recipe.id] = recipe
        return found


RECIPES: Mapping[str, Recipe] = Recipes()
"""By their id."""


def find_recipe(recipe_id: str) -> Recipe:
    """The recipe of that id; ``ChoiceError`` lists what there is."""
    if recipe_id not in RECIPES:
        raise ChoiceError("recipe", recipe_id, sorted(RECIPES))
    return RECIPES[recipe_id]
