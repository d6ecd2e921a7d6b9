"""The examiner: a process of its own that checks designs on the side, so that no check ever holds up a hand.

A request is a revision and a design. It is answered three times, as soon as each is known: coarse, fine, and cured (with remedies).
A newer request ends the work on an older one after its coarse answer.
"""

from __future__ import annotations

import contextlib
import select
import sys
from collections.abc import Callable
from dataclasses import dataclass
from typing import BinaryIO

from lexipod.aside.wire import command_for, pack, unpack
from lexipod.building import build_assembly
from lexipod.catalog import Catalog, load_catalog
from lexipod.checks import Examination, Finding, run_checks
from lexipod.checks.examination import COARSE_STEPS, FINE_STEPS
from lexipod.cures import with_remedies
from lexipod.design import Design
from lexipod.errors import LexipodError, shortened
from lexipod.ribbon import RibbonEvent, RibbonRow, fold_events, fold_rows, ribbon_events, ribbon_rows

CURE_SECONDS = 30.0
"""So long cures are looked for; then those that were found are shown."""


@dataclass(frozen=True, eq=False)
class Judgement:
    """The checks' answer to one revision. ``stage``: coarse, fine, or cured. ``fault`` says why there is none."""

    revision: int
    stage: str
    findings: tuple[Finding, ...]
    rows: dict[str, tuple[RibbonRow, ...]]
    events: dict[str, tuple[RibbonEvent, ...]]
    fault: str = ""


def examine_design(design: Design, catalog: Catalog, revision: int, *, tell: Callable[[Judgement], None], is_current: Callable[[], bool]) -> None:
    """Tells the coarse, the fine and the cured judgement of a design; the later two only while it is current."""
    try:
        assembly = build_assembly(design, catalog)
        for stage, steps in (("coarse", COARSE_STEPS), ("fine", FINE_STEPS)):
            if stage == "fine" and not is_current():
                return
            examination = Examination(assembly, catalog, design.ways, steps=steps)
            findings = run_checks(examination)
            rows = {d.mechanism: ribbon_rows(examination, d.mechanism) for d in examination.drives}
            events = {d.mechanism: ribbon_events(examination, d.mechanism) for d in examination.drives}
            rows |= {f.mechanism: fold_rows(examination, f.mechanism) for f in assembly.foldings}
            events |= {f.mechanism: fold_events(examination, f.mechanism) for f in assembly.foldings}
            tell(Judgement(revision, stage, findings, rows, events))
        if is_current():
            cured = with_remedies(design, catalog, findings, is_current=is_current, seconds=CURE_SECONDS)
            if is_current():
                tell(Judgement(revision, "cured", cured, rows, events))
    except (LexipodError, ValueError) as error:
        tell(Judgement(revision, "cured", (), {}, {}, str(error)))
    except Exception as fault:  # whoever waits must be told, and the next revision may be sound
        told = f"It could not be checked; something went wrong inside ({type(fault).__name__}: {shortened(fault)})."
        tell(Judgement(revision, "cured", (), {}, {}, told))


def serve(source: BinaryIO, target: BinaryIO) -> None:
    """Answers requests until the input ends. Of several that wait, only the newest is worked on."""
    catalog = load_catalog()

    def tell(judgement: Judgement) -> None:
        with contextlib.suppress(BrokenPipeError):  # the window is gone; the input ends next
            target.write(pack(judgement))
            target.flush()

    def is_current() -> bool:
        return not select.select([source], [], [], 0)[0]

    buffer = bytearray()
    while True:
        chunk = source.read(65536)
        if not chunk:
            return
        buffer += chunk
        requests = unpack(buffer)
        if requests:
            revision, design = requests[-1]
            examine_design(design, catalog, revision, tell=tell, is_current=is_current)


def main() -> None:
    """Serves on the standard streams."""
    with open(sys.stdin.fileno(), "rb", buffering=0, closefd=False) as source:
        serve(source, sys.stdout.buffer)  # nothing may wait unseen in a buffer


COMMAND = command_for("lexipod.aside.examiner", "main")
