"""Designs sized by the program: round what is pinned, for another card, or from a wish.

fit
    The free measures of a mechanism sized so that nothing blocks, and moved to where the smallest margin is largest.
conversion
    A whole design carried over to another card: layout scales, clearances and foam do not.
wish
    What the maker set by hand and what she pinned: the first cure keeps it.
proposal
    A mechanism that could show a picture of a wanted size, with how it ranks or why it cannot.
comparison
    Two designs side by side: what was decided, found, cut, and what they come to.
"""

from lexipod.fitting.comparing import Comparison, Difference, compare_designs
from lexipod.fitting.converting import Converted, MeasureChange, convert_design
from lexipod.fitting.proposing import Proposal, propose_designs
from lexipod.fitting.sizing import Fitted, Wish, fit_design
from lexipod.fitting.widening import smallest_margin, widen
from lexipod.fitting.wishing import grant_wishes, wish_first

__all__ = [
    "Comparison",
    "Converted",
    "Difference",
    "Fitted",
    "MeasureChange",
    "Proposal",
    "Wish",
    "compare_designs",
    "convert_design",
    "fit_design",
    "grant_wishes",
    "propose_designs",
    "smallest_margin",
    "widen",
    "wish_first",
]
