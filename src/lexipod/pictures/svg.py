"""SVG as artists make it, read into flat regions: fills and strokes, groups, copies, transforms, clip paths, gradients as bands, text.

What cannot be shown is told, item by item. Nothing outside the file is looked up.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Any
from xml.etree.ElementTree import Element, ParseError

import defusedxml.ElementTree as safe_xml
import numpy as np
import shapely
from defusedxml.common import DefusedXmlException

from lexipod.errors import FileError, LexipodError
from lexipod.geometry.frames import Array
from lexipod.pictures.picture import Picture
from lexipod.pictures.winding import region_of_rings

MOST_ELEMENTS = 20_000
DEEPEST = 60
MOST_CORNERS = 1_000_000
BANDS = 20
"""So many flat bands stand for a gradient."""
FINE = 1 / 2000
"""A curve leaves its chords by at most this share of the picture's size."""
PX = {"": 1.0, "px": 1.0, "mm": 96 / 25.4, "cm": 960 / 25.4, "in": 96.0, "pt": 96 / 72, "pc": 16.0, "q": 24 / 25.4}
"""CSS pixels to a unit: 96 to the inch (CSS Values and Units)."""
SILENT = {"defs", "title", "desc", "metadata", "style", "symbol", "clipPath", "linearGradient", "radialGradient", "namedview"}
SHAPES = {"path", "rect", "circle", "ellipse", "line", "polyline", "polygon"}
FAULTS = (ValueError, TypeError, AttributeError, RecursionError, ZeroDivisionError, OverflowError, IndexError)
_NUMBER = re.compile(r"[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?")
_LENGTH = re.compile(r"\s*([+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)\s*([a-zA-Z]*)\s*")


@dataclass(frozen=True)
class Style:
    """What children take from their parents, and what an element does with it."""

    fill: str = "black"
    stroke: str = "none"
    stroke_width: float = 1.0
    cap: str = "butt"
    join: str = "miter"
    miter: float = 4.0
    rule: str = "nonzero"
    colour: str = "black"
    fill_opacity: float = 1.0
    stroke_opacity: float = 1.0
    opacity: float = 1.0
    font_size: float = 16.0
    anchor: str = "start"
    is_bold: bool = False
    is_hidden: bool = False


@dataclass
class Reading:
    """What is known while one file is read."""

    source: str
    ids: dict[str, Element]
    rules: list[tuple[str, dict[str, str]]]
    fine: float = 0.1
    box: tuple[float, float] = (1.0, 1.0)
    regions: list[tuple[Any, str]] = field(default_factory=list)
    told: dict[str, int] = field(default_factory=dict)
    seen: int = 0
    corners: int = 0

    def tell(self, what: str) -> None:
        """One thing that cannot be shown."""
        self.told[what] = self.told.get(what, 0) + 1


@lru_cache(maxsize=64)
def read_svg(text: str, source: str) -> Picture:
    """The picture in SVG text; ``FileError`` for what is none, is hostile, or too intricate."""
    if text.count("<") > 3 * MOST_ELEMENTS:  # counted before anything is read: a million elements take seconds
        raise FileError(source, f"is too intricate for a card (at most {MOST_ELEMENTS} elements, {DEEPEST} deep)")
    try:
        root = safe_xml.fromstring(text, forbid_dtd=True)
    except (ParseError, DefusedXmlException, RecursionError, ValueError) as error:
        raise FileError(source, f"is not a safe SVG ({type(error).__name__})") from error
    if _tag(root) != "svg":
        raise FileError(source, "is not an SVG")
    ids = {e.get("id", ""): e for e in root.iter() if e.get("id")}
    count, depth = _size(root, ids)
    if count > MOST_ELEMENTS or depth > DEEPEST:
        raise FileError(source, f"is too intricate for a card (at most {MOST_ELEMENTS} elements, {DEEPEST} deep)")
    try:
        width, height, matrix = _viewport(root, source)
        reading = Reading(source, ids, _css(root))
        reading.fine, reading.box = max(width, height) * FINE, (width, height)
        flip = np.array([[1.0, 0.0, 0.0], [0.0, -1.0, height], [0.0, 0.0, 1.0]])
        for child in root:
            _walk(reading, child, flip @ matrix, _styled(reading, root, Style()), shapely.box(0, 0, width, height), 0)
    except FileError:
        raise
    except (*FAULTS, shapely.errors.GEOSException) as error:
        raise FileError(source, f"cannot be read as a picture ({error})") from error
    told = tuple(f"{what} ({n} times)" if n > 1 else what for what, n in sorted(reading.told.items()))
    return Picture(width, height, tuple(reading.regions), told=told)


