"""Runs all tests in two processes: the long searches for cures and fits beside everything else. Fails if either fails.

``run_tests.py NAME …`` runs only the named tests, in one process.
"""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
LONG = (
    "tests.checks.test_cures",
    "tests.checks.test_flat_faults",
    "tests.checks.test_fold_faults",
    "tests.recipes.test_strip_slider",
    "tests.recipes.test_all_flat",
    "tests.test_fit_designs",
    "tests.app.test_fit_window",
)


def module_names() -> list[str]:
    """Every test module, dotted."""
    return sorted(".".join(p.relative_to(ROOT).with_suffix("").parts) for p in (ROOT / "tests").rglob("test_*.py"))


def main(names: list[str]) -> int:
    """Exit status 0 when all tests of both runs passed."""
    groups = [names] if names else [list(LONG), [n for n in module_names() if n not in LONG]]
    runs = [subprocess.Popen([sys.executable, "-m", "unittest", *group], cwd=ROOT, stderr=subprocess.PIPE, text=True) for group in groups]
    passed = failed = skipped = 0
    for run in runs:
        assert run.stderr is not None
        report = run.stderr.read()
        sys.stderr.write(report)
        ran = re.search(r"^Ran (\d+) tests? in", report, re.MULTILINE)
        counts = {k: int(v) for k, v in re.findall(r"(failures|errors|skipped)=(\d+)", report)}
        bad = counts.get("failures", 0) + counts.get("errors", 0)
        bad = max(bad, 1) if run.wait() else bad
        total = int(ran[1]) if ran else 0
        skipped += counts.get("skipped", 0)
        failed += bad
        passed += max(0, total - bad - counts.get("skipped", 0))
    print(f"{passed} passed, {failed} failed, {skipped} skipped")
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
