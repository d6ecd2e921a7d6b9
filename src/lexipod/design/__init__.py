"""What the maker decided, and nothing else: the part of the work that is saved.

design
    Card, envelope, closure, mechanisms with their parameters, art and ways of working; an immutable value.
parameter
    One decision of a mechanism by name. What it may be is known to the recipe; here it is only a value.
item
    What is glued on besides the mechanisms' own parts: a pad, a decoration, a film.
ways
    How this maker works: unit, fractions, cutting method, usual allowances.
"""

from lexipod.design.files import read_design, write_bytes_atomically, write_design
from lexipod.design.model import Art, Card, Closure, Design, Item, Mechanism, Quarter, merged_values, number_of
from lexipod.design.ways import NEEDED_GAP_MM, Cutting, Ways

__all__ = [
    "NEEDED_GAP_MM",
    "Art",
    "Card",
    "Closure",
    "Cutting",
    "Design",
    "Item",
    "Mechanism",
    "Quarter",
    "Ways",
    "merged_values",
    "number_of",
    "read_design",
    "write_bytes_atomically",
    "write_design",
]
