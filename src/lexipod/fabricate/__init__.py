"""From the assembly to things that are cut: pieces, the cut and score list, true-size templates.

piece
    What is cut from one stock in one go: one part, or a scored sheet that carries several panels.
score
    A line that is pressed so that the sheet folds there; *mountain* or *valley* as seen from the front.
template
    Pieces at true size on pages of paper, with rulers to check the printer.
export
    A format in which something of this is written: one row of a table.
"""

from lexipod.fabricate.cutlist import CutRow, cut_list, cut_list_csv, cut_list_text, notes_text, scores_text
from lexipod.fabricate.exports import EXPORTS, Export, export_bytes, find_export
from lexipod.fabricate.pieces import Piece, find_pieces
from lexipod.fabricate.templates import draw_pieces, draw_template_pages

__all__ = [
    "EXPORTS",
    "CutRow",
    "Export",
    "Piece",
    "cut_list",
    "cut_list_csv",
    "cut_list_text",
    "draw_pieces",
    "draw_template_pages",
    "export_bytes",
    "find_export",
    "find_pieces",
    "notes_text",
    "scores_text",
]
