"""Runs all tests in as many processes as there are processors, two at least: the longest first, whatever is free takes the next.

``run_tests.py NAME …`` runs only the named tests, in one process. Fails if any fails, or if none ran.
"""

from __future__ import annotations

import os
import re
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
LONGEST = (
    "tests.recipes.test_all_flat",
    "tests.app.test_window",
    "tests.test_builds",
    "tests.app.test_flat_window",
    "tests.checks.test_flat_faults",
    "tests.recipes.test_strip_slider",
    "tests.app.test_fit_window",
    "tests.app.test_work_and_seams",
    "tests.test_fit_designs",
    "tests.app.test_fold_window",
    "tests.checks.test_fold_faults",
    "tests.checks.test_against_brute_force",
    "tests.recipes.test_every_choice",
    "tests.test_last_mile",
    "tests.checks.test_cures",
    "tests.checks.test_against_cells",
    "tests.cli.test_hostile",
    "tests.checks.test_boundaries",
    "tests.recipes.test_all_folds",
)
"""Modules that are worth a process of their own, the longest first; all others share some."""
SHARED = 6


@dataclass(frozen=True)
class Outcome:
    """How one process ended."""

    passed: int
    failed: int
    skipped: int
    report: str


def module_names() -> list[str]:
    """Every test module, dotted."""
    return sorted(".".join(p.relative_to(ROOT).with_suffix("").parts) for p in (ROOT / "tests").rglob("test_*.py"))


def groups_of(names: list[str]) -> list[list[str]]:
    """What each process runs, in the order in which they are begun."""
    alone = [[name] for name in LONGEST if name in names]
    rest = [name for name in names if name not in LONGEST]
    return alone + [rest[k::SHARED] for k in range(SHARED) if rest[k::SHARED]]


def run(names: list[str]) -> Outcome:
    """Some modules or tests in a process of their own."""
    told = subprocess.run([sys.executable, "-m", "unittest", *names], cwd=ROOT, stderr=subprocess.PIPE, text=True, check=False)
    ran = re.search(r"^Ran (\d+) tests? in", told.stderr, re.MULTILINE)
    counts = {k: int(v) for k, v in re.findall(r"(failures|errors|skipped)=(\d+)", told.stderr)}
    failed = counts.get("failures", 0) + counts.get("errors", 0)
    failed = max(failed, 1) if told.returncode else failed
    skipped = counts.get("skipped", 0)
    return Outcome(max(0, (int(ran[1]) if ran else 0) - failed - skipped), failed, skipped, told.stderr)


def main(names: list[str]) -> int:
    """Exit status 0 when all tests passed."""
    groups = [names] if names else groups_of(module_names())
    outcomes = []
    with ThreadPoolExecutor(max(2, os.cpu_count() or 2)) as pool:
        for group, outcome in zip(groups, pool.map(run, groups), strict=True):
            sys.stderr.write(f"{' '.join(group)}\n{outcome.report}\n")
            outcomes.append(outcome)
    passed, failed, skipped = (sum(getattr(o, kind) for o in outcomes) for kind in ("passed", "failed", "skipped"))
    print(f"{passed} passed, {failed} failed, {skipped} skipped")
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
