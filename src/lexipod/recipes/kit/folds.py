"""Collecting the panels, creases and sheets of a mechanism that folds."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import shapely

from lexipod.assembly import Drive
from lexipod.assembly.blanks import Allowance, Blank, Crease, Fold
from lexipod.assembly.folding import FlatState, Folding, FoldJoint, Stage
from lexipod.assembly.panels import Panel
from lexipod.errors import ParameterError
from lexipod.geometry.frames import Array
from lexipod.geometry.shapes import join_regions, scraps_of, split_region
from lexipod.geometry.space import planar_frame
from lexipod.recipes.kit.parameters import Site

Point = tuple[float, float]
Line = tuple[Point, Point]
Runs = Literal["crisp", "free"]


def scores_on(crease: Crease, region: Any) -> list[Crease]:
    """The parts of a crease that lie on its sheet: a window interrupts it."""
    line = shapely.LineString([crease.start, crease.end])
    parts = [p for p in shapely.get_parts(shapely.intersection(line, region)) if p.geom_type == "LineString" and p.length > 0.1]
    if len(parts) <= 1:
        return [crease]
    parts.sort(key=lambda p: line.project(shapely.Point(p.coords[0])))
    ends = [sorted((p.coords[0], p.coords[-1]), key=lambda q: line.project(shapely.Point(q))) for p in parts]
    return [replace(crease, start=a, end=b, name=f"{crease.name}{chr(97 + k)}") for k, (a, b) in enumerate(ends)]


@dataclass(slots=True)
class Folds:
    """Panels, joints and sheets of one mechanism, from ``paper`` (the card's own where none is named). Regions are Shapely geometries
    in the frame of their sheet."""

    site: Site
    mechanism: str
    paper: str = ""
    panels: list[Panel] = field(default_factory=list)
    joints: list[FoldJoint] = field(default_factory=list)
    creases: dict[str, list[Crease]] = field(default_factory=dict)
    sheets: list[Blank] = field(default_factory=list)

    def panel(self, name: str, label: str, region: Any, sheet: str, **more: Any) -> Panel:
        """A panel of a sheet; names become ids of this mechanism, except for the card's own panels."""
        outline, holes = split_region(region)
        prefix = "" if name.startswith("card.") else f"{self.mechanism}."
        usual = self.site.stock.id if prefix == "" or not self.paper else self.paper
        stock, plies = more.pop("stock", usual), more.pop("plies", 1)
        made = Panel(
            f"{prefix}{name}",
            label,
            "card" if name.startswith("card.") else self.mechanism,
            sheet if sheet.startswith("card.") else f"{self.mechanism}.{sheet}",
            outline,
            stock,
            self.site.catalog.stocks[stock].caliper_mm * plies,
            holes,
            plies,
            **more,
        )
        self.panels.append(made)
        return made

    def crease(self, name: str, a: Panel, b: Panel, line: Line, fold: Fold, *, runs: Runs = "crisp", order: int = 1) -> FoldJoint:
        """A crease between two panels of one sheet; ``a`` hangs on ``b``."""
        self.score(name, a, b, line, fold, runs=runs, order=order)
        start, end = _left_of(line, a.region)
        at = ((*start, 0.0), (*end, 0.0))
        return self._join(FoldJoint(f"{self.mechanism}.{name}", "hinge", a.id, b.id, at, at))

    def hinge(self, name: str, a: Panel, b: Panel, in_a: Line, in_b: Line) -> FoldJoint:
        """Panel ``a`` hinged to a panel of another sheet (a taped edge, or a crease whose other side is glued down); ``in_a`` and
        ``in_b`` are the same two points in both sheets, ``a`` on their left."""
        at_a, at_b = (((*line[0], 0.0), (*line[1], 0.0)) for line in (in_a, in_b))
        return self._join(FoldJoint(f"{self.mechanism}.{name}", "hinge", a.id, b.id, at_a, at_b))

    def glue(self, a: Panel, b: Panel, place: Array | None = None) -> FoldJoint:
        """Panel ``a`` stuck on ``b``; ``place`` is where the frame of its sheet lies in that of ``b``."""
        where = planar_frame(0.0, 0.0, 0.0) if place is None else place
        return self._join(FoldJoint(f"{a.id}-glued", "fixed", a.id, b.id, place=where))

    def slide(self, name: str, a: Panel, b: Panel, along: tuple[float, float, float], place: Array | None = None) -> FoldJoint:
        """Panel ``a`` moves straight on ``b``."""
        where = planar_frame(0.0, 0.0, 0.0) if place is None else place
        return self._join(FoldJoint(f"{self.mechanism}.{name}", "slide", a.id, b.id, place=where, along=along))

    def closing_crease(self, name: str, a: Panel, b: Panel, line: Line, fold: Fold, *, runs: Runs = "crisp", order: int = 1) -> FoldJoint:
        """A crease of one sheet that closes a loop."""
        self.score(name, a, b, line, fold, runs=runs, order=order)
        at = ((*line[0], 0.0), (*line[1], 0.0))
        return self._join(FoldJoint(f"{self.mechanism}.{name}", "hinge", a.id, b.id, at, at, closes=True))

    def closing_hinge(self, name: str, a: Panel, b: Panel, in_a: Line, in_b: Line) -> FoldJoint:
        """A hinge between two sheets that closes a loop."""
        at_a, at_b = (((*line[0], 0.0), (*line[1], 0.0)) for line in (in_a, in_b))
        return self._join(FoldJoint(f"{self.mechanism}.{name}", "hinge", a.id, b.id, at_a, at_b, closes=True))

    def closing_glue(self, name: str, a: Panel, b: Panel, place: Array) -> FoldJoint:
        """A flap whose glueing closes a loop."""
        return self._join(FoldJoint(f"{self.mechanism}.{name}", "fixed", a.id, b.id, place=place, closes=True))

    def parallel(self, name: str, a: Panel, b: Panel) -> FoldJoint:
        """The planes of two panels stay parallel."""
        return self._join(FoldJoint(f"{self.mechanism}.{name}", "parallel", a.id, b.id, closes=True))

    def touches(self, name: str, a: Panel, b: Panel, point: Point) -> FoldJoint:
        """A point of one panel lies on the other."""
        return self._join(FoldJoint(f"{self.mechanism}.{name}", "touch", a.id, b.id, point=(*point, 0.0), closes=True))

    def _join(self, joint: FoldJoint) -> FoldJoint:
        self.joints.append(joint)
        return joint

    def score(self, name: str, a: Panel, b: Panel, line: Line, fold: Fold, *, runs: Runs = "crisp", order: int = 1) -> None:
        """A score between two panels of one sheet that is no hinge of its own. ``ParameterError`` where the measures leave no paper for it."""
        if not all(math.isfinite(v) for point in line for v in point):
            raise ParameterError(self.mechanism, f"these measures leave no paper for the fold between {a.name} and {b.name}")
        self.creases.setdefault(a.sheet, []).append(Crease(name, line[0], line[1], fold, (b.id, a.id), runs, order))

    def sheet(
        self,
        name: str,
        label: str,
        region: Any = None,
        *,
        allowances: Iterable[Allowance] = (),
        quantity: int = 1,
        grain: str = "",
        note: str = "",
        stock: str | None = None,
        plies: int = 1,
        guides: Iterable[tuple[Any, str]] = (),
        panels: Iterable[Panel] | None = None,
        creases: Iterable[Crease] = (),
    ) -> Blank:
        """The sheet that panels of this name are cut from: their union where no region is given."""
        own = f"{self.mechanism}.{name}"
        mine = [p for p in self.panels if p.sheet == own] if panels is None else list(panels)
        whole = join_regions([p.region for p in mine]) if region is None else region
        outline, holes = split_region(shapely.simplify(whole, 1e-7))
        apart = scraps_of(whole)
        whole = shapely.buffer(whole, 1e-6)
        made = Blank(
            own,
            label,
            stock or (mine[0].stock if mine else self.paper or self.site.stock.id),
            outline,
            tuple(p.id for p in mine),
            holes,
            tuple(part for crease in (*self.creases.get(own, ()), *creases) for part in scores_on(crease, whole)),
            tuple(allowances),
            plies,
            quantity,
            grain,
            note,
            tuple((split_region(zone)[0], what) for zone, what in guides if not zone.is_empty),
            apart=apart,
        )
        self.sheets.append(made)
        return made

    def folding(
        self,
        kind: Literal["card", "face", "inside"],
        ground: Panel,
        drive: Drive,
        stages: tuple[Stage, ...],
        states: tuple[FlatState, ...],
        **more: Any,
    ) -> Folding:
        """All of it together."""
        return Folding(
            self.mechanism,
            kind,
            tuple(self.panels),
            tuple(self.joints),
            stages,
            drive,
            tuple(self.sheets),
            states,
            ground.id,
            **more,
        )


def box(left: float, bottom: float, right: float, top: float) -> Any:
    """An upright rectangle."""
    return shapely.box(left, bottom, right, top)


def _left_of(line: Line, region: Any) -> Line:
    """The line directed so that the region lies on its left."""
    (x0, y0), (x1, y1) = line
    x, y = shapely.get_coordinates(region.representative_point())[0]
    on_left = (x1 - x0) * (y - y0) - (y1 - y0) * (x - x0) > 0
    return line if on_left else (line[1], line[0])


@dataclass(frozen=True, slots=True)
class Spread:
    """The open card seen from inside: the gutter is x = 0, the back page lies to the right of it, the front page to the left, and y
    runs along the gutter. ``back_mm`` and ``front_mm`` are the pages across the gutter (makers cut the front narrower), ``gutter_mm`` is
    along it."""

    back_mm: float
    front_mm: float
    gutter_mm: float
    ground_pose: Array

    @property
    def page_mm(self) -> float:
        """What both pages have room for."""
        return min(self.back_mm, self.front_mm)

    @classmethod
    def of(cls, site: Site) -> Spread:
        """The spread of a card that is folded at the left or at the top."""
        card = site.card
        if card.fold == "top":
            return cls(card.height_mm, card.height_mm - card.front_less_mm, card.width_mm, planar_frame(0.0, card.height_mm, -math.pi / 2))
        return cls(card.width_mm, card.width_mm - card.front_less_mm, card.height_mm, planar_frame(0.0, 0.0, 0.0))

    def on_front(self, region: Any) -> Any:
        """A region of the front page, as seen from inside the open card, on the closed card's front."""
        closed = shapely.transform(region, lambda xy: xy * (-1.0, 1.0))
        pose = self.ground_pose
        return shapely.transform(closed, lambda xy: xy @ pose[:2, :2].T + pose[:2, 3])


def add_pages(folds: Folds, spread: Spread, *, hole: Any = None) -> tuple[Panel, Panel]:
    """Back and front page of the card, hinged at the gutter; ``hole`` is cut out of the front page (as seen from inside)."""
    v = spread.gutter_mm
    back = folds.panel("card.back", "back page", box(0, 0, spread.back_mm, v), "card.sheet", base=True, faces=("card", "card"))
    page = box(-spread.front_mm, 0, 0, v)
    front = folds.panel(
        "card.front", "front page", page if hole is None else shapely.difference(page, hole), "card.sheet", base=True, faces=("card", "card")
    )
    at = ((0.0, 0.0, 0.0), (0.0, v, 0.0))
    folds.joints.append(FoldJoint("card.fold", "hinge", front.id, back.id, at, at))
    return back, front


def page_drive(mechanism: str, opening_deg: float) -> Drive:
    """The reader opens the card from shut to ``opening_deg``."""
    return Drive(mechanism, "card.fold", "card.front", "open", 0.0, opening_deg, opening_deg / 2, by="page")


def add_face(folds: Folds) -> Panel:
    """The front of the card, on which the mechanism stands."""
    card = folds.site.card
    return folds.panel("card.front", "card front", box(0, 0, card.width_mm, card.height_mm), "card.sheet", base=True, faces=("card", "card"))


def add_inner_card(
    folds: Folds, spread: Spread, border_mm: float, pages: tuple[Panel, Panel], cut: tuple[Any, Any], *, hole: Any = None
) -> tuple[Panel, Panel]:
    """An inner card glued into the pages, less the regions ``cut`` that pop out of it; ``hole`` goes through its front page."""
    v, (back, front) = spread.gutter_mm, pages
    right_mm, w = spread.back_mm - border_mm, spread.front_mm - border_mm
    right = folds.panel("inner-back", "inner card, back", shapely.difference(box(0, 0, right_mm, v), cut[0]), "inner", faces=("mat", "paper"))
    left_region = shapely.difference(box(-w, 0, 0, v), cut[1] if hole is None else shapely.union(cut[1], hole))
    left = folds.panel("inner-front", "inner card, front", left_region, "inner", faces=("mat", "paper"))
    folds.glue(right, back)
    folds.glue(left, front)
    spine = shapely.difference(shapely.LineString([(0, 0), (0, v)]), shapely.union(*cut))
    for k, piece in enumerate(p for p in shapely.get_parts(spine) if p.length > 1e-6):
        (x0, y0), (x1, y1) = piece.coords[0], piece.coords[-1]
        folds.creases.setdefault(left.sheet, []).append(Crease(f"gutter-{k + 1}", (x0, y0), (x1, y1), "valley", (right.id, left.id)))
    return right, left


def inner_sheet(spread: Spread, border_mm: float) -> Any:
    """The inner card laid open."""
    return box(border_mm - spread.front_mm, 0, spread.back_mm - border_mm, spread.gutter_mm)


def inside_order(folds: Folds, top: tuple[str, ...]) -> tuple[str, ...]:
    """Panels from back to front in the open spread: pages, inner card, then ``top``."""
    return (*(p.id for p in folds.panels if p.id not in top), *top)


__all__ = ["Folds", "Spread", "add_face", "add_inner_card", "add_pages", "box", "inner_sheet", "inside_order", "page_drive", "scores_on"]
