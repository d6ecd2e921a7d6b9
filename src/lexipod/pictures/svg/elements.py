"""The elements of an SVG file: their names, links, lengths and viewports."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from xml.etree.ElementTree import Element

import numpy as np

from lexipod.errors import FileError
from lexipod.geometry.frames import Array

PX = {"": 1.0, "px": 1.0, "mm": 96 / 25.4, "cm": 960 / 25.4, "in": 96.0, "pt": 96 / 72, "pc": 16.0, "q": 24 / 25.4}
"""CSS pixels to a unit: 96 to the inch (CSS Values and Units)."""
NUMBER = re.compile(r"[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?")
_LENGTH = re.compile(r"\s*([+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)\s*([a-zA-Z]*)\s*")


def tag_of(element: Element) -> str:
    """The element's name without its namespace."""
    return str(element.tag).rpartition("}")[2]


def copied(element: Element, ids: Mapping[str, Element]) -> tuple[Element, ...]:
    """What a linked copy (``use``) shows, if it is in the same file."""
    if not isinstance(element.tag, str) or tag_of(element) != "use":
        return ()
    link = next((v for k, v in element.attrib.items() if k.rpartition("}")[2] == "href"), "")
    found = ids.get(link[1:]) if link.startswith("#") else None
    return () if found is None else (found,)


def number(text: str | None, usual: float = 0.0, *, whole: float = 0.0) -> float:
    """A length in user units; a percentage is of the ``whole``."""
    match = _LENGTH.fullmatch((text or "").replace("%", "pct"))
    if match is None:
        return usual
    unit = match[2].lower()
    scale = whole / 100 if unit == "pct" else PX.get(unit, 1.0)
    value = float(match[1]) * scale
    if not math.isfinite(value):
        raise ValueError(f"{text} is no length")
    return value


def viewport(root: Element, source: str) -> tuple[float, float, Array]:
    """Width and height in pixels, and the matrix from user units to them."""
    numbers = [float(n) for n in NUMBER.findall(root.get("viewBox", ""))]
    width, height = number(root.get("width"), 0.0), number(root.get("height"), 0.0)
    if len(numbers) != 4:
        if width <= 0 or height <= 0:
            raise FileError(source, "a picture needs a viewBox, or a width and a height, so that its size is known")
        numbers = [0.0, 0.0, width, height]
    left, top, wide, high = numbers
    if not (0 < wide < math.inf and 0 < high < math.inf):
        raise FileError(source, "a picture needs a viewBox, so that its size is known")
    if "%" in root.get("width", "") or width <= 0:
        width = wide if height <= 0 else height * wide / high
    if "%" in root.get("height", "") or height <= 0:
        height = width * high / wide
    if not (0 < width < math.inf and 0 < height < math.inf):
        raise FileError(source, "a picture needs a viewBox, so that its size is known")
    sx, sy = width / wide, height / high
    if root.get("preserveAspectRatio", "") != "none":
        scale = min(sx, sy)
        dx, dy = (width - wide * scale) / 2, (height - high * scale) / 2
        return width, height, np.array([[scale, 0.0, dx - left * scale], [0.0, scale, dy - top * scale], [0.0, 0.0, 1.0]])
    return width, height, np.array([[sx, 0.0, -left * sx], [0.0, sy, -top * sy], [0.0, 0.0, 1.0]])
