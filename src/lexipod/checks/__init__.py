"""Judges a moved assembly: measured against required, in the maker's words.

finding
    One thing that is not as it should be. *Measured* and *required* are numbers, the *message* says what they mean.
severity
    ``block``: it will not work; ``warn``: it may not; ``note``: worth knowing.
rule
    What a finding is about, and at which station it is settled; a check finds against one rule or several.
remedy
    A change that was tried on this very design and cures the finding, or makes it smaller and says so (found by `cures/`).
examination
    Everything that checks look at, computed once: tracks, clearances, free ranges, regions over the travel.
catch point
    Where an edge passes the edge of a neighbouring level so far from what holds it that it may come back on the wrong side.
zone
    What stays free of a part's face at every position of every mechanism; *overhang* is how far something may stand out of it.
"""

from lexipod.checks.catching import CatchPoint, find_catch_points
from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding, Remedy, verdict_of
from lexipod.checks.table import CHECKS, RULES, Check, Rule, run_checks
from lexipod.checks.zones import FreeZone, find_overhangs, find_zone

__all__ = [
    "CHECKS",
    "RULES",
    "CatchPoint",
    "Check",
    "Examination",
    "Finding",
    "FreeZone",
    "Remedy",
    "Rule",
    "find_catch_points",
    "find_overhangs",
    "find_zone",
    "run_checks",
    "verdict_of",
]
