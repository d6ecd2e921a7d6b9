"""Mechanisms as recipes: from decided parameters to parts, joints, drives, zones and needs.

recipe
    One mechanism of the trade: its parameters with limits, how it is sized for a card, and how it is built.
flat / folding
    Mechanisms that lie flat on the card or between its sheets (`flat`), and those that are folded and rise (`folding`).
kit
    What the author of a recipe may use; a recipe imports nothing else of this package.
site
    What a recipe is told of the place it stands in: the card's frame, the materials, the maker's ways.
sizing
    Filling in the parameters that were not decided, from those that were and from the card.
lever
    A change of parameters that a maker would try against a finding; how far to go is found out by trying.
registry
    All recipes: those that ship, and those that other packages offer under the entry point ``lexipod.recipes``.
"""

from lexipod.recipes.kit.parameters import Lever, Parameter, Recipe, Site
from lexipod.recipes.registry import RECIPES, find_recipe

__all__ = ["RECIPES", "Lever", "Parameter", "Recipe", "Site", "find_recipe"]
