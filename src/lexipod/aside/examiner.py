"""The examiner: a process of its own that checks designs on the side, so that no check ever holds up a hand.

A request is a revision and a design. It is answered three times, as soon as each is known: coarse, fine, and cured (with remedies). A
newer request ends the work on an older one after its coarse answer.
"""

from __future__ import annotations

import contextlib
import select
import sys
from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import BinaryIO

from lexipod.aside.judgement import Judgement
from lexipod.aside.wire import pack, unpack
from lexipod.building import build_assembly
from lexipod.catalog import Catalog, load_catalog
from lexipod.checks import Examination, run_checks
from lexipod.checks.examination import COARSE_STEPS, FINE_STEPS
from lexipod.cures import with_remedies
from lexipod.design import Design
from lexipod.design.files import format_design
from lexipod.errors import FileError, LexipodError, shortened
from lexipod.fitting import grant_wishes, wish_first
from lexipod.fitting.wishing import wishes_of
from lexipod.ribbon import fold_events, fold_rows, ribbon_events, ribbon_rows

MOST_REMEMBERED = 24
CURE_SECONDS = 30.0
"""So long cures are looked for; then those that were found are shown."""


def examine_design(
    design: Design,
    catalog: Catalog,
    revision: int,
    *,
    tell: Callable[[Judgement], None],
    is_current: Callable[[], bool],
    known: Sequence[Judgement] = (),
) -> None:
    """Tells the coarse, the fine and the cured judgement of a design; the later two only while it is current. What is ``known`` of them is
    told as it is. The cure that keeps the maker's wish is told as soon as it is found, before all others."""
    for judgement in known:
        tell(replace(judgement, revision=revision))
    done = [j.stage for j in known]
    if "cured" in done:
        return
    findings, rows, events = (known[-1].findings, known[-1].rows, known[-1].events) if known else ((), {}, {})
    try:
        assembly = build_assembly(design, catalog)
        for stage, steps in (("coarse", COARSE_STEPS), ("fine", FINE_STEPS)):
            if stage in done:
                continue
            if stage == "fine" and not is_current():
                return
            examination = Examination(assembly, catalog, design.ways, steps=steps)
            findings = run_checks(examination)
            rows = {d.mechanism: ribbon_rows(examination, d.mechanism) for d in examination.drives}
            events = {d.mechanism: ribbon_events(examination, d.mechanism) for d in examination.drives}
            rows |= {f.mechanism: fold_rows(examination, f.mechanism) for f in assembly.foldings}
            events |= {f.mechanism: fold_events(examination, f.mechanism) for f in assembly.foldings}
            tell(Judgement(revision, stage, findings, rows, events))
        granted = grant_wishes(design, catalog, findings, explains=False, is_current=is_current)
        if granted and is_current():
            findings = wish_first(design, findings, granted)
            tell(Judgement(revision, "fine", findings, rows, events))
        if is_current():
            cured = wish_first(design, with_remedies(design, catalog, findings, is_current=is_current, seconds=CURE_SECONDS), granted)
            if is_current() and any(f.severity == "block" and f.mechanism not in granted and _has_wish(design, f.mechanism) for f in cured):
                tell(Judgement(revision, "fine", cured, rows, events))  # a search, and how much of a wish can be kept, take longest
                left = [f for f in findings if f.mechanism not in granted]
                granted |= grant_wishes(design, catalog, left, mends=False, is_current=is_current)
                cured = wish_first(design, cured, granted)
            if is_current():
                tell(Judgement(revision, "cured", cured, rows, events))
    except (LexipodError, ValueError) as error:
        tell(Judgement(revision, "cured", (), {}, {}, str(error)))
    except Exception as fault:  # whoever waits must be told, and the next revision may be sound
        told = f"It could not be checked; something went wrong inside ({type(fault).__name__}: {shortened(fault)})."
        tell(Judgement(revision, "cured", (), {}, {}, told))


def _has_wish(design: Design, mechanism: str) -> bool:
    found = design.find_mechanism(mechanism)
    return found is not None and bool(wishes_of(found))


class Remembered:
    """The answers to the last designs, so that one that comes back (by undo, or opened again) is not worked out again."""

    def __init__(self, most: int = MOST_REMEMBERED) -> None:
        self._most = most
        self._answers: OrderedDict[bytes, tuple[Judgement, ...]] = OrderedDict()

    def find(self, design: Design) -> tuple[Judgement, ...]:
        """The answers to a design, coarse to cured; none where it is not known."""
        key = format_design(design)
        if key in self._answers:
            self._answers.move_to_end(key)
        return self._answers.get(key, ())

    def keep(self, design: Design, answers: Sequence[Judgement]) -> None:
        """Keeps what is known by now; not what tells of a fault, and no search for cures that was cut short."""
        sound = [j for j in answers if not j.fault and not any(f.cut_short for f in j.findings)]
        if sound:
            key = format_design(design)
            self._answers[key] = tuple(sound)
            self._answers.move_to_end(key)
            while len(self._answers) > self._most:
                self._answers.popitem(last=False)


def serve(source: BinaryIO, target: BinaryIO) -> None:
    """Answers requests until the input ends. Of several that wait, only the newest is worked on."""
    catalog, remembered = load_catalog(), Remembered()

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
            answers: list[Judgement] = []

            def tell_and_note(judgement: Judgement, answers: list[Judgement] = answers) -> None:
                answers.append(judgement)
                tell(judgement)

            with contextlib.suppress(FileError):  # a table that is torn meanwhile: the one that was read stands
                if load_catalog() is not catalog:
                    catalog, remembered = load_catalog(), Remembered()
            examine_design(design, catalog, revision, tell=tell_and_note, is_current=is_current, known=remembered.find(design))
            remembered.keep(design, answers)


def main() -> None:
    """Serves on the standard streams."""
    with open(sys.stdin.fileno(), "rb", buffering=0, closefd=False) as source:
        serve(source, sys.stdout.buffer)  # nothing may wait unseen in a buffer
