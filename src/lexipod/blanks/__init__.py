"""What is cut: every blank of a card, laid open, measured as a maker measures it.

blank
    What is cut from one stock as one piece; its panels are the rigid parts of the motion.
opening / notch
    What is cut out inside it (window, slot, slit, hole), and what is cut out of its rim.
measure
    The smallest box round it, or the diameter of what is round.
mark
    A line of the maker's ruler. What does not lie on one has its reason told.
alike
    Blanks that are cut the same, turned or turned over where their face allows, are one row of the list.
"""

from lexipod.blanks.alike import Batch, find_batches
from lexipod.blanks.layout import find_blanks
from lexipod.blanks.measures import Measure, lying_square, measure_blank
from lexipod.blanks.openings import Corners, Opening, find_corners, find_openings

__all__ = ["Batch", "Corners", "Measure", "Opening", "find_batches", "find_blanks", "find_corners", "find_openings", "lying_square", "measure_blank"]
