"""A recipe of another package: it is there like the shipped ones, and one that cannot be used harms nobody."""

import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from lexipod.recipes.registry import GROUP, RECIPES, SHIPPED

GUESTS = Path(__file__).parents[1] / "guests"
ROOT = Path(__file__).parents[2]


def beside(*words, code=None):
    """A call of a Python that has the guest's package installed."""
    path = os.pathsep.join([str(GUESTS), str(ROOT), os.environ.get("PYTHONPATH", "")])
    command = [sys.executable, "-c", code] if code else [sys.executable, "-m", "lexipod", *map(str, words)]
    return subprocess.run(
        command, capture_output=True, text=True, check=False, env=os.environ | {"PYTHONPATH": path, "QT_QPA_PLATFORM": "offscreen"}, timeout=120
    )


class GuestTest(unittest.TestCase):
    def test_without_guests_there_are_the_shipped_ones(self):
        self.assertEqual(list(RECIPES), list(SHIPPED))
        self.assertEqual([RECIPES[recipe].id for recipe in SHIPPED], list(SHIPPED))  # each row names its own
        self.assertEqual(len(RECIPES), len(SHIPPED))
        self.assertNotIn("tide-flag", RECIPES)
        self.assertEqual(GROUP, "lexipod.recipes")

    def test_it_stands_in_the_list_and_what_cannot_be_used_is_told_and_left_out(self):
        told = beside("recipes", "--json")
        rows = {r["id"]: r for r in json.loads(told.stdout)["recipes"]}
        self.assertEqual(list(rows)[-1], "tide-flag")
        self.assertTrue(rows["tide-flag"]["fits"])
        self.assertIn("broken", told.stderr)
        self.assertIn("twice", told.stderr)
        self.assertEqual(rows["spinner"]["does"], RECIPES["spinner"].does)

    def test_it_is_made_checked_moved_and_cut_on_the_command_line(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "flag.lexipod"
            self.assertEqual(beside("new", "tide-flag", "--out", path).returncode, 0)
            checked = beside("check", path, "--json")
            self.assertEqual((checked.returncode, json.loads(checked.stdout)["verdict"]), (0, "free"), checked.stdout)
            steps = json.loads(beside("motion", path, "--steps", "5", "--json").stdout)["steps"]
            self.assertEqual([s["travel"] for s in steps][-1], 360.0)
            self.assertIn("flag", beside("cutlist", path).stdout)
            self.assertEqual(beside("set", path, "flag=90mm").returncode, 0)
            self.assertEqual(beside("check", path).returncode, 1)  # it leaves the card

    def test_it_is_in_the_chooser_and_in_the_benchmark_without_a_demo_card(self):
        code = (
            "from tests.zoo import CATALOG, FLAT, FOLDED\n"
            "from lexipod.app.frame.start import make_application\n"
            "from lexipod.app.frame.chooser import Chooser, make_sample\n"
            "from lexipod.app.look import DAY\n"
            "from lexipod.app.state.session import Session\n"
            "from lexipod.recipes import find_recipe\n"
            "import sys; sys.path.insert(0, 'benchmarks')\n"
            "import flat\n"
            "app = make_application(); session = Session(CATALOG); chooser = Chooser(session, DAY)\n"
            "assert 'tide-flag' in FLAT and 'tide-flag' not in FOLDED and 'tide-flag' in flat.FLAT\n"
            "assert 'tide-flag' in [r.id for r in chooser.wanted]\n"
            "assert make_sample(find_recipe('tide-flag'), session.design, session).track is not None\n"
            "print('well')\n"
        )
        told = beside(code=code)
        self.assertIn("well", told.stdout, told.stderr)


if __name__ == "__main__":
    unittest.main()
