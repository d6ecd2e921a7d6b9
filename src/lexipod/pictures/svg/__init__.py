"""A picture in SVG, read by the program itself.

element
    One tag of the file with its attributes; a linked copy shows another one.
style
    What an element takes from its parents and what is said of it.
rings
    The outline of a shape as chords, open or closed.
band
    A flat strip of a gradient; so many of them stand for it.
told
    What the file asks for that cannot be shown.
"""

from lexipod.pictures.svg.outlines import matrix_of, path_rings
from lexipod.pictures.svg.reading import read_svg

__all__ = ["matrix_of", "path_rings", "read_svg"]
