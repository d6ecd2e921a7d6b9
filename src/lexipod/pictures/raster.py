"""Photographs: PNG, JPEG and WebP, kept as they are or made smaller, and their outline from what one sees through."""

from __future__ import annotations

import warnings
from functools import lru_cache
from io import BytesIO
from typing import Any

import numpy as np
import shapely

from lexipod.errors import FileError
from lexipod.pictures.picture import Picture
from lexipod.pictures.winding import region_of_rings

FORMATS = ("PNG", "JPEG", "WEBP")
MOST_PIXELS = 60_000_000
KEPT_PX = 1600
"""The longer side of what is kept for the screen and for print: 400 dots an inch on a picture of 4 in."""
TRACED_PX = 400
CLEAR_SHARE = 0.5
"""What lets more than this share of the paper through counts as no picture."""


@lru_cache(maxsize=32)
def read_raster(data: bytes, source: str) -> Picture:
    """The picture in the bytes of a photograph; ``FileError`` for what is none, is damaged, or too large to be opened."""
    from PIL import Image, ImageOps, UnidentifiedImageError

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            image: Any = Image.open(BytesIO(data), formats=FORMATS)
        width, height = image.size
        if width * height > MOST_PIXELS:
            raise FileError(source, f"has {width} × {height} pixels; make it smaller first, {MOST_PIXELS // 1_000_000} million are the most")
        image.draft("RGB", (KEPT_PX, KEPT_PX))
        image = ImageOps.exif_transpose(image)
        has_alpha = "A" in image.getbands() or "transparency" in image.info
        image = image.convert("RGBA" if has_alpha else "RGB")
    except UnidentifiedImageError as error:
        raise FileError(source, f"is no picture that can be read; {', '.join(FORMATS)} and SVG can") from error
    except (Image.DecompressionBombError, Image.DecompressionBombWarning) as error:
        raise FileError(source, f"has too many pixels; make it smaller first, {MOST_PIXELS // 1_000_000} million are the most") from error
    except (OSError, SyntaxError, ValueError, EOFError, MemoryError) as error:
        raise FileError(source, f"is damaged: its pixels cannot be read ({error})") from error
    image.thumbnail((KEPT_PX, KEPT_PX))
    out = BytesIO()
    image.save(out, "PNG") if has_alpha else image.save(out, "JPEG", quality=92)
    wide, high = image.size
    silhouette = trace(np.asarray(image.getchannel("A"), dtype=float) / 255.0) if has_alpha else None
    return Picture(float(wide), float(high), pixels=out.getvalue(), silhouette=silhouette)


def trace(opaque: Any) -> Any:
    """What of a picture is painted, from how opaque its pixels are ``(rows, columns)``, 0 to 1: one region of pixels, y up.

    The border runs where it is half opaque, between the middles of pixels (marching squares).
    """
    from contourpy import contour_generator

    rows, columns = opaque.shape
    step = max(1, int(np.ceil(max(rows, columns) / TRACED_PX)))
    small = _averaged(opaque, step)
    padded = np.pad(small, 1)
    lines = contour_generator(z=padded, corner_mask=False).lines(CLEAR_SHARE)
    rings = [(np.asarray(line)[:-1] - 0.5) * step for line in lines if len(line) > 3]
    flipped = [np.column_stack([np.clip(r[:, 0], 0, columns), np.clip(rows - r[:, 1], 0, rows)]) for r in rings]
    return shapely.make_valid(region_of_rings(flipped, even_odd=True))


def _averaged(opaque: Any, step: int) -> Any:
    """The same with ``step`` pixels in one; what is over at the right and lower edge counts as clear."""
    rows, columns = (int(np.ceil(n / step)) * step for n in opaque.shape)
    whole = np.zeros((rows, columns))
    whole[: opaque.shape[0], : opaque.shape[1]] = opaque
    return whole.reshape(rows // step, step, columns // step, step).mean(axis=(1, 3))


__all__ = ["read_raster", "trace"]
