"""The whole way of a design in single steps, as the window, the command line and the tests take it.

``open_design`` reads and checks a file; ``examine`` moves and measures; ``judge`` adds findings with remedies;
``pictures_of`` loads the art. Nothing here keeps state.
"""

from __future__ import annotations

from pathlib import Path

from lexipod.assembly import Assembly
from lexipod.catalog import Catalog
from lexipod.checks import Examination, Finding, run_checks, with_remedies
from lexipod.checks.examination import FINE_STEPS
from lexipod.design import Design, read_design
from lexipod.drawing import Shape
from lexipod.drawing.art import draw_art, load_picture
from lexipod.errors import FileError, LexipodError
from lexipod.recipes import build_assembly


def open_design(path: Path, catalog: Catalog) -> Design:
    """The design of a file, known to build. ``FileError`` names the file and the place inside it."""
    design = read_design(path)
    try:
        build_assembly(design, catalog)
    except FileError as error:
        raise FileError(path, str(error).removeprefix("design at ").removeprefix(f"{error.place}: "), place=error.place) from error
    except LexipodError as error:
        raise FileError(path, str(error)) from error
    return design


def examine(design: Design, catalog: Catalog, *, steps: int = FINE_STEPS) -> Examination:
    """The design built and ready to be moved."""
    return Examination(build_assembly(design, catalog), catalog, design.ways, steps=steps)


def judge(design: Design, catalog: Catalog, *, steps: int = FINE_STEPS) -> tuple[Examination, tuple[Finding, ...]]:
    """The examination and its findings with remedies, worst first."""
    examination = examine(design, catalog, steps=steps)
    return examination, with_remedies(design, catalog, run_checks(examination))


def pictures_of(design: Design, assembly: Assembly, folder: Path | None) -> tuple[dict[str, tuple[Shape, ...]], tuple[str, ...]]:
    """The art on each part or panel, in their frames, and a sentence for each picture that could not be laid. That on the back of
    one is under its id with “:back” behind it."""
    shapes: dict[str, tuple[Shape, ...]] = {}
    faults = []
    for art in design.art:
        name, _, face = art.on.partition(":")
        part = assembly.by_id.get(name) or assembly.panels.get(name)
        if part is None or face not in ("", "back"):
            faults.append(f"the picture {art.source} is meant for {art.on}, which is not on this card")
            continue
        try:
            shapes[art.on] = shapes.get(art.on, ()) + draw_art(art, load_picture(art.source, folder), part, from_behind=face == "back")
        except FileError as error:
            faults.append(str(error))
    return shapes, tuple(faults)
