"""From blanks to what a maker gets: the cut and score list, true-size templates, files.

score
    A line that is pressed so that the sheet folds there; *mountain* or *valley* as seen from the front.
template
    Blanks at true size on pages of paper, with rulers to check the printer.
sheet / lot
    What is bought, with pieces laid on it; a lot is cut from sheets of one stock and colour.
kit
    What to have for so many cards, with what it costs.
export
    A format in which something of this is written: one row of a table.
"""

from lexipod.fabricate.cutlist import CutRow, cut_list
from lexipod.fabricate.cutlist_files import cut_list_csv, cut_list_text
from lexipod.fabricate.cutlist_words import notes_text, openings_text, scores_text, size_text
from lexipod.fabricate.exports import EXPORTS, Export, export_bytes, find_export
from lexipod.fabricate.templates import draw_pieces, draw_template_pages

__all__ = [
    "EXPORTS",
    "CutRow",
    "Export",
    "cut_list",
    "cut_list_csv",
    "cut_list_text",
    "draw_pieces",
    "draw_template_pages",
    "export_bytes",
    "find_export",
    "notes_text",
    "openings_text",
    "scores_text",
    "size_text",
]
