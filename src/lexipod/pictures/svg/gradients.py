"""Colours, and gradients as flat bands of them."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any
from xml.etree.ElementTree import Element

import numpy as np
import shapely

from lexipod.geometry.frames import Array
from lexipod.pictures.svg.elements import number, tag_of
from lexipod.pictures.svg.outlines import matrix_of, put
from lexipod.pictures.svg.styles import Reading, Style, properties

BANDS = 20
"""So many flat bands stand for a gradient."""


def colour_of(text: str, style: Style, opacity: float) -> str:
    """The colour as ``#rrggbb``, with two more digits where one sees through it; empty for none."""
    import svgelements

    name = style.colour if text.strip().lower() == "currentcolor" else text
    made = svgelements.Color(name)
    if made.value is None:
        return ""
    alpha = round(255 * max(0.0, min(1.0, made.alpha / 255 * opacity)))
    return "" if alpha == 0 else f"#{made.red:02x}{made.green:02x}{made.blue:02x}" + ("" if alpha == 255 else f"{alpha:02x}")


def _gradient(reading: Reading, target: Element) -> tuple[dict[str, str], list[tuple[float, str]]]:
    """What a gradient says, with what it takes over from another one, and its stops (share, colour)."""
    said: dict[str, str] = {}
    stops: list[Element] = []
    at: Element | None = target
    for _ in range(8):
        if at is None:
            break
        said = {k.rpartition("}")[2]: v for k, v in at.attrib.items()} | said
        stops = stops or [e for e in at if tag_of(e) == "stop"]
        link = next((v for k, v in at.attrib.items() if k.rpartition("}")[2] == "href"), "")
        at = reading.ids.get(link[1:]) if link.startswith("#") else None
    out = []
    for stop in stops:
        own = properties(reading, stop)
        share = max(0.0, min(1.0, number(own.get("offset"), 0.0, whole=1.0)))
        style = Style(colour=own.get("color", "black"))
        out.append((share, colour_of(own.get("stop-color", "black"), style, number(own.get("stop-opacity"), 1.0, whole=1.0)) or "#00000000"))
    return said, sorted(out, key=lambda s: s[0])


def _mixed(stops: list[tuple[float, str]], share: float, opacity: float) -> str:
    """The colour of a gradient at a share of its way."""

    def channels(colour: str) -> Array:
        digits = colour[1:] + ("ff" if len(colour) == 7 else "")
        return np.array([int(digits[k : k + 2], 16) for k in (0, 2, 4, 6)], dtype=float)

    at = np.array([s for s, _ in stops])
    mixed = [float(np.interp(share, at, [channels(c)[k] for _, c in stops])) for k in range(4)]
    red, green, blue, alpha = (round(v) for v in (*mixed[:3], mixed[3] * opacity))
    return "" if alpha <= 0 else f"#{red:02x}{green:02x}{blue:02x}" + ("" if alpha >= 255 else f"{alpha:02x}")


def bands(reading: Reading, target: Element, local: Any, style: Style, opacity: float) -> Iterator[tuple[Any, str]]:
    """A region cut into flat bands along a gradient, in its own user units."""
    said, stops = _gradient(reading, target)
    if not stops:
        return
    left, bottom, right, top = local.bounds
    by_box = said.get("gradientUnits", "objectBoundingBox") == "objectBoundingBox"
    frame = np.array([[right - left, 0, left], [0, top - bottom, bottom], [0, 0, 1.0]]) if by_box else np.eye(3)
    frame = frame @ matrix_of(said.get("gradientTransform", ""))
    whole = (1.0, 1.0) if by_box else reading.box
    if said.get("spreadMethod", "pad") != "pad":
        reading.tell("a gradient that repeats goes once")
    if abs(float(np.linalg.det(frame))) < 1e-12 or len(stops) == 1:
        yield local, _mixed(stops, 1.0, opacity)
        return
    unit = shapely.transform(local, lambda xy: put(np.asarray(np.linalg.inv(frame), dtype=float), xy))
    edges = np.linspace(0.0, 1.0, BANDS + 1)

    def n(name: str, usual: str, k: int) -> float:
        return number(said.get(name, usual), whole=whole[k])

    if tag_of(target) == "linearGradient":
        a, b = np.array([n("x1", "0%", 0), n("y1", "0%", 1)]), np.array([n("x2", "100%", 0), n("y2", "0%", 1)])
        way = b - a
        if float(way @ way) < 1e-18:
            yield local, _mixed(stops, 1.0, opacity)
            return
        far = float(np.abs(shapely.bounds(unit)).max() + np.abs(a).max() + np.linalg.norm(way)) * 4 + 1
        across = np.array([-way[1], way[0]]) / np.linalg.norm(way) * far
        along = way / np.linalg.norm(way) * far
        for k in range(BANDS):
            first = a + way * edges[k] if k else a - along
            last = a + way * edges[k + 1] if k < BANDS - 1 else b + along
            strip = shapely.Polygon([first - across, last - across, last + across, first + across])
            yield _back(shapely.intersection(unit, strip), frame), _mixed(stops, float(edges[k] + edges[k + 1]) / 2, opacity)
        return
    centre, radius = (n("cx", "50%", 0), n("cy", "50%", 1)), n("r", "50%", 0)
    if said.get("fx", said.get("cx")) != said.get("cx") or said.get("fy", said.get("cy")) != said.get("cy"):
        reading.tell("a gradient round a point beside its middle goes round the middle")
    inner = shapely.Polygon()
    for k in range(BANDS):
        disc = shapely.Point(centre).buffer(radius * float(edges[k + 1]), quad_segs=24)
        ring = unit.difference(inner) if k == BANDS - 1 else shapely.intersection(unit, disc.difference(inner))
        yield _back(ring, frame), _mixed(stops, float(edges[k] + edges[k + 1]) / 2, opacity)
        inner = disc


def _back(region: Any, frame: Array) -> Any:
    return shapely.transform(region, lambda xy: put(frame, xy))
