"""The whole way of a design in single steps, as the window, the command line and the tests take it.

``open_design`` reads and checks a file; ``examine`` moves and measures; ``judge`` adds findings with remedies;
``pictures_of`` loads the art. Nothing here keeps state.
"""

from __future__ import annotations

from pathlib import Path

from lexipod.building import build_assembly
from lexipod.catalog import Catalog
from lexipod.checks import Examination, Finding, run_checks
from lexipod.checks.examination import FINE_STEPS
from lexipod.design import Design, read_design
from lexipod.editing import complete_design
from lexipod.errors import FileError, LexipodError


def open_design(path: Path, catalog: Catalog) -> Design:
    """The design of a file, known to build, with a value for every parameter. ``FileError`` names the file and the place inside it."""
    design = read_design(path)
    try:
        design = complete_design(design, catalog)
        build_assembly(design, catalog)
    except FileError as error:
        raise FileError(path, str(error).removeprefix("design at ").removeprefix(f"{error.place}: "), place=error.place) from error
    except LexipodError as error:
        raise FileError(path, str(error)) from error
    return design


def examine(design: Design, catalog: Catalog, *, steps: int = FINE_STEPS) -> Examination:
    """The design built and ready to be moved."""
    return Examination(build_assembly(design, catalog), catalog, design.ways, steps=steps)


def judge(design: Design, catalog: Catalog, *, steps: int = FINE_STEPS, seconds: float | None = None) -> tuple[Examination, tuple[Finding, ...]]:
    """The examination and its findings with remedies, worst first; cures are looked for no longer than ``seconds``. Those that keep
    what the maker wished come first."""
    from lexipod.cures import with_remedies  # opening a design wants neither, and should not wait for them
    from lexipod.fitting import grant_wishes, wish_first

    examination = examine(design, catalog, steps=steps)
    findings = run_checks(examination)
    granted = grant_wishes(design, catalog, findings)
    return examination, wish_first(design, with_remedies(design, catalog, findings, seconds=seconds), granted)
