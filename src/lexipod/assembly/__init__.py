"""Parts, joints, drives, zones and needs of a whole card: plain data that knows nothing of recipes.

part
    One cut piece with its outline in its own frame, its level in the stack and its place at home.
body
    Parts that are glued together (joined by ``fixed``); bodies move, parts only belong to them.
level
    Where a part lies in the stack, counted from the card's back; several parts may share one.
joint / drive
    What ties two parts; and which joint's coordinate is moved, from rest to end.
zone
    A polygon on a face of a part that is meant for something: glue, foam, art, grip, reach.
need
    What must hold while it moves (hidden, shown, guided, reached …); checks turn needs into findings.
blank / panel / crease / seam
    A piece as it is cut and scored; what stays flat of one that is folded; the line between two panels; and where two parts that
    move as one are panels of the same blank.
folding / stage / flat state
    All panels of one mechanism that folds; a stretch of its opening; and a position in which it lies flat.
handle / measure
    Where a decision can be taken hold of on the card, and the dimension line that shows it.
"""

from lexipod.assembly.blanks import Allowance, Blank, Crease, Move, Seam, Trim
from lexipod.assembly.bounds import Bound
from lexipod.assembly.fold_needs import FoldNeed, GlueFlap, KeepsOff, LapsAt, Opens, SeenAt, SpinsFree
from lexipod.assembly.folding import FlatState, Folding, FoldJoint, Reading, Stage
from lexipod.assembly.joints import Arc, Drive, Joint, Path, Segment
from lexipod.assembly.model import Assembly, CardFrame
from lexipod.assembly.needs import Bent, Caught, Covered, Driven, Grasped, Guided, Held, Land, Need, Pushed, Reached, Shown, Steady, Under, WantedGap
from lexipod.assembly.panels import Panel
from lexipod.assembly.parts import Cue, Handle, Part, Zone

__all__ = [
    "Allowance",
    "Arc",
    "Assembly",
    "Bent",
    "Blank",
    "Bound",
    "CardFrame",
    "Caught",
    "Covered",
    "Crease",
    "Cue",
    "Drive",
    "Driven",
    "FlatState",
    "FoldJoint",
    "FoldNeed",
    "Folding",
    "GlueFlap",
    "Grasped",
    "Guided",
    "Handle",
    "Held",
    "Joint",
    "KeepsOff",
    "Land",
    "LapsAt",
    "Move",
    "Need",
    "Opens",
    "Panel",
    "Part",
    "Path",
    "Pushed",
    "Reached",
    "Reading",
    "Seam",
    "SeenAt",
    "Segment",
    "Shown",
    "SpinsFree",
    "Stage",
    "Steady",
    "Trim",
    "Under",
    "WantedGap",
    "Zone",
]
