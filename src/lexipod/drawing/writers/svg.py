"""SVG at true size: user units are millimetres."""

from __future__ import annotations

from base64 import b64encode
from collections.abc import Callable
from hashlib import sha256
from html import escape

from lexipod.drawing.display import Drawing, Label, Primitive, Shape, Stroke
from lexipod.drawing.pens import INKS, NOTE, PENS, alpha_of_fill, colour_of_fill, layer_of
from lexipod.drawing.strokes import hatching
from lexipod.geometry.frames import Array

LAYER_ORDER = (NOTE, "art", "glue", "pencil", "perforate", "score-valley", "score-mountain", "cut")
_ANCHORS = {"left": "start", "middle": "middle", "right": "end"}


def write_svg(drawing: Drawing, *, layered: bool = False) -> bytes:
    """One drawing as SVG bytes; ``data-part`` names the part of each element. A ``layered`` one has a named group for each thing that lines
    are for (cut, score-valley …), the lines that are cut last."""
    left, bottom, right, top = drawing.box
    width, height = right - left, top - bottom
    out = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{_n(width)}mm" height="{_n(height)}mm" viewBox="0 0 {_n(width)} {_n(height)}">',
        f"<title>{escape(drawing.title)}</title>",
        '<g stroke-linejoin="round" stroke-linecap="butt" font-family="Source Sans 3, sans-serif">',
    ]

    def at(points: Array) -> str:
        return " L".join(f"{_n(x - left)} {_n(top - y)}" for x, y in points)

    if layered:
        for layer in LAYER_ORDER:
            items = [i for i in drawing.primitives if _layer(i) == layer]
            if items:
                out += [f'<g id="{layer}" data-layer="{layer}">', *(line for i in items for line in _element(i, at, left, top)), "</g>"]
    else:
        out += [line for item in drawing.primitives for line in _element(item, at, left, top)]
    out += ["</g>", "</svg>", ""]
    return "\n".join(out).encode("utf-8")


def _layer(item: Primitive) -> str:
    return NOTE if isinstance(item, Label) else layer_of(item.pen)


def _element(item: Primitive, at: Callable[[Array], str], left: float, top: float) -> list[str]:
    subject = f' data-part="{escape(item.subject)}"' if item.subject else ""
    if isinstance(item, Label):
        weight = ' font-weight="600"' if item.bold else ""
        return [
            f'<text x="{_n(item.at[0] - left)}" y="{_n(top - item.at[1])}" font-size="{_n(item.size_mm)}" '
            f'text-anchor="{_ANCHORS[item.anchor]}" fill="{INKS["graphite"]}"{weight}{subject}>{escape(item.text)}</text>'
        ]
    if isinstance(item, Stroke):
        return [f'<path d="M{at(item.points)}" fill="none"{_stroke(item.pen)}{subject}/>']
    return _shape(item, at, subject)


def _shape(item: Shape, at: Callable[[Array], str], subject: str) -> list[str]:
    path = " ".join(f"M{at(ring)} Z" for ring in item.rings)
    lines = []
    if item.fill == "hatch":
        for line in hatching(item.rings):
            lines.append(f'<path d="M{at(line)}" fill="none"{_stroke("guide")}/>')
    fill = colour_of_fill(item.fill) or "none"
    if item.pixels and item.quad is not None:
        return [*lines, *_photograph(item, path, at)]
    alpha = alpha_of_fill(item.fill)
    through = f' fill-opacity="{_n(alpha)}"' if alpha < 1 else ""
    lines.append(f'<path d="{path}" fill="{fill}"{through} fill-rule="evenodd"{_stroke(item.pen)}{subject}/>')
    return lines


def _photograph(item: Shape, path: str, at: Callable[[Array], str]) -> list[str]:
    """The pixels between three corners of their quad, clipped to the shape."""
    assert item.quad is not None
    low, right, up = ([float(v) for v in point.split()] for point in at(item.quad[[0, 1, 3]]).split(" L"))
    matrix = (right[0] - low[0], right[1] - low[1], low[0] - up[0], low[1] - up[1], up[0], up[1])
    kind = "png" if item.pixels.startswith(b"\x89PNG") else "jpeg"
    data = b64encode(item.pixels).decode("ascii")
    name = f"clip-{sha256(path.encode() + item.pixels).hexdigest()[:12]}"
    return [
        f'<clipPath id="{name}"><path d="{path}" clip-rule="evenodd"/></clipPath>',
        f'<g clip-path="url(#{name})"><image width="1" height="1" preserveAspectRatio="none" '
        f'transform="matrix({" ".join(_n(v) for v in matrix)})" href="data:image/{kind};base64,{data}"/></g>',
    ]


def _stroke(pen_name: str) -> str:
    if not pen_name:
        return ' stroke="none"'
    pen = PENS[pen_name]
    dash = f' stroke-dasharray="{" ".join(_n(d) for d in pen.dash_mm)}"' if pen.dash_mm else ""
    return f' stroke="{INKS[pen.ink]}" stroke-width="{_n(pen.width_mm)}" data-pen="{pen_name}"{dash}'


def _n(value: float) -> str:
    text = f"{value:.4f}".rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text
