"""Folds on the command line: sheets, hinges, frames and layers, as scripts use them."""

import csv
import io
import json
import tempfile
import unittest
from pathlib import Path

import numpy as np
import pypdf

from tests.cli.test_commands import call
from tests.zoo import FOLDED


class MadeCase(unittest.TestCase):
    """A folder of its own, and designs made in it by the command."""

    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def made(self, recipe, *settings):
        path = self.folder / f"{recipe}.lexipod"
        status, _, err = call("new", recipe, "--out", path, "--units", "mm", *[x for s in settings for x in ("--set", s)])
        self.assertEqual((status, err), (0, ""))
        return path


class FoldCommandTest(MadeCase):
    def test_every_fold_is_made_checked_described_and_moved(self):
        for recipe in FOLDED:
            path = self.made(recipe)
            self.assertEqual(call("check", path)[0], 0, recipe)
            told = json.loads(call("describe", path, "--json")[1])
            parts = {p["id"]: p for p in told["parts"]}
            sheets = {s["id"]: s for s in told["sheets"]}
            self.assertTrue(told["drives"] and all(d["unit"] == "deg" for d in told["drives"]), recipe)
            hinges = [j for j in told["joints"] if j["kind"] == "hinge"]
            self.assertTrue(hinges, recipe)
            for hinge in hinges:
                for end in ("at_a", "at_b"):
                    self.assertEqual(np.shape(hinge[end]), (2, 3))
                self.assertAlmostEqual(*(np.linalg.norm(np.subtract(*hinge[e])) for e in ("at_a", "at_b")), places=6)
            for sheet in sheets.values():
                for crease in sheet["creases"]:
                    self.assertIn(crease["kind"], ("mountain", "valley"))
                    self.assertIn(crease["runs"], ("crisp", "free"))
            moved = json.loads(call("motion", path, "--steps", 5, "--json")[1])
            drive = moved["drive"]
            self.assertEqual([s["travel"] for s in moved["steps"]][0::4], [drive["rest"], drive["end"]])
            for step in moved["steps"]:
                for panel, pose in step["poses"].items():
                    self.assertIn(panel, parts)
                    turn = np.array(pose["matrix"])[:, :3]
                    np.testing.assert_allclose(turn @ turn.T, np.eye(3), atol=1e-9)
            layers = [p["layer"] for p in moved["steps"][0]["poses"].values()]
            self.assertEqual(sorted(layers), sorted(set(layers)), recipe)  # at rest it lies flat: every panel has its own rank
            self.assertTrue(all(isinstance(n, int) for n in layers), recipe)
            if recipe != "waterfall":  # its four steps are flat states too
                self.assertTrue(all(p["layer"] is None for p in moved["steps"][1]["poses"].values()), recipe)

    def test_frames_bring_both_sides_of_a_hinge_together(self):
        path = self.made("twist-popup")
        told, moved = (json.loads(call(*words, path, "--json")[1]) for words in (("describe",), ("motion", "--steps", 7)))
        for joint in (j for j in told["joints"] if j["kind"] == "hinge"):
            for step in moved["steps"]:
                ends = []
                for panel, at in ((joint["a"], joint["at_a"]), (joint["b"], joint["at_b"])):
                    frame = np.array(step["poses"][panel]["matrix"])
                    ends.append(np.array(at) @ frame[:, :3].T + frame[:, 3])
                np.testing.assert_allclose(ends[0], ends[1], atol=1e-6)

    def test_a_table_of_frames_has_a_line_for_each_panel_and_position(self):
        path = self.made("counter-fold")
        rows = list(csv.DictReader(io.StringIO(call("motion", path, "--steps", 3, "--csv")[1])))
        self.assertEqual(len(rows), 3 * 5)
        self.assertEqual(float(rows[0]["m00"]), 1.0)

    def test_scores_are_spoken_in_the_makers_unit_and_add_up(self):
        path = self.made("popout-box", "window=0mm", "spinner=0mm", "plate=0mm", "panel=60mm", "flap=12mm")
        text = call("cutlist", path, "--units", "mm")[1]
        # Paper of 0.38 mm: panel 1, which lies on the flap, a caliper short; half a caliper into each fold that is pressed shut.
        self.assertRegex(text, r"along the 252.4 mm side score at 59.6 mm from the left \(mountain, runs free\), 119.8 mm .*, 180 mm .*, 240.2 mm")
        self.assertIn("panel 1 59.6 mm instead of 60 mm for creep", text)
        self.assertIn("fold in this order", text)
        self.assertIn("creep", text)
        piece = next(p for p in json.loads(call("cutlist", path, "--json")[1])["pieces"] if p["blank"] == "m1.strip")
        self.assertEqual([s["at"] for s in piece["scores"]], [59.62, 119.81, 180.0, 240.19])
        self.assertEqual({s["fold"] for s in piece["scores"]}, {"mountain"})
        inch = call("cutlist", path, "--units", "in")[1]
        self.assertRegex(inch, r"≈ 2 3/8 in from the left")

    def test_a_window_interrupts_a_score_and_a_slanting_one_has_two_ends(self):
        piece = next(p for p in json.loads(call("cutlist", self.made("popout-box"), "--json")[1])["pieces"] if p["blank"] == "m1.strip")
        halves = [s for s in piece["scores"] if s["name"].startswith("score-1")]
        self.assertEqual(len(halves), 2)
        text = call("cutlist", self.made("twist-popup"), "--units", "mm")[1]
        self.assertIn("slanting, score from", text)
        self.assertIn("only from", text)
        self.assertRegex(text, r"cut inside from .* up to .* up, after scoring")

    def test_exports_are_written_and_read_back(self):
        path = self.made("wiper")
        for suffix in ("pdf", "svg", "png", "csv"):
            target = self.folder / f"out.{suffix}"
            self.assertEqual(call("export", path, "--to", target)[0], 0)
            self.assertGreater(target.stat().st_size, 500)
        self.assertGreaterEqual(len(pypdf.PdfReader(self.folder / "out.pdf").pages), 1)

    def test_closures_are_set_described_and_cut(self):
        path = self.made("hinge-plate", "closure=hem", "closure.width=14mm")
        told = json.loads(call("describe", path, "--json")[1])["closure"]
        self.assertEqual((told["kind"], told["hem"], len(told["magnets"])), ("hem", 14.0, 2))
        self.assertEqual(call("set", path, "closure=band", "closure.at=5cm")[0], 0)
        self.assertIn("wrap band", call("cutlist", path)[1])
        status, _, err = call("set", path, "closure=glue")
        self.assertEqual(status, 2)
        self.assertIn("none, band, hem, seal", err)

    def test_folds_that_do_not_close_are_findings_not_tracebacks(self):
        path = self.made("flip-panels", "drive=link")
        self.assertEqual(call("set", path, "link=12mm")[0], 0)
        status, out, err = call("check", path)
        self.assertEqual((status, err), (1, ""))
        self.assertIn("cannot be opened all the way", out)
        self.assertEqual(json.loads(call("motion", path, "--json")[1])["stops"][1]["cause"], "dead point")
        self.assertEqual(call("export", path, "--to", self.folder / "half.png")[0], 0)

    def test_bad_words_are_refused_in_one_line(self):
        path = self.made("twist-popup")
        before = path.read_bytes()
        for words in (["apex=NaN"], ["apex=-3mm"], ["diagonal_angle=80deg"], ["shift=4mm x 0mm"], ["platform=triangular"], ["fold=middle"]):
            status, _, err = call("set", path, *words)
            self.assertEqual(status, 2, words)
            self.assertEqual(len(err.strip().splitlines()), 1, words)
        self.assertEqual(path.read_bytes(), before)
