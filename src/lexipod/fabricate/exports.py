"""The ways out: every format that can be written, in one table that the command line, its help and the window read."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Literal

from lexipod.assembly import Assembly
from lexipod.building import build_assembly
from lexipod.catalog import Catalog, Size
from lexipod.design import Design
from lexipod.drawing import Drawing, draw_card, draw_standing
from lexipod.drawing.art import pictures_of
from lexipod.errors import ChoiceError, ParameterError
from lexipod.fabricate.cutlist import cut_list, cut_list_csv
from lexipod.fabricate.templates import Layout, draw_pieces, draw_template_pages
from lexipod.units import UnitStyle

What = Literal["pieces", "card"]


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

    @cached_property
    def assembly(self) -> Assembly:
        """The design, built."""
        return build_assembly(self.design, self.catalog)

    @property
    def paper(self) -> Size:
        """The paper of the templates; ``ChoiceError`` lists what there is."""
        return self.catalog.sheets[self.catalog.find_id("sheets", self.sheet or ("letter" if self.design.ways.units == "in" else "a4"))]

    @property
    def drawing(self) -> Drawing:
        """All pieces on one sheet, or the card as it is seen with its pictures."""
        if self.what == "pieces":
            return draw_pieces(self.assembly, self.catalog, self.style, title=self.design.title)
        art, _ = pictures_of(self.design, self.assembly, self.folder)
        return draw_standing(self.assembly, art) if self.assembly.foldings else draw_card(self.assembly, {}, art=art, hidden=False)


@dataclass(frozen=True, slots=True)
class Export:
    """One format: the ``ending`` of its files, its ``title``, ``what`` it can show (its usual one first), and what writes it."""

    ending: str
    title: str
    what: tuple[What, ...]
    write: Callable[[Wanted], bytes]


def _write_csv(wanted: Wanted) -> bytes:
    rows = cut_list(wanted.assembly, wanted.catalog)
    return cut_list_csv(rows, wanted.style, scores_from=wanted.design.ways.scores_from).encode("utf-8")


def _write_pdf(wanted: Wanted) -> bytes:
    from lexipod.drawing.writers import write_pdf

    title = wanted.design.title
    if wanted.what == "card":
        return write_pdf([wanted.drawing], title=title)
    pages = draw_template_pages(wanted.assembly, wanted.catalog, wanted.style, title=title, paper=wanted.paper, layout=wanted.layout)
    return write_pdf(pages, title=title)


def _write_svg(wanted: Wanted) -> bytes:
    from lexipod.drawing.writers import write_svg

    return write_svg(wanted.drawing)


def _write_png(wanted: Wanted) -> bytes:
    from lexipod.drawing.writers import write_png

    return write_png(wanted.drawing)


EXPORTS: tuple[Export, ...] = (
    Export(".pdf", "PDF templates", ("pieces", "card"), _write_pdf),
    Export(".svg", "SVG of the pieces", ("pieces", "card"), _write_svg),
    Export(".png", "Picture of the card", ("card", "pieces"), _write_png),
    Export(".csv", "Cut list", ("pieces",), _write_csv),
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
) -> bytes:
    """The bytes of one export: ``ending`` decides the format, ``what`` is the format's usual one where it is left open."""
    export = find_export(ending)
    if what is not None and what not in export.what:
        raise ParameterError("--what", f"a {export.ending} file shows {' or '.join(export.what)}, not {what}")
    return export.write(Wanted(design, catalog, folder, style, sheet, layout, what or export.what[0]))
