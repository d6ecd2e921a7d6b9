"""One display list that every output is written from: screen, hit-test, SVG, PDF, PNG.

drawing
    An immutable list of primitives in millimetres, y up, inside a box.
pen / fill
    Names (cut, hidden, mountain …; card, foam, art …), not colours: each output decides how they look.
subject
    The id of the part or measure that a primitive stands for.
"""

from lexipod.drawing.card import PartLayer, draw_card, part_layer, part_layers, seen_parts
from lexipod.drawing.display import Drawing, Label, Primitive, Shape, Stroke
from lexipod.drawing.edge import EdgeBar, draw_edge, find_edge_bars
from lexipod.drawing.folds import PLAN, Camera, Scene, draw_folds, glued_sides
from lexipod.drawing.pens import PENS, Pen

__all__ = [
    "PENS",
    "PLAN",
    "Camera",
    "Drawing",
    "EdgeBar",
    "Label",
    "PartLayer",
    "Pen",
    "Primitive",
    "Scene",
    "Shape",
    "Stroke",
    "draw_card",
    "draw_edge",
    "draw_folds",
    "find_edge_bars",
    "glued_sides",
    "part_layer",
    "part_layers",
    "seen_parts",
]