def _tag(element: Element) -> str:
    return str(element.tag).rpartition("}")[2]


def _size(root: Element, ids: Mapping[str, Element]) -> tuple[int, int]:
    """How many elements there are with all linked copies, and how deep they lie; counted no further than is allowed."""
    level, count, depth = [root], 0, 0
    while level and count <= MOST_ELEMENTS and depth <= DEEPEST:
        count, depth = count + len(level), depth + 1
        level = [child for element in level for child in (*element, *_target(element, ids))]
    return count, depth


def _target(element: Element, ids: Mapping[str, Element]) -> tuple[Element, ...]:
    """What a linked copy (``use``) shows, if it is in the same file."""
    if not isinstance(element.tag, str) or _tag(element) != "use":
        return ()
    link = next((v for k, v in element.attrib.items() if k.rpartition("}")[2] == "href"), "")
    found = ids.get(link[1:]) if link.startswith("#") else None
    return () if found is None else (found,)


def _number(text: str | None, usual: float = 0.0, *, whole: float = 0.0) -> float:
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


def _viewport(root: Element, source: str) -> tuple[float, float, Array]:
    """Width and height in pixels, and the matrix from user units to them."""
    numbers = [float(n) for n in _NUMBER.findall(root.get("viewBox", ""))]
    width, height = _number(root.get("width"), 0.0), _number(root.get("height"), 0.0)
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


def _css(root: Element) -> list[tuple[str, dict[str, str]]]:
    """The plain rules of style sheets in the file: ``.name``, ``#name`` and ``tag``."""
    rules = []
    for sheet in (e for e in root.iter() if _tag(e) == "style"):
        for names, body in re.findall(r"([^{}]+)\{([^{}]*)\}", re.sub(r"/\*.*?\*/", "", sheet.text or "", flags=re.DOTALL)):
            rules += [(name.strip(), _declarations(body)) for name in names.split(",")]
    return rules


def _declarations(text: str) -> dict[str, str]:
    pairs = (part.partition(":") for part in text.split(";") if ":" in part)
    return {name.strip(): value.strip().removesuffix("!important").strip() for name, _, value in pairs}


def _properties(reading: Reading, element: Element) -> dict[str, str]:
    """What is said of an element: its attributes, over them the style sheets, over them its own style."""
    out = {str(k).rpartition("}")[2]: v for k, v in element.attrib.items()}
    classes = {f".{c}" for c in out.get("class", "").split()}
    for name, values in reading.rules:
        if name in classes or name in (f"#{out.get('id', '')}", _tag(element)):
            out |= values
    return out | _declarations(out.get("style", ""))


def _styled(reading: Reading, element: Element, style: Style) -> Style:
    """The style of an element, from that of its parent."""
    said = _properties(reading, element)

    def share(name: str, usual: float) -> float:
        text = said.get(name, "")
        return max(0.0, min(1.0, _number(text, usual, whole=1.0))) if text else usual

    colour = said.get("color", style.colour)
    size = _number(said.get("font-size"), style.font_size, whole=style.font_size)
    for name in ("filter", "mask"):
        if said.get(name, "none") != "none":
            reading.tell(f"a {name} is left out")
    if any(said.get(n, "none") != "none" for n in ("marker-start", "marker-mid", "marker-end")):
        reading.tell("a marker is left out")
    if said.get("stroke-dasharray", "none") not in ("none", ""):
        reading.tell("a dashed line is drawn whole")
    return replace(
        style,
        fill=said.get("fill", style.fill),
        stroke=said.get("stroke", style.stroke),
        stroke_width=_number(said.get("stroke-width"), style.stroke_width, whole=max(reading.box)),
        cap=said.get("stroke-linecap", style.cap),
        join=said.get("stroke-linejoin", style.join),
        miter=_number(said.get("stroke-miterlimit"), style.miter),
        rule=said.get("fill-rule", style.rule),
        colour=colour,
        fill_opacity=share("fill-opacity", style.fill_opacity),
        stroke_opacity=share("stroke-opacity", style.stroke_opacity),
        opacity=style.opacity * share("opacity", 1.0),
        font_size=size,
        anchor=said.get("text-anchor", style.anchor),
        is_bold=said.get("font-weight", "bold" if style.is_bold else "") in ("bold", "bolder", "600", "700", "800", "900"),
        is_hidden=said.get("display") == "none" or said.get("visibility", "hidden" if style.is_hidden else "") in ("hidden", "collapse"),
    )


