"""DXF in millimetres: what a line is for is its layer."""

from __future__ import annotations

import logging
from io import StringIO
from typing import Any, Literal

import numpy as np

from lexipod.drawing.display import Drawing, Label, Shape, Stroke
from lexipod.drawing.pens import LAYERS, NOTE, layer_of
from lexipod.geometry.frames import Array

DxfVersion = Literal["R2000", "R12"]
COLOURS = {"cut": 7, "score-valley": 5, "score-mountain": 1, "perforate": 3, "pencil": 8, "glue": 4, "art": 6, NOTE: 9}
LINETYPES = {"score-valley": ("VALLEY", (4.5, 3.0, -1.5)), "score-mountain": ("MOUNTAIN", (8.0, 5.0, -1.2, 0.6, -1.2))}


def write_dxf(drawing: Drawing, version: DxfVersion = "R2000") -> bytes:
    """One drawing as DXF bytes, the same for the same drawing. R12 knows no unit; its numbers are millimetres too. A filled region without a
    pen has no line and is left out."""
    import ezdxf
    from ezdxf import options

    logging.getLogger("ezdxf").setLevel(logging.ERROR)  # R12 has no unit: that is known
    before = options.write_fixed_meta_data_for_testing
    options.write_fixed_meta_data_for_testing = True  # no dates and no chance in the file
    try:
        document = ezdxf.new(version, setup=False)
        if version != "R12":
            document.header["$INSUNITS"] = 4
            document.header["$MEASUREMENT"] = 1
        for name, pattern in LINETYPES.values():
            document.linetypes.add(name, pattern=list(pattern), description=name.lower())
        for layer in dict.fromkeys([*LAYERS.values(), NOTE]):
            line = LINETYPES.get(layer, ("CONTINUOUS", ()))[0]
            document.layers.add(layer_name(layer), color=COLOURS[layer], linetype=line)
        space = document.modelspace()
        left, bottom, _, _ = drawing.box
        for item in drawing.primitives:
            _add(space, item, np.array([left, bottom]), version)
        out = StringIO()
        document.write(out)
    finally:
        options.write_fixed_meta_data_for_testing = before
    return out.getvalue().encode("cp1252", errors="replace")


def layer_name(layer: str) -> str:
    """The name of a layer in the file.

    >>> layer_name("score-valley")
    'SCORE_VALLEY'
    """
    return layer.upper().replace("-", "_")


def _add(space: Any, item: Shape | Stroke | Label, origin: Array, version: DxfVersion) -> None:
    if isinstance(item, Label):
        attributes = {"layer": layer_name(NOTE), "height": item.size_mm * 0.7}
        at = (item.at[0] - float(origin[0]), item.at[1] - float(origin[1]))
        text = space.add_text(plain(item.text), dxfattribs=attributes)
        from ezdxf.enums import TextEntityAlignment

        align = {"left": TextEntityAlignment.LEFT, "middle": TextEntityAlignment.CENTER, "right": TextEntityAlignment.RIGHT}[item.anchor]
        text.set_placement(at, align=align)
        return
    if not item.pen:
        return
    layer = {"layer": layer_name(layer_of(item.pen))}
    rings, closed = (item.rings, True) if isinstance(item, Shape) else ((item.points,), False)
    for ring in rings:
        points = [(float(x), float(y)) for x, y in ring - origin]
        if version == "R12":
            space.add_polyline2d(points, close=closed, dxfattribs=layer)
        else:
            space.add_lwpolyline(points, close=closed, dxfattribs=layer)


_SIGNS = {
    "½": " 1/2", "¼": " 1/4", "¾": " 3/4", "⅛": " 1/8", "⅜": " 3/8", "⅝": " 5/8", "⅞": " 7/8",
    "×": "x", "Ø": "dia ", "≈": "~", "·": "-", "–": "-", "—": "-", "“": '"', "”": '"', "’": "'", "²": "2",
}  # fmt: skip


def plain(text: str) -> str:
    """Text in signs that every reader of such files shows."""
    for sign, told in _SIGNS.items():
        text = text.replace(sign, told)
    return text.encode("ascii", errors="replace").decode("ascii")
