"""What nobody should give the program and somebody will: it answers in one line, at once, and stays small."""

import csv
import io
import json
import os
import re
import shlex
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from lexipod.catalog import load_catalog
from lexipod.errors import LexipodError, quoted
from lexipod.recipes import RECIPES
from tests.cli.test_commands import call

FOUR_HUNDRED = "9" * 400


class FileTest(unittest.TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.file = self.folder / "a.lexipod"
        self.assertEqual(call("new", "strip-slider", "--out", self.file)[0], 0)
        self.data = json.loads(self.file.read_text())

    def written(self, data) -> Path:
        path = self.folder / "b.lexipod"
        path.write_text(data if isinstance(data, str) else json.dumps(data))
        return path

    def assert_refused(self, path, *words, command="check"):
        status, out, err = call(command, path)
        self.assertEqual((status, out), (2, ""), err)
        self.assertEqual(err.count("\n"), 1, err)
        self.assertNotIn("Traceback", err)
        self.assertLess(len(err), 400 + len(str(path)))
        for word in words:
            self.assertIn(word, err)

    def test_items_of_what_cannot_be_cut(self):
        item = {"id": "d1", "on": "card.front", "kind": "decoration", "at": [20, 20], "width": 10, "height": 10}
        for stock in ("felt-of-nowhere", "foam-2", "x" * 5000):
            self.data["items"] = [{**item, "stock": stock}]
            with self.subTest(stock[:20]):
                self.assert_refused(self.written(self.data), "d1", stock[:15])
        self.data["items"] = [{**item, "kind": "pad", "stock": "card-300"}]
        self.assert_refused(self.written(self.data), "d1")

    def test_numbers_that_no_card_has(self):
        values = self.data["mechanisms"][0]["parameters"]
        for name in ("strip_plies", "travel", "slot_place"):
            text = json.dumps(self.data).replace(f'"{name}": {json.dumps(values[name])}', f'"{name}": {FOUR_HUNDRED}')
            with self.subTest(name):
                self.assert_refused(self.written(text))
        for text in ("1e999", "NaN", "Infinity", "true", "null", '"wide"', "[1, 2, 3]", "{}"):
            broken = re.sub(r'"travel": [0-9.]+', f'"travel": {text}', json.dumps(self.data))
            with self.subTest(text):
                self.assert_refused(self.written(broken))

    def test_a_mechanism_without_parameters_is_sized_by_the_program(self):
        del self.data["mechanisms"][0]["parameters"]
        path = self.written(self.data)
        self.assertEqual(call("check", path)[0], 0)
        status, out, err = call("yield", path, "--builds", "50", "--whole", "0", "--json")
        self.assertEqual((status, err), (0, ""))
        self.assertGreater(json.loads(out)["free"], 0.5)

    def test_words_that_are_no_text(self):
        text = json.dumps(self.data).replace('"Strip slider"', '"\\ud800 fog"')
        self.assert_refused(self.written(text))
        path = self.folder / "raw.lexipod"
        path.write_bytes(b'{"format": "lexipod/1", "title": "\xff\xfe"}')
        self.assert_refused(path)

    def test_what_is_no_ordinary_file(self):
        os.mkfifo(self.folder / "pipe")
        for path in (self.folder / "pipe", Path("/dev/zero"), self.folder, self.folder / "nothing", Path("/dev/null")):
            with self.subTest(path.name):
                self.assert_refused(path)

    def test_of_a_long_path_the_files_name_is_told(self):
        deep = self.folder / ("d" * 120) / "my-card.lexipod"
        deep.parent.mkdir()
        deep.write_text("{}")
        status, _, err = call("check", deep)
        self.assertEqual(status, 2)
        self.assertIn("my-card.lexipod", err)
        self.assertNotIn("d" * 81, err)

    def test_depth_and_size_have_an_end(self):
        self.assert_refused(self.written("[" * 100_000))
        self.assert_refused(self.written('{"format": "lexipod/1", "title": "' + "x" * 30_000_000 + '"}'))

    def test_settings_are_echoed_shortly(self):
        before = self.file.read_bytes()
        for setting in (
            "travel=" + "9" * 5000,
            "x" * 5000 + "=1",
            "direction=" + "y" * 5000,
            "card=" + "z" * 5000,
            "item.d1=" + "w" * 5000,
            "units=" + "q" * 900,
        ):
            with self.subTest(setting[:12]):
                status, out, err = call("set", self.file, setting)
                self.assertEqual((status, out), (2, ""))
                longest = max(len(run) for run in re.findall(r"(.)\1*", err) for run in [run]) if err else 0
                self.assertLessEqual(longest, 80)
                self.assertLess(len(err), 1200 + len(str(self.file)))  # what there is instead is listed
        self.assertEqual(self.file.read_bytes(), before)
        self.assertLessEqual(len(quoted("a" * 200)), 84)

    def test_a_full_disk_is_told(self):
        for command in (("check", self.file, "--json"), ("cutlist", self.file), ("recipes",)):
            with self.subTest(command[0]), open("/dev/full", "w", encoding="utf-8") as full:
                told = subprocess.run(
                    [sys.executable, "-m", "lexipod", *map(str, command)], stdout=full, stderr=subprocess.PIPE, text=True, check=False, timeout=60
                )
                self.assertEqual(told.returncode, 2)
                self.assertEqual(told.stderr.count("\n"), 1)
                self.assertIn("No space left", told.stderr)


class CatalogTest(unittest.TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def assert_refused(self):
        with self.assertRaises(LexipodError) as caught:
            load_catalog(self.folder)
        self.assertLess(len(str(caught.exception)), 500 + len(str(self.folder)))

    def test_keys_of_dots_and_nests(self):
        for text in ("a" + ".a" * 20_000 + " = 1\n", "x = " + "[" * 5000 + "]" * 5000, "x = " + "{a=" * 3000 + "1" + "}" * 3000):
            (self.folder / "own.toml").write_text(text)
            with self.subTest(text[:8]):
                self.assert_refused()

    def test_what_is_no_ordinary_file(self):
        target = self.folder / "own.toml"
        os.mkfifo(target)
        self.assert_refused()
        target.unlink()
        target.symlink_to("/dev/zero")
        self.assert_refused()


class AnswerTest(unittest.TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.file = Path(holder.name) / "a.lexipod"

    def test_a_card_that_is_too_small_for_some_still_lists_all(self):
        status, out, err = call("recipes", "--card", "60x60mm", "--json")
        self.assertEqual((status, err), (0, ""))
        told = {r["id"]: r for r in json.loads(out)["recipes"]}
        self.assertEqual(set(told), set(RECIPES))
        self.assertEqual(call("recipes", "--card", "60x60mm")[0], 0)

    def test_two_mechanisms_share_one_head(self):
        self.assertEqual(call("new", "strip-slider", "--card", "a7", "--out", self.file)[0], 0)
        self.assertEqual(call("add", self.file, "spinner")[0], 0)
        status, out, _ = call("motion", self.file, "--csv")
        rows = list(csv.DictReader(io.StringIO(out)))
        self.assertEqual(status, 0)
        self.assertEqual({r["mechanism"] for r in rows}, {"m1", "m2"})
        for row in rows:
            for column in ("travel", "x_mm", "y_mm", "turn_deg"):
                float(row[column])
        alone = list(csv.DictReader(io.StringIO(call("motion", self.file, "--csv", "--mechanism", "m2")[1])))
        self.assertEqual(alone, [r for r in rows if r["mechanism"] == "m2"])

    def test_what_is_printed_as_a_cure_can_be_given_back(self):
        tried = 0
        for recipe, settings in (
            ("strip-slider", ("travel=60mm",)),
            ("strip-slider", ("item.d1=decoration on m1.picture front 10x10mm at 30x30mm",)),
            ("pivot-arm", ("arm_length=90mm",)),
            ("strip-slider", ("clearance=0.01mm",)),
        ):
            self.assertEqual(call("new", recipe, "--out", self.file)[0], 0)
            status, _, err = call("set", self.file, *settings)
            self.assertEqual(status, 0, err)
            before = self.file.read_bytes()
            for line in call("check", self.file)[1].splitlines():
                printed = re.search(r"  \[(.+=.+)\]$", line)
                if printed is None:
                    continue
                status, _, err = call("set", self.file, *shlex.split(printed[1]))
                self.assertEqual(status, 0, (line, err))
                self.assertNotEqual(self.file.read_bytes(), before)
                self.file.write_bytes(before)
                tried += 1
        self.assertGreater(tried, 2)


if __name__ == "__main__":
    unittest.main()
