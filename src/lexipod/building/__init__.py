"""From a design to the assembly of the whole card.

site
    The card with its materials, as recipes see it; turned by a quarter for a mechanism that is.
resolving
    A value for every parameter: the decided ones, checked, and the rest sized for the card.
placing
    A recipe is built as if it stood upright on its own card; placing turns, mirrors and shifts the whole.
item
    What the maker glued on besides: it becomes a part that lies on its carrier.
"""

from lexipod.building.card import build_as_cut, build_assembly, card_frame, own_site, resolve_parameters, site_for

__all__ = ["build_as_cut", "build_assembly", "card_frame", "own_site", "resolve_parameters", "site_for"]