def _walk(reading: Reading, element: Element, matrix: Array, style: Style, clip: Any, depth: int) -> None:
    """One element and what it holds."""
    reading.seen += 1
    if reading.seen > MOST_ELEMENTS or depth > DEEPEST:
        raise FileError(reading.source, f"is too intricate for a card (at most {MOST_ELEMENTS} elements, {DEEPEST} deep)")
    if not isinstance(element.tag, str):
        return
    tag = _tag(element)
    if tag in SILENT:
        return
    style = _styled(reading, element, style)
    if style.is_hidden:
        return
    matrix = matrix @ matrix_of(element.get("transform", ""))
    clip = _clipped(reading, element, matrix, clip)
    if tag in ("g", "a", "svg", "switch"):
        if tag == "svg":
            matrix = matrix @ _inner_viewport(element, reading)
        for child in element:
            _walk(reading, child, matrix, style, clip, depth + 1)
    elif tag == "use":
        _walk_copy(reading, element, matrix, style, clip, depth)
    elif tag in SHAPES:
        _paint(reading, _rings_of(element, tag, matrix, reading), matrix, style, clip)
    elif tag == "text":
        _write(reading, element, matrix, style, clip)
    elif tag == "image":
        reading.tell("a photograph inside the picture is left out")
    else:
        reading.tell(f"<{tag}> is left out")


def _inner_viewport(element: Element, reading: Reading) -> Array:
    move = np.array([[1.0, 0.0, _number(element.get("x"))], [0.0, 1.0, _number(element.get("y"))], [0.0, 0.0, 1.0]])
    if not element.get("viewBox"):
        return move
    _, _, matrix = _viewport(element, reading.source)
    inner: Array = move @ matrix
    return inner


def _walk_copy(reading: Reading, element: Element, matrix: Array, style: Style, clip: Any, depth: int) -> None:
    """A linked copy (``use``) of something in the same file."""
    target = next(iter(_target(element, reading.ids)), None)
    if target is None:
        reading.tell("a copy of something outside the file is left out")
        return
    move = np.array([[1.0, 0.0, _number(element.get("x"))], [0.0, 1.0, _number(element.get("y"))], [0.0, 0.0, 1.0]])
    if _tag(target) == "symbol":
        inner = _viewport_of_symbol(target, element)
        style = _styled(reading, target, style)
        for child in target:
            _walk(reading, child, matrix @ move @ inner, style, clip, depth + 2)
        return
    _walk(reading, target, matrix @ move, style, clip, depth + 2)


def _viewport_of_symbol(target: Element, element: Element) -> Array:
    numbers = [float(n) for n in _NUMBER.findall(target.get("viewBox", ""))]
    if len(numbers) != 4 or numbers[2] <= 0 or numbers[3] <= 0:
        return np.eye(3)
    wide, high = _number(element.get("width"), numbers[2]), _number(element.get("height"), numbers[3])
    scale = min(wide / numbers[2], high / numbers[3])
    return np.array([[scale, 0.0, -numbers[0] * scale], [0.0, scale, -numbers[1] * scale], [0.0, 0.0, 1.0]])


def matrix_of(text: str) -> Array:
    """The matrix of a transform attribute.

    >>> matrix_of("translate(3 4) scale(2)") @ [1, 1, 1]
    array([5., 6., 1.])
    """
    out = np.eye(3)
    for name, inside in re.findall(r"(matrix|translate|scale|rotate|skewX|skewY)\s*\(([^)]*)\)", text):
        n = [float(v) for v in _NUMBER.findall(inside)]
        if not all(math.isfinite(v) for v in n):
            raise ValueError(f"{text} is no transform")
        if name == "matrix":
            step = np.array([[n[0], n[2], n[4]], [n[1], n[3], n[5]], [0, 0, 1]])
        elif name == "translate":
            step = np.array([[1, 0, n[0]], [0, 1, n[1] if len(n) > 1 else 0.0], [0, 0, 1]])
        elif name == "scale":
            step = np.diag([n[0], n[1] if len(n) > 1 else n[0], 1.0])
        elif name == "rotate":
            cos, sin = math.cos(math.radians(n[0])), math.sin(math.radians(n[0]))
            step = np.array([[cos, -sin, 0], [sin, cos, 0], [0, 0, 1.0]])
            if len(n) == 3:
                there = np.array([[1, 0, n[1]], [0, 1, n[2]], [0, 0, 1.0]])
                back = np.array([[1, 0, -n[1]], [0, 1, -n[2]], [0, 0, 1.0]])
                step = there @ step @ back
        else:
            tan = math.tan(math.radians(n[0]))
            step = np.array([[1, tan, 0], [0, 1, 0], [0, 0, 1.0]]) if name == "skewX" else np.array([[1, 0, 0], [tan, 1, 0], [0, 0, 1.0]])
        out = out @ step
    return out


