"""What the travel ribbon shows.

row
    A gap or a requirement over the travel, against what it needs.
event
    A moment of the travel when something happens: a stop, a flat state, the surprise that begins to show.
"""

from lexipod.ribbon.folds import fold_events, fold_rows
from lexipod.ribbon.rows import RibbonEvent, RibbonRow, ribbon_events, ribbon_rows

__all__ = ["RibbonEvent", "RibbonRow", "fold_events", "fold_rows", "ribbon_events", "ribbon_rows"]
