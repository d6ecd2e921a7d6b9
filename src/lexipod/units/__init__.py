"""Text in and out: what a maker writes and reads.

length
    Always millimetres in a float inside the program. Inches and fractions exist only here.
denominator
    The finest fraction of an inch that the user wants to see: 8, 16, 32 or 64.
quantity
    A length, an angle, a count, a choice or a yes/no, read from one text by its kind.
"""

from lexipod.units.lengths import MM_PER_INCH, format_length, parse_length, typeset
from lexipod.units.quantities import UnitStyle, format_quantity, parse_quantity

__all__ = ["MM_PER_INCH", "UnitStyle", "format_length", "format_quantity", "parse_length", "parse_quantity", "typeset"]
