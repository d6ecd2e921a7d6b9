"""The sheets of a batch as programs for the maker's plotter, and what does not go through her machines."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

import msgspec
import numpy as np

from lexipod.assembly import Assembly
from lexipod.blanks import find_openings
from lexipod.blanks.narrow import narrowest_mm
from lexipod.catalog import Catalog, Machine
from lexipod.design import Design
from lexipod.design.ways import Ways
from lexipod.errors import LexipodError, ParameterError
from lexipod.fabricate.sheet_drawing import draw_sheet
from lexipod.fabricate.sheeting import LaidSheet, Sheets
from lexipod.plotting import Program, Run, make_program, runs_of
from lexipod.units import UnitStyle


def find_plotter(catalog: Catalog, ways: Ways) -> Machine | None:
    """The plotter that the maker cuts with, None where her machine is none."""
    machine = catalog.machines.get(ways.machine)
    return machine if machine is not None and machine.kind == "plotter" else None


def for_plotter(design: Design) -> Design:
    """The design as it is laid for a plotter: one that is cut straight, up to the edge of its sheets, is laid free instead."""
    sheeting = design.sheeting
    if sheeting.cuts == "straight" and sheeting.margin is None:
        return msgspec.structs.replace(design, sheeting=msgspec.structs.replace(sheeting, cuts="free", placed=(), made_for=""))
    return design


def plot_programs(sheets: Sheets, assembly: Assembly, catalog: Catalog, ways: Ways) -> tuple[Program, ...]:
    """One program a sheet. A sheet that is wider than the plotter is turned by a quarter; one that goes in neither way is refused."""
    machine = find_plotter(catalog, ways)
    programs = [sheet_program(sheet, assembly, catalog, machine, ways.style()) for sheet in sheets.sheets if sheet.lot.stock not in catalog.foams]
    if not programs:
        raise LexipodError("there is no sheet to plot: nothing is laid on paper or film")
    return tuple(programs)


def sheet_program(
    sheet: LaidSheet, assembly: Assembly, catalog: Catalog, machine: Machine | None, style: UnitStyle, *, in_order: bool = True
) -> Program:
    """The program of one sheet; with ``in_order`` off, its runs as they are listed."""
    runs = runs_of(draw_sheet(sheet, assembly, catalog, style, cuts=False))
    width, height = sheet.size_mm
    if machine is not None and not _goes_in(width, height, machine):
        if not _goes_in(height, width, machine):
            size = f"{sheet.title} is {style.length(width)} × {style.length(height)}; the {machine.name} takes {_area(machine, style)}"
            told = f"{size}. Lay on smaller sheets, or cut it by hand."
            raise ParameterError("machine", told)
        runs = tuple(_quarter(run, height) for run in runs)
    program = make_program(runs, machine, catalog.blade_for(sheet.lot.stock), title=sheet.title, in_order=in_order)
    low = min(float(step.way.min()) for step in program.steps)
    if low < 0:
        told = "pieces lie at the edge of the sheet, where the knife would leave it"
        margin = "1/8in" if style.unit == "in" else "3mm"
        raise ParameterError("sheets", f"{told}; cut free (sheets.cuts=free), or with a margin (sheets.margin={margin})")
    return program


def _goes_in(width: float, height: float, machine: Machine) -> bool:
    return width <= machine.width_mm + 0.5 and (not machine.length_mm or height <= machine.length_mm + 0.5)


def _area(machine: Machine, style: UnitStyle) -> str:
    """What goes into a plotter, in words."""
    width = style.length(machine.width_mm)
    return f"{width} × {style.length(machine.length_mm)}" if machine.length_mm else f"{width} of width"


def _quarter(run: Run, height: float) -> Run:
    """A run of a sheet that is laid in turned by a quarter, counter-clockwise: its upper edge lies to the left."""
    return replace(run, points=np.column_stack([height - run.points[:, 1], run.points[:, 0]]))


@dataclass(frozen=True, slots=True)
class Misfit:
    """Something that a machine of the maker's does not do: which piece or sheet, and a sentence with what would do."""

    subject: str
    text: str


def find_misfits(sheets: Sheets, assembly: Assembly, catalog: Catalog, ways: Ways, style: UnitStyle) -> Iterator[Misfit]:
    """What does not go through the machine that the maker cuts with: sheets too wide or long, plies too thick, webs and slots too narrow for
    a plotter; cuts longer than her trimmer, where it is one."""
    machine = catalog.machines.get(ways.machine)
    if machine is None:
        return
    seen: set[str] = set()
    for sheet in sheets.sheets:
        if sheet.lot.stock in catalog.foams:
            continue
        title = sheet.title
        yield from _sheet_misfits(sheet, title, machine, style)
        stock = catalog.stocks.get(sheet.lot.stock)
        thick = (stock.caliper_mm if stock else 0.0) * sheet.lot.plies
        if thick > machine.most_mm + 1e-9:
            cure = "laminate after cutting" if sheet.lot.plies > 1 and stock and stock.caliper_mm <= machine.most_mm else "cut it by hand"
            yield Misfit(title, f"{style.thickness(thick)} thick; the {machine.name} cuts {style.thickness(machine.most_mm)}: {cure}.")
        if machine.kind != "plotter":
            continue
        for piece, _, _ in sheet.pieces:
            if piece.blank.id in seen or not machine.least_mm:
                continue
            seen.add(piece.blank.id)
            for opening in find_openings(piece.blank, assembly):
                across = min(opening.width_mm, opening.height_mm)
                if opening.kind in ("window", "slot", "hole") and across < machine.least_mm:
                    told = f"{opening.name} {style.length(across)} wide; the {machine.name} cuts none below {style.length(machine.least_mm)} cleanly."
                    yield Misfit(piece.blank.name, told)
            found = narrowest_mm(piece.blank, below_mm=machine.least_mm)
            if found is not None:
                narrow, least = style.length(found[0]), style.length(machine.least_mm)
                told = f"narrowest place {narrow}; the {machine.name} cuts no web or slot below {least} cleanly."
                yield Misfit(piece.blank.name, told)


def _sheet_misfits(sheet: LaidSheet, title: str, machine: Machine, style: UnitStyle) -> Iterator[Misfit]:
    width, height = sheet.size_mm
    length = style.length
    if machine.kind == "plotter" and not (_goes_in(width, height, machine) or _goes_in(height, width, machine)):
        told = f"{length(width)} × {length(height)}; the {machine.name} takes {_area(machine, style)}"
        yield Misfit(title, f"{told}. Take smaller sheets, or cut pieces in two that lap.")
    if machine.kind == "die":
        wide = [(p.blank.name, min(p.blank.size_mm)) for p, _, _ in sheet.pieces if min(p.blank.size_mm) > machine.width_mm + 1e-6]
        for name, across in dict(wide).items():
            yield Misfit(
                name, f"{length(across)} wide at least; the {machine.name} takes {length(machine.width_mm)}. Cut it by hand, or in two that lap."
            )
    if machine.kind == "trimmer":
        for k, cut in enumerate(sheet.cuts or (), 1):
            x0, y0, x1, y1 = cut.box
            long = (y1 - y0) if cut.along == "width" else (x1 - x0)
            if long > machine.width_mm + 1e-6:
                yield Misfit(
                    title, f"cut {k} is {length(long)} long; the {machine.name} cuts {length(machine.width_mm)}. Mark it and cut it with a knife."
                )
                break
