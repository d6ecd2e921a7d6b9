"""PDF at true size: one page a drawing, printers told not to scale, the shipped font embedded."""

from __future__ import annotations

from functools import cache
from importlib import resources
from io import BytesIO
from typing import Any

from lexipod.drawing.display import Drawing, Label, Primitive, Shape, Stroke
from lexipod.drawing.pens import INKS, PENS, alpha_of_fill, colour_of_fill
from lexipod.drawing.strokes import hatching
from lexipod.geometry.frames import Array

POINTS_PER_MM = 72 / 25.4
_FONTS = {False: ("LexipodText", "SourceSans3_400Regular.ttf"), True: ("LexipodTextBold", "SourceSans3_600SemiBold.ttf")}


def write_pdf(pages: tuple[Drawing, ...] | list[Drawing], *, title: str, scale: tuple[float, float] = (1.0, 1.0)) -> bytes:
    """The pages as PDF bytes; page sizes and coordinates are exact to a thousandth of a point. ``scale`` stretches what is on a page about
    its lower left corner, across and up, for a printer that does not print true.

    Raises ``ValueError`` without pages.
    """
    from reportlab.pdfgen.canvas import Canvas

    if not pages:
        raise ValueError("a PDF needs a page")
    _register_fonts()
    out = BytesIO()
    canvas = Canvas(out, invariant=1, pageCompression=1)
    canvas.setTitle(title)
    canvas.setCreator("Lexipod")
    canvas.setViewerPreference("PrintScaling", "None")
    for page in pages:
        left, bottom, right, top = page.box
        canvas.setPageSize(((right - left) * POINTS_PER_MM, (top - bottom) * POINTS_PER_MM))
        canvas.scale(*scale)
        canvas.translate(-left * POINTS_PER_MM, -bottom * POINTS_PER_MM)
        for item in page.primitives:
            _draw(canvas, item)
        canvas.showPage()
    canvas.save()
    return out.getvalue()


@cache
def _register_fonts() -> None:
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    for name, file in _FONTS.values():
        with resources.as_file(resources.files("lexipod.assets") / "fonts" / file) as path:
            pdfmetrics.registerFont(TTFont(name, str(path)))


def _draw(canvas: Any, item: Primitive) -> None:
    if isinstance(item, Label):
        canvas.setFillColor(INKS["graphite"])
        canvas.setFont(_FONTS[item.bold][0], item.size_mm * POINTS_PER_MM)
        place = {"left": canvas.drawString, "middle": canvas.drawCentredString, "right": canvas.drawRightString}[item.anchor]
        place(item.at[0] * POINTS_PER_MM, item.at[1] * POINTS_PER_MM, item.text)
    elif isinstance(item, Stroke):
        _set_pen(canvas, item.pen)
        _path(canvas, (item.points,), closed=False, stroke=1, fill=0)
    else:
        _shape(canvas, item)


def _shape(canvas: Any, item: Shape) -> None:
    colour = colour_of_fill(item.fill)
    if item.fill == "hatch":
        _set_pen(canvas, "guide")
        for line in hatching(item.rings):
            _path(canvas, (line,), closed=False, stroke=1, fill=0)
    if item.pixels and item.quad is not None:
        _photograph(canvas, item)
        return
    alpha = alpha_of_fill(item.fill)
    if colour:
        canvas.setFillColor(colour)
    if alpha < 1:
        canvas.saveState()
        canvas.setFillAlpha(alpha)
    if item.pen:
        _set_pen(canvas, item.pen)
    _path(canvas, item.rings, closed=True, stroke=int(bool(item.pen)), fill=int(bool(colour)))
    if alpha < 1:
        canvas.restoreState()


def _photograph(canvas: Any, item: Shape) -> None:
    """The pixels between three corners of their quad, clipped to the shape."""
    from reportlab.lib.utils import ImageReader

    assert item.quad is not None
    canvas.saveState()
    path = canvas.beginPath()
    for ring in item.rings:
        points = ring * POINTS_PER_MM
        path.moveTo(*points[0])
        for point in points[1:]:
            path.lineTo(*point)
        path.close()
    canvas.clipPath(path, stroke=0, fill=0, fillMode=0)
    low, right, up = item.quad[[0, 1, 3]] * POINTS_PER_MM
    canvas.transform(*(right - low), *(up - low), *low)
    canvas.drawImage(ImageReader(BytesIO(item.pixels)), 0, 0, 1, 1, mask="auto")
    canvas.restoreState()


def _set_pen(canvas: Any, name: str) -> None:
    pen = PENS[name]
    canvas.setStrokeColor(INKS[pen.ink])
    canvas.setLineWidth(pen.width_mm * POINTS_PER_MM)
    canvas.setDash([d * POINTS_PER_MM for d in pen.dash_mm] or [])


def _path(canvas: Any, rings: tuple[Array, ...], *, closed: bool, stroke: int, fill: int) -> None:
    if not stroke and not fill:
        return
    path = canvas.beginPath()
    for ring in rings:
        points = ring * POINTS_PER_MM
        path.moveTo(*points[0])
        for point in points[1:]:
            path.lineTo(*point)
        if closed:
            path.close()
    canvas.drawPath(path, stroke=stroke, fill=fill, fillMode=0)
