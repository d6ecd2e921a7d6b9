"""Designs sized by the program: round what is pinned, for another card, or from a wish.

fit
    The free measures of a mechanism sized so that nothing blocks, and moved to where the smallest margin is largest.
conversion
    A whole design carried over to another card: layout scales, clearances and foam do not.
proposal
    A mechanism that could show a picture of a wanted size, with how it ranks or why it cannot.
"""

from lexipod.fitting.converting import Converted, MeasureChange, convert_design
from lexipod.fitting.proposing import Proposal, propose_designs
from lexipod.fitting.sizing import Fitted, Wish, fit_design
from lexipod.fitting.widening import smallest_margin, widen

__all__ = [
    "Converted",
    "Fitted",
    "MeasureChange",
    "Proposal",
    "Wish",
    "convert_design",
    "fit_design",
    "propose_designs",
    "smallest_margin",
    "widen",
]
