"""Text in an SVG, set in the program's own letters."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any
from xml.etree.ElementTree import Element

import numpy as np
import shapely

from lexipod.errors import LexipodError
from lexipod.geometry.frames import Array
from lexipod.pictures.svg.elements import number, tag_of
from lexipod.pictures.svg.outlines import put
from lexipod.pictures.svg.painting import fill
from lexipod.pictures.svg.styles import Reading, Style, styled


def write(reading: Reading, element: Element, matrix: Array, style: Style, clip: Any) -> None:
    """Text, set in the program's own letters."""
    from lexipod.pictures.fonts import find_font
    from lexipod.pictures.lettering import shape_line

    reading.tell("text is set in the program's own letters")
    face = find_font("sans-bold" if style.is_bold else "sans")
    x, y = number((element.get("x") or "0").split()[0]), number((element.get("y") or "0").split()[0])
    for piece, said, said_style in _spans(reading, element, style):
        if "x" in said:
            x = number(said["x"].split()[0])
        if "y" in said:
            y = number(said["y"].split()[0])
        x, y = x + number(said.get("dx")), y + number(said.get("dy"))
        try:
            glyphs, _ = shape_line(face, piece)
        except LexipodError:
            continue
        scale = said_style.font_size / face.per_em
        width = sum(g.advance for g in glyphs) * scale
        at = x - {"middle": width / 2, "end": width}.get(said_style.anchor, 0.0)
        for glyph in glyphs:
            if not glyph.region.is_empty:
                move = np.array([[scale, 0, at + glyph.offset[0] * scale], [0, -scale, y - glyph.offset[1] * scale], [0, 0, 1.0]])
                local = shapely.transform(glyph.region, lambda xy, move=move: put(move, xy))
                fill(reading, local, matrix, said_style.fill, said_style.opacity * said_style.fill_opacity, said_style, clip)
            at += glyph.advance * scale
        x = at if said_style.anchor == "start" else x


def _spans(reading: Reading, element: Element, style: Style) -> Iterator[tuple[str, Mapping[str, str], Style]]:
    """The runs of a text with what is said of their place."""
    own = " ".join((element.text or "").split())
    if own:
        yield own, {}, style
    for child in element:
        if tag_of(child) != "tspan":
            reading.tell(f"<{tag_of(child)}> in a text is left out")
            continue
        inside = " ".join((child.text or "").split())
        if inside:
            yield inside, dict(child.attrib), styled(reading, child, style)
        tail = " ".join((child.tail or "").split())
        if tail:
            yield tail, {}, style
