"""SVG as artists make it, read into flat regions: fills and strokes, groups, copies, transforms, clip paths, gradients as bands, text.

What cannot be shown is told, item by item. Nothing outside the file is looked up.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from xml.etree.ElementTree import Element, ParseError

import defusedxml.ElementTree as safe_xml
import numpy as np
import shapely
from defusedxml.common import DefusedXmlException

from lexipod.errors import FileError
from lexipod.geometry.frames import Array
from lexipod.pictures.picture import Picture
from lexipod.pictures.svg.elements import NUMBER, copied, number, tag_of, viewport
from lexipod.pictures.svg.outlines import FINE, SHAPES, matrix_of, rings_of
from lexipod.pictures.svg.painting import clipped, paint
from lexipod.pictures.svg.styles import Reading, Style, css_rules, styled
from lexipod.pictures.svg.words import write

MOST_ELEMENTS = 20_000
DEEPEST = 60
SILENT = {"defs", "title", "desc", "metadata", "style", "symbol", "clipPath", "linearGradient", "radialGradient", "pattern", "namedview"}
FAULTS = (ValueError, TypeError, AttributeError, RecursionError, ZeroDivisionError, OverflowError, IndexError)


def read_svg(text: str, source: str) -> Picture:
    """The picture in SVG text; ``FileError`` for what is none, is hostile, or too intricate."""
    if text.count("<") > 3 * MOST_ELEMENTS:  # counted before anything is read: a million elements take seconds
        raise FileError(source, f"is too intricate for a card (at most {MOST_ELEMENTS} elements, {DEEPEST} deep)")
    try:
        root = safe_xml.fromstring(text, forbid_dtd=True)
    except (ParseError, DefusedXmlException, RecursionError, ValueError) as error:
        raise FileError(source, f"is not a safe SVG ({type(error).__name__})") from error
    if tag_of(root) != "svg":
        raise FileError(source, "is not an SVG")
    ids = {e.get("id", ""): e for e in root.iter() if e.get("id")}
    count, depth = _size(root, ids)
    if count > MOST_ELEMENTS or depth > DEEPEST:
        raise FileError(source, f"is too intricate for a card (at most {MOST_ELEMENTS} elements, {DEEPEST} deep)")
    try:
        width, height, matrix = viewport(root, source)
        reading = Reading(source, ids, css_rules(root), walk=_walk)
        reading.fine, reading.box = max(width, height) * FINE, (width, height)
        flip = np.array([[1.0, 0.0, 0.0], [0.0, -1.0, height], [0.0, 0.0, 1.0]])
        for child in root:
            _walk(reading, child, flip @ matrix, styled(reading, root, Style()), shapely.box(0, 0, width, height), 0)
    except FileError:
        raise
    except (*FAULTS, shapely.errors.GEOSException) as error:
        raise FileError(source, f"cannot be read as a picture ({error})") from error
    told = tuple(f"{what} ({n} times)" if n > 1 else what for what, n in sorted(reading.told.items()))
    return Picture(width, height, tuple(reading.regions), told=told)


def _size(root: Element, ids: Mapping[str, Element]) -> tuple[int, int]:
    """How many elements there are with all linked copies, and how deep they lie; counted no further than is allowed."""
    level, count, depth = [root], 0, 0
    while level and count <= MOST_ELEMENTS and depth <= DEEPEST:
        count, depth = count + len(level), depth + 1
        level = [child for element in level for child in (*element, *copied(element, ids))]
    return count, depth


def _walk(reading: Reading, element: Element, matrix: Array, style: Style, clip: Any, depth: int) -> None:
    """One element and what it holds."""
    reading.seen += 1
    if reading.seen > MOST_ELEMENTS or depth > DEEPEST:
        raise FileError(reading.source, f"is too intricate for a card (at most {MOST_ELEMENTS} elements, {DEEPEST} deep)")
    if not isinstance(element.tag, str):
        return
    tag = tag_of(element)
    if tag in SILENT:
        return
    style = styled(reading, element, style)
    if style.is_hidden:
        return
    matrix = matrix @ matrix_of(element.get("transform", ""))
    clip = clipped(reading, element, matrix, clip)
    if tag in ("g", "a", "svg", "switch"):
        if tag == "svg":
            matrix = matrix @ _inner_viewport(element, reading)
        for child in element:
            _walk(reading, child, matrix, style, clip, depth + 1)
    elif tag == "use":
        _walk_copy(reading, element, matrix, style, clip, depth)
    elif tag in SHAPES:
        paint(reading, rings_of(element, tag, matrix, reading), matrix, style, clip)
    elif tag == "text":
        write(reading, element, matrix, style, clip)
    elif tag == "image":
        reading.tell("a photograph inside the picture is left out")
    else:
        reading.tell(f"<{tag}> is left out")


def _inner_viewport(element: Element, reading: Reading) -> Array:
    move = np.array([[1.0, 0.0, number(element.get("x"))], [0.0, 1.0, number(element.get("y"))], [0.0, 0.0, 1.0]])
    if not element.get("viewBox"):
        return move
    _, _, matrix = viewport(element, reading.source)
    inner: Array = move @ matrix
    return inner


def _walk_copy(reading: Reading, element: Element, matrix: Array, style: Style, clip: Any, depth: int) -> None:
    """A linked copy (``use``) of something in the same file."""
    target = next(iter(copied(element, reading.ids)), None)
    if target is None:
        reading.tell("a copy of something outside the file is left out")
        return
    move = np.array([[1.0, 0.0, number(element.get("x"))], [0.0, 1.0, number(element.get("y"))], [0.0, 0.0, 1.0]])
    if tag_of(target) == "symbol":
        inner = _viewport_of_symbol(target, element)
        style = styled(reading, target, style)
        for child in target:
            _walk(reading, child, matrix @ move @ inner, style, clip, depth + 2)
        return
    _walk(reading, target, matrix @ move, style, clip, depth + 2)


def _viewport_of_symbol(target: Element, element: Element) -> Array:
    numbers = [float(n) for n in NUMBER.findall(target.get("viewBox", ""))]
    if len(numbers) != 4 or numbers[2] <= 0 or numbers[3] <= 0:
        return np.eye(3)
    wide, high = number(element.get("width"), numbers[2]), number(element.get("height"), numbers[3])
    scale = min(wide / numbers[2], high / numbers[3])
    return np.array([[scale, 0.0, -numbers[0] * scale], [0.0, scale, -numbers[1] * scale], [0.0, 0.0, 1.0]])
