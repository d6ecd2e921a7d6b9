"""What the maker decided, and nothing else: the part of the work that is saved.

design
    Card, envelope, closure, mechanisms with their parameters, items and ways of working; an immutable value.
parameter
    One decision of a mechanism by name. What it may be is known to the recipe; here it is only a value.
item
    What is put on besides the mechanisms' own parts: a pad, a decoration, a film, a picture, a greeting, a cut-out shape.
ways
    How this maker works: unit, fractions, cutting method, usual allowances.
"""

from lexipod.design.files import read_design, write_bytes_atomically, write_design
from lexipod.design.items import INK, Item, ItemKind
from lexipod.design.making import Making
from lexipod.design.model import Card, Closure, Design, Mechanism, Quarter, merged_values, number_of
from lexipod.design.ways import DRAWN_MM, NEEDED_GAP_MM, Cutting, MeasureKind, Run, Ways, needed_gap_mm

__all__ = [
    "DRAWN_MM",
    "INK",
    "NEEDED_GAP_MM",
    "Card",
    "Closure",
    "Cutting",
    "Design",
    "Item",
    "ItemKind",
    "Making",
    "MeasureKind",
    "Mechanism",
    "Quarter",
    "Run",
    "Ways",
    "merged_values",
    "needed_gap_mm",
    "number_of",
    "read_design",
    "write_bytes_atomically",
    "write_design",
]
