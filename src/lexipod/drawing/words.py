"""How much room words take on paper, measured with the face that they are written in."""

from __future__ import annotations

from functools import cache
from importlib import resources
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from PIL import ImageFont

EM_PX = 1000
ASCENT, DESCENT = 0.74, 0.24
"""How far the letters of the text face reach over and under their baseline, in line heights."""


@cache
def _font(bold: bool) -> ImageFont.FreeTypeFont:
    from PIL import ImageFont  # it takes long to load, and is not needed before something is written

    name = "SourceSans3_600SemiBold.ttf" if bold else "SourceSans3_400Regular.ttf"
    with resources.as_file(resources.files("lexipod.assets") / "fonts" / name) as path:
        return ImageFont.truetype(str(path), EM_PX)


@cache
def width_of(text: str, size_mm: float, *, bold: bool = False) -> float:
    """Width (mm) of one line.

    >>> 8.0 < width_of("pocket", 3.2) < 11.0
    True
    """
    return float(_font(bold).getlength(text)) / EM_PX * size_mm
