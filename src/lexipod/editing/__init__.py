"""A design changed by names and values, as scripts, cures and the window do it.

setting
    A name with a value: a parameter (``travel``), a decision of the card (``card``, ``closure.width``), a way of working
    (``units``), an item (``item.p1``) or a rounded corner (``corner.m1.picture``). Values may be text with units.
item text
    An item as one line: ``decoration on m1.picture front 20x12mm at 3x-4mm layers 1``.
"""

from lexipod.editing.change import add_mechanism, change_design, complete_design, format_settings, new_design, parse_card, without_mechanism

__all__ = ["add_mechanism", "change_design", "complete_design", "format_settings", "new_design", "parse_card", "without_mechanism"]
