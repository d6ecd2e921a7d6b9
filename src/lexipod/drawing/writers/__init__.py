"""Writers: each turns the same drawings into one kind of file, the same bytes for the same drawing."""

from lexipod.drawing.writers.animation import write_animation
from lexipod.drawing.writers.dxf import write_dxf
from lexipod.drawing.writers.pdf import write_pdf
from lexipod.drawing.writers.png import write_png
from lexipod.drawing.writers.svg import write_svg

__all__ = ["write_animation", "write_dxf", "write_pdf", "write_png", "write_svg"]
