"""Judges a moved assembly: measured against required, in the maker's words, with cures that were tried.

finding
    One thing that is not as it should be. *Measured* and *required* are numbers, the *message* says what they mean.
severity
    ``block``: it will not work; ``warn``: it may not; ``note``: worth knowing.
remedy
    A change of parameters that was tried on this very design and cures the finding, or makes it smaller and says so.
examination
    Everything that checks look at, computed once: tracks, clearances, free ranges, regions over the travel.
row / event
    What the travel ribbon shows: a gap over the travel against what it needs, and the moments when something happens.
"""

from lexipod.checks.cures import find_remedies, with_remedies
from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding, Remedy, verdict_of
from lexipod.checks.fold_ribbon import fold_events, fold_rows
from lexipod.checks.ribbon import RibbonEvent, RibbonRow, ribbon_events, ribbon_rows
from lexipod.checks.table import CHECKS, Check, run_checks

__all__ = [
    "CHECKS",
    "Check",
    "Examination",
    "Finding",
    "Remedy",
    "RibbonEvent",
    "RibbonRow",
    "find_remedies",
    "fold_events",
    "fold_rows",
    "ribbon_events",
    "ribbon_rows",
    "run_checks",
    "verdict_of",
    "with_remedies",
]