def _scale_of(matrix: Array) -> float:
    return math.sqrt(abs(float(np.linalg.det(matrix[:2, :2])))) or 1e-9


def _put(matrix: Array, points: Array) -> Array:
    put: Array = points @ matrix[:2, :2].T + matrix[:2, 2]
    return put


def _rings_of(element: Element, tag: str, matrix: Array, reading: Reading) -> list[tuple[Array, bool]]:
    """The outlines of a shape in its own user units, and whether each is closed."""
    wide, high = reading.box

    def n(name: str, usual: float = 0.0, whole: float = wide) -> float:
        return _number(element.get(name), usual, whole=whole)

    fine = reading.fine / _scale_of(matrix)
    if tag == "path":
        return list(path_rings(element.get("d", ""), fine))
    if tag == "rect":
        x, y, w, h = n("x"), n("y", whole=high), n("width"), n("height", whole=high)
        rx, ry = n("rx", -1.0), n("ry", -1.0)
        rx, ry = (ry if rx < 0 else rx), (rx if ry < 0 else ry)
        if w <= 0 or h <= 0:
            return []
        if rx <= 0 or ry <= 0:
            return [(np.array([[x, y], [x + w, y], [x + w, y + h], [x, y + h]]), True)]
        rx, ry = min(rx, w / 2), min(ry, h / 2)
        d = (
            f"M{x + rx} {y}H{x + w - rx}A{rx} {ry} 0 0 1 {x + w} {y + ry}V{y + h - ry}A{rx} {ry} 0 0 1 {x + w - rx} {y + h}"
            f"H{x + rx}A{rx} {ry} 0 0 1 {x} {y + h - ry}V{y + ry}A{rx} {ry} 0 0 1 {x + rx} {y}Z"
        )
        return list(path_rings(d, fine))
    if tag in ("circle", "ellipse"):
        rx, ry = (n("r"), n("r")) if tag == "circle" else (n("rx"), n("ry", whole=high))
        if rx <= 0 or ry <= 0:
            return []
        turn = np.linspace(0, 2 * math.pi, _arc_steps(max(rx, ry), 2 * math.pi, fine) + 1)[:-1]
        return [(np.column_stack([n("cx") + rx * np.cos(turn), n("cy", whole=high) + ry * np.sin(turn)]), True)]
    if tag == "line":
        return [(np.array([[n("x1"), n("y1", whole=high)], [n("x2"), n("y2", whole=high)]]), False)]
    points = np.array([float(v) for v in _NUMBER.findall(element.get("points", ""))])
    points = points[: len(points) // 2 * 2].reshape(-1, 2)
    return [(points, tag == "polygon")] if len(points) >= 2 else []


def _arc_steps(radius: float, angle: float, fine: float) -> int:
    largest = 2 * math.acos(max(-1.0, 1 - min(1.0, fine / max(radius, 1e-12)))) or 0.1
    return max(4, min(720, math.ceil(abs(angle) / largest)))


def path_rings(d: str, fine: float) -> Iterator[tuple[Array, bool]]:
    """The pieces of a path as chords, and whether each is closed."""
    import svgelements

    points: list[Array] = []
    is_closed = False
    for segment in svgelements.Path(d):
        kind = type(segment).__name__
        if kind == "Move":
            if len(points) > 1:
                yield np.array(points), is_closed
            points, is_closed = [], False
        if kind == "Close":
            is_closed = True
            if len(points) > 1:
                yield np.array(points), True
            points = [np.array([float(segment.end.x), float(segment.end.y)])] if segment.end is not None else []
            continue
        if kind in ("Move", "Line"):
            if segment.end is not None:
                points.append(np.array([float(segment.end.x), float(segment.end.y)]))
            continue
        points += list(_curve(segment, kind, fine))
    if len(points) > 1:
        yield np.array(points), False


def _curve(segment: Any, kind: str, fine: float) -> Array:
    """Points along a curved segment, without its start."""
    if kind == "Arc":
        steps = _arc_steps(max(abs(float(segment.rx)), abs(float(segment.ry))), abs(float(segment.sweep)), fine)
        return np.asarray(segment.npoint(np.arange(1, steps + 1) / steps), dtype=float)
    names = ("start", "control", "end") if kind == "QuadraticBezier" else ("start", "control1", "control2", "end")
    p = np.array([[float(getattr(segment, n).x), float(getattr(segment, n).y)] for n in names])
    bend = np.abs(np.diff(p, n=2, axis=0)).max()
    steps = max(2, min(64, math.ceil(math.sqrt(float(bend) / max(fine, 1e-12)))))
    t = (np.arange(1, steps + 1) / steps)[:, None]
    if len(p) == 3:
        return np.asarray((1 - t) ** 2 * p[0] + 2 * (1 - t) * t * p[1] + t**2 * p[2])
    return np.asarray((1 - t) ** 3 * p[0] + 3 * (1 - t) ** 2 * t * p[1] + 3 * (1 - t) * t**2 * p[2] + t**3 * p[3])


def _paint(reading: Reading, rings: list[tuple[Array, bool]], matrix: Array, style: Style, clip: Any) -> None:
    """Fill and stroke of a shape."""
    reading.corners += sum(len(r) for r, _ in rings)
    if reading.corners > MOST_CORNERS:
        raise FileError(reading.source, f"is too intricate for a card (more than {MOST_CORNERS} corners)")
    rings = [(r, closed) for r, closed in rings if np.isfinite(r).all()]
    if style.fill != "none":
        local = region_of_rings([r for r, _ in rings], even_odd=style.rule == "evenodd")
        _fill(reading, local, matrix, style.fill, style.opacity * style.fill_opacity, style, clip)
    if style.stroke not in ("none", "") and style.stroke_width > 0:
        caps = {"butt": "flat", "round": "round", "square": "square"}.get(style.cap, "flat")
        joins: Any = {"miter": "mitre", "round": "round", "bevel": "bevel"}.get(style.join, "mitre")
        lines = [shapely.LinearRing(r) if closed and len(r) >= 3 else shapely.LineString(r) for r, closed in rings if len(r) >= 2]
        wide = [
            line.buffer(style.stroke_width / 2, cap_style=caps, join_style=joins, mitre_limit=max(1.0, style.miter), quad_segs=12) for line in lines
        ]
        local = shapely.union_all(wide) if wide else shapely.Polygon()
        _fill(reading, local, matrix, style.stroke, style.opacity * style.stroke_opacity, style, clip)


def _fill(reading: Reading, local: Any, matrix: Array, paint: str, opacity: float, style: Style, clip: Any) -> None:
    """A region of user units in its colour, or in the bands of a gradient."""
    if local.is_empty or opacity <= 0:
        return
    link = re.match(r"url\(\s*['\"]?#([^)'\"]+)['\"]?\s*\)\s*(.*)", paint)
    if link is None:
        _add(reading, _moved(local, matrix), _colour(paint, style, opacity), clip)
        return
    target = reading.ids.get(link[1])
    if target is None or _tag(target) not in ("linearGradient", "radialGradient"):
        reading.tell(f"a {'pattern' if target is not None else 'missing paint'} is left out")
        if link[2] and link[2] != "none":
            _add(reading, _moved(local, matrix), _colour(link[2], style, opacity), clip)
        return
    for band, colour in _bands(reading, target, local, style, opacity):
        _add(reading, _moved(band, matrix), colour, clip)


def _moved(region: Any, matrix: Array) -> Any:
    return shapely.transform(region, lambda xy: _put(matrix, xy))


def _add(reading: Reading, region: Any, colour: str, clip: Any) -> None:
    if not region.is_valid:
        region = shapely.make_valid(region)
    kept = region if clip.contains(region) else shapely.intersection(region, clip)
    if colour and not kept.is_empty and kept.area > 0:
        reading.regions.append((kept, colour))


def _colour(text: str, style: Style, opacity: float) -> str:
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
        stops = stops or [e for e in at if _tag(e) == "stop"]
        link = next((v for k, v in at.attrib.items() if k.rpartition("}")[2] == "href"), "")
        at = reading.ids.get(link[1:]) if link.startswith("#") else None
    out = []
    for stop in stops:
        own = _properties(reading, stop)
        share = max(0.0, min(1.0, _number(own.get("offset"), 0.0, whole=1.0)))
        style = Style(colour=own.get("color", "black"))
        out.append((share, _colour(own.get("stop-color", "black"), style, _number(own.get("stop-opacity"), 1.0, whole=1.0)) or "#00000000"))
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


def _bands(reading: Reading, target: Element, local: Any, style: Style, opacity: float) -> Iterator[tuple[Any, str]]:
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
    unit = shapely.transform(local, lambda xy: _put(np.asarray(np.linalg.inv(frame), dtype=float), xy))
    edges = np.linspace(0.0, 1.0, BANDS + 1)

    def n(name: str, usual: str, k: int) -> float:
        return _number(said.get(name, usual), whole=whole[k])

    if _tag(target) == "linearGradient":
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
    return shapely.transform(region, lambda xy: _put(frame, xy))


def _clipped(reading: Reading, element: Element, matrix: Array, clip: Any) -> Any:
    """What is left of the clip inside an element that has one of its own."""
    said = _properties(reading, element).get("clip-path", "none")
    link = re.match(r"url\(\s*['\"]?#([^)'\"]+)['\"]?\s*\)", said)
    target = reading.ids.get(link[1]) if link else None
    if target is None or _tag(target) != "clipPath":
        return clip
    if target.get("clipPathUnits", "userSpaceOnUse") != "userSpaceOnUse":
        reading.tell("a clip in shares of a box is left out")
        return clip
    inner = matrix @ matrix_of(target.get("transform", ""))
    kept = []
    for child in target:
        tag = _tag(child)
        own = inner
        if tag == "use":
            link_to = next((v for k, v in child.attrib.items() if k.rpartition("}")[2] == "href"), "")
            move = np.array([[1.0, 0.0, _number(child.get("x"))], [0.0, 1.0, _number(child.get("y"))], [0.0, 0.0, 1.0]])
            own = inner @ matrix_of(child.get("transform", "")) @ move
            child = reading.ids.get(link_to[1:], child)
            tag = _tag(child)
        if tag not in SHAPES:
            reading.tell(f"<{tag}> in a clip is left out")
            continue
        own = own @ matrix_of(child.get("transform", ""))
        rule = _properties(reading, child).get("clip-rule", "nonzero")
        kept.append(_moved(region_of_rings([r for r, _ in _rings_of(child, tag, own, reading)], even_odd=rule == "evenodd"), own))
    return shapely.intersection(clip, shapely.make_valid(shapely.union_all(kept))) if kept else shapely.Polygon()


def _write(reading: Reading, element: Element, matrix: Array, style: Style, clip: Any) -> None:
    """Text, set in the program's own letters."""
    from lexipod.pictures.fonts import find_font
    from lexipod.pictures.lettering import shape_line

    reading.tell("text is set in the program's own letters")
    face = find_font("sans-bold" if style.is_bold else "sans")
    x, y = _number((element.get("x") or "0").split()[0]), _number((element.get("y") or "0").split()[0])
    for piece, said, said_style in _spans(reading, element, style):
        if "x" in said:
            x = _number(said["x"].split()[0])
        if "y" in said:
            y = _number(said["y"].split()[0])
        x, y = x + _number(said.get("dx")), y + _number(said.get("dy"))
        try:
            glyphs, _ = shape_line(face, piece)
        except LexipodError:
            continue
        scale = said_style.font_size / face.per_em
        width = sum(g.advance for g in glyphs) * scale
        at = x - {"middle": width / 2, "end": width}.get(said_style.anchor, 0.0)
        for glyph in glyphs:
            if not glyph.region.is_empty:
                move = np.array([[scale, 0, at + glyph.offset[0] * scale], [0, -scale, y - glyph.offset[1] * scale], [0, 0, 1.0]])
                local = shapely.transform(glyph.region, lambda xy, move=move: _put(move, xy))
                _fill(reading, local, matrix, said_style.fill, said_style.opacity * said_style.fill_opacity, said_style, clip)
            at += glyph.advance * scale
        x = at if said_style.anchor == "start" else x


def _spans(reading: Reading, element: Element, style: Style) -> Iterator[tuple[str, Mapping[str, str], Style]]:
    """The runs of a text with what is said of their place."""
    own = " ".join((element.text or "").split())
    if own:
        yield own, {}, style
    for child in element:
        if _tag(child) != "tspan":
            reading.tell(f"<{_tag(child)}> in a text is left out")
            continue
        inside = " ".join((child.text or "").split())
        if inside:
            yield inside, dict(child.attrib), _styled(reading, child, style)
        tail = " ".join((child.tail or "").split())
        if tail:
            yield tail, {}, style


__all__ = ["matrix_of", "path_rings", "read_svg"]
