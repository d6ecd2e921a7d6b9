"""The cut and score list: what to cut, from what, where to score, in the maker's own unit."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import shapely

from lexipod.assembly import Allowance, Assembly, Blank, Crease, Trim
from lexipod.blanks import Batch, Measure, Opening, find_batches, find_marks, find_openings, measure_blank, why_off_mark
from lexipod.blanks.grain import grain_side
from lexipod.catalog import Catalog, Punch, nearest_punch
from lexipod.catalog.punches import SAME_MM
from lexipod.closing.card import close_card
from lexipod.geometry.frames import Array
from lexipod.pictures.papers import is_paper

WHOLE_MM = 0.05
LEAST_PUNCHED_MM = 12.0
"""What is smaller is a hole for a fastener."""
ROUND_SHARE = 0.9
"""An opening that fills less of its box is round (a disc fills 0.785 of it)."""


@dataclass(frozen=True, slots=True)
class Score:
    """A score parallel to an edge: ``along`` “width” or “height”, ``at`` mm from the left (or the bottom). One that slants is
    ``along`` “slant”, its left end ``at``. ``start`` and ``end`` are its ends on the piece; ``is_whole`` when it goes all across.

    ``fold`` is mountain or valley as seen from the piece's front; a *free* one is worked until limp. ``order`` is the step at which
    it is folded.
    """

    along: str
    at_mm: float
    fold: str
    name: str = ""
    runs: str = "crisp"
    order: int = 1
    start: tuple[float, float] = (0.0, 0.0)
    end: tuple[float, float] = (0.0, 0.0)
    is_whole: bool = True


PIECE = "the piece itself"


@dataclass(frozen=True, slots=True)
class Punched:
    """What of a piece could be punched: its name and size, the punch that comes nearest, and the next one up (for a ring round it)."""

    name: str
    width_mm: float
    height_mm: float
    punch: Punch
    next_up: Punch | None

    @property
    def is_cut(self) -> bool:
        """Whether the punch cuts what is asked for."""
        return max(abs(self.punch.width_mm - self.width_mm), abs(self.punch.height_mm - self.height_mm)) <= SAME_MM


@dataclass(frozen=True, eq=False)
class CutRow:
    """One row of the list: blanks that are cut the same. ``measure`` is the box that is cut before openings and notches, or the
    diameters of what is round; ``outline`` and ``holes`` are its shape, ``parts`` what becomes of it once it is folded. ``why_off`` says why a
    measure of it is off the marks of the maker's ruler, empty where all are on marks; ``matters`` what it must fit then, empty where a hair more
    or less does no harm. ``laminated`` is “after” or “before” for what is cut in several plies, ``face`` the one that is worked on."""

    blank: str
    name: str
    stock: str
    stock_name: str
    measure: Measure
    plies: int
    quantity: int
    scores: tuple[Score, ...] = ()
    openings: tuple[Opening, ...] = ()
    note: str = ""
    grain: str = ""
    allowances: tuple[Allowance, ...] = ()
    slits_mm: tuple[float, ...] = ()
    trims: tuple[Trim, ...] = ()
    blanks: tuple[str, ...] = ()
    parts: tuple[str, ...] = ()
    outline: Array | None = None
    holes: tuple[Array, ...] = ()
    why_off: str = ""
    punched: tuple[Punched, ...] = ()
    papers: tuple[str, ...] = ()
    laminated: str = ""
    matters: str = ""
    face: str = "front"
    grain_side: str = ""

    @property
    def width_mm(self) -> float:
        return self.measure.width_mm

    @property
    def height_mm(self) -> float:
        return self.measure.height_mm


def cut_list(assembly: Assembly, catalog: Catalog, laminating: str = "after") -> tuple[CutRow, ...]:
    """A row for each kind of blank, in the order of :func:`find_batches`, and one for each kind of brad and weight."""
    rows = [_row(batch, assembly, catalog, laminating) for batch in find_batches(assembly)]
    bought = [p for p in assembly.parts if p.role == "fastener" and p.quantity and p.stock in catalog.brads]
    for brad in dict.fromkeys(p.stock for p in bought):
        names = [p.name for p in bought if p.stock == brad]
        size = catalog.brads[brad].head_mm
        note = "for " + ", ".join(names)
        rows.append(CutRow(f"brads.{brad}", "brads", brad, catalog.brads[brad].name, Measure(size, size, size), 1, len(names), note=note))
    for part in (p for p in assembly.parts if p.bought and p.quantity and p.stock in catalog.weights):
        weight = catalog.weights[part.stock]
        size, note = weight.diameter_mm, f"{weight.thickness_mm:g} mm thick, for the {part.name}"
        rows.append(CutRow(f"weights.{part.id}", part.name, weight.id, weight.name, Measure(size, size, size), 1, part.quantity, note=note))
    closing = close_card(assembly)
    if closing is not None and closing.magnets:
        across, thick = closing.magnet_mm
        note = f"{thick:g} mm thick, in pairs: one on each page at the same height"
        round_mm = Measure(across, across, across)
        rows.append(CutRow("card.magnets", "magnets", "magnet", f"disc magnet {across:g} mm", round_mm, 1, 2 * len(closing.magnets), note=note))
    return tuple(rows)


def _row(batch: Batch, assembly: Assembly, catalog: Catalog, laminating: str) -> CutRow:
    blank = batch.blank
    openings, measure = find_openings(blank, assembly), measure_blank(blank)
    stock = catalog.stocks.get(blank.stock)
    has_grain = stock is not None and stock.grain != "none"
    return CutRow(
        blank.id,
        batch.name,
        blank.stock,
        catalog.stocks[blank.stock].name if blank.stock in catalog.stocks else catalog.foams[blank.stock].name,
        measure,
        blank.plies,
        batch.quantity,
        tuple(sorted((_score(c, blank.size_mm) for c in blank.creases), key=lambda s: (s.along, s.at_mm))),
        openings,
        blank.note,
        blank.grain if has_grain else "",
        blank.allowances,
        tuple(round(float(shapely.LineString(slit).length), 4) for slit in blank.slits),
        blank.trims,
        batch.ids,
        batch.panels,
        blank.outline,
        blank.holes,
        why_off_mark(blank, assembly),
        tuple(_punched(openings, measure, catalog)),
        tuple(dict.fromkeys(_papers(batch.panels, assembly))),
        laminating if blank.plies > 1 and blank.stock in catalog.stocks else "",
        what_it_fits(batch.panels, assembly),
        _worked_face(blank, assembly),
        grain_side(blank) if has_grain else "",
    )


def what_it_fits(panels: tuple[str, ...], assembly: Assembly) -> str:
    """What a piece must fit, so that a hair matters: what it runs in, or what runs in it; empty for what is only looked at."""
    for joint in assembly.joints:
        if joint.kind in ("slot", "slide", "pass") and (joint.a in panels or joint.b in panels):
            return assembly.part_name(joint.b if joint.a in panels else joint.a)
    for folding in assembly.foldings:
        for hinge in folding.joints:
            if hinge.kind in ("slide", "edge") and (hinge.a in panels or hinge.b in panels):
                return folding.by_id[hinge.b if hinge.a in panels else hinge.a].name
    return ""


def _worked_face(blank: Blank, assembly: Assembly) -> str:
    """The face of a piece that is marked or printed on: “front”, “back” or “both”."""
    behind = any(m.kind == "glue" and m.face == "back" for m in find_marks(blank, assembly))
    behind = behind or any(item.is_ink and item.on in blank.panels and item.face == "back" for item in assembly.items)
    before = any(m.face == "front" for m in find_marks(blank, assembly)) or bool(blank.creases)
    before = before or any(item.is_ink and item.on in blank.panels and item.face == "front" for item in assembly.items)
    return ("both" if before else "back") if behind else "front"


def _papers(panels: tuple[str, ...], assembly: Assembly) -> Iterator[str]:
    """The patterned papers that pieces are cut from, each by the name of its file."""
    for item in assembly.items:
        carrier = assembly.carriers.get(item.on)
        if item.on in panels and carrier is not None and is_paper(item, carrier.outline):
            yield item.title


def punched_sizes(openings: tuple[Opening, ...], measure: Measure) -> Iterator[tuple[str, float, float, bool]]:
    """Name, width and height (mm) of what could be punched, and whether it is round: the windows, and a piece that is round itself."""
    for opening in openings:
        if opening.kind != "window" or min(opening.width_mm, opening.height_mm) < LEAST_PUNCHED_MM:
            continue
        area = shapely.Polygon(opening.outline).area if len(opening.outline) > 2 else 0.0
        yield opening.name, opening.width_mm, opening.height_mm, area < ROUND_SHARE * opening.width_mm * opening.height_mm
    if measure.diameter_mm is not None and measure.diameter_mm >= LEAST_PUNCHED_MM:
        yield PIECE, measure.diameter_mm, measure.diameter_mm, True


def _punched(openings: tuple[Opening, ...], measure: Measure, catalog: Catalog) -> Iterator[Punched]:
    """The punches that come nearest to what could be punched."""
    for name, width, height, is_round in punched_sizes(openings, measure):
        best, larger = nearest_punch(catalog.punches, width, height, is_round=is_round)
        if best is not None:
            yield Punched(name, width, height, best, larger)


def _score(crease: Crease, size: tuple[float, float]) -> Score:
    (x0, y0), (x1, y1) = crease.start, crease.end
    named = (crease.fold, crease.name, crease.runs, crease.order, crease.start, crease.end)
    if abs(x1 - x0) < 1e-9:
        return Score("width", x0, *named, abs(y1 - y0) > size[1] - WHOLE_MM)
    if abs(y1 - y0) < 1e-9:
        return Score("height", y0, *named, abs(x1 - x0) > size[0] - WHOLE_MM)
    return Score("slant", min(x0, x1), *named, False)
