"""Photographs of what was made: scaled copies beside the database."""

from __future__ import annotations

import hashlib
import warnings
from pathlib import Path

from lexipod.records.makes import Photograph
from lexipod.records.store import LogError, Store

LONGEST_PX = 1600
LARGEST_BYTES = 60_000_000
QUALITY = 86


def keep_photograph(store: Store, path: Path, *, caption: str = "") -> Photograph:
    """A scaled copy of a photograph, upright, without where and when it was taken. ``LogError`` for a file that is none."""
    from PIL import Image, ImageOps

    try:
        size = path.stat().st_size
    except OSError as error:
        raise LogError(f"{path}: there is no such photograph ({error.strerror})") from error
    if not path.is_file() or size > LARGEST_BYTES:
        raise LogError(f"{path}: a photograph is a file of at most {LARGEST_BYTES // 1_000_000} MB")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            with Image.open(path) as opened:
                made = ImageOps.exif_transpose(opened).convert("RGB")
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError, Image.DecompressionBombWarning) as error:
        raise LogError(f"{path.name} is no photograph that can be read; use JPEG, PNG or WebP") from error
    made.thumbnail((LONGEST_PX, LONGEST_PX))
    name = f"{hashlib.sha256(made.tobytes()).hexdigest()[:20]}.jpg"
    target = store.photographs / name
    try:
        store.photographs.mkdir(parents=True, exist_ok=True)
        fresh = target.with_suffix(".new")
        made.save(fresh, "JPEG", quality=QUALITY)
        fresh.replace(target)
    except OSError as error:
        raise LogError(f"{target}: the photograph cannot be kept ({error.strerror or error}); nothing was changed") from error
    return Photograph(name, caption, made.width, made.height)
