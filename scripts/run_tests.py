"""Runs all tests in as many processes as there are processors, two at least: the longest first, whatever is free takes the next.

``run_tests.py NAME …`` runs only the named tests, in one process. Fails if any fails, or if none ran.
"""

from __future__ import annotations

import importlib
import io
import os
import pickle
import sys
import tempfile
import time
import unittest
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
LONGEST = (
    "tests.app.test_work_and_seams",
    "tests.checks.test_flat_faults",
    "tests.app.test_window",
    "tests.app.test_fit_window",
    "tests.app.test_flat_window",
    "tests.recipes.test_all_flat",
    "tests.recipes.test_every_choice",
    "tests.checks.test_cures",
    "tests.app.test_sheets_window",
    "tests.plotter.test_sending",
    "tests.fabricate.test_sheets",
    "tests.cli.test_sheet_commands",
    "tests.nesting.test_layouts",
    "tests.app.test_fold_window",
    "tests.test_fit_designs",
    "tests.app.test_drag",
    "tests.app.test_pictures_window",
    "tests.test_wishes",
    "tests.test_builds",
    "tests.recipes.test_strip_slider",
    "tests.checks.test_fold_faults",
    "tests.checks.test_company",
    "tests.checks.test_against_cells",
    "tests.checks.test_boundaries",
    "tests.checks.test_against_brute_force",
    "tests.blanks.test_list",
    "tests.test_last_mile",
    "tests.recipes.test_guests",
    "tests.cli.test_hostile",
    "tests.recipes.test_all_folds",
    "tests.fabricate.test_templates",
    "tests.planning.test_plans",
    "tests.cli.test_record_commands",
    "tests.app.test_build_window",
    "tests.records.test_store",
)
"""Modules that are worth a process of their own, the longest first; all others share some."""
SHARED = 6
SLOWEST = 12
"""So many tests are named with their time at the end."""
PRELOADED = (
    "scipy.optimize",
    "scipy.spatial",
    "scipy.stats",
    "shapely",
    "PIL.Image",
    "tests.zoo",
    "lexipod.cli.main",
    "lexipod.fitting",
    "hypothesis",
    "lexipod.app.frame.start",
    "PySide6.QtTest",
)
"""What many tests need: imported once, before the processes part. Of Qt only the modules; each process has an application of its own."""


@dataclass(frozen=True)
class Outcome:
    """How one process ended."""

    passed: int
    failed: int
    skipped: int
    report: str
    times: tuple[tuple[float, str], ...] = ()
    """Seconds of the processor for each test."""


class _Timed(unittest.TextTestResult):
    """Takes the time of each test."""

    def startTest(self, test: unittest.TestCase) -> None:
        self.began = time.process_time()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        super().stopTest(test)
        self.times.append((time.process_time() - self.began, test.id()))

    def startTestRun(self) -> None:
        self.times: list[tuple[float, str]] = []


def module_names() -> list[str]:
    """Every test module, dotted."""
    return sorted(".".join(p.relative_to(ROOT).with_suffix("").parts) for p in (ROOT / "tests").rglob("test_*.py"))


def groups_of(names: list[str]) -> list[list[str]]:
    """What each process runs, in the order in which they are begun."""
    alone = [[name] for name in LONGEST if name in names]
    rest = [name for name in names if name not in LONGEST]
    return alone + [rest[k::SHARED] for k in range(SHARED) if rest[k::SHARED]]


def run(names: list[str]) -> Outcome:
    """Some modules or tests, in this process."""
    told = io.StringIO()
    suite = unittest.defaultTestLoader.loadTestsFromNames(names)
    result = unittest.TextTestRunner(told, resultclass=_Timed).run(suite)
    failed, skipped = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses), len(result.skipped)
    return Outcome(max(0, result.testsRun - failed - skipped), failed, skipped, told.getvalue(), tuple(result.times))


def begin(names: list[str], report: Path) -> int:
    """Forks a process that runs them and writes its outcome; its number. What all need is imported already, once."""
    child = os.fork()
    if child:
        return child
    status = 1
    try:
        report.write_bytes(pickle.dumps(run(names)))
        status = 0
    finally:
        os._exit(status)  # nothing of the parent's is to be done again here


def run_all(groups: list[list[str]]) -> Iterator[tuple[list[str], Outcome]]:
    """Every group in a process of its own, as many at once as there are processors, two at least; in the order in which they end."""
    for name in PRELOADED:
        importlib.import_module(name)
    waiting, running = list(groups), dict[int, tuple[list[str], Path]]()
    with tempfile.TemporaryDirectory() as holder:
        while waiting or running:
            while waiting and len(running) < 1 + max(2, os.cpu_count() or 2):
                group, report = waiting.pop(0), Path(holder) / str(len(waiting))
                running[begin(group, report)] = (group, report)
            child, _ = os.wait()
            if child in running:
                group, report = running.pop(child)
                died = Outcome(0, 1, 0, "the process died; nothing more is known")
                yield group, pickle.loads(report.read_bytes()) if report.exists() else died


def main(names: list[str]) -> int:
    """Exit status 0 when all tests passed."""
    outcomes = []
    for group, outcome in [(names, run(names))] if names else run_all(groups_of(module_names())):
        sys.stderr.write(f"{' '.join(group)}\n{outcome.report}\n")
        outcomes.append(outcome)
    passed, failed, skipped = (sum(getattr(o, kind) for o in outcomes) for kind in ("passed", "failed", "skipped"))
    slowest = sorted((t for o in outcomes for t in o.times), reverse=True)
    print("\n".join(f"{seconds:6.1f} s {name}" for seconds, name in slowest[:SLOWEST]))
    print(f"{sum(seconds for seconds, _ in slowest):.0f} s of the processor")
    print(f"{passed} passed, {failed} failed, {skipped} skipped")
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    sys.path.insert(0, str(ROOT))
    sys.exit(main(sys.argv[1:]))
