"""The recipes that there are. A new mechanism is one new module and one row here."""

from __future__ import annotations

from lexipod.errors import ChoiceError
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

RECIPES: dict[str, Recipe] = {
    recipe.id: recipe
    for recipe in (
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
}


def find_recipe(recipe_id: str) -> Recipe:
    """The recipe of that id; ``ChoiceError`` lists what there is."""
    if recipe_id not in RECIPES:
        raise ChoiceError("recipe", recipe_id, sorted(RECIPES))
    return RECIPES[recipe_id]
