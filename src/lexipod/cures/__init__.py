"""Cures: changes that were tried on the design itself before they are offered.

clinic
    One design with its findings, on which changes are tried: built, moved and checked.
lever
    A change of measures that the recipe names; how far it is pulled is found out by trying.
attempt
    What is tried with scissors, glue and film: an item moved or taken off, a film, a pad, a rounded corner.
bed
    Where under a sheet foam may be put, and the pads that are planned there.
budget
    How long the search may take; what it could not look at in that time, it says.
"""

from lexipod.cures.search import find_cure, find_remedies, with_remedies

__all__ = ["find_cure", "find_remedies", "with_remedies"]
