"""Pictures: an SVG read into flat filled outlines, laid into a box on a part and clipped to it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from pathlib import Path
from typing import Any
from xml.etree.ElementTree import ParseError

import defusedxml.ElementTree as safe_xml
import numpy as np
import shapely
from defusedxml.common import DefusedXmlException

from lexipod.assembly import Assembly, Panel, Part
from lexipod.design import Art, Design
from lexipod.drawing.display import Shape
from lexipod.errors import FileError
from lexipod.geometry.frames import Array
from lexipod.units.reading import read_ordinary

LARGEST_BYTES = 1_000_000
MOST_ELEMENTS = 4000
DEEPEST = 40
_DRAWN: dict[Any, tuple[Shape, ...]] = {}


@dataclass(frozen=True, eq=False)
class Picture:
    """Filled regions with their colours in a box of ``width`` by ``height`` user units, y up."""

    width: float
    height: float
    regions: tuple[tuple[Any, str], ...]


def load_picture(source: str, folder: Path | None) -> Picture:
    """The picture of a source: ``demo:NAME`` from the program, else a file beside the design. ``FileError`` says why not."""
    if source.startswith("demo:"):
        name = source.removeprefix("demo:")
        entry = resources.files("lexipod.demo") / "art" / f"{name}.svg"
        if not name.isidentifier() or not entry.is_file():
            raise FileError(source, "there is no such picture in the demo collection")
        return read_picture(entry.read_text(encoding="utf-8"), source)
    path = Path(source)
    if path.is_absolute() or ".." in path.parts:
        raise FileError(source, "a picture must lie in the folder of its design or below it")
    full = (folder or Path()) / path
    try:
        return read_picture(read_ordinary(full, LARGEST_BYTES, "a picture").decode("utf-8"), str(full))
    except FileNotFoundError as error:
        raise FileError(full, "there is no such picture") from error
    except (OSError, UnicodeDecodeError) as error:
        raise FileError(full, f"cannot be read ({error})") from error


@lru_cache(maxsize=64)
def read_picture(text: str, source: str) -> Picture:
    """The picture in SVG text. Scripts, links, text and strokes are left out; ``use`` is refused."""
    _prescan(text, source)
    from io import StringIO

    import svgelements

    try:
        svg = svgelements.SVG.parse(StringIO(text), ppi=96)
        box = (float(svg.viewbox.x), float(svg.viewbox.y), float(svg.viewbox.width), float(svg.viewbox.height)) if svg.viewbox else None
        scale_x, scale_y = float(svg.width), float(svg.height)
        regions = tuple(r for element in svg.elements() if isinstance(element, svgelements.Shape) for r in _regions(element, scale_y))
    except (ValueError, TypeError, AttributeError, RecursionError, ZeroDivisionError, OverflowError) as error:
        raise FileError(source, f"cannot be read as a picture ({error})") from error
    if box is None or not (0 < scale_x < math.inf and 0 < scale_y < math.inf):
        raise FileError(source, "a picture needs a viewBox, so that its size is known")
    return Picture(scale_x, scale_y, regions)


def _prescan(text: str, source: str) -> None:
    try:
        root = safe_xml.fromstring(text, forbid_dtd=True)
    except (ParseError, DefusedXmlException, RecursionError, ValueError) as error:
        raise FileError(source, f"is not a safe SVG ({type(error).__name__})") from error
    level, count, depth = [root], 0, 0
    while level:
        count, depth = count + len(level), depth + 1
        if count > MOST_ELEMENTS or depth > DEEPEST:
            raise FileError(source, f"is too intricate for a card (at most {MOST_ELEMENTS} elements, {DEEPEST} deep)")
        if any(str(e.tag).endswith("}use") or e.tag == "use" for e in level):
            raise FileError(source, "uses linked copies (<use>); flatten the picture first")
        level = [child for element in level for child in element]


def _regions(element: Any, height: float) -> list[tuple[Any, str]]:
    fill = element.fill
    if fill is None or fill.value is None or fill.alpha == 0:
        return []
    colour = f"#{fill.red:02x}{fill.green:02x}{fill.blue:02x}"
    region: Any = shapely.Polygon()
    import svgelements

    path = abs(svgelements.Path(element))
    for subpath in path.as_subpaths():
        points = _flattened(svgelements.Path(subpath))
        if len(points) >= 3 and np.isfinite(points).all():
            ring = shapely.make_valid(shapely.Polygon(np.column_stack([points[:, 0], height - points[:, 1]])))
            region = shapely.symmetric_difference(region, ring)
    return [] if region.is_empty else [(region, colour)]


def _flattened(path: Any) -> Array:
    pieces: list[Array] = []
    for segment in path:
        count = 1 if type(segment).__name__ in ("Move", "Line", "Close") else 14
        if count > 1:
            pieces.append(np.asarray(segment.npoint(np.arange(1, count + 1) / count), dtype=float))
        elif segment.end is not None:
            pieces.append(np.array([[float(segment.end.x), float(segment.end.y)]]))
    return np.concatenate(pieces) if pieces else np.zeros((0, 2))


def draw_art(art: Art, picture: Picture, part: Part | Panel, *, from_behind: bool = False) -> tuple[Shape, ...]:
    """The picture's regions on its part, in the part's frame, kept in proportion inside their box and clipped to the part.

    ``from_behind`` lays it so that it reads right when the part's back is looked at, turned over from left to right. The same part
    gets the same shapes, so that whoever paints them can keep what was made of them.
    """
    key = (art, picture, part.outline.tobytes(), tuple(h.tobytes() for h in part.holes), from_behind)
    if key not in _DRAWN:
        if len(_DRAWN) > 400:
            _DRAWN.clear()
        _DRAWN[key] = _draw_art(art, picture, part, from_behind=from_behind)
    return _DRAWN[key]


def _draw_art(art: Art, picture: Picture, part: Part | Panel, *, from_behind: bool) -> tuple[Shape, ...]:
    low, high = part.outline.min(axis=0), part.outline.max(axis=0)
    size = high - low
    left, bottom = low + size * (art.left, art.bottom)
    right, top = low + size * (art.right, art.top)
    turn = math.radians(art.turn)
    cos, sin = round(math.cos(turn)), round(math.sin(turn))
    width, height = (picture.width, picture.height) if cos else (picture.height, picture.width)
    scale = min((right - left) / width, (top - bottom) / height)
    middle, half = np.array([left + right, bottom + top]) / 2, np.array([picture.width, picture.height]) / 2

    def lay(xy: Array) -> Array:
        laid = (xy - half) * scale @ np.array([[cos, sin], [-sin, cos]]) + middle
        return np.column_stack([low[0] + high[0] - laid[:, 0], laid[:, 1]]) if from_behind else laid

    shapes = []
    for region, colour in picture.regions:
        clipped = shapely.intersection(shapely.transform(region, lay), part.region)
        rings = tuple(
            shapely.get_coordinates(ring)[:-1]
            for piece in shapely.get_parts(clipped)
            if piece.geom_type == "Polygon" and not piece.is_empty
            for ring in (piece.exterior, *piece.interiors)
        )
        if rings:
            shapes.append(Shape(rings, "", f"art:{colour}", part.id))
    return tuple(shapes)


def pictures_of(design: Design, assembly: Assembly, folder: Path | None) -> tuple[dict[str, tuple[Shape, ...]], tuple[str, ...]]:
    """The art on each part or panel, in their frames, and a sentence for each picture that could not be laid. That on the back of
    one is under its id with “:back” behind it."""
    shapes: dict[str, tuple[Shape, ...]] = {}
    faults = []
    for art in design.art:
        name, _, face = art.on.partition(":")
        part = assembly.by_id.get(name) or assembly.panels.get(name)
        if part is None or face not in ("", "back"):
            faults.append(f"the picture {art.source} is meant for {art.on}, which is not on this card")
            continue
        try:
            shapes[art.on] = shapes.get(art.on, ()) + draw_art(art, load_picture(art.source, folder), part, from_behind=face == "back")
        except FileError as error:
            faults.append(str(error))
    return shapes, tuple(faults)
