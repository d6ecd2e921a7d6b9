"""PNG pictures of a drawing, smoothed by drawing larger and scaling down."""

from __future__ import annotations

from functools import lru_cache
from importlib import resources
from io import BytesIO

import numpy as np
from PIL import Image, ImageChops, ImageDraw, ImageFont

from lexipod.drawing.display import Drawing, Label, Shape, Stroke
from lexipod.drawing.pens import INKS, PENS, alpha_of_fill, colour_of_fill
from lexipod.drawing.strokes import dashes, hatching
from lexipod.geometry.frames import Array

_OVERSAMPLE = 3


def write_png(drawing: Drawing, *, pixels_per_mm: float = 8.0, margin_mm: float = 4.0, background: str = "#ffffff") -> bytes:
    """The drawing as PNG bytes; its resolution is written into the file, so that it prints at true size."""
    box = (drawing.box[0] - margin_mm, drawing.box[1] - margin_mm, drawing.box[2] + margin_mm, drawing.box[3] + margin_mm)
    image = paint_image(drawing, box, pixels_per_mm=pixels_per_mm, background=background)
    out = BytesIO()
    dpi = pixels_per_mm * 25.4
    image.save(out, "PNG", dpi=(dpi, dpi))
    return out.getvalue()


def paint_image(
    drawing: Drawing, box: tuple[float, float, float, float], *, pixels_per_mm: float, background: str = "#ffffff", finer: int = _OVERSAMPLE
) -> Image.Image:
    """The drawing inside a box (mm) as pixels, smoothed by drawing it so many times ``finer``."""
    scale = pixels_per_mm * finer
    left, bottom, right, top = box
    size = (max(1, round((right - left) * pixels_per_mm)), max(1, round((top - bottom) * pixels_per_mm)))
    image = Image.new("RGB", (size[0] * finer, size[1] * finer), background)
    brush = ImageDraw.Draw(image)

    def at(points: Array) -> list[float]:
        placed: list[float] = ((np.asarray(points) - (left, top)) * (scale, -scale)).ravel().tolist()
        return placed

    for item in drawing.primitives:
        if isinstance(item, Label):
            font = _font(item.bold, item.size_mm * scale)
            anchor = {"left": "ls", "middle": "ms", "right": "rs"}[item.anchor]
            x, y = at(np.array([item.at]))
            brush.text((x, y), item.text, fill=INKS["graphite"], font=font, anchor=anchor)
        elif isinstance(item, Stroke):
            _line(brush, dashes(item.points, PENS[item.pen].dash_mm), item.pen, at, scale)
        else:
            _shape(image, brush, item, at, scale)
    return image.resize(size, Image.Resampling.BOX)


def _shape(image: Image.Image, brush: ImageDraw.ImageDraw, item: Shape, at: object, scale: float) -> None:
    colour, alpha = colour_of_fill(item.fill), alpha_of_fill(item.fill)
    if item.pixels and item.quad is not None:
        _photograph(image, item, at)
    elif colour and alpha < 1:
        mask = _mask(image, item, at).convert("L").point(lambda v: round(v * alpha))
        image.paste(Image.new("RGB", image.size, colour), mask=mask)
    elif colour and len(item.rings) == 1:
        brush.polygon(at(item.rings[0]), fill=colour)  # type: ignore[operator]
    elif colour:
        image.paste(Image.new("RGB", image.size, colour), mask=_mask(image, item, at))
    if item.fill == "hatch":
        _line(brush, hatching(item.rings), "guide", at, scale)
    if item.pen:
        for ring in item.rings:
            _line(brush, dashes(ring, PENS[item.pen].dash_mm, closed=True), item.pen, at, scale)


def _mask(image: Image.Image, item: Shape, at: object) -> Image.Image:
    """Where a shape is, by the even-odd rule."""
    mask = Image.new("1", image.size, 0)
    for ring in item.rings:
        layer = Image.new("1", image.size, 0)
        ImageDraw.Draw(layer).polygon(at(ring), fill=1)  # type: ignore[operator]
        mask = _toggled(mask, layer)
    return mask


def _photograph(image: Image.Image, item: Shape, at: object) -> None:
    """The pixels of a photograph laid between their corners, also in perspective, and clipped to the shape."""
    assert item.quad is not None
    pixels = _pixels(item.pixels)
    width, height = pixels.size
    corners = np.array(at(item.quad)).reshape(-1, 2)  # type: ignore[operator]
    low = np.maximum(np.floor(corners.min(axis=0)).astype(int), 0)
    high = np.minimum(np.ceil(corners.max(axis=0)).astype(int), image.size)
    if (high <= low).any():
        return
    there = [(0, height), (width, height), (width, 0), (0, 0)]
    rows = []
    for (x, y), (u, v) in zip(corners - low, there, strict=True):
        rows += [[x, y, 1, 0, 0, 0, -u * x, -u * y, u], [0, 0, 0, x, y, 1, -v * x, -v * y, v]]
    table = np.array(rows, dtype=float)
    if abs(np.linalg.det(table[:, :8])) < 1e-9:
        return
    way = np.linalg.solve(table[:, :8], table[:, 8])
    size = (int(high[0] - low[0]), int(high[1] - low[1]))
    laid = pixels.transform(size, Image.Transform.PERSPECTIVE, tuple(way), Image.Resampling.BILINEAR)
    mask = _mask(image, item, at).crop((*low.tolist(), *high.tolist())).convert("L")
    image.paste(laid.convert("RGB"), (int(low[0]), int(low[1])), ImageChops.multiply(mask, laid.getchannel("A")))


@lru_cache(maxsize=16)
def _pixels(data: bytes) -> Image.Image:
    return Image.open(BytesIO(data)).convert("RGBA")


def _toggled(mask: Image.Image, layer: Image.Image) -> Image.Image:
    return ImageChops.logical_xor(mask, layer)


def _line(brush: ImageDraw.ImageDraw, pieces: list[Array], pen_name: str, at: object, scale: float) -> None:
    pen = PENS[pen_name]
    width = max(1, round(pen.width_mm * scale))
    for piece in pieces:
        brush.line(at(piece), fill=INKS[pen.ink], width=width, joint="curve")  # type: ignore[operator]


def _font(bold: bool, size: float) -> ImageFont.FreeTypeFont:
    name = "SourceSans3_600SemiBold.ttf" if bold else "SourceSans3_400Regular.ttf"
    with resources.as_file(resources.files("lexipod.assets") / "fonts" / name) as path:
        return ImageFont.truetype(str(path), max(1, round(size)))
