"""The recipes that there are: those that ship, one row each, and those that other installed packages offer.

A package offers one by an entry point of the group ``lexipod.recipes`` that names a ``Recipe``. One that cannot be used is told on
standard error, and left out.
"""

from __future__ import annotations

import sys
from importlib.metadata import entry_points

from lexipod.errors import ChoiceError, shortened
from lexipod.recipes.flat import (
    dial_riders,
    iris,
    louvre,
    pinwheel,
    pivot_arm,
    pocket_lift,
    pocket_pull,
    spinner,
    strip_slider,
    track_rider,
    window_wheel,
)
from lexipod.recipes.folding import (
    counter_fold,
    flip_panels,
    hinge_plate,
    popout_box,
    spin_popup,
    thread_spinner,
    twist_popup,
    two_message,
    waterfall,
    wiper,
)
from lexipod.recipes.kit.parameters import Recipe

GROUP = "lexipod.recipes"

_SHIPPED: tuple[Recipe, ...] = (
    strip_slider.RECIPE,
    pocket_pull.RECIPE,
    pocket_lift.RECIPE,
    track_rider.RECIPE,
    pivot_arm.RECIPE,
    dial_riders.RECIPE,
    iris.RECIPE,
    louvre.RECIPE,
    window_wheel.RECIPE,
    pinwheel.RECIPE,
    spinner.RECIPE,
    wiper.RECIPE,
    waterfall.RECIPE,
    flip_panels.RECIPE,
    twist_popup.RECIPE,
    spin_popup.RECIPE,
    popout_box.RECIPE,
    thread_spinner.RECIPE,
    hinge_plate.RECIPE,
    counter_fold.RECIPE,
    two_message.RECIPE,
)


def find_recipes() -> dict[str, Recipe]:
    """All recipes by their id, the shipped ones first. A guest's id that is taken already counts as one that cannot be used."""
    found = {recipe.id: recipe for recipe in _SHIPPED}
    for entry in sorted(entry_points(group=GROUP), key=lambda e: e.name):
        try:
            recipe = entry.load()
            if not isinstance(recipe, Recipe):
                raise TypeError("it is no Recipe")
            if recipe.id in found:
                raise ValueError(f"there is a recipe {recipe.id} already")
        except Exception as fault:  # whatever a guest does, the others stay
            print(f"lexipod: the recipe {entry.name} of another package is left out ({type(fault).__name__}: {shortened(fault)})", file=sys.stderr)
        else:
            found[recipe.id] = recipe
    return found


RECIPES: dict[str, Recipe] = find_recipes()
"""By their id."""


def find_recipe(recipe_id: str) -> Recipe:
    """The recipe of that id; ``ChoiceError`` lists what there is."""
    if recipe_id not in RECIPES:
        raise ChoiceError("recipe", recipe_id, sorted(RECIPES))
    return RECIPES[recipe_id]
