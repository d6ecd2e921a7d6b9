"""What is cut: every blank of a card, laid open, measured as a maker measures it.

blank
    What is cut from one stock as one piece; its panels are the rigid parts of the motion.
opening / notch
    What is cut out inside it (window, slot, slit, hole), and what is cut out of its rim.
measure
    The smallest box round it, or the diameter of what is round.
mark
    What is pricked or pencilled on a blank: a pivot, a middle, a place where something is stuck.
alike
    Blanks that are cut the same, turned or turned over where their face allows, are one row of the list.
"""

from lexipod.blanks.alike import Batch, find_batches
from lexipod.blanks.layout import count_pieces, find_blanks
from lexipod.blanks.marks import Mark, find_marks
from lexipod.blanks.marks_of_ruler import is_on_mark, why_off_mark
from lexipod.blanks.measures import Measure, lying_square, measure_blank
from lexipod.blanks.openings import Corners, Opening, find_corners, find_openings

__all__ = [
    "Batch",
    "Corners",
    "Mark",
    "Measure",
    "Opening",
    "count_pieces",
    "find_batches",
    "find_blanks",
    "find_corners",
    "find_marks",
    "find_openings",
    "is_on_mark",
    "lying_square",
    "measure_blank",
    "why_off_mark",
]
