"""Moves an assembly: poses over the travel, gaps between parts, and what bounds the free travel.

track
    Poses of every part at given travels of one mechanism. *Travel* is the coordinate of its drive.
dead point
    A travel past which the loop has no position, or two that merge (the Jacobian's determinant goes through zero).
meet
    Two parts meet when they share a level and belong to different bodies; only such pairs can touch.
gap
    Least distance of two parts over a step of the travel; negative for an overlap: minus the diameter of the largest
    circle that fits into the common area.
crossing
    Two parts of different mechanisms, at the combination of their travels at which they come nearest.
play / wag
    The clearances of joints, and how far a point moves to each side for them.
shortfall
    By how much a joint comes apart at a travel that cannot be reached.
free range / stop
    How far the drive goes from home before something stops it, and what that is.
"""

from lexipod.motion.clearance import Clearance, find_meeting_pairs, measure_clearances
from lexipod.motion.cross import Crossing, measure_crossings
from lexipod.motion.equations import MechanismError
from lexipod.motion.flat.system import System
from lexipod.motion.flat.track import Track, solve_track
from lexipod.motion.folds.crossing import crossing_depths
from lexipod.motion.folds.layers import Layers, Tangle, glued_sides, lay_flat, lay_together, order_at
from lexipod.motion.folds.pulled import PULL, Pulled, pulled_lengths
from lexipod.motion.folds.system import FoldSystem, fold_systems
from lexipod.motion.folds.track import FoldTrack, forget_motion, solve_folds
from lexipod.motion.free_range import FreeRange, Stop, find_free_range
from lexipod.motion.gravity import find_rest, gravity_in_card, pull_along, starting_slope_deg
from lexipod.motion.play import measure_play
from lexipod.motion.reach import Shortfall, find_shortfall

__all__ = [
    "PULL",
    "Clearance",
    "Crossing",
    "FoldSystem",
    "FoldTrack",
    "FreeRange",
    "Layers",
    "MechanismError",
    "Pulled",
    "Shortfall",
    "Stop",
    "System",
    "Tangle",
    "Track",
    "crossing_depths",
    "find_free_range",
    "find_meeting_pairs",
    "find_rest",
    "find_shortfall",
    "fold_systems",
    "forget_motion",
    "glued_sides",
    "gravity_in_card",
    "lay_flat",
    "lay_together",
    "measure_clearances",
    "measure_crossings",
    "measure_play",
    "order_at",
    "pull_along",
    "pulled_lengths",
    "solve_folds",
    "solve_track",
    "starting_slope_deg",
]
