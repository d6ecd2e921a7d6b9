"""The booklet for the workbench: the plan with its drawings, the cut list, the placement guides and the kit, in one PDF."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path

import msgspec
import numpy as np

from lexipod.blanks import find_blanks
from lexipod.building import build_assembly
from lexipod.catalog import Catalog, Size
from lexipod.checks import Examination
from lexipod.design import Design
from lexipod.drawing.display import Drawing, Label, Primitive
from lexipod.drawing.writers.pdf import write_pdf
from lexipod.fabricate.cutlist import cut_list
from lexipod.fabricate.cutlist_pages import list_pages, wrapped
from lexipod.fabricate.guides import draw_guides
from lexipod.fabricate.kit import amount_text, make_kit
from lexipod.fabricate.sheeting import lay_sheets
from lexipod.geometry.frames import Array
from lexipod.planning.model import Plan, Step
from lexipod.planning.plan import make_plan
from lexipod.planning.schedule import Schedule, make_schedule, tasks_of
from lexipod.planning.step_drawing import draw_step
from lexipod.planning.told import minutes_text
from lexipod.units import UnitStyle

MARGIN_MM, HEAD_MM = 14.0, 12.0
COLUMNS, GUTTER_MM = 2, 8.0
PICTURE_MM = 47.0
LARGE_MM, SMALL_MM, LEADING = 3.8, 3.0, 1.32
SCALES = (1.0, 1.5, 2.0, 2.5, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0)
USUAL = {"in": "letter", "mm": "a4"}


def draw_booklet(
    design: Design, catalog: Catalog, *, copies: int = 1, sheet: str | None = None, units: str | None = None, folder: Path | None = None
) -> bytes:
    """The whole booklet as PDF bytes. Guides are at true size; each drawing of a step says its scale."""
    style = design.ways.style(units)
    paper = catalog.sheets[catalog.find_id("sheets", sheet or USUAL[style.unit])]
    assembly = build_assembly(design, catalog)
    examination = Examination(assembly, catalog, design.ways, steps=25)
    plan = make_plan(assembly, catalog, design)
    schedule = make_schedule(tasks_of(plan, copies, design.making.by), copies)
    pages = [
        *plan_pages(plan, schedule, examination, paper, copies=copies),
        *list_pages(cut_list(assembly, catalog), style, title=design.title, paper=paper, scores_from=design.ways.scores_from),
        *draw_guides(examination, title=design.title, paper=paper, folder=folder),
        *kit_pages(design, catalog, paper, style, copies),
    ]
    return write_pdf(pages, title=f"{design.title}: booklet")


def plan_pages(plan: Plan, schedule: Schedule, examination: Examination, paper: Size, *, copies: int = 1) -> tuple[Drawing, ...]:
    """The steps in two columns, each with its drawing above its words."""
    blanks = find_blanks(examination.assembly)
    wide = (paper.width_mm - 2 * MARGIN_MM - GUTTER_MM * (COLUMNS - 1)) / COLUMNS
    said: set[str] = set()
    cells = [_cell(plan, s, k, draw_step(plan, s, examination, blanks), wide, said) for k, s in enumerate(plan.steps, 1)]
    pages: list[list[Primitive]] = [[]]
    top, floor = paper.height_mm - MARGIN_MM - HEAD_MM, MARGIN_MM
    column, at = 0, top
    for height, items in cells:
        if at - height < floor and at < top:
            column, at = column + 1, top
            if column == COLUMNS:
                pages.append([])
                column = 0
        shift = np.array([MARGIN_MM + column * (wide + GUTTER_MM), at])
        pages[-1] += [i.mapped(partial(np.add, shift)) for i in items]
        at -= height
    cards = f" for {copies} cards" if copies > 1 else ""
    told = f"{len(plan.steps)} steps{cards}, {minutes_text(schedule.hands)} of work, {minutes_text(schedule.total)} with waits"
    return tuple(_page(items, f"{plan.title} · plan", told if k == 1 else "", k, len(pages), paper) for k, items in enumerate(pages, 1))


def _page(items: Sequence[Primitive], title: str, told: str, number: int, total: int, paper: Size) -> Drawing:
    head: list[Primitive] = [
        Label((MARGIN_MM, paper.height_mm - MARGIN_MM - 4), title, 4.4, bold=True),
        Label((paper.width_mm - MARGIN_MM, paper.height_mm - MARGIN_MM - 4), f"page {number} of {total}", 3.0, "right"),
    ]
    if told:
        head.append(Label((MARGIN_MM, paper.height_mm - MARGIN_MM - 8.6), told, 3.0))
    return Drawing((*head, *items), (0.0, 0.0, paper.width_mm, paper.height_mm), title)


def _cell(plan: Plan, step: Step, number: int, drawn: Drawing, wide: float, said: set[str]) -> tuple[float, list[Primitive]]:
    """One step as it stands in a column: how high it is, and what it draws below its upper left corner."""
    width, height = drawn.size_mm
    scale = next((s for s in SCALES if width / s <= wide and height / s <= PICTURE_MM), max(width / wide, height / PICTURE_MM, 1e-6))
    items: list[Primitive] = []
    tall = height / scale

    def placed(ring: Array) -> Array:
        out: Array = (ring - np.array([drawn.box[0], drawn.box[3]])) / scale + np.array([0.0, -1.0])
        return out

    for item in drawn.primitives:
        there = item.mapped(placed)
        items.append(replace(there, size_mm=max(1.9, there.size_mm / scale)) if isinstance(there, Label) else there)
    down = tall + 2.0
    scaled = "true size" if scale == 1.0 else f"1 : {scale:.3g}"
    minutes = minutes_text(step.minutes + step.setup)
    down += LARGE_MM * LEADING
    items.append(Label((0.0, -down), f"{number}", 5.2, bold=True))
    items.append(Label((wide, -down), f"{minutes} · {scaled}", 2.5, "right"))
    for line in wrapped(step.do, wide - 9.0, LARGE_MM):
        items.append(Label((9.0, -down - LARGE_MM * LEADING), line, LARGE_MM))
        down += LARGE_MM * LEADING
    down += 0.6
    for text in _words(plan, step, said):
        for line in wrapped(text, wide - 9.0, SMALL_MM):
            down += SMALL_MM * LEADING
            items.append(Label((9.0, -down), line, SMALL_MM))
    return down + 6.0, items


def _words(plan: Plan, step: Step, said: set[str]) -> list[str]:
    words = [f"Why now: {step.why}."] if step.why else []
    musts = [plan.number(e.step) for e in step.earlier if e.sets and e.step in plan.by_id]
    if musts:
        words.append(f"First let set: {', '.join(f'step {n}' for n in sorted(set(musts)))}.")
    words += [f"Position: {step.told}."] if step.told else []
    words += step.tips
    if step.wait:
        words.append(f"Then {minutes_text(step.wait)} to set (our guess): {step.wait_for}.")
    words += [f"Measure, if you like: {a.name} ________" for a in step.asks]
    fresh = [c for c in step.cautions if c not in said]
    said |= set(fresh)
    return [*words, *(f"Take care: {c}" for c in fresh)]


def kit_pages(design: Design, catalog: Catalog, paper: Size, style: UnitStyle, copies: int) -> tuple[Drawing, ...]:
    """What to have for so many cards."""
    batch = msgspec.structs.replace(design, sheeting=msgspec.structs.replace(design.sheeting, copies=copies))
    assembly = build_assembly(batch, catalog)
    kit = make_kit(assembly, catalog, lay_sheets(assembly, catalog, batch))
    lines: list[tuple[str, str, str]] = [(r.name, amount_text(r.count, r.unit, style), "" if r.cost is None else f"{r.cost:.2f}") for r in kit.rows]
    lines.append((f"for {copies} card{'' if copies == 1 else 's'}", "", f"{kit.total:.2f}"))
    room = int((paper.height_mm - 2 * MARGIN_MM - HEAD_MM) / (LARGE_MM * 1.7))
    chunks = [lines[k : k + room] for k in range(0, len(lines), room)] or [[]]
    out = []
    for number, chunk in enumerate(chunks, 1):
        items: list[Primitive] = []
        at = paper.height_mm - MARGIN_MM - HEAD_MM
        for name, amount, cost in chunk:
            at -= LARGE_MM * 1.7
            items += [
                Label((MARGIN_MM, at), name, LARGE_MM),
                Label((paper.width_mm - MARGIN_MM - 32.0, at), amount, LARGE_MM, "right"),
                Label((paper.width_mm - MARGIN_MM, at), cost, LARGE_MM, "right"),
            ]
        out.append(_page(items, f"{design.title} · kit", "", number, len(chunks), paper))
    return tuple(out)
