"""The shut card: how what folds lies in it, how thick it is, and what keeps it shut.

stack
    Panels in the state that is posted, laid on one another.
closing
    What a closure comes to: its pieces, its place on the front, the room that it takes, and what it must keep.
"""

from lexipod.closing.card import close_card
from lexipod.closing.pieces import Closing, magnet_discs
from lexipod.closing.stacked import Heights, closed_thickness, laid_flat, posted_regions, spread_of, stack_heights

__all__ = [
    "Closing",
    "Heights",
    "close_card",
    "closed_thickness",
    "laid_flat",
    "magnet_discs",
    "posted_regions",
    "spread_of",
    "stack_heights",
]
