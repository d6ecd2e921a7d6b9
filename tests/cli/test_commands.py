"""The command line, as scripts use it."""

import contextlib
import io
import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

import lexipod
from lexipod.cli.main import main
from lexipod.cli.progress import Progress
from lexipod.design import read_design
from tests.zoo import CATALOG


def call(*arguments):
    """Status, standard output and standard error of one call."""
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        status = main([str(a) for a in arguments])
    return status, out.getvalue(), err.getvalue()


class CommandTest(unittest.TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.file = self.folder / "a.lexipod"
        self.assertEqual(call("new", "strip-slider", "--out", self.file)[0], 0)

    def test_recipes_lists_every_parameter_with_all_that_is_promised(self):
        answer = json.loads(call("recipes", "--json")[1])
        slider = next(r for r in answer["recipes"] if r["id"] == "strip-slider")
        names = {p["name"] for p in slider["parameters"]}
        self.assertLessEqual({"travel", "slot_length", "slot_height", "strip_height", "clearance", "overlap", "direction"}, names)
        for parameter in slider["parameters"]:
            self.assertLessEqual({"name", "kind", "unit", "default", "minimum", "maximum", "meaning"}, set(parameter))
        self.assertIn("travel", call("recipes")[1])

    def test_motion_gives_as_many_positions_as_asked_for(self):
        for recipe in ("strip-slider", "window-wheel", "spinner", "pivot-arm", "twist-popup"):
            call("new", recipe, "--out", self.file)
            for steps in (2, 7, 30):
                answer = json.loads(call("motion", self.file, "--steps", steps, "--json")[1])
                self.assertEqual(len(answer["steps"]), steps, recipe)
                self.assertEqual([answer["steps"][k]["travel"] for k in (0, -1)], answer["range"]["designed"][::1], recipe)

    def test_every_length_of_how_one_works_takes_a_unit(self):
        for setting, name, expected in (
            ("finger_gap=1/8in", "finger_gap", 3.175),
            ("fingertip=5/16in", "fingertip", 7.9375),
            ("push_grip=1.5cm", "push_grip", 15.0),
            ("envelope_allowance=1/16in", "envelope_allowance", 1.5875),
            ("fingertip=9", "fingertip", 9.0),
        ):
            self.assertEqual(call("set", self.file, setting)[0], 0)
            self.assertAlmostEqual(getattr(read_design(self.file).ways, name), expected)
        status, _, error = call("set", self.file, "fingertip=long")
        self.assertEqual(status, 2)
        self.assertIn("fingertip", error)

    def test_answers_in_text_speak_the_makers_unit_alone(self):
        for unit, other in (("in", r"\d ?(mm|cm)"), ("mm", r"\d ?in\b")):
            call("set", self.file, f"units={unit}", "item.p1=pad on m1.strip front 10x10mm")
            for command in ("zones", "post", "check"):
                text = call(command, self.file)[1]
                self.assertTrue(text)
                self.assertNotRegex(text, other, command)

    def test_new_keeps_what_is_set_and_sizes_the_rest(self):
        status, _, _ = call("new", "strip-slider", "--out", self.file, "--card", "a7", "--set", "travel=1-1/2in", "--set", "direction=up")
        design = read_design(self.file)
        self.assertEqual((status, design.card.size, design.mechanisms[0].parameters["travel"]), (0, "na.a7", 38.1))
        self.assertEqual(call("check", self.file)[0], 0)

    def test_set_changes_parameters_card_units_and_mirror(self):
        status, _, err = call("set", self.file, "travel=1 1/4 in", "card=a7", "units=mm", "mirror=yes", "stock=card-250", "title=Kite")
        self.assertEqual((status, err), (0, ""))
        design = read_design(self.file)
        self.assertEqual((design.card.size, design.ways.units, design.mechanisms[0].mirror, design.title), ("na.a7", "mm", True, "Kite"))
        self.assertEqual(call("set", self.file, "card=100x150mm")[0], 0)
        self.assertEqual((read_design(self.file).card.width, read_design(self.file).card.height), (100, 150))

    def test_describe_has_the_documented_shape(self):
        answer = json.loads(call("describe", self.file, "--json")[1])
        self.assertEqual(answer["format"], "lexipod-describe/1")
        self.assertEqual(
            answer["card"],
            {
                "name": "na.a2",
                "orientation": "portrait",
                "width": 107.95,
                "height": 139.7,
                "fold": "left",
                "base": "folded",
                "envelope": {"name": "na.env.a2", "width": 111.125, "height": 146.05},
            },
        )
        ids = {p["id"] for p in answer["parts"]}
        for joint in answer["joints"]:
            self.assertLessEqual({joint["a"], joint["b"]}, ids)
        for part in answer["parts"]:
            self.assertLessEqual(
                {
                    "id",
                    "name",
                    "mechanism",
                    "role",
                    "level",
                    "over",
                    "plies",
                    "stock",
                    "thickness",
                    "quantity",
                    "sheet",
                    "flex",
                    "outline",
                    "holes",
                    "creases",
                    "faces",
                    "through",
                    "joins",
                },
                set(part),
            )
            self.assertNotEqual(part["outline"][0], part["outline"][-1])
        self.assertEqual(answer["drives"][0]["rest"], 0)

    def test_motion_starts_at_rest_ends_at_the_end_and_names_its_stops(self):
        answer = json.loads(call("motion", self.file, "--steps", "7", "--json")[1])
        travel = read_design(self.file).mechanisms[0].parameters["travel"]
        self.assertEqual(answer["format"], "lexipod-motion/1")
        self.assertEqual([answer["steps"][0]["travel"], answer["steps"][-1]["travel"]], [0.0, travel])
        self.assertEqual(len(answer["steps"]), 7)
        described = {p["id"] for p in json.loads(call("describe", self.file, "--json")[1])["parts"] if p["mechanism"] == "m1"}
        for step in answer["steps"]:
            self.assertEqual(set(step["poses"]), described)
            for pose in step["poses"].values():
                matrix = np.array(pose["matrix"])
                np.testing.assert_allclose(matrix[:, :3] @ matrix[:, :3].T, np.eye(3), atol=1e-12)
                self.assertAlmostEqual(np.linalg.det(matrix[:, :3]), 1.0)
        low, high = answer["range"]["free"]
        self.assertTrue(low < 0 < travel < high)
        self.assertEqual([s["cause"] for s in answer["stops"]], ["contact", "slot end"])
        for row in answer["clearances"]:
            self.assertLess(row["minimum"], 8)
            self.assertIn(row["kind"], ("gap", "joint", "stop"))
        lines = call("motion", self.file, "--steps", "3", "--csv")[1].splitlines()
        self.assertEqual(len(lines), 1 + 3 * 3)

    def test_check_exits_by_its_verdict_and_its_remedies_can_be_set(self):
        self.assertEqual(call("check", self.file)[0], 0)
        travel = read_design(self.file).mechanisms[0].parameters["travel"]
        call("set", self.file, f"travel={travel + 8}")
        status, out, _ = call("check", self.file, "--json")
        answer = json.loads(out)
        self.assertEqual((status, answer["verdict"], answer["format"]), (1, "blocked", "lexipod-check/1"))
        finding = answer["findings"][0]
        self.assertLessEqual({"rule", "severity", "parts", "travel", "where", "measured", "required", "unit", "message", "remedies"}, set(finding))
        settings = [f"{k}={v}" for k, v in finding["remedies"][0]["set"].items()]
        self.assertEqual(call("set", self.file, *settings)[0], 0)
        after = json.loads(call("check", self.file, "--json")[1])
        self.assertNotIn("travel", [f["rule"] for f in after["findings"]])

    def test_cutlist_speaks_either_unit(self):
        self.assertIn("8 1/2 in × 5 1/2 in", call("cutlist", self.file, "--units", "in")[1])
        self.assertIn("215.9 mm × 139.7 mm", call("cutlist", self.file, "--units", "mm")[1])
        self.assertEqual(json.loads(call("cutlist", self.file, "--json")[1])["format"], "lexipod-cutlist/2")
        self.assertTrue(call("cutlist", self.file, "--csv")[1].startswith("part,name,stock,width_mm"))

    def test_export_writes_by_the_names_ending(self):
        for suffix, magic in ((".pdf", b"%PDF"), (".svg", b"<?xml"), (".png", b"\x89PNG"), (".csv", b"part,")):
            target = self.folder / f"out{suffix}"
            self.assertEqual(call("export", self.file, "--to", target)[0], 0)
            self.assertTrue(target.read_bytes().startswith(magic), suffix)
        card = self.folder / "card.svg"
        self.assertEqual(call("export", self.file, "--to", card, "--what", "card")[0], 0)
        self.assertIn(b"m1.picture", card.read_bytes())


class BadInputTest(unittest.TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.file = self.folder / "a.lexipod"
        call("new", "strip-slider", "--out", self.file)

    def test_each_bad_call_says_one_line_exits_2_and_leaves_the_file_alone(self):
        before = self.file.read_bytes()
        damaged = self.folder / "damaged.lexipod"
        damaged.write_bytes(before[: len(before) // 2])
        newer = self.folder / "newer.lexipod"
        newer.write_bytes(before.replace(b"lexipod/5", b"lexipod/6"))
        cases = [
            (["set", self.file, "travel=5 furlong"], "furlong"),
            (["set", self.file, "travel=1,5mm"], "1,5mm"),
            (["set", self.file, "travel=NaN"], "NaN"),
            (["set", self.file, "travel=-5"], "out of range"),
            (["set", self.file, "speed=5"], "no setting “speed”"),
            (["set", self.file, "travel"], "NAME=VALUE"),
            (["set", self.file, "card=a6"], "iso.a6, na.a6"),
            (["set", self.file, "units=ell"], "in, mm"),
            (["set", self.file, "travel=40", "speed=5"], "speed"),
            (["set", self.file, "--mechanism", "m7", "travel=4"], "m7"),
            (["new", "strip-slider", "--out", self.file, "--card", "20x20mm"], "does not fit"),
            (["new", "perpetuum", "--out", self.file], "strip-slider"),
            (["new", "strip-slider", "--out", self.file, "--set", "travel=x"], "travel"),
            (["check", damaged], "damaged"),
            (["check", newer], "newer"),
            (["check", self.folder / "none.lexipod"], "no such file"),
            (["check", self.folder], "folder"),
            (["motion", self.file, "--steps", "1"], "steps"),
            (["motion", self.file, "--mechanism", "m9"], "m9"),
            (["export", self.file, "--to", self.folder / "a.xyz"], ".pdf"),
            (["export", self.file, "--to", self.folder / "no" / "a.pdf"], "folder"),
            (["export", self.file, "--to", self.folder / "a.pdf", "--sheet", "b9"], "letter"),
            (["frobnicate"], "frobnicate"),
            (["set", self.file], "NAME=VALUE"),
        ]
        for arguments, word in cases:
            with self.subTest(arguments[-1]):
                status, out, err = call(*arguments)
                self.assertEqual((status, out), (2, ""))
                self.assertEqual(err.count("\n"), 1, err)
                self.assertIn(word, err)
                self.assertNotIn("Traceback", err)
                self.assertEqual(self.file.read_bytes(), before)

    @unittest.skipIf(os.geteuid() == 0 and not Path("/proc/self/mountinfo").exists(), "needs a folder that refuses writing")
    def test_a_folder_that_refuses_writing_is_told(self):
        status, _, err = call("export", self.file, "--to", "/proc/a.pdf")
        self.assertEqual(status, 2)
        self.assertIn("cannot be written", err)

    def test_the_program_itself_needs_no_display_and_no_widget(self):
        code = (
            "import sys; from lexipod.cli.main import main\n"
            f"main(['check', {str(self.file)!r}]); main(['export', {str(self.file)!r}, '--to', {str(self.folder / 'a.pdf')!r}])\n"
            "sys.exit('PySide6' in sys.modules)"
        )
        bare = {"PATH": "/usr/bin", "HOME": str(self.folder), "PYTHONPATH": str(Path(lexipod.__file__).parents[1])}
        run = subprocess.run([sys.executable, "-c", code], env=bare, capture_output=True, text=True, check=False)
        self.assertEqual((run.returncode, run.stderr), (0, ""))

    def test_help_has_an_example_for_every_command(self):
        for command in ("recipes", "new", "add", "set", "fit", "describe", "motion", "check", "yield", "cutlist", "export", "demo"):
            out = io.StringIO()
            with contextlib.redirect_stdout(out), self.assertRaises(SystemExit) as ended:
                main([command, "--help"])
            self.assertEqual(ended.exception.code, 0)
            self.assertIn(f"lexipod {command}", out.getvalue().split("example:")[1])
        run = subprocess.run([sys.executable, "-m", "lexipod", "check", "--help"], capture_output=True, text=True, check=True)
        self.assertIn("lexipod check", run.stdout.split("example:")[1])
        self.assertIn("na.a2", CATALOG.cards)


class SeveralMechanismsTest(unittest.TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.file = Path(holder.name) / "b.lexipod"

    def test_add_puts_one_more_on_the_card_and_motion_tells_the_worst_combination(self):
        call("new", "spinner", "--out", self.file, "--set", "pivot=35x100mm", "--set", "leaf_length=22mm")
        status, out, err = call("add", self.file, "spinner", "--set", "pivot=72x100mm", "--set", "leaf_length=22mm")
        self.assertEqual((status, out.strip(), err), (0, "m2", ""))
        status, out, _ = call("motion", self.file, "--json", "--steps", "13")
        answer = json.loads(out)
        self.assertEqual([m["mechanism"] for m in answer["mechanisms"]], ["m1", "m2"])
        (cross,) = answer["cross"]
        self.assertEqual({cross["a"], cross["b"]}, {"m1.hand", "m2.hand"})
        self.assertEqual(set(cross["at"]), {"m1", "m2"})
        self.assertLess(cross["minimum"], cross["needed"])
        status, out, _ = call("check", self.file, "--json")
        self.assertEqual(status, 1)
        rules = {f["rule"]: f for f in json.loads(out)["findings"]}
        remedy = rules["crossing"]["remedies"][0]
        changes = [f"{k}={v}" for k, v in remedy["set"].items()]
        self.assertEqual(call("set", self.file, "--mechanism", remedy["mechanism"], *changes)[0], 0)
        self.assertNotIn("crossing", {f["rule"] for f in json.loads(call("check", self.file, "--json")[1])["findings"]})

    def test_a_card_can_be_given_each_recipe_and_described(self):
        for recipe in (
            "pocket-pull",
            "pocket-lift",
            "track-rider",
            "pivot-arm",
            "dial-riders",
            "window-wheel",
            "pinwheel",
            "spinner",
            "iris",
            "louvre",
        ):
            self.assertEqual(call("new", recipe, "--out", self.file)[0], 0)
            answer = json.loads(call("describe", self.file, "--json")[1])
            self.assertEqual(answer["mechanisms"][0]["recipe"], recipe)
            self.assertTrue(answer["drives"][0]["branch"], recipe)
            self.assertEqual(answer["drives"][0]["by"], "gravity" if recipe == "track-rider" else "hand")
            ids = {p["id"] for p in answer["parts"]}
            for joint in answer["joints"]:
                self.assertLessEqual({joint["a"], joint["b"]}, ids)
            self.assertEqual(answer["cues"][0]["kind"], "word" if recipe == "track-rider" else "arrow")

    def test_wrong_places_and_turns_are_refused_in_one_line(self):
        call("new", "pivot-arm", "--out", self.file)
        before = self.file.read_bytes()
        for setting, told in (
            ("pivot=30", "like 30 x 84 mm"),
            ("pivot.z=3mm", "pivot"),
            ("turned=45", "one of 0, 90, 180, 270"),
            ("shift=far", "a place"),
            ("drive_joint=hinge", "slotted-pivot"),
            ("pivot=9999x3mm", "out of range"),
            ("pivot.x=NaN", "not a length"),
        ):
            status, _, err = call("set", self.file, setting)
            self.assertEqual((status, err.count("\n")), (2, 1), setting)
            self.assertIn(told, err)
            self.assertEqual(self.file.read_bytes(), before)
        self.assertEqual(call("set", self.file, "pivot.x=1 1/2in", "turned=90", "shift=2x-3mm", "mirror=yes")[0], 0)
        mechanism = json.loads(self.file.read_bytes())["mechanisms"][0]
        self.assertEqual(
            (mechanism["parameters"]["pivot"][0], mechanism["turned"], mechanism["shift"], mechanism["mirror"]), (38.1, 90, [2.0, -3.0], True)
        )


class SaidTest(unittest.TestCase):
    """What each command tells a reader on the terminal."""

    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def made(self, name, *more):
        path = self.folder / f"{name}.lexipod"
        call("new", "spinner", "--out", path, *more)
        return path

    def test_yield_tells_the_share_its_interval_and_where_the_errors_come_from(self):
        status, out, _ = call("yield", self.made("a"), "--builds", "50", "--whole", "0", "--seed", "1")
        first, second = out.splitlines()[:2]
        self.assertEqual(status, 0)
        self.assertRegex(first, r"^Spinner: of 50 builds \d+\.\d % run free \(95 %: \d+\.\d to \d+\.\d %\)$")
        self.assertIn("errors of", second)

    def test_compare_names_the_findings_that_came_and_went(self):
        sound, broken = self.made("a"), self.made("b", "--set", "hole=8mm")
        _, out, _ = call("compare", sound, broken)
        self.assertIn("  + block: The head of the brad slips through the hand", out)
        _, back, _ = call("compare", broken, sound)
        self.assertIn("  - block: The head of the brad slips through the hand", back)

    def test_post_names_the_class_of_each_carrier(self):
        answer = json.loads(call("post", self.made("a"), "--json")[1])
        self.assertTrue(any(row["class"] for row in answer["carriers"]))
        self.assertTrue(all(row["class"] or row["refused"] for row in answer["carriers"]))

    def test_a_progress_line_ends_with_the_work(self):
        with mock.patch("sys.stderr", io.StringIO()) as told, mock.patch.object(told, "isatty", lambda: True):
            with Progress("check") as progress:
                progress.tell(0.5)
            self.assertFalse(progress._thread.is_alive())
