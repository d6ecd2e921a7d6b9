"""Moving pictures of a card: GIF and WebP, the same bytes for the same drawings."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from copy import copy
from io import BytesIO
from typing import Literal

import numpy as np
from PIL import Image

from lexipod.drawing.display import Drawing, Primitive, Shape, Stroke
from lexipod.drawing.writers.png import Canvas

FINER = 2
COLOURS = 128
SAMPLED = 6
MARGIN_MM = 4.0
PAPER = "#efe9dd"


def box_of_all(drawings: Sequence[Drawing], *, margin_mm: float = MARGIN_MM) -> tuple[float, float, float, float]:
    """The box that holds every frame."""
    lefts, bottoms, rights, tops = zip(*(d.box for d in drawings), strict=True)
    return min(lefts) - margin_mm, min(bottoms) - margin_mm, max(rights) + margin_mm, max(tops) + margin_mm


def paint_frames(
    drawings: Sequence[Drawing], *, width_px: int, background: str = PAPER, tell: Callable[[float], None] = lambda _: None
) -> list[Image.Image]:
    """The frames as pixels, all of one size; equal drawings are painted once. ``tell`` takes the share that is done."""
    box = box_of_all(drawings)
    scale = width_px / (box[2] - box[0])
    still = _still_below(drawings)
    below = Canvas(box, pixels_per_mm=scale, background=background, finer=FINER)
    below.paint(drawings[0].primitives[:still])
    known: dict[int, Image.Image] = {}
    frames = []
    for k, drawing in enumerate(drawings):
        if id(drawing) not in known:
            canvas = copy(below)
            canvas.image = below.image.copy()
            canvas.paint(drawing.primitives[still:])
            known[id(drawing)] = canvas.smoothed()
        frames.append(known[id(drawing)])
        tell((k + 1) / len(drawings))
    return frames


def _still_below(drawings: Sequence[Drawing]) -> int:
    """How many primitives, from the lowest one on, are the same in all frames."""
    for k in range(min(len(d.primitives) for d in drawings)):
        if not all(_is_same(drawings[0].primitives[k], d.primitives[k]) for d in drawings[1:]):
            return k
    return min(len(d.primitives) for d in drawings)


def _is_same(a: Primitive, b: Primitive) -> bool:
    if a is b:
        return True
    if isinstance(a, Shape) and isinstance(b, Shape):
        alike = (a.pen, a.fill, len(a.rings)) == (b.pen, b.fill, len(b.rings)) and a.pixels == b.pixels
        if alike and a.quad is not None and b.quad is not None and not np.array_equal(a.quad, b.quad):
            return False
        return alike and all(np.array_equal(r, s) for r, s in zip(a.rings, b.rings, strict=True))
    return isinstance(a, Stroke) and isinstance(b, Stroke) and a.pen == b.pen and np.array_equal(a.points, b.points)


def write_animation(
    drawings: Sequence[Drawing],
    kind: Literal["gif", "webp"],
    *,
    width_px: int = 800,
    frame_ms: int = 50,
    hold_ms: int = 700,
    tell: Callable[[float], None] = lambda _: None,
) -> bytes:
    """The drawings one after the other, over and over; the first and the last frame of the way there are held longer."""
    if len(drawings) < 2:
        raise ValueError("a moving picture needs two frames")
    frames = paint_frames(drawings, width_px=width_px, tell=tell)
    turning = len(frames) // 2 if drawings[0] is drawings[-1] else len(frames) - 1
    times = [hold_ms if k in (0, turning) else frame_ms for k in range(len(frames))]
    out = BytesIO()
    if kind == "webp":
        frames[0].save(out, "WEBP", save_all=True, append_images=frames[1:], duration=times, loop=0, quality=82, method=2)
        return out.getvalue()
    palette = _palette(frames)
    known: dict[int, Image.Image] = {}
    reduced = []
    for frame in frames:
        if id(frame) not in known:
            known[id(frame)] = frame.quantize(palette=palette, dither=Image.Dither.NONE)
        reduced.append(known[id(frame)])
    reduced[0].save(out, "GIF", save_all=True, append_images=reduced[1:], duration=times, loop=0, optimize=False, disposal=1)
    return out.getvalue()


def _palette(frames: Sequence[Image.Image]) -> Image.Image:
    """The colours of some frames, so that all have the same ones and nothing flickers."""
    picked = [frames[round(k * (len(frames) - 1) / (SAMPLED - 1))] for k in range(SAMPLED)]
    width, height = picked[0].size
    strip = Image.new("RGB", (width, height * len(picked)))
    for k, frame in enumerate(picked):
        strip.paste(frame, (0, k * height))
    return strip.resize((max(1, width // 2), max(1, strip.height // 2)), Image.Resampling.NEAREST).quantize(COLOURS)


__all__ = ["box_of_all", "paint_frames", "write_animation"]
