"""Judges a moved assembly: measured against required, in the maker's words, with cures that were tried.

finding
    One thing that is not as it should be. *Measured* and *required* are numbers, the *message* says what they mean.
severity
    ``block``: it will not work; ``warn``: it may not; ``note``: worth knowing.
remedy
    A change of parameters that was tried on this very design and cures the finding, or makes it smaller and says so.
examination
    Everything that checks look at, computed once: tracks, clearances, free ranges, regions over the travel.
catch point
    Where an edge passes the edge of a neighbouring level so far from what holds it that it may come back on the wrong side.
zone
    What stays free of a part's face at every position of every mechanism; *overhang* is how far something may stand out of it.
row / event
    What the travel ribbon shows: a gap over the travel against what it needs, and the moments when something happens.
"""

from lexipod.checks.catching import CatchPoint, find_catch_points
from lexipod.checks.cures import find_remedies, with_remedies
from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding, Remedy, verdict_of
from lexipod.checks.fold_ribbon import fold_events, fold_rows
from lexipod.checks.ribbon import RibbonEvent, RibbonRow, ribbon_events, ribbon_rows
from lexipod.checks.table import CHECKS, Check, run_checks
from lexipod.checks.zones import FreeZone, find_overhangs, find_zone

__all__ = [
    "CHECKS",
    "CatchPoint",
    "Check",
    "Examination",
    "Finding",
    "FreeZone",
    "Remedy",
    "RibbonEvent",
    "RibbonRow",
    "find_catch_points",
    "find_overhangs",
    "find_remedies",
    "find_zone",
    "fold_events",
    "fold_rows",
    "ribbon_events",
    "ribbon_rows",
    "run_checks",
    "verdict_of",
    "with_remedies",
]
