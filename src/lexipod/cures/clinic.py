"""The clinic: one design with its findings, on which changes are tried."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass

from lexipod.building import build_assembly
from lexipod.catalog import Catalog
from lexipod.checks.examination import COARSE_STEPS, Examination
from lexipod.checks.finding import Finding, Remedy
from lexipod.checks.table import NEVER_BLOCKING, each_finding, run_checks
from lexipod.design import Design
from lexipod.design.files import format_design
from lexipod.errors import LexipodError

MOST_REMEDIES = 3
REMEMBERED = 6


Ranked = tuple[tuple[int, float], Remedy]
"""A remedy with how good it is (0 best) and its place among those as good."""


@dataclass(slots=True)
class Trial:
    """One changed design, judged: what became of the finding, the first thing that blocks and did not block before, and the keys of all
    that is found in it where nothing does."""

    missing: float
    is_cured: bool
    new_block: Finding | None = None
    new_warnings: int = 0
    message: str = ""
    left: frozenset[tuple[object, ...]] = frozenset()


class Clinic:
    """Tries changes of one design against its findings, for so many ``seconds`` at most (None for as long as it takes)."""

    def __init__(
        self, design: Design, catalog: Catalog, before: tuple[Finding, ...], is_wanted: Callable[[], bool], seconds: float | None = None
    ) -> None:
        self.design, self.catalog, self.is_wanted = design, catalog, is_wanted
        self._until = None if seconds is None else time.monotonic() + seconds
        self.blocking = {f.key: f.missing for f in before if f.severity == "block"}
        self.warning = {f.key for f in before}
        self._known: deque[tuple[Design, Examination]] = deque(maxlen=REMEMBERED)
        self.folds = bool(build_assembly(design, catalog).foldings)
        self._left: dict[str, int] = {}
        self._tried: dict[tuple[bytes, str], tuple[Finding, ...] | None] = {}
        self.cured: list[tuple[Ranked, str, frozenset[tuple[object, ...]]]] = []

    @property
    def is_over(self) -> bool:
        """Whether the time is up."""
        return self._until is not None and time.monotonic() > self._until

    def is_current(self) -> bool:
        """Whether to go on: somebody still wants to know, and there is time."""
        return not self.is_over and self.is_wanted()

    def examine(self, design: Design) -> Examination:
        """The design, moved; one of the last few again is not moved anew."""
        for known, examination in self._known:
            if known == design:
                return examination
        examination = Examination(build_assembly(design, self.catalog), self.catalog, design.ways, steps=COARSE_STEPS)
        self._known.append((design, examination))
        return examination

    def remember(self, ranked: Ranked, mechanism: str, left: frozenset[tuple[object, ...]]) -> None:
        """A whole cure for something of a mechanism, and what is still found with it: it may cure more than it was tried for."""
        self.cured.append((ranked, mechanism, left))

    def note(self, remedy: Remedy, trial: Trial) -> None:
        """What a remedy leaves blocking of what blocked before."""
        self._left[remedy.label] = len(trial.left & self.blocking.keys())

    def left_blocking(self, remedy: Remedy) -> int:
        """How much of what blocked still blocks with a remedy, as far as that was looked at."""
        return self._left.get(remedy.label, 0)

    def known_cures(self, finding: Finding) -> list[Ranked]:
        """Whole cures found for something else of the same mechanism that cure this as well."""
        return [ranked for ranked, mechanism, left in self.cured if mechanism == finding.mechanism and finding.key not in left]

    def missing(self, design: Design, finding: Finding) -> tuple[float, Finding | None]:
        """How much is still missing for this finding in a changed design; 0 when it is gone."""
        found = self._found_by(design, finding.rule)
        if found is None:
            return float("inf"), None
        same = next((f for f in found if f.key == finding.key), None)
        return (0.0 if same is None else max(same.missing, 1e-9)), same

    def _found_by(self, design: Design, rule: str) -> tuple[Finding, ...] | None:
        """What one rule finds in a changed design; None where it cannot be built. The same changes are tried against many findings where
        panels go through each other, so it is kept."""
        key = (format_design(design), rule)
        if key not in self._tried:
            try:
                self._tried[key] = run_checks(self.examine(design), rules=[rule])
            except (LexipodError, ValueError):
                self._tried[key] = None
        return self._tried[key]

    def judge(self, design: Design, finding: Finding) -> Trial:
        """The whole check of a changed design, up to the first thing that blocks and did not, or blocks worse."""
        found = []
        try:
            spared = set(NEVER_BLOCKING) - {finding.rule}
            for each in each_finding(self.examine(design), without=spared):
                if self._is_worse(each, finding):
                    return Trial(float("inf"), False, each)
                found.append(each)
        except (LexipodError, ValueError):
            return Trial(float("inf"), False)
        same = next((f for f in found if f.key == finding.key), None)
        warnings = sum(f.severity == "warn" and f.key not in self.warning for f in found)
        told = "" if same is None else same.message
        return Trial(0.0 if same is None else same.missing, same is None, None, warnings, told, frozenset(f.key for f in found))

    def _is_worse(self, found: Finding, finding: Finding) -> bool:
        """Whether it blocks and did not, or blocks worse, besides the finding itself."""
        if found.severity != "block" or found.key == finding.key:
            return False
        return found.key not in self.blocking or found.missing > self.blocking[found.key] + 1e-6
