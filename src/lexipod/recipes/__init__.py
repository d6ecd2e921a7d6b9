"""Mechanisms as recipes: from decided parameters to parts, joints, drives, zones and needs.

recipe
    One mechanism of the trade: its parameters with limits, how it is sized for a card, and how it is built.
site
    What a recipe is told of the place it stands in: the card's frame, the materials, the maker's ways.
sizing
    Filling in the parameters that were not decided, from those that were and from the card.
lever
    A change of parameters that a maker would try against a finding; how far to go is found out by trying.
"""

from lexipod.recipes.build import build_assembly, card_frame, resolve_parameters, site_for
from lexipod.recipes.parameters import Lever, Parameter, Recipe, Site
from lexipod.recipes.registry import RECIPES, find_recipe

__all__ = [
    "RECIPES",
    "Lever",
    "Parameter",
    "Recipe",
    "Site",
    "build_assembly",
    "card_frame",
    "find_recipe",
    "resolve_parameters",
    "site_for",
]
