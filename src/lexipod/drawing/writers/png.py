"""PNG pictures of a drawing, smoothed by drawing larger and scaling down."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import lru_cache
from importlib import resources
from io import BytesIO

import numpy as np
from PIL import Image, ImageChops, ImageDraw, ImageFont

from lexipod.drawing.display import Drawing, Label, Primitive, Shape, Stroke
from lexipod.drawing.pens import INKS, PENS, alpha_of_fill, colour_of_fill
from lexipod.drawing.strokes import dashes, hatching
from lexipod.errors import ParameterError
from lexipod.geometry.frames import Array

_OVERSAMPLE = 3
MOST_PIXELS = 120e6
SMOOTHED_PIXELS = 120e6
"""What is larger once it is drawn finer is smoothed less: so fine a picture needs no smoothing."""
At = Callable[[Array], list[float]]
"""Points of the drawing (mm) as pixels, x and y in turn."""


def write_png(drawing: Drawing, *, pixels_per_mm: float = 8.0, margin_mm: float = 4.0, background: str = "#ffffff") -> bytes:
    """The drawing as PNG bytes; its resolution is written into the file, so that it prints at true size."""
    box = (drawing.box[0] - margin_mm, drawing.box[1] - margin_mm, drawing.box[2] + margin_mm, drawing.box[3] + margin_mm)
    pixels = (box[2] - box[0]) * (box[3] - box[1]) * pixels_per_mm**2
    if pixels > MOST_PIXELS:
        most = pixels_per_mm * (MOST_PIXELS / pixels) ** 0.5 * 25.4
        raise ParameterError(
            "dpi", f"so fine a picture has {pixels / 1e6:.0f} million pixels; at most {most:.0f} dpi will do, or one sheet at a time"
        )
    finer = max(1, min(_OVERSAMPLE, int((SMOOTHED_PIXELS / pixels) ** 0.5)))
    image = paint_image(drawing, box, pixels_per_mm=pixels_per_mm, background=background, finer=finer)
    out = BytesIO()
    dpi = pixels_per_mm * 25.4
    image.save(out, "PNG", dpi=(dpi, dpi))
    return out.getvalue()


def paint_image(
    drawing: Drawing, box: tuple[float, float, float, float], *, pixels_per_mm: float, background: str = "#ffffff", finer: int = _OVERSAMPLE
) -> Image.Image:
    """The drawing inside a box (mm) as pixels, smoothed by drawing it so many times ``finer``."""
    canvas = Canvas(box, pixels_per_mm=pixels_per_mm, background=background, finer=finer)
    canvas.paint(drawing.primitives)
    return canvas.smoothed()


class Canvas:
    """Pixels inside a box (mm), so many times ``finer`` than what is asked for, on which primitives are painted one over the other."""

    def __init__(self, box: tuple[float, float, float, float], *, pixels_per_mm: float, background: str, finer: int) -> None:
        left, bottom, right, top = box
        self._corner, self._scale, self._finer = (left, top), pixels_per_mm * finer, finer
        width, height = (max(1, round(size * pixels_per_mm)) for size in (right - left, top - bottom))
        self.image = Image.new("RGB", (width * finer, height * finer), background)

    def at(self, points: Array) -> list[float]:
        """Points of the drawing (mm) as pixels, x and y in turn."""
        placed: list[float] = ((np.asarray(points) - self._corner) * (self._scale, -self._scale)).ravel().tolist()
        return placed

    def paint(self, primitives: Iterable[Primitive]) -> None:
        """Primitives over what is there."""
        brush = ImageDraw.Draw(self.image)
        for item in primitives:
            if isinstance(item, Label):
                font = _font(item.bold, item.size_mm * self._scale)
                anchor = {"left": "ls", "middle": "ms", "right": "rs"}[item.anchor]
                x, y = self.at(np.array([item.at]))
                brush.text((x, y), item.text, fill=INKS["graphite"], font=font, anchor=anchor)
            elif isinstance(item, Stroke):
                _line(brush, dashes(item.points, PENS[item.pen].dash_mm), item.pen, self.at, self._scale)
            else:
                _shape(self.image, brush, item, self.at, self._scale)

    def smoothed(self) -> Image.Image:
        """The picture as large as it was asked for."""
        return self.image.reduce(self._finer)


def _shape(image: Image.Image, brush: ImageDraw.ImageDraw, item: Shape, at: At, scale: float) -> None:
    colour, alpha = colour_of_fill(item.fill), alpha_of_fill(item.fill)
    if item.pixels and item.quad is not None:
        _photograph(image, item, at)
    elif colour and alpha == 1 and len(item.rings) == 1:
        brush.polygon(at(item.rings[0]), fill=colour)
    elif colour:
        made = _mask(image, item, at)
        if made is not None:
            mask, corner = made
            grey = mask if alpha == 1 else mask.convert("L").point(lambda v: round(v * alpha))
            image.paste(colour, (*corner, corner[0] + mask.width, corner[1] + mask.height), grey)
    if item.fill == "hatch":
        _line(brush, hatching(item.rings), "guide", at, scale)
    if item.pen:
        for ring in item.rings:
            _line(brush, dashes(ring, PENS[item.pen].dash_mm, closed=True), item.pen, at, scale)


def _mask(image: Image.Image, item: Shape, at: At) -> tuple[Image.Image, tuple[int, int]] | None:
    """Where a shape is, by the even-odd rule: a mask as large as the shape, and its upper left corner; None where it is out of sight."""
    rings = [np.array(at(ring)).reshape(-1, 2) for ring in item.rings]
    low = np.maximum(np.floor(np.min([r.min(axis=0) for r in rings], axis=0)).astype(int), 0)
    high = np.minimum(np.ceil(np.max([r.max(axis=0) for r in rings], axis=0)).astype(int) + 1, image.size)
    if (high <= low).any():
        return None
    size = (int(high[0] - low[0]), int(high[1] - low[1]))
    mask = Image.new("1", size, 0)
    ImageDraw.Draw(mask).polygon((rings[0] - low).ravel().tolist(), fill=1)
    for ring in rings[1:]:
        layer = Image.new("1", size, 0)
        ImageDraw.Draw(layer).polygon((ring - low).ravel().tolist(), fill=1)
        mask = ImageChops.logical_xor(mask, layer)
    return mask, (int(low[0]), int(low[1]))


def _photograph(image: Image.Image, item: Shape, at: At) -> None:
    """The pixels of a photograph laid between their corners, also in perspective, and clipped to the shape."""
    assert item.quad is not None
    pixels = _pixels(item.pixels)
    width, height = pixels.size
    made = _mask(image, item, at)
    if made is None:
        return
    mask, corner = made
    corners = np.array(at(item.quad)).reshape(-1, 2) - corner
    there = [(0, height), (width, height), (width, 0), (0, 0)]
    rows = []
    for (x, y), (u, v) in zip(corners, there, strict=True):
        rows += [[x, y, 1, 0, 0, 0, -u * x, -u * y, u], [0, 0, 0, x, y, 1, -v * x, -v * y, v]]
    table = np.array(rows, dtype=float)
    if abs(np.linalg.det(table[:, :8])) < 1e-9:
        return
    way = np.linalg.solve(table[:, :8], table[:, 8])
    laid = pixels.transform(mask.size, Image.Transform.PERSPECTIVE, tuple(way), Image.Resampling.BILINEAR)
    image.paste(laid.convert("RGB"), corner, ImageChops.multiply(mask.convert("L"), laid.getchannel("A")))


@lru_cache(maxsize=16)
def _pixels(data: bytes) -> Image.Image:
    return Image.open(BytesIO(data)).convert("RGBA")


def _line(brush: ImageDraw.ImageDraw, pieces: list[Array], pen_name: str, at: At, scale: float) -> None:
    pen = PENS[pen_name]
    width = max(1, round(pen.width_mm * scale))
    for piece in pieces:
        brush.line(at(piece), fill=INKS[pen.ink], width=width, joint="curve")


def _font(bold: bool, size: float) -> ImageFont.FreeTypeFont:
    name = "SourceSans3_600SemiBold.ttf" if bold else "SourceSans3_400Regular.ttf"
    with resources.as_file(resources.files("lexipod.assets") / "fonts" / name) as path:
        return ImageFont.truetype(str(path), max(1, round(size)))
