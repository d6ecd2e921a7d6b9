"""The sheets that all mechanisms of a card share: the panel that carries them and the frame in front of them.

Each recipe says what it asks of them; what is built is large enough, and high enough on its foam, for all.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import shapely

from lexipod.assembly import Joint, Part
from lexipod.catalog import Catalog
from lexipod.geometry.shapes import rectangle, scraps_of, split_region
from lexipod.recipes.kit.levels import BEHIND, FRAME, MID, NEAR, PANEL, UNDER, others

FOAM_WIDTH_MM = 6.0
FOAM_INSET_MM = 1.0
LEAST_FOAM_MM2 = 12.0
LEAST_STRIP_MM = 4.0
PAD_LONG_MM = 10.0
PAD_EVERY_MM = 32.0
FoamStyle = Literal["strips", "pads", "sheet"]


@dataclass(frozen=True, eq=False)
class Sheet:
    """What one mechanism asks of the ``panel`` or the ``frame``: its region in the card's frame, foam under it (no layers: glued
    flat), and where that foam may not lie (``clear``)."""

    name: Literal["panel", "frame"]
    region: Any
    foam: str = "foam-2"
    layers: int = 0
    clear: tuple[Any, ...] = ()


@dataclass(frozen=True, slots=True)
class Stand:
    """Heights (mm over the card's back) on which all mechanisms agree."""

    card_mm: float
    caliper_mm: float
    panel_foam_mm: float | None
    frame_foam_mm: float | None

    @property
    def under_mm(self) -> float:
        """The front of the card itself."""
        return self.card_mm

    @property
    def floor_mm(self) -> float:
        """The front of the panel, or of the card where there is none."""
        return self.card_mm if self.panel_foam_mm is None else self.card_mm + self.panel_foam_mm + self.caliper_mm

    @property
    def frame_mm(self) -> float:
        """The underside of the frame (of where it would lie, without one)."""
        return self.floor_mm + (self.frame_foam_mm or 0.0)

    @property
    def face_mm(self) -> float:
        """The front of the frame, or of the floor where there is none."""
        return self.floor_mm if self.frame_foam_mm is None else self.frame_mm + self.caliper_mm

    @property
    def floor(self) -> str:
        """The part that mechanisms stand on."""
        return "card.front" if self.panel_foam_mm is None else "card.panel"


def agree(sheets: Iterable[Sheet], catalog: Catalog, *, card_mm: float, caliper_mm: float) -> Stand:
    """The heights that are enough for all."""
    heights: dict[str, float] = {}
    for sheet in sheets:
        tall = sheet.layers * catalog.foams[sheet.foam].thickness_mm
        heights[sheet.name] = max(tall, heights.get(sheet.name, 0.0))
    return Stand(card_mm, caliper_mm, heights.get("panel"), heights.get("frame"))


def build_sheets(
    sheets: Sequence[Sheet],
    stand: Stand,
    catalog: Catalog,
    stock: str,
    openings: dict[str, list[Any]],
    style: FoamStyle = "strips",
    grid_mm: float = 0.5,
) -> tuple[list[Part], list[Joint]]:
    """Panel and frame with their openings, and foam along their edges wherever it may lie."""
    parts: list[Part] = []
    joints: list[Joint] = []
    for name, level, z, under in (("panel", PANEL, stand.under_mm, "card.front"), ("frame", FRAME, stand.floor_mm, stand.floor)):
        asked = [s for s in sheets if s.name == name]
        if not asked:
            continue
        tall = (stand.panel_foam_mm if name == "panel" else stand.frame_foam_mm) or 0.0
        region = shapely.unary_union([s.region for s in asked])
        cut = shapely.unary_union(openings.get(f"card.{name}", []))
        whole = shapely.difference(region, cut)
        if whole.is_empty:  # nothing would be left of it: it stays whole, and what lies past its edge is told
            whole = region
        outline, holes = split_region(whole)
        label, face = ("mat" if tall <= 0 else "panel", "mat") if name == "panel" else ("frame", "frame")
        part = Part(
            f"card.{name}",
            label,
            "card",
            "base" if name == "panel" else "cover",
            level,
            stock,
            stand.caliper_mm,
            z + tall,
            outline,
            (0.0, 0.0, 0.0),
            holes=holes,
            face=face,
            scraps=scraps_of(whole),
        )
        parts.append(part)
        joints.append(Joint(f"card.{name}-glued", "fixed", part.id, under))
        if tall > 0:
            thickest = max(asked, key=lambda s: (s.layers * catalog.foams[s.foam].thickness_mm, s.foam))
            through = (BEHIND, NEAR) if name == "panel" else others(MID)
            for k, strip in enumerate(_foam(region, whole, cut, [c for s in asked for c in s.clear], style, grid_mm)):
                x, y, _, _ = strip.bounds
                rim, gaps = split_region(strip)
                foam = Part(
                    f"card.{name}-foam-{k + 1}",
                    f"foam {k + 1} under the {label}",
                    "card",
                    "spacer",
                    UNDER if name == "panel" else MID,
                    thickest.foam,
                    tall,
                    z,
                    rim - (x, y),
                    (float(x), float(y), 0.0),
                    holes=tuple(g - (x, y) for g in gaps),
                    plies=thickest.layers,
                    through=through,
                    face="foam",
                )
                parts.append(foam)
                joints.append(Joint(f"{foam.id}-glued", "fixed", foam.id, under))
    return parts, joints


def _foam(region: Any, whole: Any, cut: Any, clear: list[Any], style: FoamStyle, grid_mm: float) -> list[Any]:
    """Foam under a sheet, less what must stay clear: strips along its outer edge, pads there, or one sheet cut to shape. Scraps are left
    out."""
    inner = region.buffer(-FOAM_INSET_MM, join_style="mitre")
    ring = (
        inner
        if style == "sheet"
        else shapely.difference(inner, inner.buffer(-max(FOAM_WIDTH_MM, round(FOAM_WIDTH_MM / grid_mm) * grid_mm), join_style="mitre"))
    )
    free = shapely.difference(ring, shapely.unary_union([*clear, cut.buffer(FOAM_INSET_MM)] if not cut.is_empty else clear))
    opened = free.buffer(-1.0, join_style="mitre").buffer(1.0, join_style="mitre")
    if style == "pads":
        opened = shapely.intersection(opened, _pad_places(inner, opened))
    if style == "strips":
        opened = shapely.GeometryCollection(_straight(inner, free, grid_mm))
    strips = [p for p in shapely.get_parts(opened) if p.geom_type == "Polygon" and p.area >= LEAST_FOAM_MM2]
    return sorted(strips, key=lambda p: (round(p.bounds[0], 3), round(p.bounds[1], 3)))


def _straight(inner: Any, free: Any, grid_mm: float) -> list[Any]:
    """Straight strips of foam along the four sides of a sheet: of the whole width wherever that is free, of a smaller one where only that
    is. The two along the longer sides go all the way."""
    x0, y0, x1, y1 = inner.bounds
    widths = [max(grid_mm, round(share * FOAM_WIDTH_MM / grid_mm) * grid_mm) for share in (1.0, 0.75, 0.5)]
    w = min(widths[0], (x1 - x0) / 2, (y1 - y0) / 2)
    dx, dy = (0.0, w) if x1 - x0 >= y1 - y0 else (w, 0.0)
    found: list[Any] = []
    for axis, low, high, edge in (
        (0, x0 + dx, x1 - dx, (y0, 1.0)),
        (0, x0 + dx, x1 - dx, (y1, -1.0)),
        (1, y0 + dy, y1 - dy, (x0, 1.0)),
        (1, y0 + dy, y1 - dy, (x1, -1.0)),
    ):
        stretches = [(low, high)]
        for width in (min(w, width) for width in widths):
            stretches = _fill(free, axis, stretches, sorted((edge[0], edge[0] + edge[1] * width)), found, grid_mm)
    return found


def _fill(
    free: Any, axis: int, stretches: list[tuple[float, float]], across: list[float], found: list[Any], grid_mm: float
) -> list[tuple[float, float]]:
    """Puts strips into ``found`` wherever the stretches of one side are free over the whole width; what is left of them."""

    def strip(start: float, end: float) -> Any:
        return shapely.box(start, across[0], end, across[1]) if axis == 0 else shapely.box(across[0], start, across[1], end)

    left: list[tuple[float, float]] = []
    for low, high in stretches:
        blocked = [p for p in shapely.get_parts(shapely.difference(strip(low, high), free)) if p.area > 0.01]
        at = low
        for start, end in (*sorted((p.bounds[axis], p.bounds[axis + 2]) for p in blocked), (high, high)):
            if start - at >= LEAST_STRIP_MM:
                rest = (start - at - sized(start - at, grid_mm)) / 2  # at both ends, so that a turned card has the same
                found.append(strip(at + rest, start - rest))
            else:
                start = at
            if end > start:
                joins = bool(left) and abs(left[-1][1] - start) < 1e-9
                left[-1:] = [(left[-1][0], end)] if joins else [*left[-1:], (start, end)]
            at = max(at, end)
    return left


def _pad_places(inner: Any, free: Any) -> Any:
    """Squares at even distances along every stretch of the sheet's edge that is free, one at each of its ends."""
    edge = inner.buffer(-FOAM_WIDTH_MM / 2, join_style="mitre").boundary
    half, places = PAD_LONG_MM / 2, []
    for stretch in shapely.get_parts(shapely.line_merge(shapely.intersection(edge, free.buffer(0.01)))):
        if stretch.length < PAD_LONG_MM / 2:
            continue
        count = max(2, math.ceil(max(0.0, stretch.length - PAD_LONG_MM) / PAD_EVERY_MM) + 1)
        spots = np.linspace(min(half, stretch.length / 2), max(stretch.length - half, stretch.length / 2), count)
        places += [stretch.interpolate(s).buffer(half, cap_style="square") for s in spots]
    return shapely.unary_union(places)


def bordered(width_mm: float, height_mm: float, border_mm: float, grid_mm: float = 0.0, *, border_y_mm: float | None = None) -> Any:
    """The card's outline less a border all round, or less another one at top and bottom (``border_y_mm``); never smaller than a millimetre.
    With ``grid_mm`` its measures lie on the marks of the maker's ruler: where they would not, the border is a little wider."""
    borders = (border_mm, border_mm if border_y_mm is None else border_y_mm)
    x, y = ((size - sized(size - 2 * max(0.0, min(b, size / 2 - 1)), grid_mm)) / 2 for size, b in zip((width_mm, height_mm), borders, strict=True))
    return shapely.Polygon(rectangle(x, y, width_mm - x, height_mm - y))


def sized(length_mm: float, grid_mm: float) -> float:
    """The length, or the next smaller mark of the ruler where one is given; at least one mark.

    >>> round(sized(101.0, 25.4 / 16), 4), sized(101.3, 0.5), sized(7.25, 0.0)
    (100.0125, 101.0, 7.25)
    """
    return max(grid_mm, math.floor(length_mm / grid_mm + 1e-6) * grid_mm) if grid_mm else length_mm
