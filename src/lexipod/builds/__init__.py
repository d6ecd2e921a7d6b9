"""A design built many times over with errors, and how many of the builds run free.

dimension
    One thing that can be off in a build: a decided measure, a hole, a pack of paper or foam, the air's humidity.
margin
    What must stay above 0 for a build to run: a gap, the way to a stop, the length of a guide, the air over what moves.
spoiler
    The dimension that took most from the worst margin of the builds that do not run.
"""

from lexipod.builds.dimensions import ACCURACIES, Accuracy, Dimension, accuracy_of, find_dimensions, find_errors
from lexipod.builds.margins import margins_of
from lexipod.builds.simulation import BuildYield, Spoiler, Suggestion, simulate_builds, wilson_interval

__all__ = [
    "ACCURACIES",
    "Accuracy",
    "BuildYield",
    "Dimension",
    "Spoiler",
    "Suggestion",
    "accuracy_of",
    "find_dimensions",
    "find_errors",
    "margins_of",
    "simulate_builds",
    "wilson_interval",
]
