"""The queue of the test run: nothing is left out, nothing runs twice, and a run that breaks counts as failed."""

import importlib.util
import os
import sys
import unittest
from pathlib import Path
from unittest import mock

ROOT = Path(__file__).resolve().parents[1]


def run_tests():
    """The script as a module."""
    spec = importlib.util.spec_from_file_location("run_tests", ROOT / "scripts" / "run_tests.py")
    module = importlib.util.module_from_spec(spec)
    sys.modules[spec.name] = module
    spec.loader.exec_module(module)
    return module


class QueueTest(unittest.TestCase):
    def setUp(self):
        self.script = run_tests()

    def test_every_module_runs_exactly_once(self):
        names = self.script.module_names()
        queued = [name for group in self.script.groups_of(names) for name in group]
        self.assertEqual(sorted(queued), names)
        self.assertIn("tests.test_running", names)

    def test_what_is_called_long_is_there(self):
        self.assertLessEqual(set(self.script.LONGEST), set(self.script.module_names()))
        self.assertEqual([g[0] for g in self.script.groups_of(self.script.module_names())][: len(self.script.LONGEST)], list(self.script.LONGEST))

    def test_a_sound_run_is_counted(self):
        outcome = self.script.run(["tests.units.test_lengths"])
        self.assertEqual((outcome.failed, outcome.skipped), (0, 0))
        self.assertGreater(outcome.passed, 5)

    def test_a_run_that_breaks_counts_as_failed(self):
        outcome = self.script.run(["tests.nothing_of_the_kind"])
        self.assertGreaterEqual(outcome.failed, 1)
        self.assertEqual(outcome.passed, 0)
        self.assertIn("nothing_of_the_kind", outcome.report)

    def test_each_group_is_told_once_whichever_ends_first(self):
        groups = [["tests.mechanics.test_formulas"], ["tests.nothing_of_the_kind"], ["tests.test_structure"]]
        told = {tuple(group): outcome for group, outcome in self.script.run_all(groups)}
        self.assertEqual(set(told), {tuple(g) for g in groups})
        self.assertEqual([told[tuple(g)].failed for g in groups], [0, 1, 0])

    def test_a_process_that_dies_counts_as_failed(self):
        with mock.patch.object(self.script, "run", side_effect=lambda names: os._exit(3)):
            told = list(self.script.run_all([["tests.units.test_lengths"]]))
        self.assertEqual([(o.passed, o.failed) for _, o in told], [(0, 1)])


if __name__ == "__main__":
    unittest.main()
