"""The ways out: every format that can be written, in one table that the command line, its help and the window read."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path
from typing import Literal

from lexipod.assembly import Assembly
from lexipod.building import build_assembly
from lexipod.catalog import Catalog, Size
from lexipod.checks import Examination
from lexipod.checks.examination import COARSE_STEPS
from lexipod.design import Design
from lexipod.drawing import Drawing, Shape, draw_card, draw_standing
from lexipod.drawing.art import pictures_of
from lexipod.errors import ChoiceError, LexipodError, ParameterError
from lexipod.fabricate.cutlist import CutRow, cut_list
from lexipod.fabricate.cutlist_files import cut_list_csv
from lexipod.fabricate.cutlist_pages import list_pages
from lexipod.fabricate.guides import draw_guides, guide_sheets, side_by_side
from lexipod.fabricate.reading import draw_read, draw_travel, strip_of
from lexipod.fabricate.sheet_drawing import draw_sheets
from lexipod.fabricate.sheeting import Sheets, lay_sheets
from lexipod.fabricate.templates import Layout, check_print, draw_pieces, draw_template_pages, sheet_pages
from lexipod.units import UnitStyle

What = Literal["pieces", "card", "strip", "guides", "sheets", "list", "check"]
STILLS = 5
"""So many still frames make a strip."""


@dataclass(frozen=True, slots=True)
class Moving:
    """How a card is shown as it is handled: which mechanism (empty: the first), how many frames one way, their width in pixels, the seconds
    one way takes, whether it comes back, and ``at`` which travels a still picture shows it."""

    mechanism: str = ""
    frames: int = 30
    width_px: int = 800
    seconds: float = 1.6
    there_and_back: bool = True
    at: tuple[tuple[str, float], ...] = ()

    def __post_init__(self) -> None:
        for name, value, low, high in (
            ("frames", self.frames, 2, 240),
            ("width", self.width_px, 40, 4000),
            ("seconds", self.seconds, 0.2, 60),
        ):
            if not low <= value <= high:
                raise ParameterError(name, f"{value:g} is out of range; allowed is {low:g} to {high:g}")


@dataclass(frozen=True, slots=True)
class Cutting:
    """How pieces are shown that are cut: which ``face`` of the sheets (empty: both on
    pages, the front alone in one drawing), ``only`` which blanks, a ``trial`` in plain paper, which ``number`` of the
    sheets (0: all), the resolution of a picture, the version of a DXF file."""

    face: Literal["", "both", "front", "back"] = ""
    only: tuple[str, ...] = ()
    trial: bool = False
    number: int = 0
    dpi: float = 0.0
    dxf: Literal["R2000", "R12"] = "R2000"

    def __post_init__(self) -> None:
        if self.dpi and not 30 <= self.dpi <= 2400:
            raise ParameterError("dpi", f"{self.dpi:g} is out of range; allowed is 30 to 2400")


@dataclass(frozen=True, eq=False)
class Wanted:
    """What is to be written: a design with the folder its pictures lie in, the unit, the paper of templates and how pieces lie on it
    (``sheet`` an id or name, the unit's usual paper where it is empty), and ``what`` of it: its pieces, or the card as it is seen."""

    design: Design
    catalog: Catalog
    folder: Path | None = None
    style: UnitStyle = field(default_factory=UnitStyle)
    sheet: str = ""
    layout: Layout = "combined"
    what: What = "pieces"
    moving: Moving = field(default_factory=Moving)
    cutting: Cutting = field(default_factory=Cutting)
    tell: Callable[[float], None] = lambda _: None

    @cached_property
    def examination(self) -> Examination:
        """The card, ready to be moved."""
        return Examination(self.assembly, self.catalog, self.design.ways, steps=COARSE_STEPS)

    @cached_property
    def art(self) -> dict[str, tuple[Shape, ...]]:
        """What is drawn on its parts."""
        return pictures_of(self.design, self.assembly, self.folder)[0]

    @cached_property
    def assembly(self) -> Assembly:
        """The design, built."""
        return build_assembly(self.design, self.catalog)

    @property
    def paper(self) -> Size:
        """The paper of the templates; ``ChoiceError`` lists what there is."""
        return self.catalog.sheets[self.catalog.find_id("sheets", self.sheet or ("letter" if self.design.ways.units == "in" else "a4"))]

    @cached_property
    def sheets(self) -> Sheets:
        """The sheets of the batch, or the one that is asked for; a sentence where there is no such sheet."""
        laid = lay_sheets(self.assembly, self.catalog, self.design, only=self.cutting.only, trial=self.cutting.trial)
        if not self.cutting.number:
            return laid
        if self.cutting.number > len(laid.sheets):
            raise ParameterError("--number", f"there are {len(laid.sheets)} sheets")
        return replace(laid, sheets=laid.sheets[self.cutting.number - 1 : self.cutting.number])

    def sheet_drawings(self, usual_face: str) -> tuple[Drawing, ...]:
        """The sheets at true size; with both faces each is followed by its back where something is marked there."""
        face, trial = self.cutting.face or usual_face, self.cutting.trial
        found = draw_sheets(self.sheets, self.assembly, self.catalog, self.style, face=face, trial=trial)
        if not found:
            raise LexipodError("there is no sheet: no piece of the card fits on one")
        return found

    @property
    def drawing(self) -> Drawing:
        """All pieces on one sheet, the laid sheets side by side, or the card as it is seen with its pictures."""
        if self.what == "check":
            return check_print(self.paper)
        if self.what == "sheets":
            laid = self.sheet_drawings("front")
            return laid[0] if len(laid) == 1 else side_by_side(laid)
        if self.what == "pieces" and self.cutting.only:
            return draw_pieces(self.assembly, self.catalog, self.style, title=self.design.title, blanks=self.cutting.only)
        if self.what == "pieces":
            return draw_pieces(self.assembly, self.catalog, self.style, title=self.design.title)
        if self.what == "strip":
            rows = draw_travel(self.examination, self.art, mechanism=self.moving.mechanism, frames=STILLS, there_and_back=False)
            return strip_of(rows)
        if self.moving.at:
            return draw_read(self.examination, self.art, dict(self.moving.at))
        return draw_standing(self.assembly, self.art) if self.assembly.foldings else draw_card(self.assembly, {}, art=self.art, hidden=False)


@dataclass(frozen=True, slots=True)
class Export:
    """One format: the ``ending`` of its files, its ``title``, ``what`` it can show (its usual one first), and what writes it."""

    ending: str
    title: str
    what: tuple[What, ...]
    write: Callable[[Wanted], bytes]


def _rows(wanted: Wanted) -> tuple[CutRow, ...]:
    return cut_list(wanted.assembly, wanted.catalog, wanted.design.ways.laminating)


def _write_csv(wanted: Wanted) -> bytes:
    return cut_list_csv(_rows(wanted), wanted.style, scores_from=wanted.design.ways.scores_from).encode("utf-8")


def _write_pdf(wanted: Wanted) -> bytes:
    from lexipod.drawing.writers import write_pdf

    title = wanted.design.title
    if wanted.what in ("card", "strip"):
        return write_pdf([wanted.drawing], title=title)
    if wanted.what == "guides":
        return write_pdf(_guides(wanted, draw_guides(wanted.examination, title=title, paper=wanted.paper, folder=wanted.folder)), title=title)
    if wanted.what == "check":
        return write_pdf([wanted.drawing], title="Check print")  # as the printer prints it: nothing is corrected
    if wanted.what == "list":
        return write_pdf(
            list_pages(_rows(wanted), wanted.style, title=title, paper=wanted.paper, scores_from=wanted.design.ways.scores_from), title=title
        )
    scale = _correction(wanted)
    if wanted.what == "sheets":
        paper = wanted.paper if wanted.sheet else None
        return write_pdf(sheet_pages(wanted.sheet_drawings("both"), title=title, paper=paper), title=title, scale=scale)
    pages = draw_template_pages(
        wanted.assembly, wanted.catalog, wanted.style, title=title, paper=wanted.paper, layout=wanted.layout, only=wanted.cutting.only
    )
    return write_pdf(pages, title=title, scale=scale)


def _correction(wanted: Wanted) -> tuple[float, float]:
    """By how much pages are stretched for the maker's printer, so that what comes out is true."""
    printer = wanted.catalog.printers.get(wanted.design.ways.printer)
    return (1.0, 1.0) if printer is None else (100.0 / printer.across_mm, 100.0 / printer.up_mm)


def _write_dxf(wanted: Wanted) -> bytes:
    from lexipod.drawing.writers import write_dxf

    return write_dxf(wanted.drawing, wanted.cutting.dxf)


def _write_svg(wanted: Wanted) -> bytes:
    from lexipod.drawing.writers import write_svg

    if wanted.what == "guides":
        return write_svg(side_by_side(_guides(wanted, guide_sheets(wanted.examination, wanted.folder))))
    return write_svg(wanted.drawing, layered=wanted.what in ("pieces", "sheets"))


def _guides(wanted: Wanted, sheets: tuple[Drawing, ...]) -> tuple[Drawing, ...]:
    if not sheets:
        raise LexipodError("there is nothing to guide yet: nothing moves, and no picture lies on the card")
    return sheets


def _animation(kind: Literal["gif", "webp"]) -> Callable[[Wanted], bytes]:
    def write(wanted: Wanted) -> bytes:
        from lexipod.drawing.writers import write_animation

        moving = wanted.moving
        drawings = draw_travel(wanted.examination, wanted.art, mechanism=moving.mechanism, frames=moving.frames, there_and_back=moving.there_and_back)
        frame_ms = max(20, round(1000 * moving.seconds / moving.frames))
        return write_animation(drawings, kind, width_px=moving.width_px, frame_ms=frame_ms, tell=wanted.tell)

    return write


def _write_png(wanted: Wanted) -> bytes:
    from lexipod.drawing.writers import write_png

    dpi = wanted.cutting.dpi
    return write_png(wanted.drawing, pixels_per_mm=dpi / 25.4) if dpi else write_png(wanted.drawing)


def _write_plt(wanted: Wanted) -> bytes:
    from lexipod.fabricate.machining import for_plotter, plot_programs
    from lexipod.plotting import write_hpgl

    wanted = replace(wanted, design=for_plotter(wanted.design))
    return write_hpgl(plot_programs(wanted.sheets, wanted.assembly, wanted.catalog, wanted.design.ways))


EXPORTS: tuple[Export, ...] = (
    Export(".pdf", "PDF templates", ("pieces", "sheets", "list", "card", "strip", "guides", "check"), _write_pdf),
    Export(".svg", "SVG of the pieces", ("pieces", "sheets", "card", "strip", "guides"), _write_svg),
    Export(".dxf", "DXF of the pieces", ("pieces", "sheets"), _write_dxf),
    Export(".plt", "Plotter file", ("sheets",), _write_plt),
    Export(".png", "Picture of the card", ("card", "pieces", "sheets", "strip"), _write_png),
    Export(".gif", "Moving picture", ("card",), _animation("gif")),
    Export(".webp", "Moving picture, smaller", ("card",), _animation("webp")),
    Export(".csv", "Cut list", ("list", "pieces"), _write_csv),
)


def find_export(ending: str) -> Export:
    """The row of an ending; ``ChoiceError`` lists those that there are."""
    found = next((e for e in EXPORTS if e.ending == ending.lower()), None)
    if found is None:
        raise ChoiceError("export format", ending, [e.ending for e in EXPORTS])
    return found


def export_bytes(
    design: Design,
    catalog: Catalog,
    ending: str,
    *,
    folder: Path | None,
    style: UnitStyle,
    sheet: str = "",
    layout: Layout = "combined",
    what: What | None = None,
    moving: Moving | None = None,
    cutting: Cutting | None = None,
    tell: Callable[[float], None] = lambda _: None,
) -> bytes:
    """The bytes of one export: ``ending`` decides the format, ``what`` is the format's usual one where it is left open."""
    export = find_export(ending)
    if what is not None and what not in export.what:
        raise ParameterError("--what", f"a {export.ending} file shows {' or '.join(export.what)}, not {what}")
    return export.write(Wanted(design, catalog, folder, style, sheet, layout, what or export.what[0], moving or Moving(), cutting or Cutting(), tell))
