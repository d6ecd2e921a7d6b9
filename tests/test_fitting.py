"""Fit for me: what is pinned stays, the rest is sized so that nothing blocks, and what is impossible is named with what would do."""

import json
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from lexipod.building import build_assembly
from lexipod.checks import Examination, run_checks
from lexipod.design import read_design
from lexipod.editing.change import change_design
from lexipod.errors import ChoiceError, ParameterError
from lexipod.fitting import fit_design
from tests.cli.test_commands import call
from tests.samples import short_search
from tests.zoo import CATALOG, card_with


def blocks(design):
    """What blocks, looked at closely."""
    return [f.title for f in run_checks(Examination(build_assembly(design, CATALOG), CATALOG, design.ways)) if f.severity == "block"]


class FitTest(unittest.TestCase):
    def test_a_cure_that_cannot_be_built_is_a_refusal_and_no_fault(self):
        design = change_design(card_with("strip-slider"), CATALOG, {"travel": "95mm"})
        with mock.patch("lexipod.fitting.sizing.find_cure", side_effect=ParameterError("slot_length", "it would leave the card")):
            told = fit_design(design, CATALOG, "m1", ["travel"], explains=False)
        self.assertFalse(told.is_free)
        self.assertIn("it would leave the card", told.refusal)
        self.assertEqual(told.design, design)

    def test_a_longer_travel_is_kept_and_all_else_follows(self):
        design = change_design(card_with("strip-slider"), CATALOG, {"travel": "60mm"})
        self.assertTrue(blocks(design))
        told = fit_design(design, CATALOG, "m1", ["travel"])
        self.assertTrue(told.is_free)
        self.assertEqual(told.design.mechanisms[0].parameters["travel"], 60.0)
        self.assertEqual(blocks(told.design), [])
        self.assertNotIn("travel", told.changed)
        for name, (old, new) in told.changed.items():
            self.assertNotEqual(old, new)
            self.assertEqual(told.design.mechanisms[0].parameters[name], new)

    def test_several_wishes_are_kept_in_several_mechanisms(self):
        for recipe, wishes in (
            ("pocket-lift", {"piece_height": "70mm"}),
            ("window-wheel", {"window_width": "30mm"}),
            ("thread-spinner", {"spinner": "40mm"}),
            ("hinge-plate", {"plate_leg": "25mm", "plate_height": "30mm"}),
        ):
            names = [p for p in wishes if p in card_with(recipe).mechanisms[0].parameters]
            design = change_design(card_with(recipe), CATALOG, {n: wishes[n] for n in names})
            told = fit_design(design, CATALOG, "m1", names)
            self.assertTrue(told.is_free, (recipe, told.refusal, [b.title for b in told.blocks]))
            for name in names:
                self.assertEqual(told.design.mechanisms[0].parameters[name], design.mechanisms[0].parameters[name])
            self.assertEqual(blocks(told.design), [], recipe)

    @short_search()
    def test_what_is_impossible_is_named_with_what_would_do(self):
        design = change_design(card_with("strip-slider"), CATALOG, {"travel": "95mm"})
        told = fit_design(design, CATALOG, "m1", ["travel"])
        self.assertFalse(told.is_free)
        self.assertIs(told.design, design)
        (wish,) = told.impossible
        self.assertEqual((wish.name, wish.wanted), ("travel", 95.0))
        self.assertLess(wish.possible, 95.0)
        self.assertGreater(wish.possible, card_with("strip-slider").mechanisms[0].parameters["travel"])
        nearer = fit_design(change_design(design, CATALOG, {"travel": f"{wish.possible}mm"}), CATALOG, "m1", ["travel"])
        self.assertTrue(nearer.is_free)

    def test_unknown_names_are_refused(self):
        with self.assertRaises(ChoiceError):
            fit_design(card_with("spinner"), CATALOG, "m7")
        with self.assertRaises(ChoiceError):
            fit_design(card_with("spinner"), CATALOG, "m1", ["wings"])


class CommandTest(unittest.TestCase):
    def test_angles_are_told_in_degrees(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.lexipod"
            call("new", "wiper", "--out", path, "--units", "mm")
            call("set", path, "crease_angle=38deg")
            out = call("fit", path)[1]
            self.assertRegex(out, r"crease_angle: 38° → 45°")

    @short_search()
    def test_it_writes_what_fits_and_leaves_alone_what_does_not(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.lexipod"
            call("new", "strip-slider", "--out", path, "--units", "mm")
            call("set", path, "travel=60mm")
            self.assertEqual(call("check", path)[0], 1)
            status, out, err = call("fit", path, "--keep", "travel")
            self.assertEqual((status, err), (0, ""))
            self.assertIn("slot_length", out)
            self.assertEqual(read_design(path).mechanisms[0].parameters["travel"], 60.0)
            self.assertEqual(call("check", path)[0], 0)
            call("set", path, "travel=95mm")
            before = path.read_bytes()
            status, out, _ = call("fit", path, "--keep", "travel", "--json")
            told = json.loads(out)
            self.assertEqual((status, told["free"], told["impossible"][0]["name"]), (1, False, "travel"))
            self.assertEqual(path.read_bytes(), before)
            status, _, err = call("fit", path, "--keep", "wings")
            self.assertEqual((status, len(err.strip().splitlines())), (2, 1))
