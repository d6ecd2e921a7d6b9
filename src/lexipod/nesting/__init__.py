"""Pieces laid on boards: which board, where, turned by which quarter. Geometry alone; it knows nothing of cards.

piece
    A region to be cut, with the quarter turns that grain and pattern allow. It is never turned over.
board
    A region to cut from, with a margin that stays empty; there are so many of its kind, or as many as it takes.
spot
    Where one piece lies: the lower left corner of its box as it is turned.
layout
    The boards that are used, a spot for each piece that found room, and the pieces that found none.
straight
    Every cut goes from edge to edge of what is being cut, as a trimmer does; what is round is cut from its box.
free
    Each piece is cut along its own outline; holes of large pieces take small ones.
"""

from lexipod.nesting.free import lay_free
from lexipod.nesting.pieces import WORTH_KEEPING_MM, Board, Layout, Piece, Spot, find_faults, offcut_of, turned
from lexipod.nesting.straight import Cut, find_cuts, lay_straight, parts_left
from lexipod.nesting.tighter import lay_tighter

__all__ = [
    "WORTH_KEEPING_MM",
    "Board",
    "Cut",
    "Layout",
    "Piece",
    "Spot",
    "find_cuts",
    "find_faults",
    "lay_free",
    "lay_straight",
    "lay_tighter",
    "offcut_of",
    "parts_left",
    "turned",
]
