"""Pictures by their source: from the demo collection, or from a file beside the design."""

from __future__ import annotations

import hashlib
from collections import OrderedDict
from collections.abc import Iterable
from importlib import resources
from pathlib import Path
from typing import Literal

import msgspec

from lexipod.design import Item
from lexipod.errors import FileError
from lexipod.pictures.picture import Picture
from lexipod.units.reading import read_ordinary

LARGEST_SVG = 4_000_000
LARGEST_RASTER = 60_000_000
MOST_KEPT = 64
SLOW_BYTES = 120_000
WHOLE = (((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)),)
"""The outline of a shape that takes all of its box."""
ENDINGS = (".svg", ".png", ".jpg", ".jpeg", ".webp")


def load_picture(source: str, folder: Path | None) -> Picture:
    """The picture of a source: ``demo:NAME`` from the program, else a file beside the design. ``FileError`` says why not."""
    if source.startswith("demo:"):
        name = source.removeprefix("demo:")
        entry = resources.files("lexipod.demo") / "art" / f"{name}.svg"
        if not name.isidentifier() or not entry.is_file():
            raise FileError(source, "there is no such picture in the demo collection")
        return _svg(entry.read_bytes(), source)
    path = Path(source)
    if path.is_absolute() or ".." in path.parts:
        raise FileError(source, "a picture must lie in the folder of its design or below it")
    return read_picture_file((folder or Path()) / path)


def read_picture_file(path: Path) -> Picture:
    """The picture in a file, by its ending; ``FileError`` says what is wrong."""
    ending = path.suffix.lower()
    if ending not in ENDINGS:
        raise FileError(path, f"is no picture that can be read; {', '.join(ENDINGS)} can")
    try:
        if ending == ".svg":
            return _svg(read_ordinary(path, LARGEST_SVG, "an SVG"), str(path))
        from lexipod.pictures.raster import read_raster

        return read_raster(read_ordinary(path, LARGEST_RASTER, "a photograph"), str(path))
    except FileNotFoundError as error:
        raise FileError(path, "there is no such picture") from error
    except OSError as error:
        raise FileError(path, f"cannot be read ({error})") from error


def _svg(data: bytes, source: str) -> Picture:
    from lexipod.pictures.svg import read_svg

    mark = _mark(data)
    if mark not in _read:
        try:
            keep_picture(data, read_svg(data.decode("utf-8-sig"), source))
        except UnicodeDecodeError as error:
            raise FileError(source, f"is not text in UTF-8, so it is no SVG that can be read ({error.reason})") from error
    _read.move_to_end(mark)
    return _read[mark]


def _mark(data: bytes) -> bytes:
    return hashlib.blake2b(data, digest_size=16).digest()


_read: OrderedDict[bytes, Picture] = OrderedDict()


def keep_picture(data: bytes, picture: Picture) -> None:
    """Keeps what was read from the bytes of an SVG, perhaps by another process, so that it need not be read again."""
    _read[_mark(data)] = picture
    while len(_read) > MOST_KEPT:
        _read.popitem(last=False)


def is_slow(path: Path) -> bool:
    """Whether a file takes so long to read that it is better done aside."""
    try:
        return path.suffix.lower() == ".svg" and path.stat().st_size > SLOW_BYTES
    except OSError:
        return False


def changed_at(path: Path) -> int:
    """When a file was changed last (ns); 0 for one that is not there."""
    try:
        return path.stat().st_mtime_ns
    except OSError:
        return 0


def unread(sources: Iterable[str], folder: Path | None) -> dict[str, Path]:
    """Of the sources of a design those that take long to read and were not read yet, with their files."""
    found = {}
    for source in dict.fromkeys(sources):
        path = (folder or Path()) / source
        if source.startswith("demo:") or Path(source).is_absolute() or ".." in Path(source).parts or not is_slow(path):
            continue
        try:
            key = (str(path), changed_at(path))
            if key not in _marks:
                _marks[key] = _mark(read_ordinary(path, LARGEST_SVG, "an SVG"))
            if _marks[key] not in _read:
                found[source] = path
        except (OSError, FileError):
            continue  # that is told where it is drawn, at once
    return found


_marks: dict[tuple[str, int], bytes] = {}
"""Marks of large files, as long as they stay as they are."""


def import_picture(item_id: str, source: str, picture: Picture, *, on: str, kind: Literal["picture", "shape"], longest_mm: float = 40.0) -> Item:
    """An item of a picture in its own proportion, its longer side ``longest_mm``; a ``shape`` is cut out along what is painted."""
    proportion = picture.proportion
    width, height = (longest_mm, longest_mm / proportion) if proportion >= 1 else (longest_mm * proportion, longest_mm)
    rings = picture.outline_rings
    if kind == "shape" and not rings:
        rings = WHOLE
    layers = 0 if kind == "shape" else 1
    width, height = (max(1.0, round(v, 2)) for v in (width, height))
    return Item(item_id, kind, on, width=width, height=height, source=source, proportion=round(proportion, 6), outline=rings, layers=layers)


def with_outline(item: Item, picture: Picture) -> Item:
    """The item of a picture with the proportion and the outline of what is in its file."""
    if item.kind == "shape":
        return msgspec.structs.replace(item, proportion=round(picture.proportion, 6), outline=picture.outline_rings or WHOLE)
    return msgspec.structs.replace(item, proportion=round(picture.proportion, 6), outline=picture.outline_rings)


__all__ = ["ENDINGS", "changed_at", "import_picture", "is_slow", "keep_picture", "load_picture", "read_picture_file", "unread", "with_outline"]
