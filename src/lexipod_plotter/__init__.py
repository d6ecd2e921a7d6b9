"""A plotter that cuts nothing: it takes HPGL from a socket or a file, draws what would be cut and scored, counts, and can be told to fail.

It shares no code with the program that sends to it.

word
    One command with its numbers: two letters, or a sign after ESC that is answered at once.
machine
    Where pen and sheet are, what was drawn, what was not understood; it does one word at a time.
fault
    What it is told to do wrong: the paper jams, it goes offline, its buffer stays full, it is slow, its power goes.
"""

from lexipod_plotter.machine import Fault, Machine, Report
from lexipod_plotter.words import Word, Words

__all__ = ["Fault", "Machine", "Report", "Word", "Words"]
