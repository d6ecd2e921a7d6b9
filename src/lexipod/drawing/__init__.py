"""One display list that every output is written from: screen, hit-test, SVG, PDF, PNG.

drawing
    An immutable list of primitives in millimetres, y up, inside a box.
pen / fill
    Names (cut, hidden, mountain …; card, foam, art …), not colours: each output decides how they look.
subject
    The id of the part or measure that a primitive stands for.
"""

from lexipod.drawing.card import PartLayer, draw_card, is_hidden, part_layer, part_layers, seen_parts
from lexipod.drawing.display import Drawing, Label, Primitive, Shape, Stroke, lighter_shape
from lexipod.drawing.edge import EdgeBar, draw_edge, find_edge_bars, find_fold_bars
from lexipod.drawing.folds import PLAN, STANDING, Camera, Scene, draw_folds, draw_standing, fit_camera
from lexipod.drawing.pens import PENS, Pen

__all__ = [
    "PENS",
    "PLAN",
    "STANDING",
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
    "draw_standing",
    "find_edge_bars",
    "find_fold_bars",
    "fit_camera",
    "is_hidden",
    "lighter_shape",
    "part_layer",
    "part_layers",
    "seen_parts",
]
