"""Where a piece that no sheet or machine takes whole is cut in two that lap, so that nothing on the card is the worse for it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import msgspec
import numpy as np

from lexipod.assembly import Assembly, Blank
from lexipod.blanks import find_blanks
from lexipod.building import build_assembly
from lexipod.catalog import Catalog
from lexipod.checks import Examination, run_checks
from lexipod.checks.examination import COARSE_STEPS
from lexipod.design import Design
from lexipod.design.sheeting import Lap
from lexipod.errors import ChoiceError, LexipodError
from lexipod.units.lengths import MM_PER_INCH

TRIED = 9
MOST_CHECKED = 5


@dataclass(frozen=True, eq=False)
class Lapping:
    """A lap: the part that it crosses, where, the design with it, and what on the card blocks then that did not before (titles)."""

    part: str
    lap: Lap
    design: Design
    blocks: tuple[str, ...] = ()

    @property
    def setting(self) -> str:
        """As it is set on the command line."""
        return f"sheets.lap.{self.part}={self.lap.along}@{self.lap.at:g}mm"


def propose_lap(design: Design, catalog: Catalog, blank_id: str, room_mm: tuple[float, float]) -> Lapping | None:
    """The lap nearest to the middle of a blank after which both halves fit a room (mm, either way round), away from scores, openings and glue,
    and after which nothing on the card blocks that did not block before. Where each of them blocks something, the first, with what it is;
    None where no such cut gives halves that fit.

    Raises ``ChoiceError`` for a blank that there is not.
    """
    assembly = build_assembly(design, catalog)
    blanks = {b.id: b for b in find_blanks(assembly)}
    if blank_id not in blanks:
        raise ChoiceError("piece", blank_id, sorted(blanks))
    blank = blanks[blank_id]
    before = _blocks(assembly, catalog, design)
    checked = 0
    worse: Lapping | None = None
    for part, lap in _candidates(blank, assembly):
        sheeting = msgspec.structs.replace(design.sheeting, laps=design.sheeting.laps | {part: lap})
        trial = msgspec.structs.replace(design, sheeting=sheeting)
        try:
            made = build_assembly(trial, catalog)
        except LexipodError:
            continue
        halves = [b for b in find_blanks(made) if b.id.startswith(f"{blank_id}-lap")]
        if len(halves) != 2 or not all(_fits(half, room_mm) for half in halves):
            continue
        checked += 1
        new = {rule: title for rule, title in _blocks(made, catalog, trial).items() if rule not in before}
        if not new:
            return Lapping(part, lap, trial)
        worse = worse or Lapping(part, lap, trial, tuple(new.values()))
        if checked >= MOST_CHECKED:
            break
    return worse


def _fits(blank: Blank, room_mm: tuple[float, float]) -> bool:
    return all(s <= r + 1e-6 for s, r in zip(sorted(blank.size_mm), sorted(room_mm), strict=True))


def _blocks(assembly: Assembly, catalog: Catalog, design: Design) -> dict[tuple[str, str], str]:
    findings = run_checks(Examination(assembly, catalog, design.ways, steps=COARSE_STEPS))
    return {(f.rule, f.mechanism): f.title for f in findings if f.severity == "block"}


def _candidates(blank: Blank, assembly: Assembly) -> Iterator[tuple[str, Lap]]:
    """Laps across the longer side of its largest part, from the middle outwards, on marks of half an inch."""
    parts = [p for p in blank.panels if p in assembly.by_id and assembly.by_id[p].quantity]
    for part in sorted(parts, key=lambda p: -float(assembly.by_id[p].region.area)):
        width, height = (float(v) for v in np.ptp(assembly.by_id[part].outline, axis=0))
        long, along = (width, "width") if width >= height else (height, "height")
        step = long / (TRIED + 3)
        for k in sorted(range(-TRIED // 2, TRIED // 2 + 1), key=abs):
            at = round((long / 2 + k * step) / (MM_PER_INCH / 4)) * MM_PER_INCH / 4
            if 10.0 < at < long - 10.0:
                yield part, Lap(along, round(at, 6))  # type: ignore[arg-type]


__all__ = ["Lapping", "propose_lap"]
